use super::*;
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

#[test]
fn later_versions_and_unknown_needs_are_refused_whatever_their_shape() {
    assert_eq!(parse(r#"{ "zemtak": 2, "planes": [] }"#), Err(ParseError::Version(2)));
    let needs = r#"{ "zemtak": 1, "needs": ["layers3d"] }"#;
    assert_eq!(parse(needs), Err(ParseError::Needs(vec!["layers3d".into()])));
    let twice = full().to_text().unwrap().replace("moth/10", "moth/2");
    assert!(matches!(parse(&twice), Err(ParseError::Json { reason, .. }) if reason == "\"moth/2\" comes twice"));
}

proptest! {
    /// Keys in order are read without a search, others with one; the result must be the same.
    #[test]
    fn keys_may_come_in_any_order_but_only_once(keys in prop::collection::vec("[a0-2]{1,3}", 0..8)) {
        #[derive(Debug, serde::Deserialize)]
        struct Map(#[serde(deserialize_with = "super::text::unique_keys")] BTreeMap<SpriteName, usize>);
        let entries: Vec<String> = keys.iter().enumerate().map(|(i, key)| format!("\"{key}\": {i}")).collect();
        let read = serde_json::from_str::<Map>(&format!("{{{}}}", entries.join(", "))).map(|map| map.0);
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

/// Each change alone must be found. One line for each rule of the check.
#[test]
fn every_number_that_cannot_be_right_is_found() {
    type Change = fn(&mut Atlas);
    fn sprite(atlas: &mut Atlas) -> &mut Sprite {
        atlas.sprites.get_mut(&name("moth/2")).unwrap()
    }
    fn clip(atlas: &mut Atlas) -> &mut Clip {
        atlas.clips.get_mut(&ClipName::new("moth")).unwrap()
    }
    let changes: &[(&str, Change)] = &[
        ("name", |a| a.name = "Night".into()),
        ("scale", |a| a.scale = f64::NAN),
        ("visible_alpha", |a| a.built.visible_alpha = 0),
        ("gutter", |a| a.built.gutter = u32::MAX),
        ("align between powers of two", |a| a.built.align = Some(6)),
        ("align beyond any page", |a| a.built.align = Some(1 << 31)),
        ("way out", |a| a.pages[0].file = "../night-0.png".into()),
        ("root", |a| a.pages[0].file = "/night-0.png".into()),
        ("drive", |a| a.pages[0].file = "c:night-0.png".into()),
        ("file twice", |a| a.pages.push(a.pages[0].clone())),
        ("width", |a| a.pages[0].width = 0),
        ("height", |a| a.pages[0].height = u32::MAX),
        ("sampling.mips", |a| a.pages[0].sampling.mips = 0),
        ("sampling.safe_mips", |a| a.pages[0].sampling.safe_mips = Some(-2)),
        ("ring that repeats", |a| a.pages[0].extrude = Some(1)),
        ("no ring", |a| a.pages[0].sampling.wrap = Wrap::Clamp),
        ("companion elsewhere", |a| a.companions = BTreeMap::from([("../x.h".into(), String::new())])),
        ("companion below", |a| a.companions = BTreeMap::from([("x/x.h".into(), String::new())])),
        ("hash", |a| a.pages[0].hash = "blake3:00".into()),
        ("page", |a| sprite(a).page = 1),
        ("box without width", |a| sprite(a).rect.w = 0),
        ("box over the edge", |a| sprite(a).rect.x = u32::MAX),
        ("uv", |a| sprite(a).uv.0[2] += 0.001),
        ("uv not a number", |a| sprite(a).uv.0[2] = f32::NAN),
        ("inset", |a| sprite(a).inset = [u32::MAX, 0]),
        ("canvas", |a| sprite(a).canvas.h = 30),
        ("turned", |a| sprite(a).canvas = Size::new(30, 30)),
        ("pivot", |a| sprite(a).pivot[1] = f64::INFINITY),
        ("point", |a| sprite(a).points = BTreeMap::from([("p".into(), [f64::NAN, 0.0])])),
        ("stretch", |a| sprite(a).stretch = Some([20, 0, 20, 0])),
        ("stretch", |a| sprite(a).stretch = Some([0, 20, 0, 20])),
        ("one band alone", |a| sprite(a).stretch = Some([0, 0, 40, 0])),
        ("one band alone", |a| sprite(a).stretch = Some([0, 0, 0, 40])),
        ("no steps", |a| clip(a).steps.clear()),
        ("step", |a| clip(a).steps[0].sprite = name("moth/3")),
        ("ms", |a| clip(a).steps[0].ms = Some(-1.0)),
        ("no rate", |a| clip(a).fps = None),
        ("ratio", |a| clip(a).fps = Some(Rate::Ratio("1/0".into()))),
        ("rate", |a| clip(a).fps = Some(Rate::Number(-1.0))),
    ];
    for (what, change) in changes {
        let mut atlas = full();
        change(&mut atlas);
        assert!(!atlas.check().is_empty(), "{what} was not found");
    }
}
