//! The pictures in the documentation are what the commands draw: `scripts/screenshots` makes them in the same way.

use crate::fixtures::Folder;
use crate::guide::demo_project;
use image::{Rgba, RgbaImage, imageops};
use std::path::Path;

/// How far apart two pixels may be in a channel: other processors round a little differently.
const SLIGHTLY: u8 = 2;

#[track_caller]
fn shows(folder: &Folder, drawn: &str, name: &str) {
    let shown = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots").join(name);
    let shown = image::open(shown).unwrap().to_rgba8();
    let drawn = image::open(folder.path(drawn)).unwrap().to_rgba8();
    // Of large ones the documentation shows the upper part.
    assert!(drawn.width() == shown.width() && drawn.height() >= shown.height(), "{name}");
    let close = |a: &Rgba<u8>, b: &Rgba<u8>| (0..4).all(|n| a[n].abs_diff(b[n]) <= SLIGHTLY);
    let differ = shown.enumerate_pixels().find(|(x, y, pixel)| !close(pixel, drawn.get_pixel(*x, *y)));
    assert!(differ.is_none(), "{name}: {differ:?}: run scripts/screenshots, and look at what has changed");
}

/// The demo's project in a folder of its own, because pictures show paths.
fn folders() -> Folder {
    let (folder, demo) = (Folder::new(), demo_project());
    for (below, bytes) in demo.everything("") {
        folder.write(&format!("moth-courier/{below}"), bytes);
    }
    folder
}

#[test]
fn pictures_of_pages_levels_clips_and_scenes() {
    let folder = folders();
    let run = |line: &str| folder.zemtak(&format!("-C moth-courier {line}"));
    run("pack --quiet").exits(0);
    run("mips scene --png levels.png").exits(0);
    shows(&folder, "moth-courier/levels.png", "levels.png");
    run("view scene --png view.png").exits(0);
    shows(&folder, "moth-courier/view.png", "view.png");
    run("clip render build/scene.zemtak.json moth/fly --zoom 3 --behind #1a1f3a -o moth.png").exits(0);
    shows(&folder, "moth-courier/moth.png", "moth.png");
    run("cache rehearse faults.toml --png faults.png").exits(0);
    shows(&folder, "moth-courier/faults.png", "faults.png");
}

#[test]
fn a_picture_of_what_a_repack_changed() {
    let folder = folders();
    let run = |line: &str| folder.zemtak(&format!("-C moth-courier {line}"));
    run("pack --quiet").exits(0);
    for (name, bytes) in folder.everything("moth-courier/build") {
        folder.write(&format!("released/{name}"), bytes);
    }
    let art = |name: &str| folder.path("moth-courier/art").join(name);
    std::fs::remove_file(art("moth/fly/07.png")).unwrap();
    std::fs::rename(art("star/large.png"), art("star/huge.png")).unwrap();
    let air = image::open(art("letter/air.png")).unwrap().to_rgba8();
    imageops::resize(&air, 52, 40, imageops::FilterType::Nearest).save(art("letter/air.png")).unwrap();
    run("pack --quiet").exits(0);
    run("diff ../released/scene.zemtak.json scene --png diff.png").exits(1);
    shows(&folder, "moth-courier/diff.png", "diff.png");
}

#[test]
fn a_contact_sheet_with_what_was_found() {
    let folder = Folder::new();
    for (below, bytes) in demo_project().everything("art") {
        folder.write(&format!("seen/{below}"), bytes);
    }
    let seen = |name: &str| folder.path("seen").join(name);
    std::fs::remove_file(seen("moth/fly/04.png")).unwrap();
    std::fs::copy(seen("lantern/teal/03.png"), seen("lantern/teal/3.png")).unwrap();
    let mut speck = RgbaImage::new(72, 72);
    speck.put_pixel(60, 60, Rgba([0xff, 0xc8, 0x60, 0xff]));
    speck.save(seen("moon/speck.png")).unwrap();
    let emblem = image::open(seen("emblem.png")).unwrap().to_rgba8();
    for (n, [x, y, w, h]) in [(1, [0, 0, 150, 120]), (2, [30, 20, 90, 70])] {
        imageops::crop_imm(&emblem, x, y, w, h).to_image().save(seen(&format!("stamp/{n}.png"))).unwrap();
    }
    let air = std::fs::read(seen("letter/air.png")).unwrap();
    folder.write("seen/letter/torn.png", &air[..300]);
    folder.zemtak("scan seen --png seen.png --quiet").exits(0);
    shows(&folder, "seen.png", "sheet.png");
}
