//! Sampling as a graphics card does: the formulas of OpenGL ES 3.2, section 8.14, in double precision.

use crate::atlas::{Filter, Wrap};
use crate::pixels::Pixels;

/// How levels are chosen and mixed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Between {
    /// The nearest level.
    #[default]
    Nearest,
    /// The two nearest levels, blended: with a linear filter this is called trilinear.
    Linear,
}

/// How a texture is sampled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sampling {
    /// Within a level.
    pub filter: Filter,
    /// Between levels.
    pub between: Between,
    /// Beyond the edges.
    pub wrap: Wrap,
}

/// The value of a sample at `(u, v)`, v down: each channel from 0 to 255. `lod` is the level, 0 for the full size;
/// fractions lie between two levels. Levels are given with the full size first, at least one.
#[must_use]
pub fn sample(levels: &[&Pixels], [u, v]: [f64; 2], lod: f64, sampling: Sampling) -> [f64; 4] {
    let deepest = levels.len().saturating_sub(1);
    let level = |at: f64| -> usize {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "held to the levels that there are"
        )]
        let at = at.max(0.0) as usize;
        at.min(deepest)
    };
    let at_level = |n: usize| {
        let pixels = levels[n];
        let texel = |x: i64, y: i64| {
            let pixel =
                pixels.get(wrapped(x, pixels.size().w, sampling.wrap), wrapped(y, pixels.size().h, sampling.wrap));
            pixel.unwrap_or_default().map(f64::from)
        };
        at_texels([u * f64::from(pixels.size().w), v * f64::from(pixels.size().h)], sampling.filter, texel)
    };
    match sampling.between {
        Between::Nearest => at_level(level((lod + 0.5).ceil() - 1.0)),
        Between::Linear => {
            let below = level(lod.floor());
            let (one, other) = (at_level(below), at_level(level(lod.floor() + 1.0)));
            mixed(one, other, if lod <= 0.0 { 0.0 } else { lod - lod.floor() })
        }
    }
}

/// The value sampled from one level at a place in texels.
pub(super) fn at_texels([x, y]: [f64; 2], filter: Filter, texel: impl Fn(i64, i64) -> [f64; 4]) -> [f64; 4] {
    #[expect(clippy::cast_possible_truncation, reason = "far below the largest whole number")]
    let whole = |at: f64| at.floor() as i64;
    if filter == Filter::Nearest {
        return texel(whole(x), whole(y));
    }
    let (x, y) = (x - 0.5, y - 0.5);
    let (i, j, across, down) = (whole(x), whole(y), x - x.floor(), y - y.floor());
    let row = |j: i64| mixed(texel(i, j), texel(i + 1, j), across);
    mixed(row(j), row(j + 1), down)
}

fn mixed(one: [f64; 4], other: [f64; 4], share: f64) -> [f64; 4] {
    std::array::from_fn(|k| one[k] * (1.0 - share) + other[k] * share)
}

/// The texel that replaces one beyond the edges.
fn wrapped(at: i64, side: u32, wrap: Wrap) -> u32 {
    let side = i64::from(side);
    let on = match wrap {
        Wrap::Repeat => at.rem_euclid(side),
        Wrap::Mirror => {
            let within = at.rem_euclid(2 * side);
            if within < side { within } else { 2 * side - 1 - within }
        }
        _ => at.clamp(0, side - 1),
    };
    u32::try_from(on).unwrap_or(0)
}
