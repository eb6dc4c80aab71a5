//! Several images of one sprite: a normal map lies where its picture lies, and comes and goes with it.

use crate::fixtures::{Folder, decoded, gif, png};
use serde_json::Value;
use std::collections::BTreeMap;
use zemtak_core::atlas::{Alpha, Atlas, Colour};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_runtime::{
    AtlasFile, Cache, Folder as Files, HashCheck, MemorySink, Settings, SimulatedDevice, texture_bytes,
};

/// A picture with its visible pixels in a part of the canvas, and a normal map that says something in another.
fn picture(w: u32, h: u32, part: [u32; 4], pixel: impl Fn(u32, u32) -> [u8; 4], else_: [u8; 4]) -> Pixels {
    let [left, top, right, bottom] = part;
    let at = |i: u32| {
        let (x, y) = (i % w, i / w);
        if (left..right).contains(&x) && (top..bottom).contains(&y) { pixel(x, y) } else { else_ }
    };
    Pixels::from_rgba(Size::new(w, h), (0..w * h).flat_map(at).collect()).unwrap()
}

const FLAT: [u8; 4] = [128, 128, 255, 255];

fn colour(w: u32, h: u32) -> Pixels {
    picture(w, h, [3, 2, w - 4, h - 1], |x, y| [x as u8 * 3, y as u8 * 4, 77, 255], [0; 4])
}

fn normal(w: u32, h: u32) -> Pixels {
    picture(w, h, [5, 4, w - 1, h - 3], |x, y| [x as u8 * 2 + 40, 200 - y as u8, 180, 255], FLAT)
}

/// A long sprite that is turned, one with two layers, one without a normal map, and twins that only their normals tell apart.
fn game(pages_as: &str) -> Folder {
    let folder = Folder::new();
    for (name, [w, h]) in [("moth", [20, 60]), ("lamp", [30, 30]), ("reed", [9, 50])] {
        folder.write(&format!("art/{name}.png"), png(&colour(w, h)));
        folder.write(&format!("art/{name}_n.png"), png(&normal(w, h)));
    }
    folder.write("art/lamp_glow.png", png(&picture(30, 30, [0, 0, 6, 30], |_, _| [255, 200, 9, 90], [0; 4])));
    folder.write("art/plain.png", png(&colour(25, 17)));
    folder.write("art/twin/a.png", png(&colour(16, 16)));
    folder.write("art/twin/b.png", png(&colour(16, 16)));
    folder.write("art/twin/b_n.png", png(&normal(16, 16)));
    let project = format!(
        r#"format = 1
        [atlas.night]
        root = "art"
        turn = true
        {pages_as}
        page = {{ max = [128, 128] }}
        [[atlas.night.rule]]
        match = "**"
        layers = {{ normal = "{{name}}_n" }}
        [[atlas.night.rule]]
        match = "lamp"
        layers = {{ normal = "{{name}}_n", glow = "{{name}}_glow" }}
        "#
    );
    folder.write("zemtak.toml", project);
    folder
}

/// A sprite's layer, put back on its canvas from the page: turned back by hand, pixel by pixel.
fn restored(atlas: &Atlas, name: &str, layer: &Pixels, ground: [u8; 4], normals: bool) -> Pixels {
    let sprite = &atlas.sprites[&zemtak_core::name::SpriteName::new(name)];
    let [left, top] = sprite.inset;
    let size = if sprite.turned { Size::new(sprite.rect.h, sprite.rect.w) } else { sprite.rect.size() };
    picture(
        sprite.canvas.w,
        sprite.canvas.h,
        [left, top, left + size.w, top + size.h],
        |x, y| {
            let (i, j) = (x - left, y - top);
            if !sprite.turned {
                return layer.get(sprite.rect.x + i, sprite.rect.y + j).unwrap();
            }
            let [r, g, b, a] = layer.get(sprite.rect.x + size.h - 1 - j, sprite.rect.y + i).unwrap();
            // Counter-clockwise again: what points right on the page points up on the sprite.
            if normals { [255 - g, r, b, a] } else { [r, g, b, a] }
        },
        ground,
    )
}

