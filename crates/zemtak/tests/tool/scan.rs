//! `zemtak scan`: every kind of finding on images made to have it, and the forecast against a real build.

use crate::fixtures::{Folder, blob, demo_art, encode, gif, noisy, png};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use zemtak_core::codec::decode;
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// An empty canvas with one picture at a place of it.
fn on_canvas(size: Size, picture: &Pixels, [x, y]: [u32; 2]) -> Pixels {
    let mut canvas = Pixels::transparent(size).unwrap();
    for row in 0..picture.size().h {
        let (from, width) = (x as usize * 4, picture.size().w as usize * 4);
        canvas.row_mut(y + row)[from..from + width].copy_from_slice(picture.row(row));
    }
    canvas
}

/// What a case is about, and what exactly.
type Case = (Vec<String>, Option<String>);

/// The cases of each kind: what they are about, and what exactly.
fn found(answer: &Value) -> BTreeMap<String, Vec<Case>> {
    let text = |value: &Value| value.as_str().map(str::to_owned);
    let item =
        |item: &Value| (item["about"].as_array().unwrap().iter().filter_map(text).collect(), text(&item["detail"]));
    let of = |f: &Value| (text(&f["code"]).unwrap(), f["items"].as_array().unwrap().iter().map(item).collect());
    answer["findings"].as_array().unwrap().iter().map(of).collect()
}

/// Pairs come from a table without an order of its own.
#[test]
fn near_twins_are_told_in_order() {
    let folder = Folder::new();
    for n in 0..8 {
        let mut eye = noisy(30, 32, 99);
        eye.row_mut(5)[..4].copy_from_slice(&[n, 2, 3, 255]);
        folder.write(&format!("art/eye-{n}.png"), png(&eye));
    }
    let found = found(&folder.zemtak("scan art --json").exits(0).json());
    let about: Vec<&Vec<String>> = found["near_twins"].iter().map(|(about, _)| about).collect();
    assert!(about.len() == 28 && about.is_sorted(), "{about:?}");
}

/// More than 4,000 pairs were left out without a word. Which folders they lie in is told now.
#[test]
fn sprites_that_are_too_many_to_compare_are_told_by_folder() {
    let folder = Folder::new();
    for (group, n) in (0..10_u8).flat_map(|group| (0..30_u8).map(move |n| (group, n))) {
        let mut eye = noisy(18 + u32::from(group), 32, 99);
        eye.row_mut(5)[..4].copy_from_slice(&[n, 2, 3, 255]);
        folder.write(&format!("art/{group}/eye-{n}.png"), png(&eye));
    }
    let all = found(&folder.zemtak("scan art --json").exits(0).json());
    // Ten times 435 pairs; the largest sprites come last.
    assert_eq!(all["near_twins"].len(), 4000);
    assert_eq!(all["not_compared"], [(vec!["9".to_owned()], Some("350 pairs".to_owned()))]);
    let one = found(&folder.zemtak("scan art/9 --json").exits(0).json());
    assert_eq!((one["near_twins"].len(), one.get("not_compared")), (435, None));
}

