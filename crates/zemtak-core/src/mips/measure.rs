//! How much of a sprite's neighbours can be seen, measured by sampling.

use super::footprint::needed;
use super::sample::at_texels;
use super::{Light, half_of_part, level_size};
use crate::atlas::{Alpha, Filter};
use crate::geometry::Rect;
use crate::pixels::Pixels;

/// How a sprite is sampled at one level.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LevelMeasure {
    /// The level, 0 for the full size.
    pub level: u32,
    /// The largest share in a sample of texels that differ from what the sprite's own pixels would give.
    pub foreign: f64,
    /// The largest difference that this makes in a sample, in any channel as drawn: 0 to 255.
    pub error: f64,
    /// The place of that on the page, in pixels.
    pub at: [f64; 2],
}

impl LevelMeasure {
    /// Whether nothing but the sprite can be seen.
    #[must_use]
    pub fn is_clean(&self) -> bool {
        self.foreign == 0.0
    }
}

/// A sprite at all levels, the full size first.
#[derive(Debug, Clone, PartialEq)]
pub struct Measured {
    /// Level by level.
    pub levels: Vec<LevelMeasure>,
}

impl Measured {
    /// The deepest level down to which nothing but the sprite can be seen; `None` if that is not so even at full size.
    #[must_use]
    pub fn clean(&self) -> Option<u32> {
        self.levels.iter().take_while(|level| level.is_clean()).last().map(|level| level.level)
    }
}

/// Smaller shares are rounding errors.
const LEAST_SHARE: f64 = 1e-9;

/// How far inside its edges a sprite is sampled, in addition to the edges themselves, in pixels.
const INSIDE: f64 = 1.0 / 256.0;

/// How a page is sampled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Look {
    /// What colour under half transparency means.
    pub alpha: Alpha,
    /// How its levels are made.
    pub light: Light,
    /// How each of them is sampled.
    pub filter: Filter,
}

/// Samples a box along its edges and just inside them, at each level of its page, and compares that with the same
/// samples of levels that are made of the box alone, with its outermost pixels repeated forever.
///
/// Levels are given with the full size first; edges are those of the box, moved inwards by `shrink` pixels. The nearest
/// texel is never sampled exactly on an edge, where it would be the neighbour's.
#[must_use]
pub fn measure(levels: &[&Pixels], rect: Rect, shrink: f64, look: Look) -> Measured {
    let Look { alpha, light, filter } = look;
    let own = own_levels(levels, rect, alpha, light, filter);
    let page = levels[0].size();
    let measured = own.iter().zip(levels).enumerate().map(|(n, ((corner, own), level))| {
        let n = u32::try_from(n).unwrap_or(u32::MAX);
        let size = level_size(page, n);
        let scale = [f64::from(size.w) / f64::from(page.w), f64::from(size.h) / f64::from(page.h)];
        let mut found = LevelMeasure { level: n, foreign: 0.0, error: 0.0, at: [f64::from(rect.x), f64::from(rect.y)] };
        let clamped = |x: i64, y: i64| {
            let side = |at: i64, side: u32| u32::try_from(at.clamp(0, i64::from(side) - 1)).unwrap_or(0);
            [side(x, size.w), side(y, size.h)]
        };
        let of_page = |x: i64, y: i64| {
            let [x, y] = clamped(x, y);
            level.get(x, y).unwrap_or_default()
        };
        let of_own = |x: i64, y: i64| {
            let [x, y] = clamped(x, y);
            own.get(x.wrapping_sub(corner[0]), y.wrapping_sub(corner[1])).unwrap_or_default()
        };
        for [x, y] in places(rect, shrink, scale, filter) {
            let at = [x * scale[0], y * scale[1]];
            let differs = |x, y| [f64::from(u8::from(!looks_the_same(of_page(x, y), of_own(x, y)))), 0.0, 0.0, 0.0];
            let foreign = at_texels(at, filter, differs)[0];
            if foreign < LEAST_SHARE {
                continue;
            }
            let seen = |texel: &dyn Fn(i64, i64) -> [u8; 4]| {
                drawn(at_texels(at, filter, |x, y| texel(x, y).map(f64::from)), alpha)
            };
            let (with, without) = (seen(&of_page), seen(&of_own));
            let error = with.iter().zip(without).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            found.foreign = found.foreign.max(foreign);
            if error > found.error {
                (found.error, found.at) = (error, [x, y]);
            }
        }
        found
    });
    Measured { levels: measured.collect() }
}

/// Colour under transparent pixels cannot be seen if levels are weighted by alpha.
fn looks_the_same(one: [u8; 4], other: [u8; 4]) -> bool {
    one == other || (one[3] == 0 && other[3] == 0)
}