#[test]
fn layers_lie_where_their_sprites_lie() {
    let folder = game("");
    let told = folder.zemtak("pack --json").exits(0).json();
    let file = AtlasFile::open(&folder.path("build/night.zemtak.json")).unwrap();
    let atlas = file.atlas();
    let names: Vec<&str> = atlas.sprites.keys().map(zemtak_core::name::SpriteName::as_str).collect();
    assert_eq!(names, ["lamp", "moth", "plain", "reed", "twin/a", "twin/b"], "layers are no sprites");
    assert!(atlas.sprites.values().any(|sprite| sprite.turned), "something is turned");
    for (name, sprite) in &atlas.sprites {
        let shown = |layer: &str| file.read_layer(sprite.page, layer, HashCheck::Yes).unwrap();
        let source = |path: String| folder.path(&path).exists().then(|| decoded(&folder.read(&path)));
        let normals = restored(atlas, name.as_str(), &shown("normal").unwrap(), FLAT, true);
        let flat = Pixels::from_rgba(sprite.canvas, FLAT.repeat(sprite.canvas.area() as usize)).unwrap();
        // Turning takes 128 to 127 and back: flat normals are flat to one part in 255.
        let expected = source(format!("art/{name}_n.png")).unwrap_or(flat);
        let far = normals.as_bytes().iter().zip(expected.as_bytes()).map(|(a, b)| a.abs_diff(*b)).max();
        assert!(far <= Some(1), "{name}: {far:?}");
    }
    let lamp = &atlas.sprites[&zemtak_core::name::SpriteName::new("lamp")];
    let glow = file.read_layer(lamp.page, "glow", HashCheck::Yes).unwrap().unwrap();
    assert_eq!(restored(atlas, "lamp", &glow, [0; 4], false), decoded(&folder.read("art/lamp_glow.png")));
    // Trimmed by all of them together: the glow reaches further left than the picture, the normals further right.
    assert_eq!((lamp.inset, lamp.upright()), ([0, 0], Size::new(29, 30)));
    let twins = ["twin/a", "twin/b"].map(|name| atlas.sprites[&zemtak_core::name::SpriteName::new(name)].rect);
    assert_ne!(twins[0], twins[1]);
    let layer = &atlas.pages[0].layers["normal"];
    assert_eq!((layer.alpha, layer.colour), (Alpha::Straight, Colour::Linear));
    let warning = &told["warnings"][0];
    assert_eq!((&warning["code"], &warning["about"]), (&"missing_layer".into(), &"normal".into()));
    let told = "layer normal: 2 sprites have no image for it, only (128, 128, 255, 255) everywhere: plain, twin/a";
    assert_eq!(warning["text"], told);
    let verified = folder.zemtak("verify night --against art --json").exits(0).json();
    let compared = (&verified["layers_compared"], &verified["images_not_in_atlas"]);
    assert_eq!(compared, (&serde_json::json!(["glow", "normal"]), &0.into()));
    assert_eq!(folder.zemtak("pack --json").exits(0).json()["atlases"][0]["state"], "unchanged");
}

/// A layer that changes has its page drawn anew and no other, and a repack equals a fresh build.
#[test]
fn a_changed_layer_is_built_anew() {
    let folder = game("");
    folder.zemtak("pack").exits(0);
    let before = folder.everything("build");
    folder.write("art/moth_n.png", png(&picture(20, 60, [5, 4, 19, 57], |_, _| [1, 2, 3, 255], FLAT)));
    folder.zemtak("pack").exits(0);
    let after = folder.everything("build");
    folder.zemtak("pack -o fresh --fresh").exits(0);
    let fresh: BTreeMap<_, _> = folder.everything("fresh").into_iter().collect();
    for (file, bytes) in &after {
        let name = file.to_string();
        if !name.starts_with(".zemtak") {
            assert_eq!(Some(bytes), fresh.get(file), "{name}");
        }
    }
    let changed: Vec<String> = after
        .iter()
        .filter(|(file, bytes)| !file.starts_with(".zemtak") && before.iter().all(|(b, old)| (b, old) != (file, bytes)))
        .map(|(file, _)| file.clone())
        .collect();
    assert!(changed.len() == 2 && changed.iter().any(|file| file.contains(".normal.")), "{changed:?}");
    // A layer that is not as the descriptor says is a defect.
    let layer = changed.iter().find(|file| file.contains(".normal.")).unwrap();
    folder.write(&format!("build/{layer}"), png(&colour(50, 50)));
    let told = folder.zemtak("verify night --json").exits(1).json();
    let file = |defect: &Value| defect["code"] == "wrong_page" && defect["about"] == "build/night-0.normal.png";
    assert!(told["defects"].as_array().unwrap().iter().any(file), "{told}");
    folder.zemtak("pack --force").exits(0);
    folder.zemtak("verify night").exits(0);
    // Of another size it is refused, and what was built stays.
    folder.write("art/moth_n.png", png(&normal(21, 60)));
    let refused = folder.zemtak("pack").exits(3);
    assert!(
        refused.err().contains("it is the layer normal of moth.png with 20 x 60 pixels, but has 21 x 60"),
        "{}",
        refused.err()
    );
    assert_eq!(folder.everything("build"), after);
}

