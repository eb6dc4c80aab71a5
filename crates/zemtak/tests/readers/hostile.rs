//! Descriptors that a reader must refuse, and such that it must take.

use crate::atlas::{Dice, made_up};
use crate::languages::{Language, Reader};
use serde_json::{Value, json};
use std::path::Path;
use zemtak_core::atlas::parse;

const SPRITE: &str = "moth/fly/1";

fn good() -> Value {
    let page = json!({
        "file": "night-0.png", "width": 64, "height": 32, "pixels": "rgba8", "alpha": "straight", "colour": "srgb",
        "sampling": { "filter": "nearest", "wrap": "clamp", "mips": 1, "safe_mips": null },
        "hash": format!("blake3:{}", "0".repeat(64)),
    });
    let sprite = json!({
        "page": 0, "box": [4, 2, 10, 20], "turned": true, "canvas": [30, 14], "inset": [2, 1], "pivot": [15, 7.5],
        "uv": [0.0625, 0.0625, 0.21875, 0.6875],
    });
    json!({
        "zemtak": 1, "needs": [], "name": "night", "scale": 1,
        "built": { "gutter": 2, "margin": 0, "extrude": 1, "trim": true, "visible_alpha": 1, "mip_levels": 0 },
        "pages": [page],
        "sprites": { SPRITE: sprite },
        "clips": { "moth": { "mode": "loop", "fps": 10, "steps": [{ "sprite": SPRITE }, { "sprite": SPRITE, "ms": 5 }] } },
    })
}

/// Values that take the place of one: where, what, and a word of the place that the error must tell.
fn wrong() -> Vec<(&'static str, Value, &'static str)> {
    let sprite = |key: &'static str, value: Value| (key, value, SPRITE);
    vec![
        ("/zemtak", json!(2), "zemtak"),
        ("/zemtak", json!("1"), "zemtak"),
        ("/needs", json!(["meshes"]), "needs"),
        ("/name", json!(7), "name"),
        ("/pages", json!({}), "pages"),
        ("/pages/0", json!(3), "pages"),
        ("/pages/0/file", json!("../night-0.png"), "pages[0].file"),
        ("/pages/0/file", json!("/night-0.png"), "pages[0].file"),
        ("/pages/0/file", json!("c:night-0.png"), "pages[0].file"),
        ("/pages/0/file", json!("a\\b.png"), "pages[0].file"),
        ("/pages/0/file", json!("a//b.png"), "pages[0].file"),
        ("/pages/0/file", json!("./b.png"), "pages[0].file"),
        ("/pages/0/file", json!(""), "pages[0].file"),
        ("/pages/0/width", json!(0), "pages[0].width"),
        ("/pages/0/width", json!(-4), "pages[0].width"),
        ("/pages/0/height", json!(1 << 21), "pages[0].height"),
        ("/pages/0/height", json!(32.5), "pages[0].height"),
        ("/pages/0/sampling/mips", json!(0), "mips"),
        ("/pages/0/sampling/filter", json!([]), "filter"),
        sprite("/sprites/moth~1fly~11/page", json!(1)),
        sprite("/sprites/moth~1fly~11/page", json!(-1)),
        sprite("/sprites/moth~1fly~11/page", json!(u64::MAX)),
        sprite("/sprites/moth~1fly~11/box", json!([60, 2, 10, 20])),
        sprite("/sprites/moth~1fly~11/box", json!([4, 2, 0, 20])),
        sprite("/sprites/moth~1fly~11/box", json!([4, 2, 10])),
        sprite("/sprites/moth~1fly~11/box", json!([4, 2, 10, 20, 1])),
        sprite("/sprites/moth~1fly~11/box", json!([4, 2, 4_294_967_296_u64, 20])),
        sprite("/sprites/moth~1fly~11/box", json!([-4, 2, 10, 20])),
        sprite("/sprites/moth~1fly~11/box", json!([4, 2, "10", 20])),
        sprite("/sprites/moth~1fly~11/turned", json!(1)),
        sprite("/sprites/moth~1fly~11/canvas", json!([21, 14])),
        sprite("/sprites/moth~1fly~11/inset", json!([2, 5])),
        sprite("/sprites/moth~1fly~11/inset", json!([4_294_967_295_u64, 1])),
        sprite("/sprites/moth~1fly~11/pivot", json!(["a", 1])),
        sprite("/sprites/moth~1fly~11/stretch", json!([20, 0, 20, 0])),
        sprite("/sprites/moth~1fly~11/points", json!({ "lamp": [1] })),
        sprite("/sprites/moth~1fly~11/tags", json!("flying")),
        ("/clips/moth/mode", json!("round"), "moth"),
        ("/clips/moth/fps", json!(-1), "moth"),
        ("/clips/moth/fps", json!("1/0"), "moth"),
        ("/clips/moth/fps", json!("60000"), "moth"),
        ("/clips/moth/fps", json!(59.940_000_000_1), "moth"),
        ("/clips/moth/fps", json!(null), "moth"),
        ("/clips/moth/steps", json!([]), "moth"),
        ("/clips/moth/steps/1/sprite", json!("moth/fly/2"), "moth"),
        ("/clips/moth/steps/1/ms", json!(-1), "moth"),
        ("/clips/moth/steps/1/ms", json!(1e13), "moth"),
        ("/clips/moth/steps/1/events", json!([3]), "moth"),
        ("/clips/moth/steps", json!([{ "sprite": SPRITE, "ms": 0 }]), "moth"),
    ]
}

