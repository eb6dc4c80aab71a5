//! Pages as graphics cards read them: what is written, what is told of it, and what a game gets.

use crate::fixtures::{Folder, blob, decoded, demo_art, png};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use zemtak_core::atlas::{Alpha, Colour, PixelKind};
use zemtak_core::codec::{Limits, read_ktx2};
use zemtak_core::geometry::Size;
use zemtak_core::mips::level_size;
use zemtak_core::pixels::Pixels;
use zemtak_core::texture::{loss, unpack};
use zemtak_runtime::{
    Cache, Folder as Files, MemorySink, NewTexture, Settings, SimulatedDevice, Sink, SinkError, Texture, texture_bytes,
};

fn descriptor(folder: &Folder, out: &str) -> Value {
    serde_json::from_slice(&folder.read(&format!("{out}/night.zemtak.json"))).unwrap()
}

/// Packs the demo's art once exactly and once as asked, at the same boxes.
fn both(options: &str) -> (Folder, Value) {
    let folder = Folder::new();
    let line = format!("pack {} --name night --filter linear {options}", demo_art().display());
    let told = folder.zemtak(&format!("{line} --json")).exits(0).json();
    (folder, told["atlases"][0].clone())
}

/// Blocks of no sprite hold a pixel of another: each cell begins and ends with a block.
#[test]
fn blocks_are_of_one_sprite_alone() {
    for levels in [0, 3] {
        let (folder, _) = both(&format!("--pixels bc7 --mip-levels {levels}"));
        let atlas = descriptor(&folder, "build");
        let mut owner = std::collections::BTreeMap::new();
        for (name, sprite) in atlas["sprites"].as_object().unwrap() {
            let [x, y, w, h] = std::array::from_fn(|i| sprite["box"][i].as_u64().unwrap());
            let extrude = atlas["built"]["extrude"].as_u64().unwrap();
            let blocks = |from: u64, length: u64| (from - extrude) / 4..(from + length + extrude).div_ceil(4);
            for (bx, by) in blocks(x, w).flat_map(|bx| blocks(y, h).map(move |by| (bx, by))) {
                let first = owner.entry((bx, by)).or_insert((name.clone(), sprite["box"].clone()));
                assert_eq!(first.1, sprite["box"], "{name} and {} share the block at ({bx}, {by})", first.0);
            }
        }
        folder.zemtak(&format!("verify build/night.zemtak.json --against {}", demo_art().display())).exits(0);
        let built = json!([atlas["built"]["align"], atlas["built"]["mip_levels"]]);
        assert_eq!(built, if levels == 0 { json!([4, 0]) } else { json!([null, 3]) });
    }
}

/// What the summary says is lost is what a decoder shows of the file, sprite by sprite.
#[test]
fn what_blocks_lose_is_told_as_it_is() {
    let (folder, told) = both("--pixels bc7");
    folder
        .zemtak(&format!("pack {} --name night --filter linear --pages-as raw -o exact", demo_art().display()))
        .exits(0);
    let shown = |out: &str, file: &str, sprite: &Value| {
        let page = match file.rsplit('.').next() {
            Some("ktx2") => {
                let texture = read_ktx2(&folder.read(&format!("{out}/{file}")), &Limits::default()).unwrap();
                unpack(&texture.levels[0], texture.kind, texture.size).unwrap()
            }
            _ => {
                let page = &descriptor(&folder, out)["pages"][0];
                let side = |key: &str| u32::try_from(page[key].as_u64().unwrap()).unwrap();
                Pixels::from_rgba(Size::new(side("width"), side("height")), folder.read(&format!("{out}/{file}")))
                    .unwrap()
            }
        };
        let [x, y, w, h] = std::array::from_fn(|i| u32::try_from(sprite["box"][i].as_u64().unwrap()).unwrap());
        page.crop(zemtak_core::geometry::Rect::new(x, y, w, h)).unwrap()
    };
    let texture = &told["pages"][0]["texture"];
    assert_eq!((&texture["pixels"], &texture["mips"]), (&"bc7".into(), &1.into()));
    let losses = texture["sprites"].as_array().unwrap();
    let psnrs: Vec<f64> = losses.iter().map(|loss| loss["psnr"].as_f64().unwrap()).collect();
    assert!(psnrs.is_sorted() && losses.len() > 70, "{psnrs:?}");
    let (in_blocks, exact) = (descriptor(&folder, "build"), descriptor(&folder, "exact"));
    for told in losses {
        let name = told["sprite"].as_str().unwrap();
        let one = shown("exact", "night-0.rgba", &exact["sprites"][name]);
        let other = shown("build", "night-0.ktx2", &in_blocks["sprites"][name]);
        let part = zemtak_core::geometry::Rect::at(0, 0, one.size());
        let psnr = loss(&one, &other, Alpha::Straight, part).psnr().unwrap();
        assert!((psnr - told["psnr"].as_f64().unwrap()).abs() < 0.011, "{name}: {psnr} {told}");
    }
    assert_eq!(told["texture_bytes"], texture_bytes(PixelKind::Bc7, read_size(&in_blocks), 1));
    // `describe` took four bytes for each pixel.
    let described = folder.zemtak("describe build/night.zemtak.json moth/fly/00 --json").exits(0).json();
    assert_eq!(described["page_bytes"], told["texture_bytes"]);
    let text = folder.zemtak("describe build/night.zemtak.json moth/fly/00").exits(0).out();
    assert!(text.contains("pixels bc7, alpha straight, filter linear"), "{text}");
    // Unchanged, it still knows.
    let again =
        folder.zemtak(&format!("pack {} --name night --filter linear --pixels bc7 --json", demo_art().display()));
    let again = again.exits(0).json();
    assert_eq!((&again["atlases"][0]["state"], &again["atlases"][0]["pages"]), (&"unchanged".into(), &told["pages"]));
}