/// Two frames of an eye, and their layer; the second frame's value may be another.
fn blinks(shade: u8) -> Vec<u8> {
    gif(12, 12, [([9, 200, 7], 50), ([90, 100, shade], 50)])
}

/// The values of layers are compared with their images: turned or not, scaled, in blocks, as frames of an animation,
/// without an image. Once, a layer with other values than its image was all as promised.
#[test]
fn layers_are_compared_with_their_images() {
    let half = "extrude = 1\nsizes = [{ suffix = \"-half\", factor = 0.5 }]";
    for (settings, atlases) in [
        ("", &["night"][..]),
        ("alpha = \"premultiplied\"", &["night"]),
        (half, &["night", "night-half"]),
        ("pixels = \"bc7\"", &["night"]),
    ] {
        let folder = game(settings);
        folder.write("art/eye.gif", blinks(0));
        folder.write("art/eye_n.gif", blinks(40));
        folder.zemtak("pack").exits(0);
        // What is about which sprite, in all atlases.
        let found = || -> Vec<String> {
            let verify = |atlas| folder.zemtak(&format!("verify {atlas} --against art --json")).json();
            let about =
                |told: Value| told["defects"].as_array().unwrap().iter().map(|d| d["about"].to_string()).collect();
            atlases.iter().map(verify).flat_map::<Vec<String>, _>(about).collect()
        };
        assert_eq!(found(), [""; 0], "{settings}");
        // Blocks keep values so roughly that these faults are within what they may lose.
        if settings.contains("bc7") {
            continue;
        }
        for (image, about) in
            [("moth_n.png", "moth"), ("lamp_glow.png", "lamp"), ("twin/b_n.png", "twin/b"), ("eye_n.gif", "eye/01")]
        {
            let file = format!("art/{image}");
            let before = folder.read(&file);
            let upside_down = |pixels: &Pixels| {
                let reversed = pixels.as_bytes().chunks_exact(4).rev().flatten().copied().collect();
                png(&Pixels::from_rgba(pixels.size(), reversed).unwrap())
            };
            folder.write(&file, if image == "eye_n.gif" { blinks(240) } else { upside_down(&decoded(&before)) });
            assert_eq!(found(), vec![format!("\"{about}\""); atlases.len()], "{settings} {image}");
            folder.write(&file, before);
        }
        std::fs::remove_file(folder.path("art/reed_n.png")).unwrap();
        assert_eq!(found(), vec!["\"reed\""; atlases.len()], "{settings}: without its image a layer is to say nothing");
    }
}

/// Rings and gutters of a layer are held to the descriptor like those of its page, and its file must be there.
#[test]
fn layers_are_held_to_their_boxes() {
    let folder = game("");
    folder.write("art/eye.gif", blinks(0));
    folder.write("art/eye_n.gif", blinks(40));
    folder.zemtak("pack").exits(0);
    let text = String::from_utf8(folder.read("build/night.zemtak.json")).unwrap();
    let mut atlas: Value = serde_json::from_str(&text).unwrap();
    let layer = atlas["pages"][0]["layers"]["normal"].clone();
    let file = format!("build/{}", layer["file"].as_str().unwrap());
    let before = folder.read(&file);
    let pixels = decoded(&before);
    let mut bytes = pixels.as_bytes().to_vec();
    // Beyond all boxes and rings.
    let last = bytes.len() - 4;
    bytes[last..].copy_from_slice(&[1, 2, 3, 255]);
    let stray = png(&Pixels::from_rgba(pixels.size(), bytes).unwrap());
    folder.write(&file, &stray);
    atlas["pages"][0]["layers"]["normal"]["hash"] = zemtak_runtime::page_hash(&stray).into();
    folder.write("build/night.zemtak.json", atlas.to_string());
    let told = folder.zemtak("verify night --json").exits(1).json();
    let defect = &told["defects"][0];
    assert!(defect["text"].as_str().unwrap().starts_with("layer normal: "), "{told}");
    assert_eq!((&defect["code"], told["defects"].as_array().unwrap().len()), (&"stray_pixel".into(), 1), "{told}");
    folder.write("build/night.zemtak.json", text);
    std::fs::remove_file(folder.path(&file)).unwrap();
    let told = folder.zemtak("verify night --json").exits(1).json();
    assert_eq!(
        (&told["defects"][0]["code"], &told["defects"][0]["about"]),
        (&"missing_page".into(), &file.clone().into())
    );
    // What is there and cannot be read is an error, not a defect.
    std::fs::create_dir(folder.path(&file)).unwrap();
    assert!(folder.zemtak("verify night").exits(4).out().contains(&file));
    std::fs::remove_dir(folder.path(&file)).unwrap();
    folder.write(&file, before);
    // Layers of animated images need as many frames.
    folder.write("art/eye_n.gif", gif(12, 12, [([9, 200, 7], 50)]));
    let told = folder.zemtak("verify night --against art").exits(1).out();
    assert!(told.contains("eye/01: eye_n.gif has fewer frames"), "{told}");
}