/// Holds a reader to what must be refused and what must not, and to an answer whatever comes.
pub fn refused(language: &Language, reader: &Reader<'_>, folder: &Path) {
    // Each with what the reader must say: that it takes it, a word of the place, or anything.
    let mut cases: Vec<(Vec<u8>, Option<&str>)> = Vec::new();
    let whole = |value: &Value| serde_json::to_vec(value).unwrap();
    for (place, value, said) in wrong() {
        let mut descriptor = good();
        match descriptor.pointer_mut(place) {
            Some(old) => *old = value,
            None => {
                let (parent, key) = place.rsplit_once('/').unwrap();
                descriptor.pointer_mut(parent).unwrap()[key] = value;
            }
        }
        cases.push((whole(&descriptor), Some(said)));
    }
    for key in ["zemtak", "needs", "name", "scale", "pages", "sprites", "clips"] {
        let mut descriptor = good();
        descriptor.as_object_mut().unwrap().remove(key);
        cases.push((whole(&descriptor), Some(key)));
    }
    for key in ["page", "box", "turned", "canvas", "inset", "pivot"] {
        let mut descriptor = good();
        descriptor["sprites"][SPRITE].as_object_mut().unwrap().remove(key);
        cases.push((whole(&descriptor), Some(key)));
    }
    // What the tool itself refuses too.
    for (text, _) in &cases {
        let parsed = parse(std::str::from_utf8(text).unwrap());
        let plays = |parsed: &zemtak_core::atlas::Parsed| {
            parsed.atlas.clips.values().all(|clip| zemtak_core::clip::Timeline::of(clip).is_ok())
        };
        assert!(
            !parsed.is_ok_and(|parsed| parsed.atlas.check().is_empty() && plays(&parsed)),
            "{}",
            String::from_utf8_lossy(text)
        );
    }
    for text in [
        "",
        "{",
        "[]",
        "3",
        "nul",
        "{\"zemtak\":1",
        "{\"zemtak\":01}",
        "{} {}",
        "{\"a\":1,}",
        "{\"a\" 1}",
        "{\"a\":\"\u{1}\"}",
    ] {
        cases.push((text.into(), Some("")));
    }
    let deep = |open: &str, close: &str| format!("{}{}", open.repeat(100_000), close.repeat(100_000));
    cases.extend([deep("[", "]"), deep("{\"a\":", "}")].map(|text| (text.into_bytes(), Some(""))));
    // Whatever a file loses or gains.
    let text = made_up(9).to_text().unwrap().into_bytes();
    for cut in (0..text.len() - 2).step_by(211) {
        cases.push((text[..cut].to_vec(), Some("")));
    }
    let (mut dice, small) = (Dice(5), whole(&good()));
    for _ in 0..300 {
        let mut text = small.clone();
        for _ in 0..=dice.below(3) {
            let at = dice.below(u32::try_from(text.len()).unwrap()) as usize;
            text[at] = dice.of(b"\"\\{}[],:0-9.eE+tfn\x00\xff\x80 ua");
        }
        cases.push((text, None));
    }
    let mut taken = good();
    taken["later"] = json!([{ "key": [] }, null, -0.5e-3, "\u{1f98b}\n"]);
    taken["sprites"][SPRITE]["user"] = json!([1, "a", [2.5]]);
    taken["pages"][0]["sampling"]["safe_mips"] = json!(-1);
    taken["clips"]["moth"]["steps"][0]["sprite"] = json!("day:sun");
    let spaced = serde_json::to_string_pretty(&taken).unwrap().replace('\n', "\r\n\t");
    cases.extend([whole(&good()), spaced.into_bytes()].map(|text| (text, Some("ok"))));
    let files = cases.iter().enumerate().map(|(n, (text, _))| {
        let file = folder.join(format!("hostile-{n}.zemtak.json"));
        std::fs::write(&file, text).unwrap();
        file
    });
    let files: Vec<_> = files.collect();
    let told = reader.run(&[vec!["--check".into()], files].concat());
    let lines: Vec<&str> = told.lines().collect();
    assert_eq!(lines.len(), cases.len(), "{}", language.name);
    for ((text, wanted), line) in cases.iter().zip(lines) {
        let (is_ok, wants_ok) = (line == "ok", *wanted == Some("ok"));
        let as_wanted = wanted.is_none_or(|word| is_ok == wants_ok && line.contains(word));
        let start = String::from_utf8_lossy(&text[..text.len().min(900)]).into_owned();
        assert!(as_wanted, "{}: {start}\n  should say {wanted:?}, but says {line}", language.name);
    }
}