fn read_size(atlas: &Value) -> Size {
    let side = |key: &str| u32::try_from(atlas["pages"][0][key].as_u64().unwrap()).unwrap();
    Size::new(side("width"), side("height"))
}

/// With a bound each page takes the smallest form in which every sprite keeps it; one that was named tells who does not.
#[test]
fn a_bound_on_what_is_lost_is_kept_or_told() {
    let folder = Folder::new();
    let flat = |rgba: [u8; 4]| png(&Pixels::from_rgba(Size::new(8, 8), rgba.repeat(64)).unwrap());
    folder.write("flat/red.png", flat([255, 0, 0, 255]));
    folder.write("flat/sky.png", flat([0, 255, 255, 255]));
    folder.write("soft/lamp.png", png(&blob(30, 30, [250, 200, 40])));
    let kind = |art: &str, options: &str| {
        let line = format!("pack {art} --name night -o {art}-out --json {options}");
        let told = folder.zemtak(&line).exits(0).json();
        let texture = &told["atlases"][0]["pages"][0]["texture"];
        (texture["pixels"].as_str().unwrap().to_owned(), told["warnings"].clone())
    };
    assert_eq!(kind("flat", "--least-psnr 60").0, "bc1");
    assert_eq!(kind("soft", "--least-psnr 25").0, "bc7");
    assert_eq!(kind("soft", "--least-psnr 100").0, "rgba8");
    // One bit of alpha does not do for a page if it does not do for each sprite, wherever that lies.
    let solid = |w: u32, alpha: u8| {
        let pixels = Pixels::from_rgba(Size::new(w, 40), [9, 9, 9, alpha].repeat((w * 40) as usize));
        png(&pixels.unwrap())
    };
    folder.write("mixed/board.png", solid(64, 255));
    folder.write("mixed/pane.png", solid(30, 250));
    assert_ne!(kind("mixed", "--least-psnr 5 --extrude 0 --gutter 4 --margin 4").0, "bc1");
    let (named, warnings) = kind("soft", "--least-psnr 60 --pixels bc3");
    assert_eq!((named.as_str(), &warnings[0]["code"]), ("bc3", &"below_psnr".into()));
    assert!(warnings[0]["text"].as_str().unwrap().contains("lamp"), "{warnings}");
    // Black under transparent pixels would come in between pixels.
    assert_ne!(kind("soft", "--least-psnr 5 --filter linear").0, "bc1");
    for (options, key) in [("--pixels bc7", "pixels"), ("--zstd", "zstd"), ("--least-psnr 40", "least_psnr")] {
        let refused = folder.zemtak(&format!("pack soft --name night --pages-as webp {options}")).exits(2);
        assert!(refused.err().contains(&format!("{key} is about pages in KTX2")), "{}", refused.err());
    }
}

/// A game gets the blocks as they are, with all levels; a sink that takes none gets what they show.
#[test]
fn a_game_gets_blocks_as_they_are() {
    for options in ["--pixels bc3 --mip-levels 2", "--pixels bc3 --mip-levels 2 --zstd"] {
        let (folder, _) = both(options);
        let file = read_ktx2(&folder.read("build/night-0.ktx2"), &Limits::default()).unwrap();
        assert_eq!((file.kind, file.levels.len()), (PixelKind::Bc3, 3));
        let load = |sink: MemorySink| {
            let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), sink);
            let moth = cache.lease("night:moth/fly/03");
            pump.wait(&moth).unwrap();
            let texture = moth.view().unwrap().texture;
            let levels = pump.sink().levels(texture).unwrap().to_vec();
            (pump.sink().kind(texture).unwrap(), levels, cache.ledger().resident_bytes)
        };
        let (kind, levels, bytes) = load(MemorySink::taking(&[PixelKind::Bc3]));
        assert_eq!((kind, bytes), (PixelKind::Bc3, texture_bytes(PixelKind::Bc3, file.size, 3)));
        let (kind, unpacked, bytes) = load(MemorySink::new());
        assert_eq!((kind, bytes), (PixelKind::Rgba8, texture_bytes(PixelKind::Rgba8, file.size, 3)));
        for (number, (level, unpacked)) in (0..).zip(levels.iter().zip(&unpacked)) {
            let size = level_size(file.size, number);
            assert_eq!((level.size, &level.bytes), (size, &file.levels[number as usize]));
            let shown = unpack(&level.bytes, PixelKind::Bc3, size).unwrap();
            assert_eq!((unpacked.size, &unpacked.bytes[..]), (size, shown.as_bytes()));
        }
        // The simulated device weighs them as they are.
        let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), SimulatedDevice::new());
        let moth = cache.lease("night:moth/fly/03");
        pump.wait(&moth).unwrap();
        assert_eq!(pump.sink().used(), texture_bytes(PixelKind::Bc3, file.size, 3));
    }
}

