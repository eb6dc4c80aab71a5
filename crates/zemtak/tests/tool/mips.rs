//! Mip levels: how deep sprites are clean, what would help, and what a game gets of it.

use crate::fixtures::{Folder, decoded, demo_art};
use serde_json::{Value, json};
use zemtak_core::atlas::{Alpha, PixelKind};
use zemtak_core::mips::{Light, smaller_levels};
use zemtak_runtime::{Cache, Folder as Files, Level, MemorySink, Settings, texture_bytes};

fn descriptor(folder: &Folder) -> Value {
    serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap()
}

/// Room for levels that the tool left, found by a game: the sink gets each level, made of the page, and the budget counts them.
#[test]
fn a_game_gets_the_levels_that_its_atlas_has_room_for() {
    let folder = Folder::new();
    let art = demo_art();
    for (levels, expected) in [(0, 0), (3, 3)] {
        let line = format!("pack {} --name night --filter linear --mip-levels {levels}", art.display());
        folder.zemtak(&line).exits(0);
        assert_eq!(descriptor(&folder)["pages"][0]["sampling"]["safe_mips"], expected);
        folder.zemtak(&format!("verify build/night.zemtak.json --mips {levels}")).exits(0);
        let deeper =
            folder.zemtak(&format!("verify build/night.zemtak.json --mips {} --json", levels + 1)).exits(1).json();
        assert!(deeper["defects"].as_array().unwrap().iter().all(|defect| defect["code"] == "bleeds"), "{deeper}");
        let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), MemorySink::new());
        let moth = cache.lease("night:moth/fly/03");
        pump.wait(&moth).unwrap();
        let texture = moth.view().unwrap().texture;
        let page = decoded(&folder.read("build/night-0.png"));
        let (kind, size) = (PixelKind::Rgba8, page.size());
        let smaller = smaller_levels(&page, levels, Alpha::Straight, Light::Linear);
        let expected: Vec<Level> = std::iter::once(page).chain(smaller).map(Level::from).collect();
        assert_eq!(pump.sink().levels(texture).unwrap(), expected);
        assert_eq!(cache.ledger().resident_bytes, texture_bytes(kind, size, levels + 1));
    }
    // No deeper than is safe, whatever there is room for.
    let text = String::from_utf8(folder.read("build/night.zemtak.json")).unwrap();
    folder.write("build/night.zemtak.json", text.replace("\"safe_mips\": 3", "\"safe_mips\": 1"));
    let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), MemorySink::new());
    let moth = cache.lease("night:moth/fly/03");
    pump.wait(&moth).unwrap();
    assert_eq!(pump.sink().levels(moth.view().unwrap().texture).unwrap().len(), 2);
    folder.write("build/night.zemtak.json", text);
    // What a descriptor promises beyond what holds is told.
    let text = String::from_utf8(folder.read("build/night.zemtak.json")).unwrap();
    folder.write("build/night.zemtak.json", text.replace("\"safe_mips\": 3", "\"safe_mips\": 4"));
    assert!(
        folder.zemtak("verify build/night.zemtak.json").exits(1).out().contains("at mip level 4 it takes in others")
    );
}

/// What is said to help does: packed with it, everything is clean.
#[test]
fn what_would_keep_levels_clean_is_told_and_holds() {
    let folder = Folder::new();
    let art = demo_art();
    folder.zemtak(&format!("pack {} --name night --filter linear --gutter 0 --extrude 0", art.display())).exits(0);
    let told = folder.zemtak("mips build/night.zemtak.json --levels 2 --json").exits(0).json();
    assert_eq!((&told["clean"]["linear"], &told["levels"]), (&(-1).into(), &2.into()));
    let options: Vec<&str> =
        told["remedies"].as_array().unwrap().iter().map(|r| r["option"].as_str().unwrap()).collect();
    assert_eq!(options, ["--mip-levels 2", "--extrude 5"]);
    for option in options {
        let line = format!("pack {} --name night --filter linear --gutter 0 {option}", art.display());
        folder.zemtak(&line).exits(0);
        // Unless told how deep, it looks at the levels that there is room for, or at three.
        let usual = folder.zemtak("mips build/night.zemtak.json --json").exits(0).json();
        assert_eq!(usual["levels"], if option.starts_with("--mip") { 2 } else { 3 }, "{option}");
        let clean = folder.zemtak("mips build/night.zemtak.json --levels 2 --json").exits(0).json();
        assert_eq!((&clean["clean"]["linear"], &clean["remedies"]), (&2.into(), &json!([])), "{option}");
    }
    folder.zemtak(&format!("pack {} --name night --filter linear --gutter 0 --extrude 4", art.display())).exits(0);
    assert_ne!(folder.zemtak("mips build/night.zemtak.json --levels 2 --json").exits(0).json()["clean"]["linear"], 2);
    // Without a ring half a pixel less of each sprite is clean at full size.
    folder.zemtak(&format!("pack {} --name night --filter linear --gutter 0 --extrude 0", art.display())).exits(0);
    let told = folder.zemtak("mips build/night.zemtak.json --levels 0 --png levels.png --json").exits(0).json();
    let remedies = told["remedies"].as_array().unwrap();
    assert!(remedies.contains(&json!({ "option": "--shrink 0.5", "pixels": null })));
    // A ring of one pixel is enough there.
    assert!(remedies.iter().any(|remedy| remedy["option"] == "--extrude 1"), "{told}");
    assert_eq!(decoded(&folder.read("levels.png")).size().w, 1280);
}