#[test]
#[allow(clippy::too_many_lines, reason = "a picture for each kind of finding")]
fn every_kind_of_finding_is_found_and_nothing_else() {
    let folder = Folder::new();
    let write = |name: &str, pixels: &Pixels| folder.write(&format!("art/{name}.png"), png(pixels));
    let canvas = Size::new(40, 40);
    for (n, name) in ["run/1", "run/2", "run/5"].into_iter().enumerate() {
        write(name, &on_canvas(canvas, &noisy(20, 20, 1 + n as u32 * 50), [2, 2]));
    }
    for (n, name) in ["lava2", "lava02"].into_iter().enumerate() {
        write(name, &on_canvas(canvas, &noisy(21, 20, 3 + n as u32 * 60), [2, 2]));
    }
    write("grow/1", &noisy(10, 14, 7));
    write("grow/2", &noisy(16, 14, 8));
    // Larger, or on a smaller canvas, it would be none.
    write("spot", &on_canvas(canvas, &noisy(3, 3, 9), [30, 30]));
    write("dot", &on_canvas(Size::new(15, 17), &noisy(2, 2, 10), [3, 3]));
    write("speck", &on_canvas(Size::new(16, 16), &noisy(2, 2, 9), [3, 3]));
    let mut faint = noisy(9, 9, 4);
    faint.as_bytes_mut().chunks_exact_mut(4).for_each(|pixel| pixel[3] = 5);
    write("faint", &faint);
    write("empty", &Pixels::transparent(canvas).unwrap());
    let lamp = noisy(12, 30, 33);
    write("lamp", &on_canvas(canvas, &lamp, [3, 3]));
    write("lamp-again", &on_canvas(canvas, &lamp, [3, 3]));
    let moved = noisy(13, 31, 44);
    write("shift", &on_canvas(canvas, &moved, [3, 3]));
    write("shift-elsewhere", &on_canvas(canvas, &moved, [20, 5]));
    // On canvases of two sizes.
    let sign = noisy(14, 9, 21);
    write("sign", &on_canvas(canvas, &sign, [3, 3]));
    write("sign-wider", &on_canvas(Size::new(44, 40), &sign, [3, 3]));
    // Thirteen pixels differ: too many, however large it is.
    let mut field = noisy(80, 60, 23);
    write("field", &field);
    (0..13).for_each(|x| field.row_mut(7)[x * 4] ^= 1);
    write("field-worn", &field);
    let mut blink = noisy(30, 32, 99);
    write("eye", &blink);
    blink.row_mut(5)[8..12].copy_from_slice(&[1, 2, 3, 255]);
    blink.row_mut(6)[8..12].copy_from_slice(&[1, 2, 3, 255]);
    write("eye-blink", &blink);
    let mut hidden = on_canvas(canvas, &noisy(8, 8, 77), [1, 1]);
    hidden.row_mut(39)[0..4].copy_from_slice(&[200, 1, 1, 0]);
    write("hidden", &hidden);
    write("wide", &noisy(2047, 2, 5));
    write("tall", &noisy(2, 2046, 5));
    folder.write("art/misnamed.bmp", png(&noisy(11, 9, 66)));
    folder.write("art/broken.png", &png(&blob(20, 20, [1, 2, 3]))[..200]);
    folder.write("art/a:b.png", png(&noisy(7, 9, 55)));
    let deep = png::BitDepth::Sixteen;
    folder.write("art/deep.png", encode(Size::new(2, 1), png::ColorType::Rgba, deep, &[9; 16], |_| ()));
    folder.write("art/notes.txt", "no image");
    folder.zemtak("pattern 64x64 --kind uv -o art/pattern.png").exits(0);
    folder.zemtak("pack art/grow -o art/out").exits(0);
    let answer = folder.zemtak("scan art --json").exits(0).json();
    let found = found(&answer);
    let expected = [
        ("unusable_image", json!([["art/broken.png"]])),
        ("unusable_name", json!([["art/a:b.png"]])),
        ("too_large", json!([["wide"]])),
        ("frame_gap", json!([["run"]])),
        ("same_frame_number", json!([["lava"]])),
        ("mixed_digits", json!([["lava"]])),
        ("varying_canvas", json!([["grow"]])),
        ("speck", json!([["speck"]])),
        ("faint", json!([["faint"]])),
        ("wrong_extension", json!([["art/misnamed.bmp"]])),
        ("empty", json!([["empty"]])),
        ("twins", json!([["lamp", "lamp-again"]])),
        ("moved_twins", json!([["shift", "shift-elsewhere"], ["sign", "sign-wider"]])),
        ("near_twins", json!([["eye", "eye-blink"]])),
        ("hidden_colour", json!([["hidden"]])),
        ("sixteen_bits", json!([["art/deep.png"]])),
        ("own_pictures", json!([["art/out"]])),
    ];
    for (code, about) in &expected {
        let of: Vec<&Vec<String>> = found.get(*code).into_iter().flatten().map(|(about, _)| about).collect();
        assert_eq!(json!(of), *about, "{code}");
    }
    assert_eq!(found.len(), expected.len(), "{:?}", found.keys());
    let detail = |code: &str| found[code][0].1.clone().unwrap();
    assert_eq!(detail("frame_gap"), "after 2 comes 5; 2 missing in all");
    assert_eq!(detail("near_twins"), "2 pixels, the first at (2, 5) of the visible box");
    assert_eq!(detail("varying_canvas"), "2 sizes, 10 x 14 to 16 x 14");
    assert_eq!(answer["skipped_files"], 1);
    assert_eq!(answer["forecast"]["too_large"], 1, "a sprite that just fits does so there too");
    folder.zemtak("scan art --strict").exits(1);
    folder.zemtak("scan art/out/..//grow --strict").exits(1);
    folder.zemtak("scan art/run/1.png art/run/2.png --strict").exits(0);
    folder.zemtak("scan art/notes.txt").exits(0);
}

