//! The pictures of a clip on one canvas, with all pivots in one place, so that nothing jitters.

use crate::atlas::Sprite;
use crate::geometry::Size;

/// A canvas that holds all steps of a clip, and where each step's own canvas begins on it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Common {
    /// Its size.
    pub size: Size,
    /// Where each step begins, in pixels.
    pub places: Vec<[u32; 2]>,
}

/// The common canvas of sprites whose pivots coincide. Pivots between pixels are rounded to the nearest one. `None` if
/// a pivot is not a number, or so far out that the canvas exceeds `largest`.
#[must_use]
pub fn common<'s>(sprites: impl Iterator<Item = &'s Sprite>, largest: u32) -> Option<Common> {
    let whole = |value: f64| {
        let value = value.round();
        #[expect(clippy::cast_possible_truncation, reason = "held to be within range")]
        let whole = (value.abs() <= f64::from(u32::MAX)).then_some(value as i64);
        whole
    };
    // Relative to the pivot.
    let boxes = sprites.map(|sprite| {
        let (x, y) = (-whole(sprite.pivot[0])?, -whole(sprite.pivot[1])?);
        Some([x, y, x + i64::from(sprite.canvas.w), y + i64::from(sprite.canvas.h)])
    });
    let boxes: Vec<[i64; 4]> = boxes.collect::<Option<_>>()?;
    let edge = |k: usize| boxes.iter().map(move |b| b[k]);
    let (left, top) = (edge(0).min()?, edge(1).min()?);
    let side = |length: i64| u32::try_from(length).ok().filter(|side| *side <= largest);
    let size = Size::new(side(edge(2).max()? - left)?, side(edge(3).max()? - top)?);
    let places = boxes.iter().map(|b| Some([side(b[0] - left)?, side(b[1] - top)?]));
    Some(Common { size, places: places.collect::<Option<_>>()? })
}
