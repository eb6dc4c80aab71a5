use super::*;
use crate::geometry::LONGEST_SIDE;
use proptest::prelude::*;
use serde_json::json;

fn name(text: &str) -> SpriteName {
    SpriteName::new(text)
}

/// An atlas that has every key.
pub(crate) fn full() -> Atlas {
    let hash = format!("blake3:{}", "0f".repeat(32));
    let page = Page {
        extrude: Some(0),
        sampling: SamplingHints { wrap: Wrap::Repeat, safe_mips: Some(-1), ..SamplingHints::default() },
        layers: BTreeMap::from([(
            "normal".into(),
            Layer {
                file: "normal/night-0.png".into(),
                pixels: PixelKind::Rgba8,
                alpha: Alpha::Straight,
                colour: Colour::Linear,
                hash: hash.clone(),
            },
        )]),
        ..Page::new("night-0.png", Size::new(512, 256), hash.clone())
    };
    let rect = Rect::new(35, 1, 28, 30);
    let sprite = Sprite {
        page: 0,
        rect,
        turned: false,
        canvas: Size::new(32, 32),
        inset: [2, 1],
        pivot: [16.0, 31.5],
        uv: UvRect::of(rect, page.size()),
        points: BTreeMap::from([("lamp".into(), [20.0, 8.0])]),
        stretch: Some([4, 4, 4, 4]),
        tags: vec!["flying".into()],
        user: Some(Box::new(json!({ "speed": 3 }))),
        outline: Some(Box::new(json!([]))),
        mesh: Some(Box::new(json!([]))),
    };
    let step = |sprite: &str, ms| Step { sprite: name(sprite), ms, events: vec!["flap".into()] };
    let clip = Clip {
        mode: Mode::Bounce,
        fps: Some(Rate::Ratio("60000/1001".into())),
        steps: vec![step("moth/2", None), step("day:sun", Some(1.5))],
    };
    Atlas {
        build_id: Some("0123456789abcdef".into()),
        companions: BTreeMap::from([("night.h".into(), hash)]),
        zemtak: VERSION,
        needs: vec![],
        name: "night".into(),
        scale: 0.5,
        base: Some("day".into()),
        built: Built {
            gutter: 2,
            margin: 0,
            extrude: 1,
            trim: true,
            visible_alpha: 1,
            mip_levels: 0,
            align: Some(4),
            resample: Some("pixel".into()),
        },
        pages: vec![page],
        sprites: ["moth/2", "moth/10", "moth/02"].map(|n| (name(n), sprite.clone())).into(),
        clips: BTreeMap::from([(ClipName::new("moth"), clip)]),
    }
}

#[test]
fn what_is_written_reads_back_and_writes_again_the_same() {
    let atlas = full();
    assert_eq!(atlas.check(), []);
    let text = atlas.to_text().unwrap();
    let parsed = parse(&text).unwrap();
    assert_eq!(parsed, Parsed { atlas, unknown: vec![] });
    assert_eq!(parsed.atlas.to_text().unwrap(), text);
}

#[test]
fn the_text_has_a_line_for_each_sprite_in_number_order_and_short_numbers() {
    let text = full().to_text().unwrap();
    let lines: Vec<&str> = text.lines().filter(|l| l.starts_with("    \"moth")).collect();
    let starts = [
        "    \"moth/2\": { \"page\": 0, \"box\": [35, 1, 28, 30], \"turned\": false,",
        "    \"moth/02\": {",
        "    \"moth/10\": {",
        "    \"moth\": {",
    ];
    assert_eq!(lines.len(), starts.len());
    for (line, start) in lines.iter().zip(starts) {
        assert!(line.starts_with(start), "{line}");
    }
    assert!(lines[0].contains("\"pivot\": [16, 31.5], \"uv\": [0.068359375, 0.00390625, 0.123046875, 0.12109375]"));
    assert!(text.ends_with("}\n"));
}

#[test]
fn unknown_keys_are_told_but_not_minded() {
    let text = full().to_text().unwrap();
    let text = text
        .replace("\"scale\": 0.5", "\"scale\": 0.5, \"mood\": 1")
        .replace("\"mips\": 1", "\"mips\": 1, \"gamma\": 2");
    assert_eq!(parse(&text).unwrap().unknown, ["mood", "pages.0.sampling.gamma"]);
}

/// The entries of an object, in the order of the text.
struct Entries(Vec<(String, Value)>);

impl<'de> Deserialize<'de> for Entries {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct All;
        impl<'de> serde::de::Visitor<'de> for All {
            type Value = Entries;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("an object")
            }

