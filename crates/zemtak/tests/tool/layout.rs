//! The layout options from the outside.

use crate::fixtures::{Folder, demo_art, noisy, png};
use serde_json::{Value, json};

fn atlas(folder: &Folder, name: &str) -> Value {
    serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap()
}

fn numbers(value: &Value) -> Vec<u64> {
    value.as_array().unwrap().iter().map(|v| v.as_u64().unwrap()).collect()
}

#[test]
fn in_a_grid_the_number_of_a_frame_gives_its_place() {
    let folder = Folder::new();
    let moth = demo_art().join("moth");
    folder.zemtak(&format!("pack {} --name moth --layout grid --gutter 3 --margin 5", moth.display())).exits(0);
    folder.zemtak(&format!("verify build/moth.zemtak.json --against {}", moth.display())).exits(0);
    let atlas = atlas(&folder, "moth");
    let sprites = atlas["sprites"].as_object().unwrap();
    let canvas = |axis: usize| sprites.values().map(|s| numbers(&s["canvas"])[axis]).max().unwrap();
    // A cell is a canvas with a ring of one pixel.
    let pitch = [canvas(0) + 2 + 3, canvas(1) + 2 + 3];
    let columns = (atlas["pages"][0]["width"].as_u64().unwrap() - 10 + 3) / pitch[0];
    for (number, sprite) in (0..).zip(sprites.values()) {
        let cell = [number % columns, number / columns];
        let (rect, inset) = (numbers(&sprite["box"]), numbers(&sprite["inset"]));
        for axis in 0..2 {
            assert_eq!(rect[axis], 5 + cell[axis] * pitch[axis] + 1 + inset[axis], "{number}");
        }
    }
}

#[test]
fn all_steps_of_a_clip_go_on_one_page_if_asked() {
    let folder = Folder::new();
    let pack = format!("pack {} --name night --page-max 256x256", demo_art().display());
    let torn = |folder: &Folder| {
        let atlas = atlas(folder, "night");
        let page = |step: &Value| atlas["sprites"][step["sprite"].as_str().unwrap()]["page"].as_u64().unwrap();
        let clips = atlas["clips"].as_object().unwrap().iter();
        let torn = clips.filter(|(_, clip)| {
            let pages: Vec<u64> = clip["steps"].as_array().unwrap().iter().map(page).collect();
            pages.iter().any(|p| *p != pages[0])
        });
        torn.map(|(name, _)| name.clone()).collect::<Vec<_>>()
    };
    folder.zemtak(&pack).exits(0);
    assert_ne!(torn(&folder), Vec::<String>::new(), "or this proves nothing");
    folder.zemtak(&format!("{pack} --together clip")).exits(0);
    assert_eq!(torn(&folder), Vec::<String>::new());
    folder.zemtak(&format!("verify build/night.zemtak.json --against {}", demo_art().display())).exits(0);

    let before = folder.everything("build");
    let moth = demo_art().join("moth");
    let run = folder.zemtak(&format!("pack {} --name night --page-max 64x64 --together clip", moth.display())).exits(3);
    let told = "clip too large for one page (2)\n  atlas night, together = \"clip\": the clip ";
    assert!(run.err().contains(told), "{}", run.err());
    assert!(run.err().contains("a page of 64 x 64 has 4,096"), "{}", run.err());
    // What does not fit are boxes with their rings and gutters: the boxes alone would.
    for i in 0..3 {
        folder.write(&format!("bars/bar_{i}.png"), png(&noisy(60, 20, i)));
    }
    let run = folder.zemtak("pack bars --page-max 64x64 --together clip").exits(3);
    let space = "3 boxes, the largest 60 x 20, 4,608 pixels in all with rings and gutters; a page of 64 x 64 has 4,096";
    assert!(run.err().contains(space), "{}", run.err());
    let run =
        folder.zemtak(&format!("pack {} --name night --layout row --page-max 256x256 --together clip", moth.display()));
    let run = run.exits(3);
    assert!(run.err().contains("with layout = \"row\" a page of 256 x 256 holds fewer"), "{}", run.err());
    assert!(run.err().contains("set layout to \"dense\", or leave together out"), "{}", run.err());
    assert_eq!(folder.everything("build"), before);
}