/// Without the project nobody knows which images are layers.
#[test]
fn the_project_tells_which_images_are_layers() {
    let folder = game("");
    folder.zemtak("pack").exits(0);
    std::fs::rename(folder.path("zemtak.toml"), folder.path("elsewhere.toml")).unwrap();
    let verify = |options: &str| folder.zemtak(&format!("verify build/night.zemtak.json --against art{options}"));
    let alone = verify("").exits(0).out();
    assert!(alone.contains("layers (glow, normal) were compared with the descriptor only"), "{alone}");
    assert_eq!(verify(" --json").json()["layers_compared"], serde_json::json!([]));
    let rules = String::from_utf8(folder.read("elsewhere.toml")).unwrap().replace(", glow = \"{name}_glow\"", "");
    folder.write("fewer.toml", rules);
    let fewer = verify(" --project fewer.toml").exits(0).out();
    for line in ["every value of its layers (normal)", "layers (glow) were compared with the descriptor only"] {
        assert!(fewer.contains(line), "{fewer}");
    }
    let told = verify(" --project elsewhere.toml").exits(0).out();
    assert!(told.contains("so does every value of its layers (glow, normal)"), "{told}");
    let mut atlas: Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    atlas["pages"][0]["layers"].as_object_mut().unwrap().remove("glow");
    folder.write("build/night.zemtak.json", atlas.to_string());
    let without = verify(" --project elsewhere.toml --json").exits(1).json();
    let lost = without["defects"].as_array().unwrap().iter().find(|defect| defect["code"] == "no_layer");
    assert_eq!(lost.unwrap()["text"], "lamp: its page has no layer glow");
}

/// A game gets the textures of a page and its layers together, and gives them back together.
#[test]
fn a_game_leases_all_layers_together() {
    for pages_as in ["", "pixels = \"bc7\"\nmip_levels = 1", "sizes = [{ suffix = \"-half\", factor = 0.5 }]"] {
        let folder = game(pages_as);
        folder.zemtak("pack").exits(0);
        folder.zemtak("verify night").exits(0);
        let file = AtlasFile::open(&folder.path("build/night.zemtak.json")).unwrap();
        let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), MemorySink::new());
        let moth = cache.lease("night:moth");
        assert_eq!(moth.layer("normal"), None);
        pump.wait(&moth).unwrap();
        let (own, normal) = (moth.view().unwrap().texture, moth.layer("normal").unwrap());
        assert!(own != normal && moth.layer("mood").is_none());
        let page = file.atlas().sprites[&zemtak_core::name::SpriteName::new("moth")].page;
        let layer = file.read_layer(page, "normal", HashCheck::Yes).unwrap().unwrap();
        assert_eq!(pump.sink().levels(normal).unwrap()[0].bytes, layer.as_bytes());
        let textures = pump.sink().len();
        assert_eq!(textures, 1 + file.atlas().pages[page].layers.len());
        drop(moth);
        cache.trim();
        pump.pump(zemtak_runtime::PerFrame::default());
        assert!(pump.sink().is_empty());
        let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), SimulatedDevice::new());
        pump.wait(&cache.lease("night:moth")).unwrap();
        let of = &file.atlas().pages[page];
        let bytes = texture_bytes(of.pixels, of.size(), of.sampling.mips) * textures as u64;
        assert_eq!((pump.sink().used(), cache.ledger().resident_bytes), (bytes, bytes));
    }
}

