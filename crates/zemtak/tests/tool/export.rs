//! `zemtak export`: the same atlas in another form, nothing moved and nothing lost.

use crate::fixtures::{Folder, blob, demo_art, png};
use serde_json::{Value, json};
use zemtak_core::atlas::parse;
use zemtak_runtime::{AtlasFile, HashCheck};

fn packed(options: &str) -> Folder {
    let folder = Folder::new();
    let art = demo_art();
    folder.zemtak(&format!("pack {} --name night --page-max 256x256 --turn{options}", art.display())).exits(0);
    folder
}

/// Whatever the format, a descriptor comes with it that says the same of every sprite, and pages that show the same pixels.
#[test]
fn pages_in_another_format_are_the_same_atlas() {
    let folder = packed("");
    let original = AtlasFile::open(&folder.path("build/night.zemtak.json")).unwrap();
    let pages = original.atlas().pages.len();
    assert!(pages > 1);
    let mut builds = std::collections::BTreeSet::from([original.atlas().build_id.clone()]);
    for form in ["png --png small", "qoi", "webp", "ktx2", "ktx2 --zstd", "raw"] {
        folder.zemtak(&format!("export build/night.zemtak.json --as {form}")).exits(0);
        let exported = AtlasFile::open(&folder.path("export/night.zemtak.json")).unwrap();
        assert_eq!(
            (&exported.atlas().sprites, &exported.atlas().clips),
            (&original.atlas().sprites, &original.atlas().clips)
        );
        for page in 0..pages {
            let of = |file: &AtlasFile| file.read_page(page, HashCheck::Yes).unwrap();
            assert_eq!(of(&exported), of(&original), "{form}");
        }
        assert!(builds.insert(exported.atlas().build_id.clone()), "{form}: a build of its own");
        folder.zemtak(&format!("verify export/night.zemtak.json --against {}", demo_art().display())).exits(0);
    }
    // The forms of the descriptor are those that pack writes beside it.
    folder
        .zemtak(&format!(
            "pack {} --name night --page-max 256x256 --turn --also csv --also c -o also",
            demo_art().display()
        ))
        .exits(0);
    for form in ["csv", "c"] {
        folder.zemtak(&format!("export also/night.zemtak.json --as {form} -o forms")).exits(0);
    }
    for file in ["night.csv", "night.clips.csv", "night.h"] {
        assert_eq!(folder.read(&format!("forms/{file}")), folder.read(&format!("also/{file}")), "{file}");
    }
}

/// Raw rows, read as the file beside them says, hold the page's pixels.
#[test]
fn raw_pages_are_as_they_are_told() {
    let folder = packed(" --alpha premultiplied");
    let original = AtlasFile::open(&folder.path("build/night.zemtak.json")).unwrap();
    let schema: Value = folder.zemtak("schema raw-pages").exits(0).json();
    let validator = jsonschema::draft202012::new(&schema).unwrap();
    for options in
        ["", " --channels argb --row-align 100", " --channels bgra --bottom-up", " --bits 4444 --dither", " --bits 565"]
    {
        folder.zemtak(&format!("export build/night.zemtak.json --as raw -o raw --force{options}")).exits(0);
        let told: Value = serde_json::from_slice(&folder.read("raw/night.raw.json")).unwrap();
        assert!(validator.is_valid(&told), "{told}");
        let pages = told["pages"].as_array().unwrap();
        assert_eq!(pages.len(), original.atlas().pages.len());
        for (index, page) in pages.iter().enumerate() {
            let bytes = folder.read(&format!("raw/{}", page["file"].as_str().unwrap()));
            let pixels = original.read_page(index, HashCheck::Yes).unwrap();
            let number = |key: &str| usize::try_from(page[key].as_u64().unwrap()).unwrap();
            assert_eq!((bytes.len(), page["alpha"].as_str()), (number("bytes"), Some("premultiplied")));
            assert_eq!(number("row_bytes") * number("height"), bytes.len());
            for (n, row) in bytes.chunks(number("row_bytes")).enumerate() {
                let y = if told["first_row"] == "bottom" { number("height") - 1 - n } else { n };
                for x in 0..number("width") {
                    let expected = pixels.get(x as u32, y as u32).unwrap();
                    if told["bits"] == "8" {
                        let letters = told["channels"].as_str().unwrap().chars();
                        let shown =
                            letters.zip(&row[x * 4..]).map(|(letter, byte)| ("rgba".find(letter).unwrap(), *byte));
                        assert!(shown.into_iter().all(|(at, byte)| expected[at] == byte), "{options}");
                    } else {
                        // The highest bits are red's.
                        let word = u16::from_le_bytes([row[x * 2], row[x * 2 + 1]]);
                        let (bits, most) = if told["bits"] == "565" { (5, 31.0) } else { (4, 15.0) };
                        let red = f64::from(word >> (16 - bits));
                        assert!((red - f64::from(expected[0]) * most / 255.0).abs() < 1.0, "{options}");
                    }
                }
            }
        }
        // Only what the runtime reads has a descriptor.
        assert_eq!(folder.path("raw/night.zemtak.json").exists(), options.is_empty());
        std::fs::remove_dir_all(folder.path("raw")).unwrap();
    }
}