            fn visit_map<A: serde::de::MapAccess<'de>>(self, mut access: A) -> Result<Entries, A::Error> {
                let mut entries = Vec::new();
                while let Some(entry) = access.next_entry()? {
                    entries.push(entry);
                }
                Ok(Entries(entries))
            }
        }
        deserializer.deserialize_map(All)
    }
}

/// A list of the values of an object, in order, was read like the object, and `{ "nearest": null }` like the word: readers
/// in other languages refused what this one took.
#[test]
fn an_object_is_no_list_of_its_values_and_a_word_no_object() {
    let text = full().to_text().unwrap();
    let reason = |text: &str| match parse(text) {
        Err(ParseError::Json { reason, .. }) => reason,
        other => panic!("{other:?}\n{text}"),
    };
    for before in [
        "",
        "\"built\": ",
        "\"pages\": [",
        "\"sampling\": ",
        "\"normal\": ",
        "\"moth/2\": ",
        "\"moth\": ",
        "\"steps\": [",
    ] {
        let start = text.find(before).unwrap() + before.len();
        let mut rest = serde_json::Deserializer::from_str(&text[start..]).into_iter::<Entries>();
        let values = rest.next().unwrap().unwrap().0.into_iter().map(|(_, value)| value);
        let list = format!("{}{}{}", &text[..start], Value::from_iter(values), &text[start + rest.byte_offset()..]);
        assert_eq!(reason(&list), "invalid type: sequence, expected an object", "{before}");
        assert_eq!(
            reason(&format!("{}7{}", &text[..start], &text[start + rest.byte_offset()..])),
            "invalid type: integer `7`, expected an object"
        );
    }
    for word in ["rgba8", "straight", "srgb", "nearest", "repeat", "bounce"] {
        let quoted = format!("\"{word}\"");
        assert!(
            reason(&text.replacen(&quoted, &format!("{{ {quoted}: null }}"), 1)).ends_with("expected a string"),
            "{word}"
        );
        let other = reason(&text.replacen(&quoted, "\"other\"", 1));
        assert!(
            other.starts_with("unknown variant `other`, expected ") && other.contains(&format!("`{word}`")),
            "{other}"
        );
    }
    let no_list = text.replacen("\"pages\": [", "\"pages\": {}, \"pages\": [", 1);
    assert_eq!(reason(&no_list), "invalid type: map, expected a list");
}

