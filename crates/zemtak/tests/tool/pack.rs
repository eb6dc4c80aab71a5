//! What `pack` writes, where, and when not.

use crate::fixtures::{Folder, Run, blob, demo_art, encode, png};
use serde_json::Value;
use std::collections::BTreeSet;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

fn descriptor(folder: &Folder, name: &str) -> Value {
    serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap()
}

/// Three sprites: a clip of two, and one alone.
fn small() -> Folder {
    let folder = Folder::new();
    folder.write("art/moth/0.png", png(&blob(20, 12, [200, 180, 90])));
    folder.write("art/moth/1.png", png(&blob(12, 20, [200, 180, 90])));
    folder.write("art/lamp.png", png(&blob(30, 30, [250, 200, 40])));
    folder
}

#[test]
fn the_same_bytes_from_one_thread_and_many_and_any_order_of_files() {
    let (first, second) = (Folder::new(), Folder::new());
    let files: Vec<(String, Vec<u8>)> = crate::fixtures::corpus(200, 3);
    files.iter().for_each(|(name, bytes)| first.write(&format!("art/{name}"), bytes));
    files.iter().rev().for_each(|(name, bytes)| second.write(&format!("art/{name}"), bytes));
    for options in ["", " --turn --page-shape free", " --page-max 512x512"] {
        first.zemtak(&format!("pack art --name night --jobs 1{options}")).exits(0);
        second.zemtak(&format!("pack art --name night --jobs 5{options}")).exits(0);
        let once = first.everything("build");
        assert_eq!(once, second.everything("build"), "{options}");
        first.zemtak(&format!("pack art --name night{options}")).exits(0);
        assert_eq!(once, first.everything("build"), "{options}");
    }
}

#[test]
fn written_files_and_the_documented_example_meet_the_printed_schema() {
    let folder = Folder::new();
    let schema: Value = folder.zemtak("schema descriptor").exits(0).json();
    let validator = jsonschema::draft202012::new(&schema).unwrap();
    folder.zemtak(&format!("pack {} --name night --turn", demo_art().display())).exits(0);
    folder.zemtak(&format!("pack {} --name many --page-max 256x256", demo_art().display())).exits(0);
    let guide = include_str!("../../../../docs/format.md");
    let example = guide.split("```json\n").nth(1).unwrap().split("```").next().unwrap();
    let example: Value = serde_json::from_str(example).unwrap();
    for atlas in [descriptor(&folder, "night"), descriptor(&folder, "many"), example.clone()] {
        let errors: Vec<String> = validator.iter_errors(&atlas).map(|e| e.to_string()).collect();
        assert!(errors.is_empty(), "{errors:?}");
        // The schema is no rubber stamp: whatever key is taken away or added, it objects.
        let sprite = atlas["sprites"].as_object().unwrap().keys().next().unwrap().clone();
        for place in ["".into(), "/built".into(), "/pages/0".into(), format!("/sprites/{}", sprite.replace('/', "~1"))]
        {
            for key in atlas.pointer(&place).unwrap().as_object().unwrap().keys() {
                let mut less = atlas.clone();
                less.pointer_mut(&place).unwrap().as_object_mut().unwrap().remove(key);
                assert!(!validator.is_valid(&less), "{place} without {key}");
            }
            let mut more = atlas.clone();
            more.pointer_mut(&place).unwrap()["mood"] = 1.into();
            assert!(!validator.is_valid(&more), "{place} with another key");
        }
    }
}

#[test]
fn the_documented_example_is_written_as_documented() {
    let guide = include_str!("../../../../docs/format.md");
    let example = guide.split("```json\n").nth(1).unwrap().split("```").next().unwrap();
    let parsed = zemtak_core::atlas::parse(example).unwrap();
    assert_eq!((parsed.atlas.check(), parsed.unknown), (vec![], vec![]));
    assert_eq!(parsed.atlas.to_text().unwrap(), example);
}

#[test]
fn names_are_paths_below_the_root_and_clips_come_from_their_numbers() {
    let folder = small();
    folder.write("art/two words/a+b~1.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/notes.txt", "not an image");
    folder.zemtak("pack art").exits(0);
    let atlas = descriptor(&folder, "art");
    let names: Vec<&String> = atlas["sprites"].as_object().unwrap().keys().collect();
    assert_eq!(names, ["lamp", "moth/0", "moth/1", "two words/a+b~1"]);
    assert_eq!(atlas["clips"]["moth"]["steps"][1]["sprite"], "moth/1");
    // Of several paths the common parent is the root; --root says otherwise.
    folder.zemtak("pack art/moth art/lamp.png --name some").exits(0);
    assert!(descriptor(&folder, "some")["sprites"]["moth/0"].is_object());
    folder.zemtak("pack art/moth --root . --name rooted").exits(0);
    assert!(descriptor(&folder, "rooted")["sprites"]["art/moth/0"].is_object());
    // An atlas is called after the only folder, as far as that makes a name.
    folder.write("My_Moths & Co/1.png", png(&blob(9, 9, [1, 2, 3])));
    let pack = folder.command("pack -q").arg("My_Moths & Co").output().unwrap();
    Run::of("pack", pack).exits(0);
    assert!(folder.exists("build/my_moths---co.zemtak.json"));
    let run = folder.zemtak("pack art/moth --root art/lamp.png").exits(2);
    assert!(run.err().contains("path outside the root"), "{}", run.err());
}

