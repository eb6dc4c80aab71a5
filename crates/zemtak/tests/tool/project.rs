//! Projects: many atlases, rules, other sizes, other forms, and repacks that cost only what changed.

use crate::fixtures::{Dice, Folder, blob, demo_art, gif, png};
use serde_json::{Value, json};
use std::fs;
use std::process::Command;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::pixels::Pixels;

/// A folder with a copy of the demo's sprites and a project file.
fn project(text: &str) -> Folder {
    let folder = Folder::new();
    for entry in walkdir::WalkDir::new(demo_art()).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file()) {
        let below = entry.path().strip_prefix(demo_art()).unwrap().display().to_string();
        folder.write(&format!("art/{below}"), fs::read(entry.path()).unwrap());
    }
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nroot = \"art\"\n{text}"));
    folder
}

fn descriptor(folder: &Folder, name: &str) -> Value {
    serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap()
}

fn states(folder: &Folder, line: &str) -> Vec<String> {
    let json = folder.zemtak(line).exits(0).json();
    json["atlases"]
        .as_array()
        .unwrap()
        .iter()
        .map(|a| format!("{} {}", a["name"], a["state"]).replace('"', ""))
        .collect()
}

const TWO: &str =
    "[atlas.scene]\ntake = [\"moth/**\", \"lantern/**\", \"tile/**\"]\n[atlas.menu]\ntake = [\"button/**\"]\n";

#[test]
fn only_what_changed_is_built_again_and_the_rest_is_left_alone() {
    let folder = project(TWO);
    assert_eq!(states(&folder, "pack --json"), ["scene built", "menu built"]);
    // From a folder below, and with the files touched: their content is the same.
    let first = folder.everything("build");
    folder.write("art/moth/fly/00.png", folder.read("art/moth/fly/00.png"));
    assert_eq!(states(&folder, "pack --json --project zemtak.toml"), ["scene unchanged", "menu unchanged"]);
    folder.zemtak("pack --check").exits(0);
    let changed = png(&blob(20, 20, [9, 200, 9]));
    folder.write("art/button/play.png", &changed);
    let check = folder.zemtak("pack --check").exits(1);
    assert!(check.out().contains("menu: out of date") && check.out().contains("scene: unchanged"), "{}", check.out());
    assert_eq!(folder.everything("build"), first, "a check writes nothing");
    assert_eq!(states(&folder, "pack --json"), ["scene unchanged", "menu built"]);
    folder.zemtak("verify build/menu.zemtak.json --against art").exits(0);
    // Results that somebody damaged or deleted come back.
    let whole = folder.everything("build");
    folder.write("build/scene-0.png", "scribble");
    fs::remove_file(folder.path("build/menu.zemtak.json")).unwrap();
    assert_eq!(states(&folder, "pack --json"), ["scene built", "menu built"]);
    assert_eq!(folder.everything("build"), whole);
    // What is remembered may be lost, or be rubbish.
    for store in [None, Some("rubbish")] {
        fs::remove_file(folder.path("build/.zemtak-store")).unwrap();
        store.iter().for_each(|text| folder.write("build/.zemtak-store", text));
        assert_eq!(states(&folder, "pack --json"), ["scene unchanged", "menu unchanged"], "pages are the same bytes");
    }
}

/// The same picture with other colours in its visible pixels, so that its box stays where it is.
fn retouched(file: &[u8], round: u32) -> Vec<u8> {
    let mut pixels = decode(file, None, &Limits::default()).unwrap().pixels;
    let visible = pixels.as_bytes_mut().chunks_exact_mut(4).filter(|pixel| pixel[3] > 0);
    visible.for_each(|pixel| pixel[0] = pixel[0].wrapping_add(round as u8 + 1));
    png(&pixels)
}

fn repack_equals_fresh(folder: &Folder, pack: &str, what: &str) {
    folder.zemtak(pack).exits(0);
    let repacked = folder.everything("build");
    folder.zemtak(&format!("{pack} -o fresh --fresh")).exits(0);
    assert_eq!(repacked, folder.everything("fresh"), "{what}");
    fs::remove_dir_all(folder.path("fresh")).unwrap();
}