#[cfg(unix)]
#[test]
fn what_cannot_be_read_is_an_unusable_image() {
    let folder = Folder::new();
    folder.write("art/eye.png", png(&noisy(9, 9, 4)));
    let pipe = folder.path("art/pipe.png");
    assert!(std::process::Command::new("mkfifo").arg(pipe).status().unwrap().success());
    let found = found(&folder.zemtak("scan art --json").exits(0).json());
    let expected = BTreeMap::from([(
        "unusable_image".into(),
        vec![(vec!["art/pipe.png".into()], Some("not a regular file".into()))],
    )]);
    assert_eq!(found, expected);
}

/// Where more sprites had findings than there is room for, it said that all of those were there.
#[test]
fn a_contact_sheet_says_which_sprites_it_shows() {
    for (misnamed, told) in [
        (0, "the first 440 of 445 sprites"),
        (3, "440 of 445 sprites, those with findings among them"),
        (444, "440 of 444 sprites with findings, 445 sprites in all"),
    ] {
        let folder = Folder::new();
        for n in 0..445_u32 {
            let ending = if n < misnamed { "bmp" } else { "png" };
            folder.write(&format!("art/{}-{n}.{ending}", n * 7 % 445), png(&noisy(4, 3 + n % 2, n)));
        }
        let text = folder.zemtak("scan art --png sheet.png").exits(0).out();
        assert!(text.contains(&format!("sheet.png: a contact sheet of {told}\n")), "{told}\n{text}");
    }
}

/// A mistyped folder was a finding like a broken image, and `scan` ended as if all were well.
#[test]
fn paths_that_are_not_there_are_errors_all_of_them() {
    let folder = Folder::new();
    folder.write("art/eye.png", png(&blob(9, 9, [200, 40, 40])));
    let answer = folder.zemtak("scan art atr eys.png --json").exits(4).json();
    let errors = answer["errors"].as_array().unwrap();
    let told: Vec<_> = errors.iter().map(|error| (&error["code"], &error["where"], &error["why"])).collect();
    let why = json!("no such file or folder");
    assert_eq!(told, [(&json!("io"), &json!("atr"), &why), (&json!("io"), &json!("eys.png"), &why)]);
}

/// The forecast is a promise: a build with default settings holds it.
#[test]
fn the_forecast_is_what_a_build_comes_to() {
    let folder = Folder::new();
    let art = demo_art();
    let scanned = folder.zemtak(&format!("scan {} --json", art.display())).exits(0).json();
    let built = folder.zemtak(&format!("pack {} --name all --json", art.display())).exits(0).json();
    let (forecast, atlas) = (&scanned["forecast"], &built["atlases"][0]);
    assert_eq!(forecast["loose_textures"], atlas["sprites"]);
    assert_eq!(forecast["loose_bytes"], atlas["loose_bytes"]);
    assert_eq!(forecast["page_bytes"], atlas["texture_bytes"]);
    assert_eq!(forecast["pages"].as_array().unwrap().len(), atlas["pages"].as_array().unwrap().len());
    let least = forecast["least_bytes"].as_u64().unwrap();
    assert!(least <= forecast["page_bytes"].as_u64().unwrap() && least > atlas["texture_bytes"].as_u64().unwrap() / 2);
    let descriptor: Value = serde_json::from_slice(&folder.read("build/all.zemtak.json")).unwrap();
    let sprites = descriptor["sprites"].as_object().unwrap();
    assert_eq!(scanned["sprites"].as_array().unwrap().len(), sprites.len());
    for scanned in scanned["sprites"].as_array().unwrap() {
        let packed = &sprites[scanned["sprite"].as_str().unwrap()];
        assert_eq!(scanned["canvas"], packed["canvas"]);
        if let Some(visible) = scanned["visible"].as_array() {
            assert_eq!(json!(visible[..2]), packed["inset"]);
            assert_eq!(json!(visible[2..]), json!(packed["box"].as_array().unwrap()[2..]));
        }
    }
    let clips = descriptor["clips"].as_object().unwrap();
    let told: std::collections::BTreeSet<&str> =
        scanned["sprites"].as_array().unwrap().iter().filter_map(|s| s["clip"].as_str()).collect();
    assert_eq!(told.into_iter().collect::<Vec<_>>(), clips.keys().map(String::as_str).collect::<Vec<_>>());
}

