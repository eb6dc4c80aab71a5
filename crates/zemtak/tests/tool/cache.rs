//! Rehearsals by the built binary: figures computed here a second time, warnings with names, errors with their lines.

use crate::fixtures::{Dice, Folder, blob, demo_art, png};
use serde_json::Value;
use std::collections::BTreeSet;
use zemtak_core::codec::{Limits, decode};

/// The demo, packed as its project file says.
fn packed() -> Folder {
    let folder = Folder::new();
    for file in ["zemtak.toml", "scenes.toml", "faults.toml"] {
        let text = std::fs::read_to_string(demo_art().join("..").join(file)).unwrap();
        folder.write(file, text.replace("\"art\"", &format!("{:?}", demo_art())));
    }
    folder.zemtak("pack").exits(0);
    folder
}

fn scene<'a>(answer: &'a Value, index: usize, key: &str) -> &'a Value {
    &answer["scenes"][index][key]
}

#[test]
fn the_demos_scenes_come_to_what_a_count_by_hand_says() {
    let folder = packed();
    let answer = folder.zemtak("cache rehearse scenes.toml --json").exits(0).json();
    // Two pages, each loaded once for the whole night.
    assert_eq!(answer["all"]["loads"], 2);
    assert_eq!(answer["all"]["loaded_bytes"], 512 * 512 * 4 + 256 * 256 * 4);
    // One bind a frame; the third scene draws from both pages, all of one and then all of the other.
    let binds: Vec<f64> = (0..4)
        .map(|i| scene(&answer, i, "binds").as_f64().unwrap() / scene(&answer, i, "frames").as_f64().unwrap())
        .collect();
    assert_eq!(binds, [1.0, 1.0, 2.0, 1.0]);
    assert_eq!(scene(&answer, 1, "draws"), 360 * (1 + 24 + 8 + 30 + 12));
    // Loose, each image is one texture: 17 of the desk; of the meadow 8 steps of the moth, 6 of a letter, 6 of a lantern, 8 of
    // reeds, 6 gusts of wind, and the air mail; of the post 6 steps of landing, 5 of a box, and a sealed letter.
    assert_eq!(answer["compared"]["loose"]["loads"], 17 + (8 + 6 + 6 + 8 + 6 + 1) + (6 + 5 + 1));
    // With nothing shared every step of every thing is one.
    let desk = 1 + 4 + 6;
    let meadow = 8 + 24 * 6 + 8 * 6 + 30 * 8 + 12;
    let post = 6 + 5 * 5 + 9 + 9;
    assert_eq!(answer["compared"]["nothing_shared"]["loads"], desk + meadow + post + desk);
    let all = &answer["compared"];
    let binds = |way: &str| all[way]["binds"].as_u64().unwrap();
    assert!(binds("packed") * 20 < binds("loose") && binds("loose") <= binds("nothing_shared"));
    assert!(all["nothing_shared"]["peak_bytes"].as_u64() > all["loose"]["peak_bytes"].as_u64());
}

#[test]
fn a_rehearsal_is_the_same_each_time_and_its_picture_too() {
    let folder = packed();
    let [first, second] = ["a.png", "b.png"].map(|png| {
        let run = folder.zemtak(&format!("cache rehearse faults.toml --png {png} --json --jobs 1")).exits(0);
        (run.out(), folder.read(png))
    });
    assert!(first == second);
    let picture = decode(&first.1, None, &Limits::default()).unwrap().pixels;
    // In the last scene the page of the scene is held: its line, the third, is amber in the middle of that.
    let (x, y) = (300 + 950 * 9 / 10, 374);
    assert_eq!(picture.get(x, y), Some([0xf2, 0xb4, 0x5a, 255]));
}