#[test]
fn twins_share_a_box_and_empty_sprites_one_pixel() {
    let folder = small();
    let shifted = {
        let (mut canvas, lamp) = (Pixels::transparent(Size::new(50, 40)).unwrap(), blob(30, 30, [250, 200, 40]));
        for y in 0..30 {
            canvas.row_mut(y + 7)[15 * 4..45 * 4].copy_from_slice(lamp.row(y));
        }
        // Colour where nothing is seen tells no twins apart.
        canvas.row_mut(0)[..4].copy_from_slice(&[9, 9, 9, 0]);
        canvas
    };
    folder.write("art/again.png", png(&shifted));
    folder.write("art/none.png", png(&Pixels::transparent(Size::new(64, 64)).unwrap()));
    folder.write("art/nothing.png", png(&Pixels::transparent(Size::new(3, 5)).unwrap()));
    let summary = folder.zemtak("pack art --json").exits(0).json();
    let summary = &summary["atlases"][0];
    assert_eq!((summary["twins"].clone(), summary["empty"].clone()), (1.into(), 2.into()));
    let atlas = descriptor(&folder, "art");
    let (lamp, again) = (&atlas["sprites"]["lamp"], &atlas["sprites"]["again"]);
    assert_eq!(lamp["box"], again["box"]);
    let inset =
        |sprite: &Value| sprite["inset"].as_array().unwrap().iter().map(|v| v.as_i64().unwrap()).collect::<Vec<_>>();
    assert_eq!([inset(again)[0] - inset(lamp)[0], inset(again)[1] - inset(lamp)[1]], [15, 7]);
    let (none, nothing) = (&atlas["sprites"]["none"], &atlas["sprites"]["nothing"]);
    assert_eq!(none["box"], nothing["box"]);
    assert_eq!(
        (none["box"][2].clone(), none["inset"].clone(), none["canvas"][0].clone()),
        (1.into(), Value::from([0, 0]), 64.into())
    );
    folder.zemtak("pack art --no-share-twins").exits(0);
    let atlas = descriptor(&folder, "art");
    assert_ne!(atlas["sprites"]["lamp"]["box"], atlas["sprites"]["again"]["box"]);
    // What repeats fills a texture of its own, so it shares nothing.
    ["tile", "tile-too"]
        .iter()
        .for_each(|name| folder.write(&format!("tiles/{name}.png"), png(&blob(16, 16, [1, 2, 3]))));
    for (wrap, shared) in [("clamp", true), ("repeat", false)] {
        let rule = format!("[[atlas.tiles.rule]]\nmatch = \"*\"\nwrap = \"{wrap}\"");
        folder.write("zemtak.toml", format!("format = 1\n[atlas.tiles]\nroot = \"tiles\"\n{rule}\n"));
        folder.zemtak("pack").exits(0);
        let place = |name: &str| {
            let sprite = &descriptor(&folder, "tiles")["sprites"][name];
            (sprite["page"].clone(), sprite["box"].clone())
        };
        assert_eq!(place("tile") == place("tile-too"), shared, "{wrap}");
    }
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
}

#[test]
fn faint_pixels_count_from_the_asked_alpha_and_16_bits_round_first() {
    let folder = Folder::new();
    let mut faint = blob(20, 20, [90, 90, 200]);
    faint.row_mut(0)[..4].copy_from_slice(&[1, 2, 3, 7]);
    folder.write("art/faint.png", png(&faint));
    // Wholly faint, so empty from alpha 8 on: its one stored pixel was once held against the faint one at (0, 0).
    folder.write("art/ghost.png", png(&Pixels::from_rgba(Size::new(2, 2), vec![3; 16]).unwrap()));
    // Alpha 128 of 65,535 rounds to 0, 129 to 1: only the right one of the two pixels is visible.
    let wide: Vec<u8> = [[9u16, 9, 9, 128], [9, 9, 9, 129]].concat().iter().flat_map(|v| v.to_be_bytes()).collect();
    folder.write("art/wide.png", encode(Size::new(2, 1), png::ColorType::Rgba, png::BitDepth::Sixteen, &wide, |_| {}));
    folder.zemtak("pack art --visible-alpha 1").exits(0);
    let first = descriptor(&folder, "art");
    assert_eq!(first["sprites"]["faint"]["inset"], Value::from([0, 0]));
    assert_eq!(first["sprites"]["wide"]["inset"], Value::from([1, 0]));
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
    folder.zemtak("pack art --visible-alpha 8").exits(0);
    assert_ne!(descriptor(&folder, "art")["sprites"]["faint"]["inset"], Value::from([0, 0]));
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
}

