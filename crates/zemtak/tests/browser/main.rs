//! Sprites drawn through computed quads by WebGL in headless Chromium and read back pixel by pixel, clips decoded by it, and the
//! page of `zemtak view` used in it.
//!
//! `cargo test -p zemtak --test browser -- --ignored`, with Chromium on the path as `chromium` or named by `CHROMIUM`.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a test may fail loudly, and its numbers are small"
)]

mod cdp;
#[path = "../fixtures/mod.rs"]
mod fixtures;
mod sampling;
#[path = "../../../../examples/scene.rs"]
mod scene;
mod view;
mod web;

use fixtures::{Folder, demo_art};
use serde_json::{Value, json};
use std::process::Command;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::pixels::Pixels;

const DRAW: &str = include_str!("draw.html");
const PLAY: &str = include_str!("play.html");

/// Sprites of all kinds: trimmed, whole, turned, tiles.
const SPRITES: &str = "emblem moth/fly/* moth/land/0[0-2] lantern/teal/0* reed/sway/0[0-3] tile/* letter/spin/0[0-2]";

fn pixels(path: &std::path::Path) -> Pixels {
    decode(&std::fs::read(path).unwrap(), None, &Limits::default()).unwrap().pixels
}

fn embedded(picture: &Pixels) -> Value {
    json!({ "w": picture.size().w, "h": picture.size().h, "rgba": picture.as_bytes() })
}

#[test]
#[ignore = "needs Chromium"]
fn what_a_graphics_card_draws_is_the_source_for_every_turn_flip_part_and_v() {
    let folder = Folder::new();
    let pack = "--name night --turn --page-shape free --page-max 512x512 --page-count 2 --page-aspect 8";
    folder.zemtak(&format!("pack {} {pack}", demo_art().display())).exits(0);
    let (mut cases, mut turned) = (Vec::new(), 0);
    for part in ["", " --part 5,7,20,16", " --part -3,-2,40,30 --part 6,6,90,18"] {
        for v in ["", " --v-up"] {
            for flip in ["", "x", "y", "xy"] {
                let flipped = if flip.is_empty() { String::new() } else { format!(" --flip {flip}") };
                for (angle, y) in [(0, ""), (90, ""), (180, " --y-up"), (270, ""), (0, " --y-up"), (270, " --y-up")] {
                    let line =
                        format!("quad build/night.zemtak.json {SPRITES} --at 160,160 --pivot 0,0 --angle {angle}");
                    let drawn = folder.zemtak(&format!("{line}{part}{v}{flipped}{y} --json")).exits(0).json();
                    for quad in drawn["quads"].as_array().unwrap() {
                        turned += usize::from(quad["turned"] == true);
                        cases.push(json!({
                            "sprite": quad["sprite"], "page": quad["page"], "v_up": !v.is_empty(), "y_up": !y.is_empty(),
                            "flip": flip, "angle": angle, "positions": quad["positions"], "uv": quad["uv"],
                            "indices": quad["indices"], "on_canvas": quad["on_canvas"],
                        }));
                    }
                }
                // Corners that are flipped themselves, on a quad that is not.
                let line = format!("uv build/night.zemtak.json {SPRITES}{part}{v}{flipped} --as corners --json");
                for uv in folder.zemtak(&line).exits(0).json()["uv"].as_array().unwrap() {
                    let [x, y, w, h] = serde_json::from_value::<[u32; 4]>(uv["on_canvas"].clone()).unwrap();
                    let corners = [[x, y], [x + w, y], [x + w, y + h], [x, y + h]].map(|[x, y]| [160 + x, 160 + y]);
                    cases.push(json!({
                        "sprite": uv["sprite"], "page": uv["page"], "v_up": !v.is_empty(), "y_up": false, "flip": "",
                        "angle": 0, "positions": corners, "uv": uv["corners"], "indices": [0, 1, 2, 0, 2, 3],
                        "on_canvas": uv["on_canvas"], "uv_flip": flip,
                    }));
                }
            }
        }
    }
    assert!(turned > 100 && turned < cases.len() - 100, "{turned} of {} are turned", cases.len());
    let descriptor: Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    let pages = descriptor["pages"].as_array().unwrap().iter();
    let pages: Vec<Value> =
        pages.map(|p| embedded(&pixels(&folder.path("build").join(p["file"].as_str().unwrap())))).collect();
    let mut sources = serde_json::Map::new();
    for case in &cases {
        let name = case["sprite"].as_str().unwrap();
        sources.entry(name).or_insert_with(|| embedded(&pixels(&demo_art().join(format!("{name}.png")))));
    }
    let data = json!({ "cases": cases, "pages": pages, "sources": sources });
    assert_eq!(told(&folder, DRAW, &data), format!("{} drawn, 0 wrong", cases.len()));
}

/// What a page of ours tells about data, in headless Chromium.
fn told(folder: &Folder, page: &str, data: &Value) -> String {
    // Within a script nothing may look like the end of one.
    folder.write("page.html", page.replacen(">DATA<", &format!(">{}<", data.to_string().replace('<', "\\u003c")), 1));
    let chromium = std::env::var("CHROMIUM").unwrap_or_else(|_| "chromium".into());
    let output = Command::new(&chromium)
        .args(["--headless=new", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"])
        .args(["--virtual-time-budget=120000", "--dump-dom"])
        .arg(format!("file://{}", folder.path("page.html").display()))
        .output()
        .unwrap_or_else(|e| panic!("{chromium}: {e}"));
    let document = String::from_utf8_lossy(&output.stdout).into_owned();
    let told = document.split("<pre id=\"told\">").nth(1).and_then(|t| t.split("</pre>").next());
    told.unwrap_or_else(|| panic!("no answer; {}", String::from_utf8_lossy(&output.stderr))).to_owned()
}

#[test]
#[ignore = "needs Chromium"]
fn moving_pictures_play_in_a_browser_as_promised() {
    let folder = Folder::new();
    folder.zemtak(&format!("pack {} --name night", demo_art().display())).exits(0);
    let mut files = Vec::new();
    for (clip, steps) in [("moth/fly", 8), ("lantern/teal", 6), ("letter/spin", 6)] {
        for (name, kind) in [("a.png", "image/png"), ("b.gif", "image/gif")] {
            // On a colour, so that half transparent edges are no question of the format.
            let line = format!("clip render build/night.zemtak.json {clip} -o {name} --behind #1a1f3a --speed 8/10");
            folder.zemtak(&line).exits(0);
            let strip = format!("clip render build/night.zemtak.json {clip} -o strip.png --as strip --behind #1a1f3a");
            folder.zemtak(&strip).exits(0);
            files.push(json!({
                "what": format!("{clip} {kind}"), "type": kind, "bytes": folder.read(name), "frames": steps,
                "strip": embedded(&pixels(&folder.path("strip.png"))),
                // A GIF has 255 colours for all frames together.
                "most_off": if kind == "image/gif" { 24 } else { 0 },
                "microseconds": if kind == "image/gif" { json!([120_000, 130_000]) } else { json!([125_000]) },
            }));
        }
    }
    assert_eq!(told(&folder, PLAY, &json!(files)), "6 played, 0 wrong");
}
