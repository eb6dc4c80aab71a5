//! The steps of a clip as pictures on their common canvas, in the order and at the times in which they are shown.

use super::{Of, played};
use crate::console::Console;
use crate::descriptor;
use std::collections::{BTreeMap, BTreeSet};
use zemtak_build::{Failure, HeldPixels, Problem, ProblemKind, format};
use zemtak_core::atlas::{Alpha, Atlas, Clip, Mode, Sprite};
use zemtak_core::clip::{Ratio, Timeline, common};
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::straighten;
use zemtak_core::resample::{Factor, Resample, Scale, resample};
use zemtak_runtime::AtlasFile;

/// How a step is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Look {
    /// Output pixels per side of a pixel.
    pub zoom: u32,
    /// Blend between pixels instead of keeping hard edges.
    pub smooth: bool,
    /// The background.
    pub behind: Behind,
}

/// How a clip is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shown {
    /// How each step is drawn.
    pub look: Look,
    /// How fast it plays.
    pub speed: Ratio,
    /// Each step once, instead of in playback order.
    pub once_each: bool,
}

/// The background of a clip.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Behind {
    /// Nothing.
    Transparent,
    /// A colour.
    Colour([u8; 4]),
    /// A grey checkerboard.
    Checker,
}

/// The largest side of a picture, and the most pixels of all pictures together.
const LONGEST_SIDE: u32 = 16_384;
const MOST_PIXELS: u64 = 1 << 28;

/// The side of a square of the checkerboard.
const SQUARE: usize = 8;

/// A clip as pictures.
pub struct Frames {
    /// One picture per step.
    pictures: Vec<Pixels>,
    /// When each turn begins and ends.
    pub timeline: Timeline,
    /// The turns that are shown, in order.
    pub order: Vec<usize>,
    /// Whether it starts again from the beginning after its end.
    pub for_ever: bool,
    speed: Ratio,
    _held: HeldPixels,
}

impl Frames {
    /// Draws the steps of a clip.
    ///
    /// # Errors
    /// The clip cannot be played, its pages cannot be read, or the pictures would be too large.
    pub fn of(file: &AtlasFile, of: &Of, how: Shown, console: &Console) -> Result<Self, Failure> {
        let Shown { look, speed, once_each } = how;
        let (clip, timeline) = played(file.atlas(), &of.clip)?;
        if speed.num() == 0 {
            let why = "at a speed of 0 it stands still";
            return Err(Problem::usage(ProblemKind::StillClip, "--speed", why, "give another speed").into());
        }
        let (pictures, held) = pictures(file, of, clip, look, console)?;
        let mut order: Vec<usize> = (0..timeline.turns()).collect();
        if once_each {
            order.truncate(timeline.steps());
        }
        if speed.num() < 0 {
            order.reverse();
        }
        // A step that lasts no time is never seen.
        order.retain(|&turn| once_each || timeline.length_of(turn)[0] > 0);
        Ok(Self { pictures, timeline, order, for_ever: clip.mode != Mode::Once, speed, _held: held })
    }

    /// The pictures in the order in which they are shown.
    pub fn shown(&self) -> impl Iterator<Item = &Pixels> {
        self.order.iter().map(|&turn| &self.pictures[self.timeline.step_of(turn)])
    }

    /// When each of them ends, in nanoseconds from the beginning of the first.
    pub fn ends(&self) -> Vec<i64> {
        ends(&self.timeline, &self.order, self.speed)
    }
}