/// A sink that puts pages that are alike into arrays: the first says how many layers the array gets.
#[derive(Default)]
struct Arrays(Vec<(Size, usize, usize)>);

impl Sink for Arrays {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let free = self.0.iter().position(|(size, used, layers)| *size == new.size() && used < layers);
        let array = free.unwrap_or_else(|| {
            self.0.push((new.size(), 0, new.alike));
            self.0.len() - 1
        });
        self.0[array].1 += 1;
        Ok(Texture((array as u64) << 32 | (self.0[array].1 as u64 - 1)))
    }

    fn drop_texture(&mut self, _: Texture) {}
}

/// All pages of one size fill one array; without asking, the last page is smaller and has one of its own.
#[test]
fn pages_of_one_size_fill_one_texture_array() {
    let arrays = |options: &str| {
        let (folder, told) = both(&format!("--page-shape free --page-max 300x300{options}"));
        let (cache, mut pump) = Cache::new(Settings::over(Files::new(folder.path("build"))), Arrays::default());
        pump.wait(&cache.lease_all(["night:**"])).unwrap();
        let mut arrays = pump.sink().0.clone();
        arrays.sort();
        (arrays, told)
    };
    let (each, _) = arrays("");
    assert!(each.len() > 1 && each.iter().all(|(_, used, layers)| used == layers), "{each:?}");
    let (one, told) = arrays(" --same-size-pages");
    let pages = told["pages"].as_array().unwrap().len();
    assert!(pages > 1 && one.len() == 1 && (one[0].1, one[0].2) == (pages, pages), "{one:?}");
    // By the project too; the command line wins.
    let folder = Folder::new();
    let project = format!(
        "format = 1\n[atlas.night]\nroot = {:?}\npage = {{ shape = \"free\", max = [300, 300], same_size = true }}\n",
        demo_art()
    );
    folder.write("zemtak.toml", project);
    let sizes = |options: &str| {
        let told = folder.zemtak(&format!("pack --json{options}")).exits(0).json();
        let pages = told["atlases"][0]["pages"].as_array().unwrap().clone();
        pages
            .iter()
            .map(|page| page["width"].as_u64().unwrap() * page["height"].as_u64().unwrap())
            .collect::<BTreeSet<_>>()
            .len()
    };
    assert_eq!((sizes(""), sizes(" --no-same-size-pages"), sizes("")), (1, each.len(), 1));
}

/// A file says how its numbers are to be taken; they are the same either way.
#[test]
fn unorm_changes_what_the_file_says_and_nothing_else() {
    let read = |options: &str| {
        let (folder, _) = both(options);
        read_ktx2(&folder.read("build/night-0.ktx2"), &Limits::default()).unwrap()
    };
    let (srgb, unorm) = (read("--pixels bc7 --mip-levels 2"), read("--pixels bc7 --mip-levels 2 --unorm"));
    assert_eq!((srgb.colour, unorm.colour), (Colour::Srgb, Colour::Linear));
    assert_eq!(srgb.levels, unorm.levels);
}

/// Pixel by pixel the container holds just what PNG holds.
#[test]
fn without_blocks_nothing_is_lost() {
    let (folder, told) = both("--pages-as ktx2 --zstd --mip-levels 1");
    folder
        .zemtak(&format!("pack {} --name night --filter linear --mip-levels 1 -o png", demo_art().display()))
        .exits(0);
    let file = read_ktx2(&folder.read("build/night-0.ktx2"), &Limits::default()).unwrap();
    assert_eq!(file.levels[0], decoded(&folder.read("png/night-0.png")).as_bytes());
    assert_eq!(descriptor(&folder, "build")["pages"][0]["sampling"]["mips"], 2);
    assert_eq!(told["pages"][0]["texture"]["psnr"], Value::Null);
    folder.zemtak(&format!("verify build/night.zemtak.json --mips 1 --against {}", demo_art().display())).exits(0);
}