#[test]
fn whatever_is_done_to_sources_a_repack_equals_a_fresh_build() {
    let folder = project(
        "page = { max = [256, 256] }\nnames = \"hashed\"\nalso = [\"csv\"]\n[atlas.scene]\nleave = [\"button/**\"]\n\
         sizes = [{ suffix = \"-half\", factor = 0.5 }]\n\
         [atlas.menu]\ntake = [\"button/**\"]\npng = \"fast\"\nturn = true\nextrude = 2\n",
    );
    let mut dice = Dice(7);
    folder.zemtak("pack").exits(0);
    for round in 0..24 {
        let mut files: Vec<String> =
            folder.everything("art").into_iter().map(|(name, _)| format!("art/{name}")).collect();
        for _ in 0..=dice.below(3) {
            let file = files.swap_remove(dice.below(files.len() as u32) as usize);
            let other = &files[dice.below(files.len() as u32) as usize];
            match dice.below(7) {
                5 | 6 => folder.write(&file, retouched(&folder.read(&file), round)),
                0 => fs::remove_file(folder.path(&file)).unwrap(),
                1 => fs::rename(folder.path(&file), folder.path(&format!("art/renamed-{round}.png"))).unwrap(),
                2 => folder.write(&format!("art/new/{round}.png"), png(&blob(20 + round, 31, [round as u8, 80, 3]))),
                3 => {
                    let (a, b) = (folder.read(&file), folder.read(other));
                    folder.write(&file, b);
                    folder.write(other, a);
                }
                _ => folder.write(&file, png(&blob(8 + round, 9, [200, round as u8, 3]))),
            }
        }
        repack_equals_fresh(&folder, "pack", &format!("round {round}"));
    }
    // Every box is drawn over, and with another effort nothing of the pages is taken over.
    for (file, _) in folder.everything("art") {
        let file = format!("art/{file}");
        folder.write(&file, retouched(&folder.read(&file), 1));
    }
    repack_equals_fresh(&folder, "pack", "all retouched");
    for effort in ["fast", "balanced"] {
        repack_equals_fresh(&folder, &format!("pack --png {effort}"), effort);
    }
    for name in ["scene", "scene-half", "menu"] {
        folder.zemtak(&format!("verify build/{name}.zemtak.json --against art")).exits(0);
    }
}

