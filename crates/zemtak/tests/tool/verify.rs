//! `verify` must find whatever is wrong with an atlas: each damage here is one that it would be a pity to miss.

use crate::fixtures::{Folder, blob, gif, png};
use std::collections::BTreeSet;
use zemtak_core::pixels::Pixels;
use zemtak_runtime::page_hash;

fn packed(options: &str) -> Folder {
    let folder = Folder::new();
    for i in 0..6u32 {
        folder.write(&format!("art/moth/{i}.png"), png(&blob(20 + i, 30 - i, [40 * i as u8, 90, 200])));
    }
    folder.zemtak(format!("pack art --name night {options}").trim_end()).exits(0);
    folder.zemtak("verify build/night.zemtak.json --against art").exits(0);
    folder
}

fn edit(folder: &Folder, from: &str, to: &str) {
    let text = String::from_utf8(folder.read("build/night.zemtak.json")).unwrap();
    assert!(text.contains(from), "{from} in {text}");
    folder.write("build/night.zemtak.json", text.replacen(from, to, 1));
}

/// Changes the page's pixels and gives it the right hash again, as a careless tool would.
fn repaint(folder: &Folder, change: impl FnOnce(&mut Pixels)) {
    let bytes = folder.read("build/night-0.png");
    let mut page = zemtak_core::codec::decode(&bytes, None, &Default::default()).unwrap().pixels;
    change(&mut page);
    let new = png(&page);
    edit(folder, &page_hash(&bytes), &page_hash(&new));
    folder.write("build/night-0.png", new);
}

#[track_caller]
fn finds(folder: &Folder, code: i32, what: &str) {
    let run = folder.zemtak("verify build/night.zemtak.json --against art").exits(code);
    let all = format!("{}{}", run.out(), run.err());
    assert!(all.contains(what), "{what} in {all}");
    let json = folder.zemtak("verify build/night.zemtak.json --against art --json").exits(code).json();
    assert!(json["holds"] == false || json["errors"].as_array().is_some_and(|e| !e.is_empty()), "{json}");
}

fn box_of(folder: &Folder, sprite: &str) -> [u32; 4] {
    let atlas: serde_json::Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    serde_json::from_value(atlas["sprites"][sprite]["box"].clone()).unwrap()
}

#[test]
fn pixels_of_sprites_rings_and_gutters() {
    let centre = |folder: &Folder| {
        let [x, y, w, h] = box_of(folder, "moth/3");
        (x + w / 2, y + h / 2)
    };
    let set = |page: &mut Pixels, (x, y): (u32, u32), pixel: [u8; 4]| {
        page.row_mut(y)[x as usize * 4..][..4].copy_from_slice(&pixel);
    };
    let folder = packed("");
    repaint(&folder, |page| set(page, centre(&folder), [1, 2, 3, 255]));
    finds(
        &folder,
        1,
        "moth/3: the canvas pixel (11, 13) is [1, 2, 3, 255], in the source it is [120, 90, 200, 255]; 1 pixel differs",
    );
    let folder = packed("");
    let [x, y, ..] = box_of(&folder, "moth/3");
    repaint(&folder, |page| set(page, (x - 1, y + 3), [1, 2, 3, 255]));
    finds(&folder, 1, "does not repeat the nearest pixel");
    let folder = packed("--margin 2");
    repaint(&folder, |page| set(page, (0, 0), [0, 0, 0, 1]));
    finds(&folder, 1, "page 0: the pixel (0, 0) lies between the cells");
    let folder = packed("--turn --extrude 0");
    folder.write("art/moth/4.png", png(&blob(24, 26, [9, 90, 200])));
    finds(&folder, 1, "moth/4: the canvas pixel");
    folder.write("art/moth/4.png", png(&blob(24, 27, [9, 90, 200])));
    finds(&folder, 1, "moth/4: its canvas is 24 x 26 pixels, its source 24 x 27");
}

#[test]
fn promises_of_the_descriptor() {
    let folder = packed("");
    edit(&folder, "\"gutter\": 2", "\"gutter\": 3");
    finds(&folder, 1, "less than the gutter of 3 pixels apart");
    let folder = packed("");
    edit(&folder, "\"margin\": 0", "\"margin\": 1");
    finds(&folder, 1, "reaches into the margin of 1");
    let folder = packed("--no-trim");
    edit(&folder, "\"trim\": false", "\"trim\": true");
    finds(&folder, 1, "is not trimmed to the visible pixels");
    let folder = packed("--visible-alpha 200");
    edit(&folder, "\"visible_alpha\": 200", "\"visible_alpha\": 255");
    finds(&folder, 1, "is not trimmed to the visible pixels");
    let folder = packed("");
    edit(&folder, "\"turned\": false", "\"mood\": 3, \"turned\": false");
    finds(&folder, 1, "unknown key sprites.moth/0.mood");
    let folder = packed("");
    edit(&folder, "\"moth/5\": {", "\"moth/6\": {");
    edit(&folder, "\"sprite\": \"moth/5\"", "\"sprite\": \"moth/6\"");
    finds(&folder, 1, "moth/6: there is no source of that name");
}