/// The scenario in the guide has every key, and is one that can be played.
#[test]
fn the_scenario_of_the_guide_plays() {
    let folder = packed();
    let guide = include_str!("../../../../docs/rehearsal.md");
    let scenario = guide.split("```toml\n").nth(1).unwrap().split("```").next().unwrap();
    folder.write("guide.toml", scenario.replace("\"art\"", &format!("{:?}", demo_art())));
    let answer = folder.zemtak("cache rehearse guide.toml --json").exits(0).json();
    assert_eq!(answer["scenes"].as_array().unwrap().len(), 3);
    // The device refuses the texture that the new version needs, so the old one stays.
    let kept = "a new version is broken, the old one stays: scene-0.png: the device was lost";
    let told = serde_json::json!({ "code": "failure", "about": null, "text": kept });
    assert!(answer["warnings"].as_array().unwrap().contains(&told), "{answer}");
    let help = folder.zemtak("cache rehearse --help").exits(0).out();
    assert!(help.contains("docs/rehearsal.md"));
    // And the guide has every key that can be there: an unknown one is answered with all known ones.
    folder.write(
        "keys.toml",
        "format = 1\nzzzz = 1\n[[scene]]\nname = \"a\"\nseconds = 1\nzzzz = 1\n[device]\nzzzz = 1\n",
    );
    let known = folder.zemtak("cache rehearse keys.toml").exits(2).err();
    let lists = known.lines().filter_map(|line| line.split_once("it can be ")).map(|(_, keys)| keys);
    let keys: Vec<&str> = lists.flat_map(|keys| keys.split(", ")).collect();
    assert!(keys.len() > 18, "{known}");
    for key in keys {
        let written = [format!("{key} = "), format!("[{key}]"), format!("[[{key}]]"), format!("[[scene.{key}]]")];
        assert!(written.iter().any(|form| scenario.contains(form.as_str())), "{key} is not in the guide");
    }
}

#[test]
fn faults_are_survived_and_told_by_name() {
    let folder = packed();
    let run = folder.zemtak("cache rehearse faults.toml --strict").exits(1);
    for told in [
        "scene-0.png: build/scene-0.png: it cannot be read: the scenario has taken it away",
        "menu-0.png: the device is out of memory",
        "up to 2.00 MiB are needed at once, more than the budget of 1.00 MiB, 4 times",
        "menu-half-0.png is loaded and never drawn: 64.00 KiB",
        "scene meadow has ended and still holds scene:letter/bundle: its pages cannot go",
    ] {
        assert!(run.out().contains(told), "{}", run.out());
    }
    let answer = folder.zemtak("cache rehearse faults.toml --json").exits(0).json();
    // The page is missing for half a second and comes then; the reload takes over twice.
    assert_eq!((scene(&answer, 0, "ready_after_frames"), &answer["replaced"]), (&30.into(), &2.into()));
    // Ten things were not there for thirty frames, and the emblem neither.
    assert_eq!(answer["all"]["not_there"], 10 * 30 + 30);
}

/// Whatever lay beside an image under its name was taken for it if its extension came first in order: a game that keeps the documents
/// of its drawing program there was told that its loose images never come.
#[test]
fn loose_images_are_those_that_a_build_finds() {
    let folder = packed();
    for step in 0..8 {
        let image = format!("moth/fly/{step:02}.png");
        folder.write(&format!("loose/{image}"), std::fs::read(demo_art().join(&image)).unwrap());
        folder.write(&format!("loose/moth/fly/{step:02}.doc"), "layers and guides");
    }
    folder.write(
        "flight.toml",
        "format = 1\nloose = \"loose\"\n[[scene]]\nname = \"before\"\nseconds = 1\nhold = [\"scene:moth/fly/**\"]\n\
         [[scene]]\nname = \"flight\"\nseconds = 1\n[[scene.draw]]\nclip = \"scene:moth/fly\"\ncount = 3\n",
    );
    let answer = folder.zemtak("cache rehearse flight.toml --json --strict").exits(0).json();
    let loose = &answer["compared"]["loose"];
    // All are there when the flight begins. Three moths fly 137 ms apart, which is more than a step: no two show the same image.
    assert_eq!(
        (&loose["loads"], &loose["not_there"], &loose["binds"]),
        (&8.into(), &0.into(), &(60 * 3).into()),
        "{loose}"
    );
}