/// Without folders it looks where the project file does, and never at results.
#[test]
fn a_project_is_looked_at_whole_and_its_results_are_not() {
    let folder = Folder::new();
    for name in ["art/a", "art/b", "more/c"] {
        folder
            .write(&format!("{name}.png"), png(&noisy(10, 10, name.len() as u32 * 9 + u32::from(name.as_bytes()[4]))));
    }
    let names = || -> Vec<String> {
        let answer = folder.zemtak("scan --json").exits(0).json();
        answer["sprites"].as_array().unwrap().iter().map(|s| s["sprite"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(names(), ["art/a", "art/b", "more/c"]);
    folder.write("zemtak.toml", "format = 1\n[atlas.a]\nroot = \"art\"\n[atlas.b]\nroot = \"art\"\ntake = [\"a\"]\n");
    folder.zemtak("pack").exits(0);
    assert_eq!(names(), ["a", "b"]);
    // A root that is written in two ways, or lies within another, is looked at once.
    folder.write("zemtak.toml", "format = 1\n[atlas.a]\nroot = \"art\"\n[atlas.b]\nroot = \"./art\"\n");
    assert_eq!(names(), ["a", "b"]);
    folder.write("zemtak.toml", "format = 1\n[atlas.a]\n[atlas.b]\nroot = \"art\"\n");
    assert_eq!(names(), ["art/a", "art/b", "more/c"]);
    // The picture that it draws is no sprite either, and no stranger's file is replaced by it.
    folder.zemtak("scan --png art/sheet.png").exits(0);
    assert_eq!(names(), ["art/a", "art/b", "more/c"]);
    folder.zemtak("scan --png art/sheet.png").exits(0);
    folder.zemtak("scan --png art/a.png").exits(2);
    let sheet = decode(&folder.read("art/sheet.png"), None, &zemtak_core::codec::Limits::default()).unwrap();
    assert_eq!(sheet.pixels.size().w, 1280);
    // Each frame of an animated picture is drawn as it is.
    folder.write("waves/wave.gif", gif(40, 40, [10, 250].map(|red| ([red, 2, 3], 0))));
    folder.zemtak("scan waves --png frames.png").exits(0);
    let sheet = decode(&folder.read("frames.png"), None, &zemtak_core::codec::Limits::default()).unwrap();
    let drawn = |red| sheet.pixels.as_bytes().chunks_exact(4).filter(|pixel| pixel[..3] == [red, 2, 3]).count();
    assert!(drawn(10) >= 1600 && drawn(10) == drawn(250), "{} {}", drawn(10), drawn(250));
    // Several folders have the names that a build of them has: what they have in common is left off.
    folder.write("art/far/c.png", png(&noisy(9, 9, 5)));
    let named = |paths: &str| {
        folder.zemtak(&format!("pack {paths} -o named --name named")).exits(0);
        let built: Value = serde_json::from_slice(&folder.read("named/named.zemtak.json")).unwrap();
        let scanned = folder.zemtak(&format!("scan {paths} --json")).exits(0).json();
        let scanned: Vec<&Value> = scanned["sprites"].as_array().unwrap().iter().map(|s| &s["sprite"]).collect();
        assert_eq!(scanned, built["sprites"].as_object().unwrap().keys().collect::<Vec<_>>(), "{paths}");
    };
    ["art", "art more", "art/far more waves", "art/far art/a.png", "art/far/c.png"].into_iter().for_each(named);
    std::fs::remove_dir_all(folder.path("art/far")).unwrap();
    // What is said of several folders is the sum of what is said of each.
    ["art/notes.txt", "art/to-do.txt", "more/notes.txt"].iter().for_each(|file| folder.write(file, "no image"));
    let skipped = |paths: &str| folder.zemtak(&format!("scan {paths} --json")).exits(0).json()["skipped_files"].clone();
    assert_eq!(["art", "more", "art more"].map(skipped), [2, 1, 3].map(Value::from));
}