/// Nothing that is read or not ours is written over, and options that mean nothing are refused.
#[test]
fn an_export_loses_nothing() {
    let folder = packed("");
    let before = folder.everything("build");
    for form in ["png", "qoi", "ktx2"] {
        let refused = folder.zemtak(&format!("export build/night.zemtak.json --as {form} -o build --force")).exits(2);
        assert!(refused.err().contains("this command reads it"), "{}", refused.err());
    }
    assert_eq!(folder.everything("build"), before);
    folder.write("export/night-0.qoi", "mine");
    let refused = folder.zemtak("export build/night.zemtak.json --as qoi").exits(2);
    assert!(refused.err().contains("night-0.qoi") && refused.err().contains("--force"), "{}", refused.err());
    assert_eq!(
        (folder.read("export/night-0.qoi"), folder.path("export/night.zemtak.json").exists()),
        (b"mine".to_vec(), false)
    );
    folder.zemtak("export build/night.zemtak.json --as qoi --force").exits(0);
    // What it wrote itself it may write again.
    folder.zemtak("export build/night.zemtak.json --as qoi").exits(0);
    for (form, options) in
        [("qoi", "--png small"), ("png", "--pixels bc7"), ("ktx2", "--bits 565"), ("raw", "--dither")]
    {
        let refused = folder.zemtak(&format!("export build/night.zemtak.json --as {form} {options} -o other")).exits(2);
        assert!(refused.err().contains("conflicting options"), "{}", refused.err());
    }
    assert!(!folder.path("other").exists());
    // Blocks of an atlas that was not packed for them are shared by neighbours, and that is told.
    let told = folder.zemtak("export build/night.zemtak.json --as ktx2 --pixels bc7 -o gpu --json").exits(0).json();
    assert_eq!(told["warnings"][0]["code"], "shared_blocks");
    let text = String::from_utf8(folder.read("gpu/night.zemtak.json")).unwrap();
    assert_eq!(parse(&text).unwrap().atlas.pages[0].pixels.word(), "bc7");
    let told = folder.zemtak("export gpu/night.zemtak.json --as png -o back --json").exits(0).json();
    assert_eq!(told["warnings"][0]["code"], "from_blocks");
    // One that was packed for blocks shares none, and has levels only as far down as they are clean.
    let line = format!("pack {} --name dusk --filter linear --mip-levels 3 --also csv", demo_art().display());
    folder.zemtak(&line).exits(0);
    let text = String::from_utf8(folder.read("build/dusk.zemtak.json")).unwrap();
    folder.write("build/dusk.zemtak.json", text.replace("\"safe_mips\": 3", "\"safe_mips\": 1"));
    let told = folder.zemtak("export build/dusk.zemtak.json --as ktx2 --pixels bc7 -o gpu --json").exits(0).json();
    assert_eq!((&told["warnings"], &told["textures"][0]["mips"]), (&json!([]), &json!(2)), "{told}");
    // The files beside the original are not beside the copy.
    let companions = |file: &str| parse(&String::from_utf8(folder.read(file)).unwrap()).unwrap().atlas.companions.len();
    assert_eq!((companions("build/dusk.zemtak.json"), companions("gpu/dusk.zemtak.json")), (2, 0));
}

/// An atlas with more pages than memory holds is exported like any other, and every page that cannot be read is told.
#[test]
fn pages_that_memory_does_not_hold_together_are_exported_in_turn() {
    let folder = Folder::new();
    for i in 0..9u8 {
        folder.write(&format!("art/moth/{i}.png"), png(&blob(110, 110, [20 * i, 90, 200])));
        folder.write(&format!("art/moth/{i}_glow.png"), png(&blob(110, 110, [20 * i, 9, 30])));
    }
    folder.write(
        "zemtak.toml",
        "format = 1\n[atlas.night]\nroot = \"art\"\ntake = [\"moth/*\"]\npage.size = [256, 256]\n\
         [[atlas.night.rule]]\nmatch = \"**\"\nlayers = { glow = \"{name}_glow\" }\n",
    );
    folder.zemtak("pack").exits(0);
    for form in ["webp", "raw", "ktx2"] {
        folder.zemtak(&format!("export night --as {form} -o plenty-{form}")).exits(0);
        // Half of it holds two of the six files.
        folder.zemtak(&format!("export night --as {form} -o little-{form} --memory 1MiB")).exits(0);
        assert_eq!(folder.everything(&format!("little-{form}")), folder.everything(&format!("plenty-{form}")));
    }
    std::fs::remove_file(folder.path("build/night-0.png")).unwrap();
    folder.write("build/night-2.glow.png", "bad");
    let refused = folder.zemtak("export night --as raw -o none --memory 1MiB").exits(4);
    assert!(["night-0.png", "night-2.glow.png"].iter().all(|file| refused.err().contains(file)), "{}", refused.err());
    assert_eq!(folder.everything("none").len(), 0);
}
