//! Coordinates between a page and the screen: texture coordinates in every form, parts of sprites, quads, grids.
//!
//! Pixels have their origin at the page's top left, y down. U goes from 0 at the left edge to 1 at the right one; V from 0
//! at the top row ([`VAxis::Down`]) or at the bottom row ([`VAxis::Up`]). Everything is computed in `f64` and rounded to
//! `f32` last; nothing here allocates.
//!
//! ```
//! use zemtak_core::coords::{Area, Flip, Sampling, VAxis};
//! use zemtak_core::geometry::{Rect, Size};
//!
//! let area = Area::new(Size::new(512, 256), Rect::new(34, 2, 28, 30), false)?;
//! assert_eq!(area.rect(&Sampling::default()).0, [0.06640625, 0.0078125, 0.12109375, 0.125]);
//! let up = Sampling { v: VAxis::Up, flip: Flip { x: true, y: false }, ..Sampling::default() };
//! assert_eq!(area.corners(&up)[0], [0.12109375, 0.9921875]); // what is drawn at the sprite's top left
//! # Ok::<(), zemtak_core::coords::AreaError>(())
//! ```

mod area;
mod grid;
mod part;
mod quad;
mod stretch;

pub use area::{Area, AreaError, Flip, OffsetScale, Sampling, Turned, Unorm16, VAxis};
pub use grid::{Cell, Grid, GridError, Sheet};
pub use part::{Part, PartError, Picture, Visible};
pub use quad::{Placement, QUADS_A_DRAW, Quad, ScreenY, TileError, Tiles, VERTEX_BYTES, fill, fit, quad, tiles};

pub use stretch::{Middle, Stretched};

use crate::geometry::{Rect, Size};
use serde::{Deserialize, Serialize};

/// A rectangle of texture coordinates, `[u0, v0, u1, v1]`; the first corner is the picture's top left.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct UvRect(pub [f32; 4]);

impl UvRect {
    /// The UV rectangle of a box on a page, V down: `x/W, y/H, (x+w)/W, (y+h)/H`, computed in `f64` and rounded to `f32`
    /// last.
    #[must_use]
    pub fn of(rect: Rect, page: Size) -> Self {
        let Edges([left, top, right, bottom]) = Edges::of(rect);
        let (w, h) = (f64::from(page.w), f64::from(page.h));
        Self([single(left / w), single(top / h), single(right / w), single(bottom / h)])
    }

    /// The box on a page that a rectangle with V down stands for: edges are rounded to whole pixels. `None` if that
    /// leaves the page, or if the rectangle is upside down or contains NaN.
    #[must_use]
    pub fn to_box(self, page: Size) -> Option<Rect> {
        let [u0, v0, u1, v1] = self.0;
        let edge = |t: f32, side: u32| {
            let pixels = (f64::from(t) * f64::from(side)).round();
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to be within the page")]
            let whole = (0.0..=f64::from(side)).contains(&pixels).then_some(pixels as u32);
            whole
        };
        let (x, y, right, bottom) = (edge(u0, page.w)?, edge(v0, page.h)?, edge(u1, page.w)?, edge(v1, page.h)?);
        Some(Rect::new(x, y, right.checked_sub(x)?, bottom.checked_sub(y)?))
    }
}

/// The pixel of a page at a sample point, V down: rounded down, including the far edges. `None` outside the page.
#[must_use]
pub fn pixel_at(uv: [f64; 2], page: Size) -> Option<[u32; 2]> {
    let pixel = |t: f64, side: u32| {
        if !(0.0..=1.0).contains(&t) || side == 0 {
            return None;
        }
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "between 0 and the side")]
        let whole = (t * f64::from(side)).floor() as u32;
        Some(whole.min(side - 1))
    };
    Some([pixel(uv[0], page.w)?, pixel(uv[1], page.h)?])
}

/// The UV of a pixel's centre, V down.
#[must_use]
pub fn centre_of([x, y]: [u32; 2], page: Size) -> [f64; 2] {
    [(f64::from(x) + 0.5) / f64::from(page.w), (f64::from(y) + 0.5) / f64::from(page.h)]
}

/// Left, top, right and bottom of a rectangle.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Edges([f64; 4]);

impl Edges {
    fn of(rect: Rect) -> Self {
        #[expect(clippy::cast_precision_loss, reason = "sums of two u32 are exact in f64")]
        let (right, bottom) = (rect.right() as f64, rect.bottom() as f64);
        Self([f64::from(rect.x), f64::from(rect.y), right, bottom])
    }
}

/// Rounded to the nearest `f32`.
#[expect(clippy::cast_possible_truncation, reason = "rounded, as meant")]
fn single(value: f64) -> f32 {
    value as f32
}

#[cfg(test)]
mod tests;
