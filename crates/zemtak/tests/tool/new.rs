//! `zemtak new`: what it proposes for folders of several kinds, and that a build takes it as it stands.

use crate::fixtures::{Folder, blob, gif, png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// Pixel art: a shape with hard edges in three colours.
fn hard(seed: u32) -> Vec<u8> {
    let mut picture = Pixels::transparent(Size::new(16, 16)).unwrap();
    for (i, pixel) in (0u32..).zip(picture.as_bytes_mut().chunks_exact_mut(4)) {
        let (x, y) = (i % 16, i / 16);
        if (2..14).contains(&x) && (seed % 5..15).contains(&y) {
            pixel.copy_from_slice(&[(seed * 7 % 256) as u8, if (x + y) % 3 == 0 { 40 } else { 90 }, 120, 255]);
        }
    }
    png(&picture)
}

fn soft(seed: u32) -> Vec<u8> {
    png(&blob(40, 30 + seed, [90, (seed * 9) as u8, 200]))
}

/// Writes a project, holds it against the texts that are to stand in it, and builds it: nothing may be warned of.
#[track_caller]
fn holds(folder: &Folder, holds: &[&str]) -> serde_json::Value {
    let run = folder.zemtak("new").exits(0);
    let text = String::from_utf8(folder.read("zemtak.toml")).unwrap();
    for part in holds {
        assert!(text.contains(part), "no {part:?} in\n{text}\n{}", run.out());
    }
    let build = folder.zemtak("pack").exits(0);
    assert_eq!(build.err(), "", "{text}");
    folder.zemtak("pack --json --fresh").exits(0).json()
}

#[test]
fn folders_of_many_subjects_and_of_folders_become_atlases_and_the_rest_one_more() {
    let folder = Folder::new();
    for i in 0..20 {
        folder.write(&format!("art/icons/{}.png", char::from(b'a' + i as u8)), hard(i));
    }
    for object in ["tree", "rock [big]"] {
        for i in 0..3 {
            folder.write(&format!("art/wood/{object}/sway/{i}.png"), hard(i));
        }
    }
    folder.write("art/moth/1.png", hard(1));
    folder.write("art/moth/3.png", hard(2));
    folder.write("art/lone.png", hard(3));
    folder.write("art/notes.txt", "no image");
    let built = holds(
        &folder,
        &[
            "root = \"art\"",
            "# A folder of its own with 20 different images and clips.\n",
            "[atlas.icons]\ntake = [\"icons/**\"]\n",
            "# A folder of its own, whose 2 objects have folders of their own.\n",
            "[atlas.wood]\n",
            "[atlas.rest]\nleave = [\"icons/**\", \"wood/**\"]\nfilter = \"nearest\"\n",
            "# moth has a gap: after 1 comes 3.\n",
            "match = \"wood/rock [[]big[]]/**\"",
        ],
    );
    let sprites: Vec<_> = built["atlases"].as_array().unwrap().iter().map(|a| a["sprites"].clone()).collect();
    assert_eq!(sprites, [20, 6, 3]);
}

#[test]
fn smooth_art_beside_pixel_art_gets_an_atlas_and_a_filter_of_its_own() {
    let folder = Folder::new();
    (0..9).for_each(|i| folder.write(&format!("hero/walk{i}.png"), hard(i)));
    (0..5).for_each(|i| folder.write(&format!("sky/cloud {i}.png"), soft(i)));
    // Sources of somebody's own lie where results usually go.
    folder.write("build/sign.png", hard(5));
    let built = holds(
        &folder,
        &["out = \"packed\"", "leave = [\"sky/**\"]\nfilter = \"nearest\"", "take = [\"sky/**\"]\nfilter = \"linear\""],
    );
    assert_eq!(built["atlases"][0]["sprites"], 10);
    let again = folder.zemtak("new").exits(2);
    assert!(again.err().contains("zemtak.toml: it already exists"), "{}", again.err());
}

#[test]
fn a_folder_without_images_and_one_of_large_ones() {
    let folder = Folder::new();
    folder.write("readme.txt", "words");
    assert!(
        folder.zemtak("new").exits(2).err().contains("there is no image that can be used; 1 other file was skipped")
    );
    assert!(!folder.exists("zemtak.toml"));
    assert!(folder.zemtak("new nowhere").exits(4).err().contains("nowhere: no such file or folder"));
    folder.write("sky.png", png(&blob(3000, 40, [1, 2, 3])));
    // Without the ring about its box it would just fit on a page of 4096.
    folder.write("coast.png", png(&Pixels::from_rgba(Size::new(4096, 3), [1, 2, 3, 255].repeat(4096 * 3)).unwrap()));
    folder.write("sea1.png", soft(1));
    folder.write("sea2.png", soft(2));
    holds(
        &folder,
        &[
            "page = { max = [8192, 8192] }",
            "# 1 clip: sea (2 steps).",
            "# sea has canvases of 2 sizes: its pivot",
            "match = \"*\"",
        ],
    );
}

/// The filter followed from 11 of 42 images, it was said: that 11 others spoke against it and the rest for nothing was not.
#[test]
fn the_filter_is_that_of_most_images_and_all_kinds_are_counted() {
    let dot = || png(&Pixels::from_rgba(Size::new(3, 3), [9, 9, 9, 255].repeat(9)).unwrap());
    for (pixel, smooth, small, told) in [
        (3, 0, 0, "3 images, all with few colours and hard edges, so pixels stay hard: filter nearest."),
        (0, 1, 0, "1 image with many colours or soft edges, so pixels may blend: filter linear."),
        (0, 0, 2, "2 images, all of neither kind or too small to tell, so pixels stay hard: filter nearest."),
        (
            1,
            2,
            4,
            "7 images: 2 with many colours or soft edges, 1 with few colours and hard edges, 4 of neither kind or too small to \
             tell; so pixels may blend: filter linear.",
        ),
    ] {
        let folder = Folder::new();
        (0..pixel).for_each(|i| folder.write(&format!("art/{}/pixel.png", char::from(b'a' + i)), hard(u32::from(i))));
        (0..smooth).for_each(|i| folder.write(&format!("art/{}/smooth.png", char::from(b'a' + i)), soft(u32::from(i))));
        (0..small).for_each(|i| folder.write(&format!("art/{}/small.png", char::from(b'a' + i)), dot()));
        assert!(folder.zemtak("new").exits(0).out().contains(told), "{told}");
        assert!(String::from_utf8(folder.read("zemtak.toml")).unwrap().contains(&format!("# {told}\n")), "{told}");
    }
}

/// More rules than that would hide what matters.
#[test]
fn up_to_eight_folders_of_clips_have_rules_of_their_own() {
    for (folders, rules) in [(8, 8), (9, 1)] {
        let folder = Folder::new();
        for (f, i) in (0..folders).flat_map(|f| [(f, 0), (f, 1)]) {
            folder.write(&format!("art/{}/walk{i}.png", char::from(b'a' + f)), hard(u32::from(f) * 2 + i));
        }
        folder.zemtak("new").exits(0);
        let text = String::from_utf8(folder.read("zemtak.toml")).unwrap();
        assert_eq!(text.matches("pivot = ").count(), rules, "{text}");
    }
}

/// What `new` wrote for two of five real folders, `pack` refused.
#[test]
fn what_it_writes_packs_whatever_lies_there() {
    let folder = Folder::new();
    (0..9).for_each(|i| folder.write(&format!("art/hero/walk{i}.png"), hard(i)));
    folder.write("art/hero/[old].png", "no image at all");
    folder.write("art/hero/walk0.bmp", hard(1));
    folder.write("notes/sketch.png", "broken too");
    folder.write("art/Hero/walk1.png", hard(2));
    folder
        .write("art/banner.png", png(&Pixels::from_rgba(Size::new(16_383, 1), [9, 9, 9, 255].repeat(16_383)).unwrap()));
    let run = folder.zemtak("new --json").exits(0).json();
    let warnings = run["warnings"].as_array().unwrap();
    assert_eq!(warnings.len(), 5, "{run}");
    assert!(warnings.iter().all(|warning| warning["code"] == "left_out"), "{run}");
    let text = String::from_utf8(folder.read("zemtak.toml")).unwrap();
    assert!(!text.contains("notes/"), "it lies beside the folder of all sources\n{text}");
    assert!(text.contains("# Left out: hero/[old].png: named like PNG, but not an image"), "{text}");
    assert!(text.contains("\"hero/[[]old[]].png\""), "{text}");
    let built = folder.zemtak("pack --json").exits(0).json();
    assert_eq!(built["atlases"][0]["sprites"], 9, "{built}");
    assert_eq!(built["warnings"], serde_json::json!([]), "{text}");
}

/// Clips whose steps are more than fit on a page; they were to be kept on one all the same.
#[test]
fn clips_are_kept_together_only_where_every_one_fits() {
    let frame = |seed: u32, side: u32| {
        let colour = [seed.to_le_bytes()[0], seed.to_le_bytes()[1], 7, 255];
        png(&Pixels::from_rgba(Size::new(side, side), colour.repeat((side * side) as usize)).unwrap())
    };
    let folder = Folder::new();
    (0..12).for_each(|i| folder.write(&format!("art/a/fly{i:02}.png"), frame(i, 500)));
    (0..12).for_each(|i| folder.write(&format!("art/b/run{i:02}.png"), frame(100 + i, 500)));
    let said = "# The steps of each clip are kept on one page; every clip was tried.\n";
    holds(&folder, &[said, "together = \"clip\""]);
    // Clips that show one picture between them share its box, and so a page: 23 of these boxes are too many for one.
    std::fs::remove_file(folder.path("zemtak.toml")).unwrap();
    folder.write("art/b/run00.png", frame(3, 500));
    let built = holds(&folder, &["is larger than a page, so steps of clips may lie on several.\n"]);
    assert!(!String::from_utf8(folder.read("zemtak.toml")).unwrap().contains("together ="), "{built}");
    // Asked for by hand, the answer says where, what and how much, and what can be done.
    let text = String::from_utf8(folder.read("zemtak.toml")).unwrap();
    folder.write("zemtak.toml", text.replace("filter =", "together = \"clip\"\nfilter ="));
    let told = folder.zemtak("pack").exits(3);
    for part in [
        "error: clip too large for one page\n  zemtak.toml:",
        ": the clip a/fly has 23 boxes, the largest 500 x 500, 5,842,368 pixels in all with rings and gutters; a page of 2048 x 2048 has",
        "do: allow larger pages with page.max, or leave together out",
    ] {
        assert!(told.err().contains(part), "{part}\n{}", told.err());
    }
}

/// Atlases need names of their own, and how many pages they take is an estimate by area with the room between boxes.
#[test]
fn folders_that_make_one_name_get_two_and_pages_are_counted_with_their_gutters() {
    let folder = Folder::new();
    for i in 0..20 {
        folder.write(&format!("art/Big Icons/{}.png", char::from(b'a' + i as u8)), hard(i));
        folder.write(&format!("art/big-icons/{}.png", char::from(b'a' + i as u8)), hard(i + 1));
    }
    // A page of 2048 takes 64 squares of 256 side by side, but 62 with 4 pixels for ring and gutter.
    for i in 0..63 {
        let square = Pixels::from_rgba(Size::new(256, 256), [i, 7, 7, 255].repeat(256 * 256)).unwrap();
        folder.write(&format!("art/tiles/{i}{}.png", char::from(b'a' + i % 26)), png(&square));
    }
    (1..3).for_each(|i| folder.write(&format!("art/fire/spark{i}.png"), hard(i)));
    folder.write("art/tiles/broken.png", "no image");
    // Nothing is lost where nothing is.
    std::fs::create_dir(folder.path("build")).unwrap();
    folder.write("art/fire/flame.gif", gif(6, 4, [10, 250].map(|red| ([red, 2, 3], 0))));
    let own = "# 1 clip: fire/spark (2 steps).\n# Animated images keep their own delays.\n[[atlas.rest.rule]]\nmatch = \"fire/**\"\npivot = \"centre\"\n";
    holds(
        &folder,
        &[
            "[atlas.big-icons]\ntake = [\"Big Icons/**\"]",
            "[atlas.big-icons-2]\ntake = [\"big-icons/**\"]",
            "out = \"build\"\n",
            "take = [\"big-icons/**\"]\nfilter",
            "# 63 sprites will take about 2 pages.\n",
            "take = [\"tiles/**\"]\nleave = [\"tiles/broken.png\"]\nfilter",
            own,
        ],
    );
    // Results of ours lie there now, and may be replaced.
    std::fs::remove_file(folder.path("zemtak.toml")).unwrap();
    holds(&folder, &["out = \"build\"\n"]);
}
