//! Every sprite put back from page and descriptor by other code than ours, and held against its source pixel by pixel.
//!
//! The page is decoded by another library, the descriptor read as plain JSON; the rules are those of docs/format.md.

use crate::fixtures::{Folder, corpus, demo_art};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::Path;

type Picture = (usize, usize, Vec<[u8; 4]>);

fn picture(file: &Path) -> Picture {
    if file.extension().is_some_and(|e| e != "png") {
        let seen = image::open(file).unwrap().into_rgba8();
        return (seen.width() as usize, seen.height() as usize, seen.pixels().map(|p| p.0).collect());
    }
    let bitmap = lodepng::decode32_file(file).unwrap();
    (bitmap.width, bitmap.height, bitmap.buffer.iter().map(|p| [p.r, p.g, p.b, p.a]).collect())
}

fn number(value: &Value) -> usize {
    value.as_u64().unwrap() as usize
}

/// Puts one sprite back on its canvas.
fn put_back(sprite: &Value, page: &Picture) -> Picture {
    let of = |key: &str, i: usize| number(&sprite[key][i]);
    let (x, y, w, h) = (of("box", 0), of("box", 1), of("box", 2), of("box", 3));
    let (canvas_w, canvas_h) = (of("canvas", 0), of("canvas", 1));
    let (left, top) = (of("inset", 0), of("inset", 1));
    let turned = sprite["turned"].as_bool().unwrap();
    let mut canvas = vec![[0; 4]; canvas_w * canvas_h];
    for stored_y in 0..h {
        for stored_x in 0..w {
            // Stored (h-1-j, i) is upright (i, j), where the upright height is the stored width.
            let (i, j) = if turned { (stored_y, w - 1 - stored_x) } else { (stored_x, stored_y) };
            canvas[(top + j) * canvas_w + left + i] = page.2[(y + stored_y) * page.0 + x + stored_x];
        }
    }
    (canvas_w, canvas_h, canvas)
}

/// Rebuilds everything; gives the descriptor for further questions.
pub fn rebuild(folder: &Folder, name: &str, art: &Path) -> Value {
    let atlas: Value = serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap();
    let pages: Vec<Picture> = atlas["pages"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| picture(&folder.path("build").join(p["file"].as_str().unwrap())))
        .collect();
    let mut sources = BTreeMap::new();
    for entry in walkdir::WalkDir::new(art).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file()) {
        let below = entry.path().strip_prefix(art).unwrap().with_extension("");
        sources.insert(below.to_str().unwrap().replace('\\', "/"), entry.into_path());
    }
    let sprites = atlas["sprites"].as_object().unwrap();
    assert_eq!(sprites.keys().collect::<Vec<_>>().len(), sources.len());
    for (name, file) in &sources {
        let page = &pages[number(&sprites[name]["page"])];
        let (source, back) = (picture(file), put_back(&sprites[name], page));
        assert_eq!((source.0, source.1), (back.0, back.1), "{name}");
        for (i, (a, b)) in source.2.iter().zip(&back.2).enumerate() {
            assert!(a == b || (a[3] == 0 && b[3] == 0), "{name}: pixel {i}: {a:?} became {b:?}");
        }
    }
    atlas
}

#[test]
fn the_demo_comes_back_whatever_the_options() {
    let variants = [
        "",
        "--turn --page-shape free",
        "--no-trim --page-max 1024x1024",
        "--no-share-twins --page-shape square --page-step 4",
        "--gutter 0 --extrude 0 --margin 3",
        "--gutter 5 --extrude 4 --turn",
        "--page-max 256x128 --page-prefer bytes",
        "--page-size 640x480 --page-count 1",
        "--page-count 3 --page-shape pow2-square",
        "--page-shape free --page-aspect 8 --png fast",
        "--page-max 256x256 --same-size-pages",
    ];
    for options in variants {
        let folder = Folder::new();
        let line = format!("pack {} -o build --name night {options}", demo_art().display());
        folder.zemtak(line.trim_end()).exits(0);
        let atlas = rebuild(&folder, "night", &demo_art());
        assert_eq!(atlas["clips"].as_object().unwrap().len(), 12, "{options}");
        folder.zemtak(&format!("verify build/night.zemtak.json --against {}", demo_art().display())).exits(0);
    }
}

#[test]
fn mixed_sprites_of_all_sizes_come_back() {
    let folder = Folder::new();
    for (name, bytes) in corpus(300, 5) {
        // The other decoder cuts 16 bits where we round; those have a test of their own.
        if !name.ends_with("9.png") && bytes[24] == 8 {
            folder.write(&format!("art/{name}"), bytes);
        }
    }
    folder.zemtak("pack art -o build --name night --turn --page-max 512x512").exits(0);
    let atlas = rebuild(&folder, "night", &folder.path("art"));
    assert!(atlas["pages"].as_array().unwrap().len() > 3);
    let turned = atlas["sprites"].as_object().unwrap().values().filter(|s| s["turned"] == true).count();
    assert!(turned > 10, "{turned} are turned");
}
