//! Questions about an atlas, and what the core answers.

use crate::fixtures::Dice;
use std::fmt::Write as _;
use zemtak_core::atlas::{Atlas, Clip, Layer, Mode, Page, Sprite};
use zemtak_core::clip::{Player, Ratio, Timeline};
use zemtak_core::coords::{Flip, Middle, Part, Placement, Quad, Sampling, ScreenY, Stretched, VAxis, Visible, quad};

/// A question as a line of text, and its answer.
pub struct Asked {
    pub line: String,
    pub answer: String,
    /// How far numbers may be off: sines and cosines are each language's own.
    within: f64,
}

impl Asked {
    fn new(kind: &str, name: &str, numbers: &str, answer: String, within: f64) -> Self {
        Self { line: format!("{kind}\t{name}\t{numbers}"), answer, within }
    }

    /// Whether a line says the same. Numbers are rounded to single precision, as the core does last.
    pub fn is_answer(&self, line: &str) -> bool {
        let words = |text: &str| -> Vec<String> {
            text.split([' ', '\t', ',', '=']).filter(|word| !word.is_empty()).map(str::to_owned).collect()
        };
        let (said, wanted) = (words(line), words(&self.answer));
        let same = |(a, b): (&String, &String)| match (a.parse::<f64>(), b.parse::<f64>()) {
            (Ok(a), Ok(b)) => {
                let [a, b] = [a, b].map(|v| f64::from(v as f32));
                a == b || (a - b).abs() <= self.within * b.abs().max(1.0)
            }
            _ => a == b,
        };
        said.len() == wanted.len() && said.iter().zip(&wanted).all(same)
    }
}

/// All that is asked about an atlas.
pub fn of(atlas: &Atlas, seed: u64) -> Vec<Asked> {
    let mut dice = Dice(seed);
    let mut asked = vec![Asked::new("atlas", "", "", head(atlas), 0.0)];
    for (n, page) in atlas.pages.iter().enumerate() {
        asked.push(Asked::new("page", "", &n.to_string(), page_text(page), 0.0));
    }
    for (name, sprite) in &atlas.sprites {
        let name = name.as_str();
        // A line and a field of it end where these are.
        if name.contains(['\n', '\t']) {
            continue;
        }
        let page = &atlas.pages[sprite.page];
        asked.push(Asked::new("sprite", name, "", told(sprite), 0.0));
        for _ in 0..4 {
            asked.push(uv(&mut dice, name, sprite, page));
            asked.push(placed(&mut dice, name, sprite, page));
            asked.push(part(&mut dice, name, sprite, page));
            asked.push(stretched(&mut dice, name, sprite, page));
        }
    }
    for (name, clip) in &atlas.clips {
        let (name, timeline) = (name.as_str(), Timeline::of(clip).unwrap());
        asked.push(Asked::new("clip", name, "", steps(clip), 0.0));
        for _ in 0..12 {
            let time = moment(&mut dice, &timeline);
            let shown = timeline.at(time);
            let answer = format!("{} {} {}", shown.step, shown.played, u8::from(shown.ended));
            asked.push(Asked::new("at", name, &time.to_string(), answer, 0.0));
        }
        for _ in 0..4 {
            asked.push(play(&mut dice, name, clip, &timeline));
        }
    }
    asked
}

fn head(atlas: &Atlas) -> String {
    let [build_id, base] = [&atlas.build_id, &atlas.base].map(|text| text.as_deref().unwrap_or("none"));
    format!("{} {build_id} {base} {}", atlas.name, atlas.scale)
}

fn page_text(page: &Page) -> String {
    let Page { file, width, height, pixels, alpha, colour, sampling, hash, .. } = page;
    let safe = sampling.safe_mips.map_or_else(|| "none".to_owned(), |level| level.to_string());
    let mut out = format!("{file} {width} {height} {} {} {}", pixels.word(), alpha.word(), colour.word());
    let _ = write!(out, " {} {} {} {safe} {hash}", sampling.filter.word(), sampling.wrap.word(), sampling.mips);
    for (name, Layer { file, pixels, alpha, colour, .. }) in &page.layers {
        let _ = write!(out, "\t{name} {file} {} {} {}", pixels.word(), alpha.word(), colour.word());
    }
    out
}

