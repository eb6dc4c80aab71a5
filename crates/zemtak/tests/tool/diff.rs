//! `zemtak diff` and `pack --diff`: every kind of change, made one by one to the demo's sprites.

use crate::fixtures::{Folder, blob, demo_art, png};
use serde_json::{Value, json};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

const PROJECT: &str =
    "format = 1\n[atlas.night]\nroot = \"art\"\n[[atlas.night.rule]]\nmatch = \"moth/**\"\nfps = 10\n";

/// A project with a part of the demo's sprites, packed, and a copy of what was packed in `old`.
fn project() -> Folder {
    let folder = Folder::new();
    for entry in walkdir::WalkDir::new(demo_art().join("moth")).into_iter().map(Result::unwrap) {
        if entry.file_type().is_file() {
            let below = entry.path().strip_prefix(demo_art()).unwrap();
            folder.write(&format!("art/{}", below.display()), std::fs::read(entry.path()).unwrap());
        }
    }
    folder.write("art/lamp.png", png(&blob(30, 44, [200, 150, 60])));
    folder.write("zemtak.toml", PROJECT);
    folder.zemtak("pack").exits(0);
    keep(&folder);
    folder
}

fn keep(folder: &Folder) {
    for (name, bytes) in folder.everything("build") {
        let name = name.rsplit('/').next().unwrap();
        if !name.starts_with('.') {
            folder.write(&format!("old/{name}"), bytes);
        }
    }
}

fn diff(folder: &Folder) -> Value {
    folder.zemtak("pack").exits(0);
    folder.zemtak("diff old/night.zemtak.json night --json").exits(1).json()
}

/// The keys that say that something differs.
fn told(answer: &Value) -> Vec<&str> {
    let lists =
        ["added", "removed", "renamed", "changed", "clips_added", "clips_removed", "clips_changed", "pages_removed"];
    lists.into_iter().filter(|key| answer[key].as_array().is_some_and(|list| !list.is_empty())).collect()
}

fn change<'v>(answer: &'v Value, sprite: &str) -> &'v Value {
    answer["changed"].as_array().unwrap().iter().find(|change| change["sprite"] == sprite).unwrap()
}

#[test]
fn nothing_differs_between_equal_builds() {
    let folder = project();
    folder.zemtak("pack --fresh").exits(0);
    let run = folder.zemtak("diff old/night.zemtak.json night").exits(0);
    assert!(run.out().ends_with("the same, byte for byte: 19 sprites\n"), "{}", run.out());
    let same = folder.zemtak("diff old/night.zemtak.json build/night.zemtak.json --json").exits(0).json();
    assert_eq!((&same["same"], &same["download_bytes"], told(&same).len()), (&json!(true), &json!(0), 0));
}

/// Five names take no more space than four and that there is one more.
#[test]
fn five_names_are_listed_and_of_six_the_first_four() {
    let folder = project();
    let new: Vec<String> = (0..6).map(|n| format!("spark/{}", char::from(b'a' + n))).collect();
    for (n, name) in (0..).zip(&new) {
        folder.write(&format!("art/{name}.png"), png(&blob(9 + n, 9, [200, 9, 60])));
        let added = match n {
            4 => format!("  added     5: {}\n", new[..5].join(", ")),
            5 => format!("  added     6: {} and 2 more (-v lists them)\n", new[..4].join(", ")),
            _ => continue,
        };
        folder.zemtak("pack").exits(0);
        let text = folder.zemtak("diff old/night.zemtak.json night").exits(1).out();
        assert!(text.contains(&added), "{added}\n{text}");
    }
}