#[test]
fn the_former_result_stays_when_a_build_fails_and_old_pages_go_when_it_succeeds() {
    let folder = small();
    folder.zemtak("pack art --page-count 3").exits(0);
    let former = folder.everything("build");
    assert_eq!(former.len(), 4, "three pages and a descriptor");
    folder.write("art/bad.png", "nothing of the kind");
    folder.zemtak("pack art").exits(3);
    folder.write("art/bad.png", png(&blob(9, 4000, [1, 1, 1])));
    let run = folder.zemtak("pack art").exits(3);
    assert_eq!(
        run.err(),
        "error: sprites too large for any page\n  atlas art: bad (7 x 3330): the largest page is 2048 x 2048, which \
         leaves 2046 x 2046 within margin and extrusion\n  do: set page.max to 2048 x 4096 or more, make the images \
         smaller, or keep them out with leave\n"
    );
    let wide = folder.zemtak("pack art --page-max 4096x2048").exits(3);
    assert!(
        wide.err().contains("do: set page.max to 4096 x 4096 or more, allow turn, make the images smaller"),
        "{}",
        wide.err()
    );
    let in_rows = folder.zemtak("pack art --page-max 4096x2048 --layout grid").exits(3);
    assert!(!in_rows.err().contains("turn"), "{}", in_rows.err());
    folder.zemtak("pack art --page-max 2048x4096").exits(0);
    folder.zemtak("pack art --page-count 3 --leave bad").exits(0);
    folder.zemtak("pack art/moth --root art --name art --page-size 1000000x1000000").exits(2);
    assert_eq!(folder.everything("build"), former);
    std::fs::remove_file(folder.path("art/bad.png")).unwrap();
    // A file of the user's beside the pages, and an old page that somebody changed, are not ours to remove.
    folder.write("build/art-9.png", "mine");
    folder.write("build/art-2.png", "changed");
    folder.zemtak("pack art").exits(0);
    let left: Vec<String> = folder.everything("build").into_iter().map(|f| f.0).collect();
    assert_eq!(left, ["art-0.png", "art-2.png", "art-9.png", "art.zemtak.json"]);
}

#[test]
fn sources_are_never_written_over_nor_results_taken_for_sources() {
    let folder = small();
    let run = folder.zemtak("pack art -o art").exits(2);
    assert!(run.err().contains("the output folder is also the source folder"), "{}", run.err());
    folder.zemtak("pack art -o art/out").exits(0);
    let first = folder.everything("art/out");
    folder.zemtak("pack art -o art/out").exits(0);
    assert_eq!(folder.everything("art/out"), first);
    folder.zemtak("verify art/out/art.zemtak.json --against art").exits(0);
    folder.write("night-0.png", png(&blob(9, 9, [5, 5, 5])));
    let before = folder.read("night-0.png");
    let run = folder.zemtak("pack night-0.png art --name night -o .").exits(2);
    assert!(run.err().contains("a file would be overwritten\n  night-0.png: this build reads it\n"), "{}", run.err());
    assert_eq!(folder.read("night-0.png"), before);
}

#[test]
fn two_thousand_small_sprites_go_on_a_few_pages() {
    let folder = Folder::new();
    for i in 0..2000u32 {
        let color = [(i % 251) as u8, (i / 8) as u8, (i * 7) as u8];
        folder.write(&format!("art/{}/{}.png", i % 40, i / 40), png(&blob(8 + i % 9, 8 + i % 7, color)));
    }
    let summary = folder.zemtak("pack art --page-max 256x256 --json").exits(0).json();
    let atlas = &summary["atlases"][0];
    assert_eq!(
        (atlas["sprites"].clone(), atlas["clips"].clone(), atlas["binds"]["before"].clone()),
        (2000.into(), 40.into(), 2000.into())
    );
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
}