fn told(sprite: &Sprite) -> String {
    let (rect, canvas, [left, top, right, bottom]) = (sprite.rect, sprite.canvas, sprite.stretch.unwrap_or([0; 4]));
    let mut out = format!(
        "{} {} {} {} {} {} {} {} {} {} {} {} {left} {top} {right} {bottom}",
        sprite.page,
        rect.x,
        rect.y,
        rect.w,
        rect.h,
        u8::from(sprite.turned),
        canvas.w,
        canvas.h,
        sprite.inset[0],
        sprite.inset[1],
        sprite.pivot[0],
        sprite.pivot[1]
    );
    sprite.points.iter().for_each(|(name, [x, y])| _ = write!(out, "\t{name}={x},{y}"));
    sprite.tags.iter().for_each(|tag| _ = write!(out, "\t#{tag}"));
    out
}

fn steps(clip: &Clip) -> String {
    let mode = [Mode::Loop, Mode::Once, Mode::Bounce].iter().position(|mode| *mode == clip.mode).unwrap();
    let mut out = mode.to_string();
    for step in &clip.steps {
        let _ = write!(out, "\t{}", step.sprite);
        step.events.iter().for_each(|event| _ = write!(out, "!{event}"));
    }
    out
}

fn uv(dice: &mut Dice, name: &str, sprite: &Sprite, page: &Page) -> Asked {
    let [x, y, up] = [(); 3].map(|()| dice.one_in(2));
    let shrink = dice.of(&[0.0, 0.5, 0.25, 1000.0]);
    let v = if up { VAxis::Up } else { VAxis::Down };
    let corners = sprite.picture(page).unwrap().area.corners(&Sampling { flip: Flip { x, y }, v, shrink });
    let numbers = format!("{} {} {} {shrink}", u8::from(x), u8::from(y), u8::from(up));
    Asked::new("uv", name, &numbers, numbers_of(corners.as_flattened()), 0.0)
}

fn numbers_of(all: &[f32]) -> String {
    all.iter().map(|v| format!("{v} ")).collect()
}

fn quad_text(quad: &Quad) -> String {
    let indices: String = quad.indices.iter().map(|i| format!("{i} ")).collect();
    numbers_of(quad.positions.as_flattened()) + &numbers_of(quad.uv.as_flattened()) + &indices
}

/// A placement by lot with its numbers, and how far results may be off.
fn placement(dice: &mut Dice) -> (Placement, Sampling, String, f64) {
    let quarters = [0.0, 90.0, -90.0, 180.0, 270.0, 450.0, -720.0];
    let degrees = if dice.one_in(2) { dice.of(&quarters) } else { dice.about(1000) };
    let [y_up, v_up] = [(); 2].map(|()| dice.one_in(2));
    let scale = [dice.of(&[1.0, 2.0, -1.0, 0.3]), dice.of(&[1.0, -2.5, 0.7])];
    // At the origin a quarter turn shows whether it is exact.
    let at = if dice.one_in(3) { [0.0; 2] } else { [dice.about(500), dice.about(500)] };
    let shrink = dice.of(&[0.0, 0.5]);
    let y = if y_up { ScreenY::Up } else { ScreenY::Down };
    let v = if v_up { VAxis::Up } else { VAxis::Down };
    let ups = [y_up, v_up].map(u8::from);
    let text = format!("{} {} {} {} {degrees} {} {} {shrink}", at[0], at[1], scale[0], scale[1], ups[0], ups[1]);
    let within = if quarters.contains(&degrees) { 0.0 } else { 1e-6 };
    let placement = Placement { at, scale, degrees, flip: Flip::default(), y };
    (placement, Sampling { v, shrink, ..Sampling::default() }, text, within)
}