/// The sprite of each step on the common canvas, enlarged, over the background.
fn pictures(
    file: &AtlasFile,
    of: &Of,
    clip: &Clip,
    look: Look,
    console: &Console,
) -> Result<(Vec<Pixels>, HeldPixels), Failure> {
    let (atlas, name) = (file.atlas(), of.clip.as_str());
    let sprites: Option<Vec<&Sprite>> = clip.steps.iter().map(|step| atlas.sprites.get(&step.sprite)).collect();
    let problem = |why: String| {
        let help = "ask for a smaller --zoom, or look at the pivots with 'zemtak clip table'";
        Failure::from(Problem::bad_input(ProblemKind::CannotDrawClip, &format::name(name), why, help))
    };
    let sprites = sprites.ok_or_else(|| problem("a step is of another atlas".into()))?;
    let largest = LONGEST_SIDE / look.zoom.max(1);
    let canvas = common(sprites.iter().copied(), largest)
        .ok_or_else(|| problem(format!("its common canvas is larger than {largest} pixels a side")))?;
    let pixels = canvas.size.area() * u64::from(look.zoom).pow(2) * clip.steps.len() as u64;
    if pixels > MOST_PIXELS {
        return Err(problem(format!(
            "{} pixels in all are more than {}",
            format::number(pixels),
            format::number(MOST_PIXELS)
        )));
    }
    let held = console.allowance().hold(name, &format::count(clip.steps.len(), "picture", "pictures"), pixels)?;
    let (pages, _pages_held) = pages(file, of, &sprites, console)?;
    let place = |(sprite, [x, y]): (&&Sprite, &[u32; 2])| {
        let own = sprite.restore(&pages[&sprite.page])?;
        let mut picture = Pixels::transparent(canvas.size)?;
        for row in 0..own.size().h {
            let bytes = own.row(row);
            picture.row_mut(y + row)[*x as usize * PIXEL..][..bytes.len()].copy_from_slice(bytes);
        }
        straight(&mut picture, atlas, sprite.page);
        Some(behind(zoomed(picture, look), look.behind))
    };
    let pictures: Option<Vec<Pixels>> = sprites.iter().zip(&canvas.places).map(place).collect();
    let pictures = pictures.ok_or_else(|| problem("a sprite is not on its page".into()))?;
    Ok((pictures, held))
}

/// The pages that sprites lie on, and the memory they count for.
fn pages(
    file: &AtlasFile,
    of: &Of,
    sprites: &[&Sprite],
    console: &Console,
) -> Result<(BTreeMap<usize, Pixels>, HeldPixels), Failure> {
    let needed: BTreeSet<usize> = sprites.iter().map(|sprite| sprite.page).collect();
    let needed: Vec<usize> = needed.into_iter().collect();
    let (pages, held) = descriptor::read_pages(&of.descriptor, file, &needed, console.allowance())?.whole()?;
    Ok((needed.into_iter().zip(pages).collect(), held))
}

fn straight(picture: &mut Pixels, atlas: &Atlas, page: usize) {
    if atlas.pages[page].alpha == Alpha::Premultiplied {
        straighten(picture);
    }
    picture.clear_hidden_colour();
}

fn zoomed(picture: Pixels, look: Look) -> Pixels {
    let how = if look.smooth { Resample::Smooth } else { Resample::Pixel };
    match Factor::times(look.zoom).filter(|_| look.zoom > 1) {
        Some(factor) => resample(&picture, Scale { factor, resample: how }),
        None => picture,
    }
}

/// Blends a picture over the background.
fn behind(mut picture: Pixels, behind: Behind) -> Pixels {
    let width = picture.size().w as usize;
    let colour_at = |i: usize| match behind {
        Behind::Transparent => [0; 4],
        Behind::Colour(colour) => colour,
        Behind::Checker if (i % width / SQUARE + i / width / SQUARE).is_multiple_of(2) => [200, 200, 204, 255],
        Behind::Checker => [160, 160, 166, 255],
    };
    if behind == Behind::Transparent {
        return picture;
    }
    for (i, pixel) in picture.as_bytes_mut().chunks_exact_mut(PIXEL).enumerate() {
        pixel.copy_from_slice(&over([pixel[0], pixel[1], pixel[2], pixel[3]], colour_at(i)));
    }
    picture
}

/// One colour over another: `a = a1 + a2 * (1 - a1)`, colours weighted by their share of it, all rounded.
fn over(top: [u8; 4], under: [u8; 4]) -> [u8; 4] {
    let (a, b) = (u32::from(top[3]) * 255, (255 - u32::from(top[3])) * u32::from(under[3]));
    let all = a + b;
    if all == 0 {
        return [0; 4];
    }
    let mixed = |k: usize| (u32::from(top[k]) * a + u32::from(under[k]) * b + all / 2) / all;
    [mixed(0), mixed(1), mixed(2), (all + 127) / 255].map(|value| u8::try_from(value).unwrap_or(u8::MAX))
}

/// When each shown turn ends, in nanoseconds from the start of the first.
pub fn ends(timeline: &Timeline, order: &[usize], speed: Ratio) -> Vec<i64> {
    let mut at = 0_i128;
    let ends = order.iter().map(|&turn| {
        at += i128::from(timeline.start_of(turn + 1)) - i128::from(timeline.start_of(turn));
        let slowed = at * i128::from(speed.den()) / i128::from(speed.num().unsigned_abs());
        i64::try_from(slowed).unwrap_or(i64::MAX)
    });
    ends.collect()
}