#[test]
fn what_is_repainted_resized_renamed_new_or_gone_is_told_and_nothing_else() {
    let folder = project();
    // Repainted: a square of nine pixels of another colour in the middle of the lamp.
    let mut lamp = blob(30, 44, [200, 150, 60]);
    (20..23).for_each(|y| lamp.row_mut(y)[14 * 4..17 * 4].copy_from_slice(&[1, 2, 3, 255].repeat(3)));
    folder.write("art/lamp.png", png(&lamp));
    let answer = diff(&folder);
    assert_eq!(told(&answer), ["changed"]);
    assert_eq!(answer["changed"], json!([{ "sprite": "lamp", "repainted": { "pixels": 9, "area": [14, 20, 3, 3] } }]));
    assert_eq!(answer["pages"][0]["state"], "changed");
    let page = folder.read("build/night-0.png").len() + folder.read("build/night.zemtak.json").len();
    assert_eq!((&answer["download_bytes"], &answer["all_bytes"]), (&json!(page), &json!(page)));
    // Colour that nobody sees is no change of the picture, though it is one of the file.
    keep(&folder);
    let mut hidden = lamp.clone();
    hidden.row_mut(0)[..4].copy_from_slice(&[90, 90, 90, 0]);
    folder.write("art/lamp.png", png(&hidden));
    folder.zemtak("pack").exits(0);
    folder.zemtak("diff old/night.zemtak.json night").exits(0);
    // Neither is colour that a fringe spreads there: other page files, and the same pictures.
    folder.write("zemtak.toml", format!("{PROJECT}[defaults]\nfringe = true\n"));
    let answer = diff(&folder);
    assert_eq!((told(&answer).len(), &answer["pages"][0]["state"]), (0, &json!("changed")));
    folder.write("zemtak.toml", PROJECT);
    // Shifted on its canvas: the same box of the same page shows another picture.
    let shifted =
        Pixels::from_rgba(Size::new(30, 44), [&[0; 30 * 4], &lamp.as_bytes()[..30 * 43 * 4]].concat()).unwrap();
    folder.write("art/lamp.png", png(&shifted));
    let answer = diff(&folder);
    assert_eq!(answer["pages"][0]["state"], "same");
    assert!(change(&answer, "lamp")["repainted"]["pixels"].as_u64().unwrap() > 50);
    folder.write("art/lamp.png", png(&lamp));
    // Named by its content: the page has another name, and nobody downloads it again.
    folder.write("zemtak.toml", format!("{PROJECT}[defaults]\nnames = \"hashed\"\n"));
    let answer = diff(&folder);
    assert_eq!((told(&answer).len(), &answer["pages"][0]["state"]), (0, &json!("same")));
    assert_eq!(answer["download_bytes"], folder.read("build/night.zemtak.json").len());
    folder.write("zemtak.toml", PROJECT);
    // Renamed, with its clip a step shorter.
    std::fs::rename(folder.path("art/moth/fly/07.png"), folder.path("art/wings.png")).unwrap();
    let answer = diff(&folder);
    assert_eq!(answer["renamed"], json!([{ "from": "moth/fly/07", "to": "wings" }]));
    assert_eq!(answer["clips_changed"], json!([{ "clip": "moth/fly", "values": ["steps"] }]));
    assert!(answer["added"].as_array().unwrap().is_empty() && answer["removed"].as_array().unwrap().is_empty());
    // Resized, new and gone.
    keep(&folder);
    folder.write("art/lamp.png", png(&blob(34, 44, [200, 150, 60])));
    std::fs::remove_file(folder.path("art/wings.png")).unwrap();
    folder.write("art/letter.png", png(&blob(21, 17, [250, 240, 200])));
    let answer = diff(&folder);
    assert_eq!(change(&answer, "lamp")["resized"], json!({ "from": [30, 44], "to": [34, 44] }));
    assert_eq!((&answer["added"], &answer["removed"]), (&json!(["letter"]), &json!(["wings"])));
    let text = folder.zemtak("diff old/night.zemtak.json night --png drawn.png").exits(1).out();
    for line in ["  added     1: letter\n", "  removed   1: wings\n", "  resized   1: lamp (30 x 44 -> 34 x 44)\n"] {
        assert!(text.contains(line), "{text}");
    }
    folder.zemtak("diff old/night.zemtak.json night --png drawn.png").exits(1);
    folder.zemtak("diff old/night.zemtak.json night --png art/lamp.png").exits(2);
    folder.zemtak("diff old/night.zemtak.json night --png old/night-0.png --force").exits(2);
}

#[test]
fn values_clips_and_places_are_told() {
    let folder = project();
    let rule = "pivot = [0.5, 1]\ntags = [\"winged\"]\nmode = \"bounce\"\nevents = { 0 = [\"flap\"] }\n";
    folder.write("zemtak.toml", format!("{PROJECT}{rule}"));
    let answer = diff(&folder);
    assert_eq!(told(&answer), ["changed", "clips_changed"]);
    assert_eq!(answer["changed"].as_array().unwrap().len(), 18);
    assert_eq!(*change(&answer, "moth/fly/00"), json!({ "sprite": "moth/fly/00", "values": ["pivot", "tags"] }));
    assert_eq!(answer["clips_changed"][0], json!({ "clip": "moth/fly", "values": ["mode", "events"] }));
    assert_eq!(answer["pages"][0]["state"], "same");
    let text = folder.read("build/night.zemtak.json").len();
    assert_eq!(answer["download_bytes"], text);
    // Other gutters move everything and change no picture.
    keep(&folder);
    folder.write("zemtak.toml", format!("{PROJECT}{rule}[defaults]\ngutter = 7\n"));
    let answer = diff(&folder);
    let changes = answer["changed"].as_array().unwrap();
    assert!(changes.len() > 10 && changes.iter().all(|c| c["moved"].is_object() && c.as_object().unwrap().len() == 2));
    let page = |answer: &Value, at: &str| change(answer, "lamp")["moved"][at]["box"].clone();
    let descriptor = |file: &str| serde_json::from_slice::<Value>(&folder.read(file)).unwrap();
    assert_eq!(page(&answer, "from"), descriptor("old/night.zemtak.json")["sprites"]["lamp"]["box"]);
    assert_eq!(page(&answer, "to"), descriptor("build/night.zemtak.json")["sprites"]["lamp"]["box"]);
}

#[test]
fn a_pack_says_how_it_differs_from_what_was_in_its_place() {
    let folder = project();
    assert!(folder.zemtak("pack --diff --json").exits(0).json()["differences"].as_array().unwrap().is_empty());
    folder.write("art/letter.png", png(&blob(21, 17, [250, 240, 200])));
    let run = folder.zemtak("pack --diff").exits(0);
    assert!(run.out().contains("  added     1: letter\n"), "{}", run.out());
    folder.write("art/letter.png", png(&blob(21, 17, [25, 240, 200])));
    let packed = folder.zemtak("pack --diff --json").exits(0).json();
    let told = &packed["differences"][0];
    assert_eq!((&told["changed"][0]["sprite"], &told["old"]), (&json!("letter"), &json!("build/night.zemtak.json")));
    // A former atlas that cannot be read has nothing to compare, and is no reason to stop.
    folder.write("build/night-0.png", "broken");
    folder.zemtak("pack --diff").exits(0);
}