fn placed(dice: &mut Dice, name: &str, sprite: &Sprite, page: &Page) -> Asked {
    let (placement, sampling, text, within) = placement(dice);
    let shown = sprite.picture(page).unwrap().shown();
    Asked::new("quad", name, &text, quad_text(&quad(&shown, sprite.pivot, &placement, &sampling)), within)
}

fn part(dice: &mut Dice, name: &str, sprite: &Sprite, page: &Page) -> Asked {
    let [x, y] = [sprite.canvas.w, sprite.canvas.h].map(|side| i32::try_from(dice.below(side + 20)).unwrap() - 10);
    let [w, h] = [(); 2].map(|()| 1 + dice.below(40));
    let at = Placement { at: [5.0, 7.0], ..Placement::default() };
    let draw = |shown: Visible| quad_text(&quad(&shown, sprite.pivot, &at, &Sampling::default()));
    let shown = sprite.picture(page).unwrap().part(&[Part { x, y, w, h }]);
    Asked::new("part", name, &format!("{x} {y} {w} {h}"), shown.map_or("none".into(), draw), 0.0)
}

fn stretched(dice: &mut Dice, name: &str, sprite: &Sprite, page: &Page) -> Asked {
    let (placement, sampling, text, within) = placement(dice);
    let to = [dice.of(&[1.0, 40.0, 333.5]), dice.of(&[3.0, 64.0, 200.25])];
    let middle = if dice.one_in(2) { Middle::Tiled } else { Middle::Stretched };
    let picture = sprite.picture(page).unwrap();
    let stretched = Stretched::new(picture, sprite.stretch.unwrap_or_default(), to, middle);
    let quads = stretched.quads(sprite.pivot, placement, sampling).map(|quad| quad_text(&quad) + "\t");
    let numbers = format!("{} {} {} {text}", to[0], to[1], u8::from(middle == Middle::Tiled));
    Asked::new("stretch", name, &numbers, quads.collect(), within)
}

/// A time in nanoseconds: near the beginning of a turn, after hours, before the beginning.
fn moment(dice: &mut Dice, timeline: &Timeline) -> i64 {
    let turn = dice.below(u32::try_from(timeline.turns()).unwrap() + 1);
    let near = timeline.start_of(turn as usize);
    match dice.below(5) {
        0 if near < 1 << 50 => near - 1,
        1 if near < 1 << 50 => near,
        2 => i64::from(dice.below(u32::MAX)) * 1000,
        3 => 36_000_000_000_000 + i64::from(dice.below(u32::MAX)),
        _ => -i64::from(dice.below(u32::MAX)) * 10,
    }
}

fn play(dice: &mut Dice, name: &str, clip: &Clip, timeline: &Timeline) -> Asked {
    // A clip that stands still has no end from which times could count back.
    let stands = timeline.start_of(timeline.turns()) > 1 << 52;
    let period = timeline.start_of(timeline.turns()).min(1_000_000_000);
    let start = if stands { 0 } else { dice.of(&[0, 1, period / 2, -period / 3]) };
    let mut player = Player::starting_at(Ratio::ONE, timeline, start);
    let (mut numbers, mut answer) = (start.to_string(), String::new());
    for _ in 0..8 {
        let way = period * i64::from(dice.below(400)) / 100 + i64::from(dice.below(3));
        let way = if dice.one_in(4) && !stands { -way } else { way };
        let _ = write!(numbers, " {way}");
        for step in player.advance(timeline, way) {
            let _ = write!(answer, "{};", clip.steps[step].sprite);
        }
        let (step, ended) = (player.step(timeline), u8::from(player.ended(timeline)));
        let _ = write!(answer, "|{} {} {ended}\t", clip.steps[step].sprite, player.played());
    }
    Asked::new("play", name, &numbers, answer, 0.0)
}