#[test]
fn later_versions_and_unknown_needs_are_refused_whatever_their_shape() {
    assert_eq!(parse(r#"{ "zemtak": 2, "planes": [] }"#), Err(ParseError::Version(2)));
    for other in [0, 2] {
        let same_shape = full().to_text().unwrap().replace("\"zemtak\": 1", &format!("\"zemtak\": {other}"));
        assert_eq!(parse(&same_shape), Err(ParseError::Version(other)));
    }
    let needs = r#"{ "zemtak": 1, "needs": ["layers3d"] }"#;
    assert_eq!(parse(needs), Err(ParseError::Needs(vec!["layers3d".into()])));
    let twice = full().to_text().unwrap().replace("moth/10", "moth/2");
    assert!(matches!(parse(&twice), Err(ParseError::Json { reason, .. }) if reason == "\"moth/2\" comes twice"));
}

proptest! {
    /// One decimal of 17 digits in ten was read off by its last bit, so `describe` told other `user` data than the
    /// project had.
    #[test]
    fn any_number_reads_back_exactly(v in 1e-6_f64..1e6) {
        let mut atlas = full();
        atlas.scale = v;
        atlas.sprites.values_mut().for_each(|sprite| sprite.user = Some(Box::new(json!({ "v": v }))));
        atlas.clips.values_mut().for_each(|clip| clip.steps[0].ms = Some(v));
        prop_assert_eq!(parse(&atlas.to_text().unwrap()).unwrap().atlas, atlas);
    }

    /// Keys in order are read without a search, others with one; the result must be the same.
    #[test]
    fn keys_may_come_in_any_order_but_only_once(keys in prop::collection::vec("[a0-2]{1,3}", 0..8)) {
        #[derive(Debug, serde::Deserialize)]
        struct Number { is: usize }
        #[derive(Debug, serde::Deserialize)]
        struct Map(#[serde(deserialize_with = "crate::json::objects_by_name")] BTreeMap<SpriteName, Number>);
        let entries: Vec<String> = keys.iter().enumerate().map(|(i, key)| format!("\"{key}\": {{ \"is\": {i} }}")).collect();
        let read = serde_json::from_str::<Map>(&format!("{{{}}}", entries.join(", ")));
        let read = read.map(|map| map.0.into_iter().map(|(key, number)| (key, number.is)).collect::<BTreeMap<_, _>>());
        let expected: BTreeMap<SpriteName, usize> = keys.iter().map(|key| name(key)).zip(0..).collect();
        match read {
            Ok(map) => prop_assert_eq!(map, expected),
            Err(error) => {
                prop_assert!(expected.len() < keys.len());
                prop_assert!(error.to_string().contains("comes twice"));
            }
        }
    }
}

/// Each change alone must be found, and told before all that follows from it. At least one line for each rule of the check.
#[test]
fn every_number_that_cannot_be_right_is_found() {
    type Change = fn(&mut Atlas);
    fn sprite(atlas: &mut Atlas) -> &mut Sprite {
        atlas.sprites.get_mut(&name("moth/2")).unwrap()
    }
    fn clip(atlas: &mut Atlas) -> &mut Clip {
        atlas.clips.get_mut(&ClipName::new("moth")).unwrap()
    }
    /// A box without pixels, with the UVs of such a box.
    fn empty(atlas: &mut Atlas, change: fn(&mut Rect)) {
        let page = atlas.pages[0].size();
        let sprite = sprite(atlas);
        change(&mut sprite.rect);
        sprite.uv = UvRect::of(sprite.rect, page);
    }
    let changes: &[(Change, &str)] = &[
        (|a| a.name = "Night".into(), "the atlas's name \"Night\" may only have a-z, 0-9, _ and -"),
        (|a| a.scale = f64::NAN, "scale is NaN, which is out of range"),
        (|a| a.scale = 0.0, "scale is 0, which is out of range"),
        (|a| a.built.visible_alpha = 0, "built.visible_alpha is 0, which is out of range"),
        (|a| a.built.gutter = LONGEST_SIDE + 1, "built.gutter is 1048577, which is out of range"),
        (|a| a.built.margin = LONGEST_SIDE + 1, "built.margin is 1048577, which is out of range"),
        (|a| a.built.extrude = LONGEST_SIDE + 1, "built.extrude is 1048577, which is out of range"),
        (|a| a.built.align = Some(6), "built.align is 6, which is out of range"),
        (|a| a.built.align = Some(2 * LONGEST_SIDE), "built.align is 2097152, which is out of range"),
        (
            |a| a.pages[0].file = "../night-0.png".into(),
            "page 0: the file \"../night-0.png\" is not a plain relative path",
        ),
        (|a| a.pages[0].file = "/night-0.png".into(), "page 0: the file \"/night-0.png\" is not a plain relative path"),
        (
            |a| a.pages[0].file = "c:night-0.png".into(),
            "page 0: the file \"c:night-0.png\" is not a plain relative path",
        ),
        (|a| a.pages.push(a.pages[0].clone()), "page 1: the file \"night-0.png\" is also that of an earlier page"),
        (|a| a.pages[0].width = 0, "page 0: width is 0, which is out of range"),
        (|a| a.pages[0].height = LONGEST_SIDE + 1, "page 0: height is 1048577, which is out of range"),
        (|a| a.pages[0].sampling.mips = 0, "page 0: sampling.mips is 0, which is out of range"),
        (|a| a.pages[0].sampling.mips = 33, "page 0: sampling.mips is 33, which is out of range"),
        (|a| a.pages[0].sampling.safe_mips = Some(-2), "page 0: sampling.safe_mips is -2, which is out of range"),
        (|a| a.pages[0].extrude = Some(1), "page 0: an extrude of its own can only be 0"),
        (|a| a.pages[0].sampling.wrap = Wrap::Clamp, "page 0: an extrude of its own can only be 0"),
        (
            |a| a.companions = BTreeMap::from([("../x.h".into(), String::new())]),
            "companions: \"../x.h\" is not the name",
        ),
        (|a| a.companions = BTreeMap::from([("x/x.h".into(), String::new())]), "companions: \"x/x.h\" is not the name"),
        (|a| a.pages[0].hash = "blake3:00".into(), "page 0: \"blake3:00\" is not a hash"),
        (|a| a.pages[0].hash = "0f".repeat(32), "page 0: \"0f0f0f0f0f"),
        (|a| a.pages[0].hash = format!("blake3:{}", "0F".repeat(32)), "page 0: \"blake3:0F0F"),
        (|a| drop(a.sprites.insert(name(""), a.sprites[&name("moth/2")].clone())), "a sprite has an empty name"),
        (|a| sprite(a).page = 1, "sprite moth/2: page 1 is not there; there are 1"),
        (
            |a| sprite(a).rect.w = 0,
            "sprite moth/2: its box [35, 1, 0, 30] does not lie on its page of 512 x 256 pixels",
        ),
        (|a| empty(a, |rect| rect.w = 0), "sprite moth/2: its box [35, 1, 0, 30] does not lie on its page"),
        (|a| empty(a, |rect| rect.h = 0), "sprite moth/2: its box [35, 1, 28, 0] does not lie on its page"),
        (|a| sprite(a).rect.x = u32::MAX, "sprite moth/2: its box [4294967295, 1, 28, 30] does not lie on its page"),
        (
            |a| sprite(a).uv.0[2] += 0.001,
            "sprite moth/2: its uv [0.068359375, 0.00390625, 0.12404688, 0.12109375] is not",
        ),
        (|a| sprite(a).uv.0[2] = f32::NAN, "sprite moth/2: its uv [0.068359375, 0.00390625, NaN, 0.12109375] is not"),
        (
            |a| sprite(a).inset = [u32::MAX, 0],
            "sprite moth/2: a box of 28 x 30 pixels at inset [4294967295, 0] does not",
        ),
        (
            |a| sprite(a).canvas.h = 30,
            "sprite moth/2: a box of 28 x 30 pixels at inset [2, 1] does not lie on its canvas of 32",
        ),
        (|a| sprite(a).canvas = Size::new(30, 30), "sprite moth/2: a box of 28 x 30 pixels at inset [2, 1] does not"),
        (|a| sprite(a).pivot[1] = f64::INFINITY, "sprite moth/2: pivot is out of range"),
        (
            |a| sprite(a).points = BTreeMap::from([("p".into(), [f64::NAN, 0.0])]),
            "sprite moth/2: point p is out of range",
        ),
        (|a| sprite(a).stretch = Some([17, 0, 16, 0]), "sprite moth/2: stretch is out of range"),
        (|a| sprite(a).stretch = Some([0, 17, 0, 16]), "sprite moth/2: stretch is out of range"),
        (|a| sprite(a).stretch = Some([0, 0, 33, 0]), "sprite moth/2: stretch is out of range"),
        (|a| sprite(a).stretch = Some([0, 0, 0, 33]), "sprite moth/2: stretch is out of range"),
        (
            |a| drop(a.clips.insert(ClipName::new(""), a.clips[&ClipName::new("moth")].clone())),
            "clip : its name is empty",
        ),
        (|a| clip(a).steps.clear(), "clip moth: it has no steps"),
        (
            |a| clip(a).steps[0].sprite = name("moth/3"),
            "clip moth: step 0 shows moth/3, which is not a sprite of this atlas",
        ),
        (|a| clip(a).steps[1].ms = Some(-1.0), "clip moth: step 1 lasts -1 ms"),
        (|a| clip(a).steps[1].ms = Some(f64::NAN), "clip moth: step 1 lasts NaN ms"),
        (|a| clip(a).fps = None, "clip moth: step 0 has no ms and the clip no fps"),
        (|a| clip(a).fps = Some(Rate::Ratio("1/0".into())), "clip moth: its fps is neither"),
        (|a| clip(a).fps = Some(Rate::Ratio("-1/1".into())), "clip moth: its fps is neither"),
        (|a| clip(a).fps = Some(Rate::Number(-1.0)), "clip moth: its fps is neither"),
        (|a| clip(a).fps = Some(Rate::Number(f64::INFINITY)), "clip moth: its fps is neither"),
    ];
    for (change, expected) in changes {
        let mut atlas = full();
        change(&mut atlas);
        let flaws: Vec<String> = atlas.check().iter().map(ToString::to_string).collect();
        assert!(flaws.first().is_some_and(|flaw| flaw.starts_with(expected)), "{expected}: {flaws:?}");
    }
}

#[test]
fn a_new_sprite_turns_about_its_middle() {
    let sprite = Sprite::new(0, Rect::new(4, 2, 7, 10), Size::new(32, 32));
    assert_eq!((sprite.pivot, sprite.canvas, sprite.inset), ([3.5, 5.0], Size::new(7, 10), [0, 0]));
}

#[test]
fn what_is_just_in_range_is_not_minded() {
    let mut atlas = full();
    atlas.built = Built { gutter: LONGEST_SIDE, margin: LONGEST_SIDE, extrude: LONGEST_SIDE, ..atlas.built };
    atlas.built.align = Some(LONGEST_SIDE);
    atlas.pages[0].sampling.mips = 32;
    atlas.pages[0].height = LONGEST_SIDE;
    for sprite in atlas.sprites.values_mut() {
        sprite.uv = UvRect::of(sprite.rect, atlas.pages[0].size());
        sprite.stretch = Some([16, 31, 16, 1]);
        (sprite.canvas, sprite.inset) = (Size::new(32, 32), [4, 2]);
    }
    for clip in atlas.clips.values_mut() {
        clip.fps = Some(Rate::Number(0.0));
        clip.steps[1].ms = Some(0.0);
    }
    assert_eq!(atlas.check(), []);
}