#[test]
fn rules_reach_sprites_and_clips_through_trimming_turning_and_sizes() {
    let folder = project(
        "turn = true\n[atlas.night]\ntake = [\"moth/**\", \"moon/**\", \"letter/*\"]\n\
         sizes = [{ suffix = \"-half\", factor = 0.5 }, { suffix = \"-quarter\", factor = 0.25 }]\n\
         [[atlas.night.rule]]\nmatch = \"moth/**\"\npivot = \"bottom\"\nfps = \"60000/1001\"\nmode = \"bounce\"\n\
         points = { lamp = [20, 8] }\ntags = [\"flying\"]\nuser = { speed = 3 }\nstretch = [4, 2, 4, 2]\n\
         [[atlas.night.rule]]\nmatch = \"moth/idle/*\"\npivot = [0.25, 0.5]\nms = 90\n\
         [[atlas.night.rule]]\nmatch = \"letter/*\"\nclip = \"letters\"\n\
         [[atlas.night.rule]]\nmatch = \"letter/plain\"\nwrap = \"repeat\"\n\
         [[atlas.night.rule]]\nmatch = \"moon/**\"\nframe = '(?<clip>mo)on/phase/(?<frame>\\d+)'\n",
    );
    let run = folder.zemtak("pack").exits(0);
    assert!(run.err().contains("letter/plain: ") && run.err().contains("repeat"), "{}", run.err());
    let sizes = [("night", 1.0), ("night-half", 0.5), ("night-quarter", 0.25)];
    for (name, factor) in sizes {
        folder.zemtak(&format!("verify {name} --against art")).exits(0);
        let atlas = descriptor(&folder, name);
        // The atlas names its other sizes; they do not name each other.
        let others = sizes[1..].iter().filter(|_| name == "night").map(|(other, _)| format!("{other}.zemtak.json"));
        let named = atlas["companions"].as_object().into_iter().flat_map(|files| files.keys().cloned());
        assert_eq!(named.collect::<Vec<_>>(), others.collect::<Vec<_>>(), "{name}");
        let sprite = |of: &str| atlas["sprites"][of].clone();
        let fly = sprite("moth/fly/00");
        let canvas = descriptor(&folder, "night")["sprites"]["moth/fly/00"]["canvas"].clone();
        let (w, h) = (canvas[0].as_f64().unwrap(), canvas[1].as_f64().unwrap());
        assert_eq!(fly["pivot"], serde_json::json!([w / 2.0 * factor, h * factor].map(number)));
        assert_eq!(fly["points"]["lamp"], serde_json::json!([20.0 * factor, 8.0 * factor].map(number)));
        assert_eq!((&fly["tags"][0], &fly["user"]["speed"]), (&"flying".into(), &3.into()));
        assert_eq!(fly["stretch"][0], (4.0 * factor) as u64);
        assert_eq!(sprite("moth/idle/00")["pivot"][0], number(w / 4.0 * factor));
        let clips = &atlas["clips"];
        assert_eq!((&clips["moth/fly"]["fps"], &clips["moth/fly"]["mode"]), (&"60000/1001".into(), &"bounce".into()));
        assert_eq!(clips["moth/idle"]["steps"][1]["ms"], 90);
        assert!(
            clips["letters"]["steps"].as_array().unwrap().len() >= 4
                && clips["mo"]["steps"][0]["sprite"] == "moon/phase/00"
        );
        let plain = sprite("letter/plain");
        let page = &atlas["pages"][usize::try_from(plain["page"].as_u64().unwrap()).unwrap()];
        assert_eq!((page["sampling"]["wrap"].as_str(), page["extrude"].as_u64()), (Some("repeat"), Some(0)));
        assert_eq!(plain["box"], serde_json::json!([0, 0, page["width"], page["height"]]), "its box is the whole page");
    }
}

/// As the descriptor writes numbers: whole ones without a point.
fn number(n: f64) -> Value {
    if n.fract() == 0.0 { (n as i64).into() } else { n.into() }
}

#[test]
fn odd_globs_rules_and_images_are_warned_of_and_errors_told_all_at_once() {
    let folder = project(
        "[atlas.scene]\ntake = [\"moth/**\", \"mooth/**\"]\nleave = [\"moht/*\"]\n\
         sizes = [{ suffix = \"-half\", factor = 0.5 }]\n[[atlas.scene.rule]]\nmatch = \"bat/**\"\n\
         tags = [\"x\"]\n[atlas.other]\ntake = [\"moth/fly/*\", \"lantern/**\"]\n",
    );
    let warnings = folder.zemtak("pack").exits(0).err();
    for expected in [
        "'mooth/**' in take matches no image",
        "'moht/*' in leave matches no image",
        "the rule for 'bat/**' at zemtak.toml:8:1 never applies",
        "8 images are taken by scene and other: art/moth/fly/00.png",
        "taken by no atlas: art/button/map/down.png",
    ] {
        assert_eq!(warnings.matches(expected).count(), 1, "{expected} in\n{warnings}");
    }
    // One atlas that fails means that no atlas of the run is written.
    let before = folder.everything("build");
    folder.write("art/lantern/amber/00.png", "no image");
    folder.write("art/moth/fly/00.png", png(&blob(30, 30, [1, 2, 3])));
    folder.write("art/moth/idle/00.png", "no image either");
    let errors = folder.zemtak("pack").exits(3).err();
    assert!(errors.contains("lantern/amber/00.png") && errors.contains("moth/idle/00.png"), "{errors}");
    assert_eq!(folder.everything("build"), before);
    assert!(folder.zemtak("pack --name dusk").exits(2).err().contains("the project has scene, other"));
}

