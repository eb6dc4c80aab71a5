//! `zemtak new`: what it proposes for folders of several kinds, and that a build takes it as it stands.

use crate::fixtures::{Folder, blob, png};
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
    folder.write("art/moth/4.png", hard(2));
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
            "# moth has a gap: after 1 comes 4.\n",
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
    folder.write("broken.png", "no image at all");
    let run = folder.zemtak("new --json").exits(0).json();
    assert!(run["warnings"][0].as_str().unwrap().contains("broken.png"), "{run}");
    std::fs::remove_file(folder.path("broken.png")).unwrap();
    std::fs::remove_file(folder.path("zemtak.toml")).unwrap();
    // Sources of somebody's own lie where results usually go.
    folder.write("build/sign.png", hard(5));
    let built = holds(
        &folder,
        &["out = \"packed\"", "leave = [\"sky/**\"]\nfilter = \"nearest\"", "take = [\"sky/**\"]\nfilter = \"linear\""],
    );
    assert_eq!(built["atlases"][0]["sprites"], 10);
    let again = folder.zemtak("new").exits(2);
    assert!(again.err().contains("zemtak.toml: it is there already"), "{}", again.err());
}

#[test]
fn a_folder_without_images_and_one_of_large_ones() {
    let folder = Folder::new();
    folder.write("readme.txt", "words");
    assert!(
        folder
            .zemtak("new")
            .exits(2)
            .err()
            .contains("there is no image that can be used; 1 other file was passed over")
    );
    assert!(!folder.exists("zemtak.toml"));
    assert!(folder.zemtak("new nowhere").exits(4).err().contains("nowhere: No such file"));
    folder.write("sky.png", png(&blob(3000, 40, [1, 2, 3])));
    folder.write("sea1.png", soft(1));
    folder.write("sea2.png", soft(2));
    holds(&folder, &["page = { max = [4096, 4096] }", "# 1 clip: sea (2 steps).", "match = \"*\""]);
}
