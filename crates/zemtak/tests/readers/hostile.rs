//! Descriptors that a reader must refuse, and such that it must take.

use crate::atlas::made_up;
use crate::fixtures::Dice;
use crate::languages::{Json, Language, Reader};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Atlas, parse};
use zemtak_core::clip::Timeline;

const SPRITE: &str = "moth/fly/1";

fn good() -> Value {
    let page = json!({
        "file": "night-0.png", "width": 64, "height": 32, "pixels": "rgba8", "alpha": "straight", "colour": "srgb",
        "sampling": { "filter": "nearest", "wrap": "clamp", "mips": 1, "safe_mips": null },
        "hash": hash(),
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

fn hash() -> String {
    format!("blake3:{}", "0".repeat(64))
}

fn layer(file: &str) -> Value {
    json!({ "file": file, "pixels": "rgba8", "alpha": "straight", "colour": "linear", "hash": hash() })
}

/// Values that take the place of one: where, what, and a word of the place that the error must tell.
fn wrong() -> Vec<(String, Value, &'static str)> {
    let sprite = |key: &str, values: Value| (format!("/sprites/moth~1fly~11/{key}"), SPRITE, values);
    let clip = |key: &str, values: Value| (format!("/clips/moth/{key}"), "moth", values);
    let other = |place: &str, said: &'static str, values: Value| (place.to_owned(), said, values);
    let places = [
        other("/zemtak", "zemtak", json!([2, "1"])),
        other("/needs", "needs", json!([["meshes"]])),
        other("/name", "name", json!([7])),
        other("/build_id", "build_id", json!([7])),
        other("/base", "base", json!([[]])),
        other("/scale", "scale", json!(["1"])),
        other("/pages", "pages", json!([{}])),
        other("/pages/0", "pages", json!([3])),
        other(
            "/pages/0/file",
            "pages[0].file",
            json!(["../night-0.png", "/night-0.png", "c:night-0.png", "a\\b.png", "a//b.png", "./b.png", ""]),
        ),
        other("/pages/0/width", "pages[0].width", json!([0, -4])),
        other("/pages/0/height", "pages[0].height", json!([1 << 21, 32.5])),
        other("/pages/0/hash", "hash", json!([7])),
        other("/pages/0/layers", "layers", json!([[]])),
        other("/pages/0/layers", "normal", json!([{ "normal": layer("../n.png") }, { "normal": { "file": "n.png" } }])),
        other("/pages/0/sampling/mips", "mips", json!([0, 33])),
        other("/pages/0/sampling/safe_mips", "safe_mips", json!([-2])),
        other("/pages/0/sampling/wrap", "wrap", json!([1])),
        other("/pages/0/sampling/filter", "filter", json!([[]])),
        sprite("page", json!([1, -1, u64::MAX])),
        sprite(
            "box",
            json!([
                [60, 2, 10, 20],
                [4, 13, 10, 20],
                [4, 2, 0, 20],
                [4, 2, 10, 0],
                [4, -2, 10, 20],
                [4, 2, 10],
                [4, 2, 10, 20, 1],
                [4, 2, 4_294_967_296_u64, 20],
                [-4, 2, 10, 20],
                [4, 2, "10", 20]
            ]),
        ),
        sprite("turned", json!([1])),
        sprite("canvas", json!([[21, 14], [30, 10]])),
        sprite("inset", json!([[11, 1], [2, 5], [-1, 1], [4_294_967_295_u64, 1]])),
        sprite("pivot", json!([["a", 1], [1]])),
        sprite("stretch", json!([[20, 0, 11, 0], [0, 7, 0, 8]])),
        sprite("points", json!([{ "lamp": [1] }, [1, 2]])),
        sprite("tags", json!(["flying", ["flying", 3]])),
        clip("mode", json!(["round"])),
        clip(
            "fps",
            json!([
                -1,
                "1/0",
                "60000",
                "/5",
                "5/",
                "7/3/2",
                "-7/3",
                "7/3 ",
                "1.5/2",
                "2147483648/1",
                "1/4294967296",
                1e-10,
                59.940_000_000_1,
                null
            ]),
        ),
        clip("steps", json!([[], [{ "sprite": SPRITE, "ms": 0 }]])),
        clip("steps/1/sprite", json!(["moth/fly/2"])),
        clip("steps/1/ms", json!([-1, 1e13])),
        clip("steps/1/events", json!([[3]])),
    ];
    let each = |(place, said, values): (String, &'static str, Value)| {
        let Value::Array(values) = values else { unreachable!() };
        values.into_iter().map(move |value| (place.clone(), value, said))
    };
    places.into_iter().flat_map(each).collect()
}

/// A descriptor's bytes, and what a reader must say of it: that it takes it, a word of the place, or anything.
type Case = (Vec<u8>, Option<&'static str>);

fn whole(value: &Value) -> Vec<u8> {
    serde_json::to_vec(value).unwrap()
}

/// One key missing or one value wrong, which the tool refuses too.
fn one_thing_wrong() -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    for (place, value, said) in wrong() {
        let mut descriptor = good();
        let (parent, key) = place.rsplit_once('/').unwrap();
        match descriptor.pointer_mut(&place) {
            Some(old) => *old = value,
            None => descriptor.pointer_mut(parent).unwrap()[key] = value,
        }
        cases.push((whole(&descriptor), Some(said)));
    }
    let top = ["zemtak", "needs", "name", "scale", "pages", "sprites", "clips"].map(|key| ("", key));
    let sprite = ["page", "box", "turned", "canvas", "inset", "pivot"].map(|key| ("/sprites/moth~1fly~11", key));
    for (parent, key) in top.into_iter().chain(sprite) {
        let mut descriptor = good();
        descriptor.pointer_mut(parent).unwrap().as_object_mut().unwrap().remove(key);
        cases.push((whole(&descriptor), Some(key)));
    }
    for (text, _) in &cases {
        let text = std::str::from_utf8(text).unwrap();
        let right =
            |atlas: &Atlas| atlas.check().is_empty() && atlas.clips.values().all(|clip| Timeline::of(clip).is_ok());
        assert!(!parse(text).is_ok_and(|parsed| right(&parsed.atlas)), "{text}");
    }
    cases
}

/// Numbers and texts that JSON does not have, in the place of right ones.
fn no_values() -> Vec<Case> {
    let whole = String::from_utf8(whole(&good())).unwrap();
    let instead = |key: &str, value: &str, other: &str| {
        let [from, to] = [value, other].map(|value| format!("\"{key}\":{value}"));
        assert!(whole.contains(&from));
        (whole.replace(&from, &to).into_bytes(), Some(""))
    };
    let numbers = "NaN Infinity -Infinity 1e999 -1e999 01 -01 1. .5 -.5 - +1 1e 1e+ 1e- 0x1 1_0 1,5 --1 1-1";
    let texts = [r"\x41", r"\u00zz", r"\u00g0", r"\u12", r"\", "\t", "\n", "\u{1f}"];
    let numbers = numbers.split(' ').map(|number| instead("scale", "1", number));
    let texts = texts.map(|text| instead("name", "\"night\"", &format!("\"{text}\"")));
    numbers.chain(texts).collect()
}

/// What readers with JSON of their own tell: where it is wrong, and that half of a surrogate pair is no character.
fn only_own(json: &Json) -> Vec<Case> {
    if *json == Json::Library {
        return Vec::new();
    }
    let places = [
        ("{", "line 1, column 2"),
        ("{\"zemtak\" 1}", "line 1, column 11"),
        ("{\r\n  \"zemtak\": 1,\n\n  \"needs\": [1 2]\n}", "line 4, column 15"),
    ];
    let halves = [r"\ud800", r"\udc00", r"\ud800\u0041", r"\ud800x", r"\udbff\ud800", r"\udfff\udfff"];
    let told = (*json == Json::Utf8).then_some("line 1");
    let halves = halves.map(|half| (format!("{{\"name\":\"{half}\"}}").into_bytes(), told));
    places.map(|(text, place)| (text.as_bytes().to_vec(), Some(place))).into_iter().chain(halves).collect()
}

/// What is no JSON, or lies too deep in itself, or lost its end.
fn no_descriptor() -> Vec<Case> {
    let texts = [
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
    ];
    let deep = [("[", "]"), ("{\"a\":", "}")].map(|(open, close)| open.repeat(100_000) + &close.repeat(100_000));
    let whole = made_up(9).to_text().unwrap();
    let cut = (0..whole.len() - 2).step_by(211).map(|end| whole.as_bytes()[..end].to_vec());
    let texts = texts.map(str::to_owned).into_iter().chain(deep).map(String::into_bytes);
    texts.chain(cut).map(|text| (text, Some(""))).collect()
}

/// Some bytes changed: whatever that means, there is an answer.
fn damaged() -> Vec<Case> {
    let mut dice = Dice(5);
    let damage = |_| {
        let mut text = whole(&good());
        for _ in 0..=dice.below(3) {
            let at = dice.below(u32::try_from(text.len()).unwrap()) as usize;
            text[at] = dice.of(b"\"\\{}[],:0-9.eE+tfn\x00\xff\x80 ua");
        }
        (text, None)
    };
    // A name may come twice: the tool refuses that, and whatever a reader does, it goes on.
    let twice =
        String::from_utf8(whole(&good())).unwrap().replace("\"moth/fly/1\":{", "\"moth/fly/1\":{},\"moth/fly/1\":{");
    (0..300).map(damage).chain([(twice.into_bytes(), None)]).collect()
}

/// Descriptors that must be taken: as the tool writes them, and as a later version or another writer might.
fn taken() -> Vec<Case> {
    let mut later = good();
    later["deep"] = (0..90).fold(json!(1), |deep, _| json!([deep]));
    later["later"] = json!([{ "key": [] }, null, -0.5e-3, "\u{1f98b}\n"]);
    later["sprites"][SPRITE]["user"] = json!([1, "a", [2.5]]);
    later["pages"][0]["sampling"]["safe_mips"] = json!(-1);
    later["clips"]["moth"]["steps"][0]["sprite"] = json!("day:sun");
    let spaced = serde_json::to_string_pretty(&later).unwrap().replace('\n', "\r\n\t");
    [whole(&good()), spaced.into_bytes()].map(|text| (text, Some("ok"))).into()
}

/// Holds a reader to what must be refused and what must not, and to an answer whatever comes.
pub fn refused(language: &Language, reader: &Reader<'_>, folder: &Path) {
    let own = only_own(&language.json);
    let cases = [one_thing_wrong(), no_values(), no_descriptor(), own, damaged(), taken()].concat();
    let files = cases.iter().enumerate().map(|(n, (text, _))| {
        let file = folder.join(format!("hostile-{n}.zemtak.json"));
        std::fs::write(&file, text).unwrap();
        file
    });
    let words: Vec<PathBuf> = std::iter::once("--check".into()).chain(files).collect();
    let told = reader.run(&words);
    let lines: Vec<&str> = told.lines().collect();
    assert_eq!(lines.len(), cases.len(), "{}", language.name);
    for ((text, wanted), line) in cases.iter().zip(lines) {
        let as_wanted = wanted.is_none_or(|word| (line == "ok") == (word == "ok") && line.contains(word));
        let start = String::from_utf8_lossy(&text[..text.len().min(900)]).into_owned();
        assert!(as_wanted, "{}: {start}\n  should say {wanted:?}, but says {line}", language.name);
    }
}