/// The project's own folder is a root as "." and others lie in it: all images that the second atlas took were said to
/// be in no atlas, and those that no atlas takes were counted for each root.
#[test]
fn images_are_the_same_however_their_roots_are_written() {
    let folder = Folder::new();
    for name in ["moth/1", "moth/2", "lamp/1"] {
        folder.write(&format!("art/{name}.png"), png(&blob(8, 8, [1, 2, name.len() as u8])));
    }
    for (first, second, expected) in [
        ("take = [\"art/moth/*\"]", "root = \"art\"\nleave = [\"moth/*\"]", vec![]),
        ("root = \"art\"\ntake = [\"moth/*\"]", "root = \"./art/../art/lamp\"", vec![]),
        (
            "take = [\"art/moth/*\"]",
            "root = \"art/moth\"",
            vec!["1 image is taken by no atlas", "2 images are taken by a and b"],
        ),
        (
            "root = \"art\"\ntake = [\"lamp/*\"]",
            "root = \"art/moth\"\ntake = [\"1\"]",
            vec!["1 image is taken by no atlas"],
        ),
    ] {
        folder.write("zemtak.toml", format!("format = 1\n[atlas.a]\n{first}\n[atlas.b]\n{second}\n"));
        let built = folder.zemtak("pack --json").exits(0).json();
        let texts = built["warnings"].as_array().unwrap().iter().map(|w| w["text"].as_str().unwrap());
        let texts: Vec<&str> = texts.map(|text| text.split(':').next().unwrap()).collect();
        assert_eq!(texts, expected, "{first} {second}");
    }
}

/// Bands may meet in the middle of a sprite, but not overlap.
#[test]
fn bands_that_are_wider_than_their_sprite_are_warned_of() {
    let folder = Folder::new();
    folder.write("art/panel.png", png(&blob(20, 10, [1, 2, 3])));
    for (bands, wide) in [("12, 5, 8, 5", false), ("12, 5, 9, 5", true), ("12, 5, 8, 6", true), ("0, 0, 20, 10", false)]
    {
        let rule = format!("[[atlas.art.rule]]\nmatch = \"*\"\nstretch = [{bands}]\n");
        folder.write("zemtak.toml", format!("format = 1\n[atlas.art]\nroot = \"art\"\n{rule}"));
        let built = folder.zemtak("pack --json").exits(0).json();
        let codes: Vec<&Value> = built["warnings"].as_array().unwrap().iter().map(|w| &w["code"]).collect();
        assert_eq!(codes, if wide { vec!["wide_bands"] } else { vec![] }, "{bands}: {built}");
    }
}

/// A list of durations fits if there is one for each step, or one for all.
#[test]
fn durations_that_do_not_match_the_steps_are_warned_of_and_made_to_fit() {
    let folder = Folder::new();
    (0..3).for_each(|n| folder.write(&format!("art/moth/{n}.png"), png(&blob(5 + n, 4, [1, 2, 3]))));
    for (list, ms, told) in [
        ("70", [70, 70, 70], None),
        ("70, 80, 90", [70, 80, 90], None),
        ("70, 80", [70, 80, 80], Some("2 durations for 3 steps; the last one is repeated")),
        ("70, 80, 90, 95", [70, 80, 90], Some("4 durations for 3 steps; the surplus is ignored")),
    ] {
        let rule = format!("[[atlas.art.rule]]\nmatch = \"**\"\nms = [{list}]\n");
        folder.write("zemtak.toml", format!("format = 1\n[atlas.art]\nroot = \"art\"\n{rule}"));
        let built = folder.zemtak("pack --json").exits(0).json();
        let texts: Vec<&str> =
            built["warnings"].as_array().unwrap().iter().map(|w| w["text"].as_str().unwrap()).collect();
        assert_eq!(texts, told.map(|told| format!("clip moth: {told}")).as_slice(), "{list}");
        let steps = descriptor(&folder, "art")["clips"]["moth"]["steps"].clone();
        let shown: Vec<u64> = steps.as_array().unwrap().iter().map(|step| step["ms"].as_u64().unwrap()).collect();
        assert_eq!(shown, ms, "{list}");
    }
}