#[test]
fn files() {
    let folder = packed("");
    std::fs::remove_file(folder.path("build/night-0.png")).unwrap();
    finds(&folder, 1, "night-0.png is missing");
    let folder = packed("");
    let mut page = folder.read("build/night-0.png");
    page.push(0);
    folder.write("build/night-0.png", page);
    finds(&folder, 1, "another hash than its descriptor says");
    let folder = packed("");
    let (former, small) = (folder.read("build/night-0.png"), png(&blob(64, 64, [1, 1, 1])));
    edit(&folder, &page_hash(&former), &page_hash(&small));
    folder.write("build/night-0.png", small);
    finds(&folder, 1, "has 64 x 64 pixels instead of 128 x 64");
    let folder = packed("");
    folder.write("art/moth/0.png", "bad");
    folder.write("art/unrelated.png", "bad too, and not in the atlas");
    finds(&folder, 3, "moth/0.png: named like PNG, but not an image");
}

#[test]
fn descriptors_that_cannot_be_trusted_are_told_with_their_place() {
    let folder = packed("");
    edit(&folder, "\"page\": 0", "\"page\": 9");
    let run = folder.zemtak("verify build/night.zemtak.json").exits(3);
    assert!(run.err().contains("sprite moth/0: page 9 is not there; there are 1"), "{}", run.err());
    let folder = packed("");
    edit(&folder, "\"scale\": 1,", "\"scale\": yes,");
    let run = folder.zemtak("verify build/night.zemtak.json").exits(3);
    assert!(run.err().contains("night.zemtak.json:6:"), "{}", run.err());
    assert!(run.err().contains("6 |   \"scale\": yes,\n      |            ^\n"), "{}", run.err());
    folder.zemtak("verify build/none.zemtak.json").exits(4);
}

/// A wrong folder was told once for every sprite.
#[test]
fn a_folder_without_any_source_is_told_once() {
    let folder = packed("");
    folder.write("elsewhere/x.png", png(&blob(9, 9, [1, 2, 3])));
    let told = folder.zemtak("verify build/night.zemtak.json --against elsewhere").exits(1).out();
    assert!(told.contains("1 defect\n  none of the ") && told.contains("has a source in elsewhere: is that"), "{told}");
}

/// An atlas with more pages than memory holds could be packed, but not verified.
#[test]
fn pages_that_memory_does_not_hold_together_are_checked_in_turn() {
    let folder = Folder::new();
    for i in 0..9u8 {
        folder.write(&format!("art/moth/{i}.png"), png(&blob(110, 110, [20 * i, 90, 200])));
    }
    let lamp = |frames: u8| gif(110, 110, (0..frames).map(|i| ([200, 25 * i, 40], 0)));
    folder.write("art/lamp.gif", lamp(9));
    folder.zemtak("pack art --name night --page-size 256x256").exits(0);
    let atlas: serde_json::Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    let frames = atlas["sprites"].as_object().unwrap().iter().filter(|(name, _)| name.starts_with("lamp/"));
    let times: BTreeSet<u64> = frames.map(|(_, sprite)| sprite["page"].as_u64().unwrap() / 2).collect();
    assert!(times.len() > 1, "frames of one image are checked at several times");
    // Half of it holds two pages.
    let verify = |code, options: &str| {
        let within = |memory: &str| {
            let line = format!("verify build/night.zemtak.json --against art --json --memory {memory} {options}");
            folder.zemtak(line.trim_end()).exits(code).json()
        };
        let few = within("1MiB");
        assert_eq!(few, within("1GiB"));
        few["defects"].as_array().unwrap().iter().map(|defect| defect["code"].as_str().unwrap().to_owned()).collect()
    };
    let codes: Vec<String> = verify(0, "");
    assert!(codes.is_empty());
    let codes = verify(1, "--mips 4");
    assert!(codes.len() > 8 && codes.iter().all(|code| code == "bleeds"), "on more pages than two: {codes:?}");

    std::fs::remove_file(folder.path("build/night-1.png")).unwrap();
    std::fs::remove_file(folder.path("art/moth/7.png")).unwrap();
    folder.write("art/lamp.gif", lamp(2));
    let codes = verify(1, "");
    assert!(["missing_page", "no_source", "no_frame"].iter().all(|code| codes.iter().any(|c| c == code)), "{codes:?}");
    // A source that cannot be read is reported once.
    folder.write("art/lamp.gif", "bad");
    verify(3, "");
}