/// What a sample contributes to the picture.
fn drawn([r, g, b, a]: [f64; 4], alpha: Alpha) -> [f64; 4] {
    let share = if alpha == Alpha::Straight { a / 255.0 } else { 1.0 };
    [r * share, g * share, b * share, a]
}

/// The places of a box that are sampled: along each edge, twice for each texel of the level.
fn places(rect: Rect, shrink: f64, scale: [f64; 2], filter: Filter) -> Vec<[f64; 2]> {
    let [x, y, w, h] = [rect.x, rect.y, rect.w, rect.h].map(f64::from);
    let (across, down) = (shrink.min(w / 2.0), shrink.min(h / 2.0));
    let [x, y, w, h] = [x + across, y + down, w - 2.0 * across, h - 2.0 * down];
    let along = |start: f64, length: f64, scale: f64| {
        let count = (2.0 * length * scale).ceil().max(2.0);
        let inner = if filter == Filter::Nearest { INSIDE } else { 0.0 };
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "twice a side at most")]
        let steps = count as u32;
        (0..=steps).map(move |i| {
            (start + length * f64::from(i) / count)
                .clamp(start + inner.min(length / 2.0), start + length - inner.min(length / 2.0))
        })
    };
    let mut out = Vec::new();
    for inside in [0.0, INSIDE.min(w / 2.0).min(h / 2.0)] {
        if filter == Filter::Nearest && inside == 0.0 && w > 0.0 && h > 0.0 {
            continue;
        }
        for v in along(y, h, scale[1]) {
            out.extend([[x + inside, v], [x + w - inside, v]]);
        }
        for u in along(x, w, scale[0]) {
            out.extend([[u, y + inside], [u, y + h - inside]]);
        }
    }
    out
}

/// The levels of a box alone, as far as samples of it reach, each with its top left corner.
fn own_levels(levels: &[&Pixels], rect: Rect, alpha: Alpha, light: Light, filter: Filter) -> Vec<([u32; 2], Pixels)> {
    let page = levels[0].size();
    let depth = u32::try_from(levels.len() - 1).unwrap_or(0);
    let needed = needed(page, rect, depth, filter);
    let mut out: Vec<([u32; 2], Pixels)> = Vec::new();
    for (n, part) in (0..).zip(needed) {
        let corner = [part.x, part.y];
        let made = match out.last() {
            None => repeated(levels[0], rect, part),
            Some((corner, above)) => half_of_part(above, *corner, level_size(page, n - 1), part, alpha, light),
        };
        let Some(made) = made else { break };
        out.push((corner, made));
    }
    out
}

/// A part of the page as if the box went on forever.
fn repeated(page: &Pixels, rect: Rect, part: Rect) -> Option<Pixels> {
    let mut out = Pixels::transparent(part.size())?;
    for y in 0..part.h {
        let from = (part.y + y).clamp(rect.y, rect.y + rect.h - 1);
        for (x, pixel) in (part.x..).zip(out.row_mut(y).chunks_exact_mut(4)) {
            pixel.copy_from_slice(&page.get(x.clamp(rect.x, rect.x + rect.w - 1), from).unwrap_or_default());
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Both ends of each edge are sampled. With nearest neighbours, a place on the edge itself may belong to the pixel
    /// beyond it, so all places lie slightly inside; with a mean of four they begin on the edge.
    #[test]
    fn samples_go_along_all_edges_and_stay_within_the_box() {
        let rect = Rect::new(3, 5, 8, 4);
        for (filter, shrink) in
            [(Filter::Nearest, 0.0), (Filter::Nearest, 0.5), (Filter::Linear, 0.0), (Filter::Linear, 0.5)]
        {
            let inner = if filter == Filter::Nearest { INSIDE } else { 0.0 };
            let [left, top] = [3.0 + shrink, 5.0 + shrink];
            let [right, bottom] = [11.0 - shrink, 9.0 - shrink];
            let places = places(rect, shrink, [1.0, 1.0], filter);
            let span = |k: usize| places.iter().fold((f64::MAX, f64::MIN), |(a, b), p| (a.min(p[k]), b.max(p[k])));
            assert_eq!(
                (span(0), span(1)),
                ((left + inner, right - inner), (top + inner, bottom - inner)),
                "{filter:?} {shrink}"
            );
            let beside =
                |x: f64, y: f64| places.iter().any(|p| (p[0] - x).abs() <= INSIDE && (p[1] - y).abs() <= INSIDE);
            assert!([(left, top), (right, top), (left, bottom), (right, bottom)].iter().all(|&(x, y)| beside(x, y)));
            assert!(beside(left, f64::midpoint(top, bottom)) && beside(f64::midpoint(left, right), bottom));
        }
    }
}