#[test]
fn what_why_promises_is_what_those_options_give() {
    let folder = Folder::new();
    let grid = " --layout grid --page-max 256x256";
    let mut proved = Vec::new();
    for options in
        ["", " --page-max 256x256", " --page-shape free --turn", " --layout row", " --page-size 512x512", grid]
    {
        let pack = format!("pack {} --name night --json{options}", demo_art().display());
        let summary = folder.zemtak(&format!("{pack} --why")).exits(0).json();
        let why = &summary["atlases"][0]["why"];
        let pixels = |summary: &Value| summary["atlases"][0]["texture_bytes"].as_u64().unwrap() / 4;
        assert_eq!(why["pixels"], pixels(&summary));
        assert!(why["least_pixels"].as_u64() <= why["pixels"].as_u64(), "{why}");
        assert!(why["least_free_pixels"].as_u64() <= why["least_pixels"].as_u64(), "{why}");
        let reached = why["pages"] == why["least_pages"] && why["pixels"] == why["least_pixels"];
        assert_eq!(why["proved"], reached, "{why}");
        proved.push(reached);
        let tried = why["tried"].as_array().unwrap();
        assert!(tried.len() >= 3, "{why}");
        for tried in tried {
            let other = tried["options"].as_str().unwrap();
            // An option is given once.
            let pack = if other == "--layout dense" {
                pack.replace(" --layout row", "").replace(" --layout grid", "")
            } else {
                pack.clone()
            };
            let run = folder.zemtak(&format!("{pack} {other}"));
            match tried["pixels"].as_u64() {
                Some(promised) => assert_eq!(pixels(&run.exits(0).json()), promised, "{tried}"),
                None => _ = run.exits(3),
            }
        }
    }
    assert!(proved.contains(&true) && proved.contains(&false), "{proved:?}");
}

/// Sides of any length were said to save nearly all of a grid, which they cannot: what is large there are the cells.
#[test]
fn what_makes_equal_cells_large_are_the_cells() {
    let folder = Folder::new();
    let sizes = [(60, 4), (4, 60)].into_iter().chain((0..20).map(|_| (7, 7)));
    for (i, (w, h)) in (0..).zip(sizes) {
        folder.write(&format!("art/{i}.png"), png(&noisy(w, h, i)));
    }
    let pack = "pack art --fresh --page-max 256x256";
    let text = folder.zemtak(&format!("{pack} --layout grid --why")).exits(0).out();
    let grid = folder.zemtak(&format!("{pack} --layout grid --json --why")).exits(0).json()["atlases"][0].take();
    let dense = folder.zemtak(&format!("{pack} --json")).exits(0).json()["atlases"][0].take();
    let pixels = |atlas: &Value| atlas["texture_bytes"].as_u64().unwrap() / 4;
    // Every box with its ring and gutter: no dense layout is smaller.
    let cells = 2 * (64 * 8) + 20 * (11 * 11);
    assert_eq!((grid["dense_pixels"].as_u64(), &grid["free_pixels"]), (Some(cells), &Value::Null), "{grid}");
    assert!(cells <= pixels(&dense) && pixels(&dense) * 10 < pixels(&grid), "{dense} {grid}");
    let saved = 100.0 - 100.0 * cells as f64 / pixels(&grid) as f64;
    let told = format!("larger   than loose; --layout dense may save about {:.1} %", (saved * 10.0).floor() / 10.0);
    assert!(text.contains(&told), "{told} {text}");
    let tried = json!({ "options": "--layout dense", "pages": 1, "pixels": pixels(&dense), "error": null });
    assert_eq!(grid["why"]["tried"][0], tried);
}

#[cfg(unix)]
#[test]
fn ctrl_c_takes_the_best_so_far_only_if_asked() {
    use std::io::{BufRead, BufReader};
    use std::process::{Command, Stdio};
    let folder = Folder::new();
    let interrupted = |more: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
        command.args(["pack"]).arg(demo_art()).args(["-o", "build", "--name", "night", "--page-shape", "free"]);
        command.args(["--effort", "high", "--json", "--progress", "json"]).args(more).current_dir(folder.path("."));
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        // The search goes on for ten seconds and more after it has told what it has found so far.
        let mut told = BufReader::new(child.stderr.take().unwrap()).lines().map(Result::unwrap);
        assert!(told.any(|line| serde_json::from_str::<Value>(&line).unwrap()["search"]["filled"].is_number()));
        std::thread::spawn(move || told.for_each(drop));
        assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
        let output = child.wait_with_output().unwrap();
        (output.status.code(), serde_json::from_slice::<Value>(&output.stdout).unwrap())
    };
    assert_eq!(interrupted(&[]).0, Some(130));
    assert!(!folder.exists("build/night.zemtak.json"));
    let (code, summary) = interrupted(&["--take-best"]);
    assert_eq!((code, &summary["atlases"][0]["cut_short"]), (Some(0), &true.into()), "{summary}");
    folder.zemtak(&format!("verify build/night.zemtak.json --against {}", demo_art().display())).exits(0);
}