#[test]
fn frames_of_animated_pictures_are_sprites_and_clips_with_their_delays() {
    let folder = Folder::new();
    folder.write("art/wave.gif", gif(6, 4, [([10, 2, 3], 70), ([250, 2, 3], 200)]));
    let mut apng = Vec::new();
    let mut encoder = png::Encoder::new(&mut apng, 2, 2);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_animated(3, 0).unwrap();
    let mut writer = encoder.write_header().unwrap();
    for i in 0..3u8 {
        writer.set_frame_delay(u16::from(i) + 1, 8).unwrap();
        writer.write_image_data(&[40 * (i + 1); 16]).unwrap();
    }
    writer.finish().unwrap();
    folder.write("art/glow.png", apng);
    folder.zemtak("pack art --name n").exits(0);
    let atlas = descriptor(&folder, "n");
    let ms = |clip: &str| -> Vec<f64> {
        atlas["clips"][clip]["steps"].as_array().unwrap().iter().map(|s| s["ms"].as_f64().unwrap()).collect()
    };
    assert_eq!((ms("wave"), ms("glow")), (vec![70.0, 200.0], vec![125.0, 250.0, 375.0]));
    assert_eq!(atlas["sprites"]["glow/02"]["canvas"], serde_json::json!([2, 2]));
    folder.zemtak("verify build/n.zemtak.json --against art").exits(0);
}

#[test]
fn kept_boxes_stay_and_the_summary_says_what_that_costs() {
    let folder = project("[atlas.night]\n");
    folder.zemtak("pack").exits(0);
    let before = descriptor(&folder, "night");
    folder.write("art/moth/fly/00.png", png(&blob(60, 66, [1, 2, 3])));
    folder.write("art/new.png", png(&blob(9, 9, [4, 2, 3])));
    let summary = folder.zemtak("pack --keep --json").exits(0).json();
    folder.zemtak("verify build/night.zemtak.json --against art").exits(0);
    let after = descriptor(&folder, "night");
    let moved =
        before["sprites"].as_object().unwrap().iter().filter(|(name, s)| after["sprites"][*name]["box"] != s["box"]);
    assert_eq!(moved.count(), 1, "only the sprite whose size changed");
    assert_eq!(summary["atlases"][0]["kept"]["moved"], 1);
    assert!(summary["atlases"][0]["kept"]["full_layout_pixels"].as_u64().unwrap() > 0);
    // Without --keep the layout is again that of a fresh build.
    folder.zemtak("pack").exits(0);
    folder.zemtak("pack -o fresh").exits(0);
    assert_eq!(folder.everything("build"), folder.everything("fresh"));
}

#[test]
fn pages_come_in_every_format_premultiplied_and_with_room_for_mips() {
    let folder = Folder::new();
    let art = demo_art();
    for format in ["png", "qoi", "webp", "raw"] {
        let options = "--alpha premultiplied --filter linear --mip-levels 2 --names hashed --turn";
        let summary =
            folder.zemtak(&format!("pack {} --name {format} --pages-as {format} {options} --json", art.display()));
        let summary = summary.exits(0).json();
        assert!(summary["atlases"][0]["mip_cost"].as_f64().unwrap() >= 1.0);
        folder.zemtak(&format!("verify build/{format}.zemtak.json --against {}", art.display())).exits(0);
        let atlas = descriptor(&folder, format);
        assert_eq!(
            (&atlas["pages"][0]["alpha"], &atlas["pages"][0]["sampling"]["filter"]),
            (&"premultiplied".into(), &"linear".into())
        );
        for sprite in atlas["sprites"].as_object().unwrap().values() {
            let corner = [&sprite["box"][0], &sprite["box"][1]].map(|n| n.as_u64().unwrap());
            assert!(corner.iter().all(|n| n % 4 == 0), "cells begin at multiples of four, boxes after rings of four");
        }
    }
    // Rings as wide as these were asked for anyway, and cells aligned by their multiples: the levels cost little more.
    let wide = format!("pack {} --name wide --page-shape free --extrude 8 --json", art.display());
    let plain = folder.zemtak(&wide).exits(0).json();
    let mips = folder.zemtak(&format!("{wide} --mip-levels 3")).exits(0).json();
    let pixels = |summary: &Value| {
        let page = &summary["atlases"][0]["pages"][0];
        page["width"].as_f64().unwrap() * page["height"].as_f64().unwrap()
    };
    let cost = mips["atlases"][0]["mip_cost"].as_f64().unwrap();
    assert!((cost - pixels(&mips) / pixels(&plain)).abs() < 1e-9, "{cost}");
}