#[test]
fn what_is_wrong_with_layers_is_told_with_its_place() {
    let folder = game("");
    for (layers, why) in [
        ("{ normal = \"n\" }", "{name}"),
        ("{ normal = \"{name}\" }", "{name}"),
        ("{ \"No\" = \"{name}_n\" }", "a-z"),
        ("{ normal = { kind = \"normals\" } }", "has an image"),
        ("{ normal = { image = \"{name}_n\", kind = \"mood\" } }", "normals-y-down"),
    ] {
        folder.write(
            "zemtak.toml",
            format!(
                "format = 1\n[atlas.night]\nroot = \"art\"\n[[atlas.night.rule]]\nmatch = \"**\"\nlayers = {layers}\n"
            ),
        );
        let refused = folder.zemtak("pack").exits(2);
        assert!(refused.err().contains(why) && refused.err().contains("zemtak.toml:6"), "{layers}: {}", refused.err());
    }
    // Every layer of an exported atlas comes along.
    let folder = game("");
    folder.zemtak("pack").exits(0);
    folder.zemtak("export night --as raw -o raw").exits(0);
    let sidecar: Value = serde_json::from_slice(&folder.read("raw/night.raw.json")).unwrap();
    let layers = sidecar["pages"].as_array().unwrap().iter().filter(|page| page["layer"] == "normal");
    assert!(layers.clone().count() > 0 && layers.into_iter().all(|page| page["colour"] == "linear"));
    folder.zemtak("verify raw/night.zemtak.json").exits(0);
}

/// A QOI says nothing of who wrote it: that its layers are ours too is known from the descriptor alone.
#[test]
fn files_of_layers_are_written_over_and_go_like_those_of_pages() {
    let folder = game("pages_as = \"qoi\"");
    folder.zemtak("pack").exits(0);
    let layers =
        || folder.everything("build").into_iter().filter(|(name, _)| name.contains("normal") || name.contains("glow"));
    let before: Vec<_> = layers().collect();
    assert!(before.len() > 1 && before.iter().all(|(name, _)| name.ends_with(".qoi")));
    folder.write("art/lamp_n.png", png(&picture(30, 30, [9, 9, 20, 20], |_, _| [200, 99, 180, 255], FLAT)));
    folder.zemtak("pack --fresh").exits(0);
    assert!(layers().zip(&before).any(|(now, before)| now != *before));
    folder.write("zemtak.toml", "format = 1\n[atlas.night]\nroot = \"art\"\npages_as = \"qoi\"\n");
    folder.zemtak("pack").exits(0);
    assert_eq!(layers().count(), 0);
}

/// What is said of size is fair: loose textures have layers too, and what a freer page would save is reckoned by the page alone.
/// It once counted levels and layers as if they would go away, and promised nine tenths.
#[test]
fn layers_and_levels_are_no_waste() {
    let folder = Folder::new();
    for (red, name) in (0..).zip(["a", "b", "c"]) {
        let pixels = picture(60, 60, [0, 0, 60, 60], |x, _| [x as u8, 9, red, 255], FLAT);
        folder.write(&format!("art/{name}.png"), png(&pixels));
        folder.write(&format!("art/{name}_n.png"), png(&normal(60, 60)));
    }
    let layers = "[[atlas.t.rule]]\nmatch = \"*\"\nlayers = { normal = \"{name}_n\" }\n";
    for (rule, images) in [("", 1), (layers, 2)] {
        folder.write("zemtak.toml", format!("format = 1\n[atlas.t]\nroot = \"art\"\ntake = [\"?\"]\n{rule}"));
        for options in ["", " --pages-as ktx2 --mip-levels 2"] {
            let text = folder.zemtak(&format!("pack --fresh{options}")).exits(0).out();
            let atlas = folder.zemtak(&format!("pack --fresh --json{options}")).exits(0).json()["atlases"][0].take();
            assert_eq!(atlas["loose_bytes"], 3 * 60 * 60 * 4 * images, "{atlas}");
            let page = &atlas["pages"][0];
            let area = page["width"].as_f64().unwrap() * page["height"].as_f64().unwrap();
            let saved = 100.0 * (1.0 - atlas["free_pixels"].as_f64().unwrap() / area);
            assert!(text.contains(&format!("may save about {saved:.1} %")), "{saved} {text}");
        }
    }
}