/// A TGA has no signature: as loose images, none of them could be loaded, and nobody was told.
#[test]
fn loose_images_are_told_by_their_extension_too_and_those_that_are_broken_by_name() {
    let folder = Folder::new();
    for step in 0..3 {
        let path = folder.path(&format!("art/moth/{step}.tga"));
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        image::RgbaImage::from_pixel(9, 7, image::Rgba([step, 90, 200, 255])).save(path).unwrap();
    }
    folder.write("zemtak.toml", "format = 1\n[atlas.night]\nroot = \"art\"\n");
    folder.zemtak("pack").exits(0);
    let scene = "[[scene]]\nname = \"flight\"\nseconds = 1\n[[scene.draw]]\nclip = \"night:moth\"\n";
    folder.write("flight.toml", format!("format = 1\nloose = \"art\"\n{scene}"));
    let answer = folder.zemtak("cache rehearse flight.toml --json --strict").exits(0).json();
    assert_eq!(answer["compared"]["loose"]["loads"], 3);
    // Those that were dropped are read again.
    let again = "budget = 300\nplay = [\"flight\", \"rest\", \"flight\"]\n[[scene]]\nname = \"rest\"\nseconds = 0.1\n";
    folder.write("again.toml", format!("format = 1\nloose = \"art\"\n{again}{scene}"));
    let told = folder.zemtak("cache rehearse again.toml --json").exits(0).json();
    let loose = &told["compared"]["loose"];
    assert_eq!((&loose["failures"], loose["loads"].as_u64() > Some(3)), (&0.into(), true), "{told}");
    // What the device refuses is no fault of an image; what it would have taken is told nevertheless.
    let fault = "[[scene.fault]]\nout_of_memory = 1\n";
    folder.write("fault.toml", format!("format = 1\nbudget = 300\nloose = \"art\"\n{scene}{fault}"));
    let told = folder.zemtak("cache rehearse fault.toml --json").exits(0).json();
    assert!(told["compared"]["loose"]["failures"].as_u64() > Some(0), "{told}");
    let texts = [
        "night-0.png: the device is out of memory",
        "up to 2.00 KiB are needed at once, more than the budget of 300 B, 1 time",
    ];
    assert_eq!([0, 1].map(|n| told["warnings"][n]["text"].as_str().unwrap()), texts);
    assert_eq!(told["warnings"].as_array().unwrap().len(), 2, "{told}");
    folder.write("art/moth/1.tga", "no image");
    let told = folder.zemtak("cache rehearse flight.toml --json").exits(0).json();
    let text = "loose images that cannot be decoded are missing in the comparison: moth/1.tga";
    assert_eq!(told["warnings"], serde_json::json!([{ "code": "loose_failure", "about": null, "text": text }]));
}

#[test]
fn a_budget_that_is_too_small_for_two_scenes_in_turn_is_named() {
    let folder = packed();
    let draw = "seconds = 1\n[[scene.draw]]\nsprite =";
    folder.write(
        "turns.toml",
        format!(
            "format = 1\nbudget = \"1 MiB\"\nbetween = \"give_back_first\"\nplay = [\"a\", \"b\", \"a\", \"b\"]\n\
             [[scene]]\nname = \"a\"\n{draw} \"scene:moth/fly/00\"\n[[scene]]\nname = \"b\"\n{draw} \"menu:emblem\"\n"
        ),
    );
    let run = folder.zemtak("cache rehearse turns.toml --strict").exits(1);
    let told = "scene-0.png is evicted and loaded again after 1 s: a larger budget, or a pin, would keep it";
    assert!(run.out().contains(told), "{}", run.out());
    // What is needed at once is the most, not the last.
    let held = String::from_utf8(folder.read("turns.toml")).unwrap().replace("1 MiB", "64 KiB");
    folder.write(
        "held.toml",
        held.replace(
            "sprite = \"scene:moth/fly/00\"",
            "sprite = \"scene:moth/fly/00\"\n[[scene.draw]]\nsprite = \"menu:emblem\"",
        ),
    );
    let run = folder.zemtak("cache rehearse held.toml --strict").exits(1);
    assert!(
        run.out().contains("up to 1.25 MiB are needed at once, more than the budget of 64.00 KiB"),
        "{}",
        run.out()
    );
    // With room for both, and a scene that follows itself and so asks before it gives back, there is nothing to tell.
    let turns = String::from_utf8(folder.read("turns.toml")).unwrap().replace("1 MiB", "1.25 MiB");
    let turns = turns.replace("give_back_first", "load_first").replace("[\"a\", \"b\",", "[\"a\", \"a\", \"b\",");
    folder.write("turns.toml", turns);
    folder.zemtak("cache rehearse turns.toml --strict").exits(0);
}