/// A build that is killed leaves whole files, and the next one mends everything, whenever that was. `KILLS=200` in the
/// environment kills as often.
#[cfg(unix)]
#[test]
fn a_build_killed_at_any_instant_leaves_whole_files_and_the_next_mends_all() {
    let folder = project(
        "page = { max = [256, 256] }\nnames = \"plain\"\n[atlas.scene]\nleave = [\"button/**\"]\n[atlas.menu]\ntake = [\"button/**\"]\n",
    );
    folder.zemtak("pack").exits(0);
    let (one, other) = (png(&blob(40, 40, [9, 9, 9])), png(&blob(70, 70, [9, 9, 90])));
    let kills: u64 = std::env::var("KILLS").map_or(30, |kills| kills.parse().unwrap());
    let (mut mended, mut dice) = (0, Dice(7));
    for round in 0..kills {
        folder.write("art/moon/phase/00.png", if round % 2 == 0 { &one } else { &other });
        folder.write("art/button/map.png", if round % 2 == 0 { &other } else { &one });
        let mut child = Command::new(env!("CARGO_BIN_EXE_zemtak"))
            .args(["pack", "--quiet"])
            .current_dir(folder.path("."))
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_micros(dice.below(100_000).into()));
        child.kill().unwrap();
        child.wait().unwrap();
        for (name, bytes) in folder.everything("build") {
            if name.ends_with(".json") {
                serde_json::from_slice::<Value>(&bytes).unwrap();
            } else {
                let _: Pixels =
                    zemtak_core::codec::decode(&bytes, None, &zemtak_core::codec::Limits::default()).unwrap().pixels;
            }
        }
        mended += usize::from(folder.zemtak("pack --check").code() == Some(1));
        folder.zemtak("pack").exits(0);
        folder.zemtak("pack -o fresh --fresh").exits(0);
        assert_eq!(folder.everything("build"), folder.everything("fresh"), "round {round}");
        let parts = fs::read_dir(folder.path("build"))
            .unwrap()
            .flatten()
            .filter(|e| e.file_name().to_string_lossy().ends_with(".part"));
        assert_eq!(parts.count(), 0);
    }
    assert!(mended > 0, "some builds were killed before they were done");
}

/// Two builds at once do not mix: one waits for the other.
#[test]
fn two_builds_at_once_wait_for_each_other() {
    let folder = project("[atlas.night]\n");
    let start = || {
        Command::new(env!("CARGO_BIN_EXE_zemtak"))
            .args(["pack", "--quiet", "--fresh"])
            .current_dir(folder.path("."))
            .spawn()
            .unwrap()
    };
    let children: Vec<_> = (0..4).map(|_| start()).collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    folder.zemtak("verify build/night.zemtak.json --against art").exits(0);
}

/// A build that waited said nothing.
#[test]
fn a_build_that_waits_says_for_whom() {
    let folder = project("[atlas.night]\n");
    folder.zemtak("pack").exits(0);
    let lock = fs::File::options().append(true).open(folder.path("build/.zemtak-lock")).unwrap();
    let process = String::from_utf8(folder.read("build/.zemtak-lock")).unwrap().trim().parse::<u32>().unwrap();
    lock.lock().unwrap();
    let waiting = Command::new(env!("CARGO_BIN_EXE_zemtak"))
        .args(["pack", "--fresh"])
        .current_dir(folder.path("."))
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    std::thread::sleep(std::time::Duration::from_millis(1500));
    drop(lock);
    let output = waiting.wait_with_output().unwrap();
    let told = String::from_utf8(output.stderr).unwrap();
    assert!(
        output.status.success() && told.contains(&format!("waiting for another build in build, process {process}")),
        "{told}"
    );
}

