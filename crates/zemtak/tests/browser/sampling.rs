//! The reference sampler and what `zemtak mips` says, against a graphics API.

use crate::fixtures::{Dice, Folder, decoded, demo_art};
use crate::{embedded, told};
use serde_json::{Value, json};
use zemtak_core::atlas::{Alpha, Filter, Wrap};
use zemtak_core::geometry::Size;
use zemtak_core::mips::{Between, Light, Sampling, sample, smaller_levels};
use zemtak_core::pixels::Pixels;

const SAMPLE: &str = include_str!("sample.html");

/// How far a graphics card may be off: it keeps eight bits of the place between two texels, and rounds.
const MOST_OFF: f64 = 2.5;

fn with_levels(picture: Pixels) -> Vec<Pixels> {
    let smaller = smaller_levels(&picture, 16, Alpha::Straight, Light::Plain);
    std::iter::once(picture).chain(smaller).collect()
}

fn words(sampling: Sampling) -> [&'static str; 3] {
    let filter = if sampling.filter == Filter::Linear { "LINEAR" } else { "NEAREST" };
    let between = if sampling.between == Between::Linear { "LINEAR" } else { "NEAREST" };
    [filter, between, sampling.wrap.word()]
}

fn case(texture: usize, levels: &[Pixels], uv: [f64; 2], lod: f64, sampling: Sampling) -> Value {
    let levels: Vec<&Pixels> = levels.iter().collect();
    // As the shader gets them.
    let narrow = |n: f64| f64::from(n as f32);
    let (uv, lod) = (uv.map(narrow), narrow(lod));
    let [filter, between, wrap] = words(sampling);
    json!({
        "texture": texture, "uv": uv, "lod": lod, "filter": filter, "between": between, "wrap": wrap,
        "expected": sample(&levels, uv, lod, sampling),
    })
}

#[test]
#[ignore = "needs Chromium"]
fn a_graphics_card_samples_as_the_reference_does() {
    let mut dice = Dice(17);
    let sizes = [(16, 16), (64, 8), (13, 7), (1, 5), (33, 20)];
    let textures: Vec<Vec<Pixels>> = sizes
        .map(|(w, h)| {
            with_levels(
                Pixels::from_rgba(Size::new(w, h), (0..w * h * 4).map(|_| dice.below(256) as u8).collect()).unwrap(),
            )
        })
        .into();
    let mut samples = Vec::new();
    for (n, levels) in textures.iter().enumerate() {
        let size = levels[0].size();
        for filter in [Filter::Nearest, Filter::Linear] {
            for between in [Between::Nearest, Between::Linear] {
                for wrap in [Wrap::Clamp, Wrap::Repeat, Wrap::Mirror] {
                    for _ in 0..40 {
                        // Away from the borders of texels, where a card's rounding decides.
                        let mut place = |side: u32| {
                            (f64::from(dice.below(side * 3)) - f64::from(side) + 0.1 + 0.3 * dice.unit())
                                / f64::from(side)
                        };
                        let uv = [place(size.w), place(size.h)];
                        let lod = f64::from(dice.below(levels.len() as u32)) + 0.4 * dice.unit() - 0.2;
                        // At a smaller level such a place may lie on a border again.
                        if filter == Filter::Nearest && lod > 0.2 {
                            continue;
                        }
                        samples.push(case(n, levels, uv, lod, Sampling { filter, between, wrap }));
                    }
                }
            }
        }
    }
    let textures: Vec<Vec<Value>> = textures.iter().map(|levels| levels.iter().map(embedded).collect()).collect();
    let data = json!({ "textures": textures, "samples": samples, "most_off": MOST_OFF });
    assert_eq!(told(&Folder::new(), SAMPLE, &data), format!("{} sampled, 0 wrong", samples.len()));
}

/// Where `zemtak mips` says that a sprite bleeds, a graphics card shows just that; where it says clean, the sprite's own colours.
#[test]
#[ignore = "needs Chromium"]
fn a_graphics_card_shows_the_bleeding_that_is_told_and_no_other() {
    let folder = Folder::new();
    for (name, options) in [("bare", "--gutter 0 --extrude 0"), ("roomy", "--mip-levels 3")] {
        let line = format!("pack {} --name {name} --filter linear {options}", demo_art().display());
        folder.zemtak(&line).exits(0);
        let told_of = folder.zemtak(&format!("mips build/{name}.zemtak.json --levels 3 --json")).exits(0).json();
        let descriptor: Value = serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap();
        let page = decoded(&folder.read(&format!("build/{name}-0.png")));
        let smaller = smaller_levels(&page, 3, Alpha::Straight, Light::Linear);
        let levels: Vec<Pixels> = std::iter::once(page).chain(smaller).collect();
        let (size, sampling) =
            (levels[0].size(), Sampling { filter: Filter::Linear, between: Between::Nearest, wrap: Wrap::Clamp });
        let (mut samples, mut bleeding) = (Vec::new(), 0);
        for sprite in told_of["sprites"].as_array().unwrap() {
            bleeding += usize::from(sprite["linear"]["clean"] == -1);
            // The worst places of each level, and the corners of the box at all of them.
            let uv =
                |at: &Value| [at[0].as_f64().unwrap() / f64::from(size.w), at[1].as_f64().unwrap() / f64::from(size.h)];
            for level in sprite["linear"]["not_clean"].as_array().unwrap() {
                samples.push(case(0, &levels, uv(&level["at"]), level["level"].as_f64().unwrap(), sampling));
            }
            let rect = &descriptor["sprites"][sprite["sprite"].as_str().unwrap()]["box"];
            for lod in 0..4 {
                samples.push(case(0, &levels, uv(rect), f64::from(lod), sampling));
            }
        }
        assert_eq!((bleeding > 90, name), (name == "bare", name), "{bleeding}");
        let roomy = told_of["sprites"].as_array().unwrap().iter().all(|sprite| sprite["linear"]["clean"] == 3);
        assert_eq!(roomy, name == "roomy");
        let textures = [levels.iter().map(embedded).collect::<Vec<Value>>()];
        let data = json!({ "textures": textures, "samples": samples, "most_off": MOST_OFF });
        assert_eq!(told(&folder, SAMPLE, &data), format!("{} sampled, 0 wrong", samples.len()));
    }
}