/// Through a link to the sources as the folder for results, a source was replaced by a page.
#[cfg(unix)]
#[test]
fn no_output_replaces_what_was_read_by_whatever_path_it_is_named() {
    let folder = Folder::new();
    folder.write("art/art-0.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/moth.png", png(&blob(9, 9, [4, 5, 6])));
    std::os::unix::fs::symlink(folder.path("art"), folder.path("link")).unwrap();
    let before = folder.everything("art");
    let told = folder.zemtak("pack art -o link").exits(2);
    assert!(told.err().contains("link/art-0.png: this build reads it as art/art-0.png"), "{}", told.err());
    assert_eq!(folder.everything("art"), before);
    folder.zemtak("pack art -o build").exits(0);
    folder.write("scenes.toml", "format = 1\natlases = []\n[[scene]]\nname = \"a\"\nseconds = 1\n");
    std::os::unix::fs::symlink(folder.path("build/art-0.png"), folder.path("page.png")).unwrap();
    let before = folder.everything("build");
    for line in [
        "quad build/art.zemtak.json moth --as buffer -o build/../build/art.zemtak.json",
        "cut link/moth.png --cell 9x9 --names moth -o art --force",
        // A sprite that is called like the page it lies on.
        "cut build/art.zemtak.json -o build --force",
    ] {
        let run = folder.zemtak(line).exits(2);
        assert!(run.err().contains("the output would overwrite an input"), "{line}\n{}", run.err());
    }
    assert_eq!(folder.everything("build"), before);
}

/// `pack . -o out2` took the pages of an earlier build for sprites, and so did the next build those of this one.
#[test]
fn pages_never_become_sprites() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/lamp.png", png(&blob(7, 9, [4, 5, 6])));
    folder.zemtak("pack art -o packed").exits(0);
    // Carried elsewhere, with the descriptor and without the store; beside them a picture of somebody's own.
    for file in ["art-0.png", "art.zemtak.json"] {
        folder.write(&format!("release/{file}"), folder.read(&format!("packed/{file}")));
    }
    folder.write("release/cover.png", png(&blob(30, 9, [7, 8, 9])));
    let run = folder.zemtak("pack . -o out --name all --json").exits(0).json();
    let names: Vec<String> = run["atlases"][0]["own_pictures"].as_object().unwrap().keys().cloned().collect();
    assert_eq!((run["atlases"][0]["sprites"].clone(), names), (3.into(), vec!["packed".into(), "release".into()]));
    let text = folder.zemtak("pack . -o out --name all -v").exits(0).out();
    assert!(text.contains("  skipped  1 picture of an earlier build in packed\n"), "{text}");
    let nothing = folder.zemtak("pack packed -o out").exits(2);
    assert!(nothing.err().contains("all its images are results of earlier builds: 1 in the root"), "{}", nothing.err());
}

/// Colour spreads under transparent pixels where filtering can read it, and elsewhere if asked for.
#[test]
fn a_fringe_is_drawn_where_filtering_can_read_it() {
    let folder = Folder::new();
    folder.write("art/disc.png", png(&blob(40, 40, [250, 120, 30])));
    let hidden_colour = |filter: &str, option: &str| {
        folder.write("zemtak.toml", format!("format = 1\n[atlas.night]\nroot = \"art\"\nfilter = \"{filter}\"\n"));
        folder.zemtak(format!("pack {option}").trim_end()).exits(0);
        let page = decode(&folder.read("build/night-0.png"), None, &Limits::default()).unwrap().pixels;
        page.as_bytes().chunks(4).any(|pixel| pixel[3] == 0 && pixel[..3] != [0; 3])
    };
    let seen = [("linear", ""), ("linear", "--no-fringe"), ("nearest", ""), ("nearest", "--fringe")]
        .map(|(filter, option)| hidden_colour(filter, option));
    assert_eq!(seen, [true, false, false, true]);
}

/// Another size of pixel art may keep its colours, or blend them.
#[test]
fn another_size_is_resampled_as_the_project_says() {
    let folder = Folder::new();
    let checker = (0..64).flat_map(|i| if (i + i / 8) % 2 == 0 { [250, 20, 20, 255] } else { [20, 20, 250, 255] });
    folder.write("art/checker.png", png(&Pixels::from_rgba(Size::new(8, 8), checker.collect()).unwrap()));
    for (resample, blends) in [("pixel", false), ("smooth", true)] {
        let sizes = format!("sizes = [{{ suffix = \"-more\", factor = 1.5, resample = \"{resample}\" }}]");
        folder.write("zemtak.toml", format!("format = 1\n[atlas.night]\nroot = \"art\"\n{sizes}\n"));
        folder.zemtak("pack").exits(0);
        let page = decode(&folder.read("build/night-more-0.png"), None, &Limits::default()).unwrap().pixels;
        let seen: BTreeSet<&[u8]> = page.as_bytes().chunks(4).filter(|pixel| pixel[3] > 0).collect();
        assert_eq!((seen.len() == 2, seen.len() > 2), (!blends, blends), "{resample}: {seen:?}");
    }
}