#[test]
fn all_that_is_wrong_with_a_scenario_is_told_with_its_line() {
    let folder = packed();
    folder.write(
        "bad.toml",
        "format = 1\nbudget = \"2 MB\"\nplay = [\"meadow\", \"nihgt\"]\n[[scene]]\nname = \"meadow\"\nseconds = -1\n\
         hold = [\"scene:moht/**\", \"dawn:**\"]\n[[scene.draw]]\nsprite = \"scene:moth/fly/0\"\nclip = \"scene:moth/fly\"\n\
         [[scene.draw]]\nclip = \"scene:moth/swim\"\ncuont = 2\n[[scene.fault]]\nat = 1\n\
         [[scene.fault]]\nlost = 0\n[[scene.draw]]\nsprite = 5\n\
         [[scene]]\nname = \"dusk\"\nseconds = 1\n[[scene.fault]]\nmissing = \"scene-9.png\"\n[[scene.fault]]\nreload = \"dawn\"\n\
         [[scene]]\nname = \"dusk\"\nseconds = 1\n",
    );
    let run = folder.zemtak("cache rehearse bad.toml").exits(2);
    let told = run.err();
    for line in [
        "bad.toml:2:10: expected a number of bytes, or a text such as \"2 MiB\"",
        "bad.toml:6:11: expected a number of seconds from 0 to 3600",
        "atlas scene has no such sprite; the nearest is moth/",
        "there is no dawn.zemtak.json below build; build it with 'zemtak pack'",
        "expected either 'sprite' or 'clip'",
        "atlas scene has no such clip; the nearest is moth/",
        "'cuont' is not a key of what is drawn; did you mean 'count'?",
        "expected one of 'missing', 'out_of_memory', 'lost' and 'reload'",
        "there is no such file below build",
        "bad.toml:3:19: there is no such scene; there are meadow, dusk, dusk",
        "expected a whole number from 1 to 1000",
        "another scene has this name already",
        "^^^^",
    ] {
        assert!(told.contains(line), "{line}\n{told}");
    }
    // What cannot be read is not told to be missing as well.
    assert_eq!(told.matches("bad.toml:").count(), 15, "{told}");
    for (scenario, told) in [
        ("[[scene]]\nname = \"dusk\"\nseconds = 1\n", "the first line must be 'format = 1'"),
        ("format = 1\n", "there is no [[scene]] in it that can be played"),
        ("format = 1\n[[scene]]\nname = \"dusk\"\n", "a scene has a name and lasts some 'seconds'"),
        ("format = 1\nfps = 1001\n[[scene]]\nname = \"dusk\"\nseconds = 1\n", "expected a whole number from 1 to 1000"),
    ] {
        folder.write("bad.toml", scenario);
        let run = folder.zemtak("cache rehearse bad.toml").exits(2);
        assert!(run.err().contains(told), "{told}\n{}", run.err());
    }
}

/// Some of the missing images are named. It was said that -v lists all of them, which it did not.
#[test]
fn a_scenario_without_its_loose_images_is_played_without_the_comparison() {
    let folder = packed();
    let scene = "[[scene]]\nname = \"dusk\"\nseconds = 0.1\nhold = [\"scene:moth/fly/**\"]\n";
    folder.write("alone.toml", format!("format = 1\nloose = \"elsewhere\"\n{scene}"));
    let told = folder.zemtak("cache rehearse alone.toml --json").exits(0).json();
    let warnings = told["warnings"].as_array().unwrap();
    let warning = warnings.iter().find(|warning| warning["code"] == "nothing_to_compare").unwrap();
    let text = warning["text"].as_str().unwrap();
    assert!(text.ends_with("scene:moth/fly/03, scene:moth/fly/04 and 3 more"), "{text}");
}

/// Scenes thrown together at random: whatever they are, the figures must agree with each other and with the story of each
/// texture, from which they are computed here once more.
#[test]
fn figures_of_random_scenes_agree_with_the_stories_of_their_textures() {
    let folder = packed();
    let things = [
        "clip = \"scene:moth/fly\"",
        "clip = \"scene:letter/spin\"",
        "sprite = \"scene:tile/water\"",
        "sprite = \"menu:emblem\"",
        "sprite = \"menu-half:stamp/moth\"",
        "sprite = \"menu-half:emblem\"",
    ];
    let mut dice = Dice(20_261_123);
    for round in 0..40 {
        let mut pick = |most: usize| dice.below(most as u32) as usize;
        let budget = [64 << 10, 300 << 10, 1 << 20, 4 << 20][pick(4)];
        let between = ["load_first", "give_back_first"][pick(2)];
        let mut text = format!("format = 1\nbudget = {budget}\nbetween = \"{between}\"\nloose = {:?}\n", demo_art());
        for scene in 0..1 + pick(4) {
            let order = ["listed", "mixed"][pick(2)];
            text += &format!("[[scene]]\nname = \"{scene}\"\nseconds = 0.{}\norder = \"{order}\"\n", 1 + pick(9));
            for _ in 0..1 + pick(3) {
                text += &format!("[[scene.draw]]\n{}\ncount = {}\n", things[pick(things.len())], 1 + pick(5));
            }
            if pick(4) == 0 {
                text += &format!("[[scene.fault]]\nout_of_memory = {}\nuntil = 0.05\n", 1 + pick(2));
            }
        }
        folder.write("random.toml", &text);
        let answer = folder.zemtak("cache rehearse random.toml --json").exits(0).json();
        agrees(&answer, budget, &format!("round {round}:\n{text}\n{answer:#}"));
    }
}