/// What is saved is packed within moments; broken files, folders and project files are told once and survived.
#[cfg(unix)]
#[test]
fn a_watch_packs_what_is_saved_and_survives_what_is_broken() {
    use std::time::{Duration, Instant};
    let folder = project(TWO);
    let said = fs::File::create(folder.path("said")).unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
    command.args(["watch", "--settle", "20"]).current_dir(folder.path("."));
    let mut child = command.stdout(said.try_clone().unwrap()).stderr(said).spawn().unwrap();
    let until = |what: &str, holds: &dyn Fn() -> bool| {
        let start = Instant::now();
        while !holds() {
            assert!(
                start.elapsed() < Duration::from_secs(30),
                "{what}\n{}",
                String::from_utf8_lossy(&folder.read("said"))
            );
            std::thread::sleep(Duration::from_millis(10));
        }
    };
    let says = |text: &str| String::from_utf8_lossy(&folder.read("said")).contains(text);
    let menu = || {
        let text = fs::read(folder.path("build/menu.zemtak.json")).unwrap_or_default();
        serde_json::from_slice::<Value>(&text).unwrap_or_default()
    };
    let sprite = |name: &str| menu()["sprites"][name].is_object();
    until("the first build", &|| sprite("button/play/up"));
    let art = png(&blob(9, 9, [9, 9, 9]));
    folder.write("art/button/new.png", &art);
    until("a new sprite", &|| sprite("button/new"));
    let good = folder.everything("build");
    folder.write("art/button/new.png", &art[..20]);
    until("a half-written image", &|| says("button/new.png: "));
    fs::rename(folder.path("art"), folder.path("away")).unwrap();
    until("no folder", &|| says("no such file or folder"));
    assert_eq!(folder.everything("build"), good, "the last good build stays");
    folder.write("away/button/new.png", &art);
    fs::rename(folder.path("away"), folder.path("art")).unwrap();
    until("all is there again", &|| says("all is well again"));
    let text = folder.read("zemtak.toml");
    folder.write("zemtak.toml", "format = 1\nfoo = 2\n");
    until("a broken project file", &|| says("'foo' is not a key"));
    // Meanwhile nobody knows that there are sprites here.
    folder.write("art/button/new.png", png(&blob(11, 9, [9, 9, 9])));
    folder.write("zemtak.toml", text);
    folder.write("art/button/newer.png", &art);
    until("a mended project file", &|| sprite("button/newer"));
    assert_eq!(menu()["sprites"]["button/new"]["canvas"], json!([11, 9]), "painted while the project file was broken");
    // Another folder takes the place of one that was watched, which lives on under another name.
    folder.write("other/moth/0.png", &art);
    folder.write("other/button/other.png", &art);
    fs::rename(folder.path("art"), folder.path("away")).unwrap();
    fs::rename(folder.path("other"), folder.path("art")).unwrap();
    until("another folder", &|| sprite("button/other"));
    folder.write("art/button/last.png", &art);
    until("a sprite in it", &|| sprite("button/last"));
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    child.wait().unwrap();
    let told = String::from_utf8_lossy(&folder.read("said")).into_owned();
    for line in [
        "watching art, zemtak.toml; PNG pages are written fast, 'zemtak pack' makes them smaller; Ctrl-C ends it\n",
        "changed: art/button/new.png\nmenu: 1 sprite added (button/new) -> ",
        " builds, 3 failed\n",
    ] {
        assert!(told.contains(line), "{line}\n{told}");
    }
    folder.zemtak("verify build/menu.zemtak.json --against art").exits(0);
}
