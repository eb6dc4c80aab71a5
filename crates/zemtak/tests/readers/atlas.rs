//! Made-up atlases with everything that a descriptor can say.

use crate::fixtures::Dice;
use zemtak_core::atlas::{
    Alpha, Atlas, Built, Clip, Colour, Filter, Layer, Mode, Page, PixelKind, Rate, Sprite, Step, Wrap,
};
use zemtak_core::clip::{FOREVER, Timeline};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::{ClipName, SpriteName};

/// Names with what JSON escapes, and with letters of one to four bytes.
const ODD: [&str; 6] = ["moth \"night\"", "flügel\\links", "夜/蛾", "🦋", "a\u{1}b", "=1+1"];

/// What JSON escapes, and the first and last characters of each length in UTF-8 and UTF-16.
const ESCAPED: &str = "\"\\/\u{8}\u{c}\u{1f}\u{7f}\u{80}\u{7ff}\u{800}\u{d7ff}\u{e000}\u{ffff}\u{10000}\u{10ffff}";

/// The longest clip, but for those that stand still.
const MOST: i64 = 1 << 52;

pub fn made_up(seed: u64) -> Atlas {
    let mut dice = Dice(seed + 77);
    let mut atlas = Atlas::new("made-up", Built::default());
    atlas.build_id = Some("5b0c9f1e77a2d384".into());
    (atlas.base, atlas.scale) = (Some("night".into()), 0.5);
    let sizes = [[512, 256], [1000, 3], [77, 1 << 14]];
    atlas.pages = pages(sizes);
    for n in 0..60 {
        let name = ODD.get(n).map_or_else(|| format!("creature{}/walk{n}", n % 5), |odd| (*odd).to_owned());
        atlas.sprites.insert(SpriteName::new(&name), sprite(&mut dice, &sizes));
    }
    let names: Vec<SpriteName> = atlas.sprites.keys().cloned().collect();
    for n in 0..40 {
        let clip = clip(&mut dice, &names);
        // Some languages count in numbers that are whole up to 2^53.
        let fits = |timeline: &Timeline| matches!(timeline.start_of(timeline.turns()), 0..=MOST | FOREVER..);
        if Timeline::of(&clip).is_ok_and(|timeline| fits(&timeline)) {
            atlas.clips.insert(ClipName::new(&format!("clip {n}")), clip);
        }
    }
    assert!(atlas.check().is_empty(), "{:?}", atlas.check());
    atlas
}

/// Pages no two of which agree in anything.
fn pages(sizes: [[u32; 2]; 3]) -> Vec<Page> {
    let hash = |digit: usize| format!("blake3:{}", digit.to_string().repeat(64));
    let page = |(n, size): (usize, [u32; 2])| Page::new(format!("p/{n}.png"), size.into(), hash(n));
    let mut pages: Vec<Page> = sizes.into_iter().enumerate().map(page).collect();
    let [_, second, third] = &mut pages[..] else { unreachable!() };
    (second.pixels, second.alpha, second.colour) = (PixelKind::Bc7, Alpha::Premultiplied, Colour::Linear);
    (second.sampling.filter, second.sampling.wrap) = (Filter::Linear, Wrap::Repeat);
    (second.sampling.mips, second.sampling.safe_mips) = (7, Some(3));
    (third.sampling.wrap, third.sampling.safe_mips) = (Wrap::Mirror, Some(-1));
    for (n, name) in ["glow of the lamp", "normal"].into_iter().enumerate() {
        let mut layer = Layer::new(format!("p/1.{n}.png"), hash(n + 3));
        (layer.pixels, layer.colour) = ([PixelKind::Bc1, PixelKind::Bc3][n], [Colour::Srgb, Colour::Linear][n]);
        layer.alpha = [Alpha::Premultiplied, Alpha::Straight][n];
        second.layers.insert(name.to_owned(), layer);
    }
    pages
}

fn sprite(dice: &mut Dice, pages: &[[u32; 2]]) -> Sprite {
    let page = dice.below(3);
    let [page_w, page_h] = pages[page as usize];
    let (w, h) = (1 + dice.below(page_w.min(90)), 1 + dice.below(page_h.min(90)));
    let (x, y) = (dice.below(page_w - w + 1), dice.below(page_h - h + 1));
    let mut sprite = Sprite::new(page as usize, Rect::new(x, y, w, h), Size::new(page_w, page_h));
    sprite.turned = dice.one_in(3);
    let upright = sprite.upright();
    sprite.inset = [dice.below(9), dice.below(9)];
    sprite.canvas = Size::new(upright.w + sprite.inset[0] + dice.below(9), upright.h + sprite.inset[1] + dice.below(9));
    sprite.pivot = dice.of(&[[0.0, 0.0], [16.0, 31.5], [-3.25, 200.1], [f64::from(sprite.canvas.w) / 2.0, 0.1]]);
    if dice.one_in(2) {
        let (w, h) = (sprite.canvas.w, sprite.canvas.h);
        let [left, top] = [dice.below(w + 1), dice.below(h + 1)];
        sprite.stretch = Some([left, top, dice.below(w - left + 1), dice.below(h - top + 1)]);
    }
    if dice.one_in(4) {
        sprite.points.insert("lamp".into(), [dice.about(40), 0.1]);
        sprite.points.insert("Öse".into(), [20.0, -8.5]);
        sprite.tags = vec!["flying".into(), "two words".into(), ESCAPED.into(), "éà".into(), String::new()];
        sprite.user = Some(Box::new(serde_json::json!({ "speed": [3, null, { "deep": true }], "e": -1.5e-7 })));
    }
    sprite
}

fn clip(dice: &mut Dice, sprites: &[SpriteName]) -> Clip {
    let rates = [10.0, 24.0, 59.94, 29.97, 0.29, 1.15, 0.1, 12.5, 1e6, 0.0, 123_456.789, 1.0 / 1024.0];
    let ratios = ["60000/1001", "24000/1001", "7/3", "1/3", "1/4000000", "2147483647/7", "0/5"];
    let own = [0.0, 16.67, 1e-6, 33.333_333, 250.0, 1e6, 0.000_000_5];
    let count = 1 + dice.below(7);
    let by_rate = dice.one_in(3);
    let steps = (0..count).map(|_| {
        let mut step = Step::new(if dice.one_in(20) { SpriteName::new("day:sun/up") } else { dice.of(sprites) });
        step.ms = (!by_rate && dice.one_in(2)).then(|| dice.of(&own));
        step.events = (0..dice.below(3)).map(|n| format!("event {n}")).collect();
        step
    });
    let mut clip = Clip::new(steps.collect());
    clip.mode = dice.of(&[Mode::Loop, Mode::Once, Mode::Bounce]);
    clip.fps = Some(if dice.one_in(2) { Rate::Number(dice.of(&rates)) } else { Rate::Ratio(dice.of(&ratios).into()) });
    clip
}