fn agrees(answer: &Value, budget: u64, told: &str) {
    let number = |value: &Value, key: &str| value[key].as_u64().unwrap_or_else(|| panic!("{key}: {told}"));
    let scenes = answer["scenes"].as_array().unwrap();
    let all = &answer["all"];
    for key in
        ["frames", "requests", "reuses", "joined", "loads", "loaded_bytes", "draws", "not_there", "binds", "batches"]
    {
        let sum: u64 = scenes.iter().map(|scene| number(scene, key)).sum();
        assert_eq!(sum, number(all, key), "{key}: {told}");
    }
    let frames = |story: &Value, key: &str| -> Vec<u64> {
        story[key].as_array().unwrap().iter().map(|frame| frame.as_u64().unwrap()).collect()
    };
    let stories = answer["textures"].as_array().unwrap();
    let made: u64 = stories.iter().map(|story| frames(story, "made").len() as u64).sum();
    let bytes = stories.iter().map(|story| frames(story, "made").len() as u64 * number(story, "bytes"));
    assert_eq!((made, bytes.sum::<u64>()), (number(all, "loads"), number(all, "loaded_bytes")), "{told}");
    for scene in scenes {
        // What was made and not dropped before the scene ended is there at its end.
        let end = number(scene, "begins") + number(scene, "frames");
        let there = stories.iter().map(|story| {
            let count = |key| frames(story, key).iter().filter(|frame| **frame < end).count() as u64;
            (count("made") - count("dropped")) * number(story, "bytes")
        });
        assert_eq!(there.sum::<u64>(), number(scene, "resident_bytes"), "{told}");
        assert!(number(scene, "peak_bytes") >= number(scene, "resident_bytes"), "{told}");
        assert!(number(scene, "binds") <= number(scene, "draws"), "{told}");
        assert_eq!(number(scene, "binds"), number(scene, "batches"), "few sprites, so no batch is full: {told}");
    }
    // No more than the budget stays unless more than that is held, and that is told.
    let over = number(all, "peak_bytes") > budget;
    let warnings = answer["warnings"].as_array().unwrap();
    assert!(!over || warnings.iter().any(|warning| warning["code"] == "over_budget"), "{told}");
    let texts: BTreeSet<&str> = warnings.iter().map(|warning| warning["text"].as_str().unwrap()).collect();
    assert_eq!(texts.len(), warnings.len(), "a warning is given once: {told}");
    let [packed, loose, alone] = ["packed", "loose", "nothing_shared"].map(|way| &answer["compared"][way]);
    assert_eq!(packed, all);
    let drawn = |way: &Value| number(way, "draws") + number(way, "not_there");
    assert!(drawn(packed) == drawn(loose) && drawn(loose) == drawn(alone), "{told}");
}

/// So many copies took seconds of work that nobody had asked for on purpose.
#[test]
fn a_scene_draws_no_more_than_its_limit_which_the_project_moves() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [7, 7, 7])));
    let project = "format = 1\n[atlas.night]\nroot = \"art\"\n";
    folder.write("zemtak.toml", project);
    folder.zemtak("pack").exits(0);
    let scene = "[[scene]]\nname = \"swarm\"\nseconds = 0.1\n[[scene.draw]]\nsprite = \"night:moth\"\ncount = 5000\n";
    folder.write("swarm.toml", format!("format = 1\n{scene}"));
    let refused = folder.zemtak("cache rehearse swarm.toml").exits(2);
    assert!(refused.err().contains("swarm: 5,000 things that a scene draws at a time; the limit is 4,096"));
    folder.zemtak("cache rehearse swarm.toml --limit scene_draws=5000").exits(0);
    folder.write("zemtak.toml", format!("{project}[limits]\nscene_draws = 5000\n"));
    folder.zemtak("cache rehearse swarm.toml").exits(0);
}
