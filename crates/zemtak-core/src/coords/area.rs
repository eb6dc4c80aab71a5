//! The texture coordinates of a box on a page, in every form.

use super::{Edges, UvRect, single};
use crate::geometry::{Rect, Size};

/// Which way V goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum VAxis {
    /// 0 is the top row.
    #[default]
    Down,
    /// 0 is the bottom row: for pages that are uploaded bottom row first.
    Up,
}

/// Mirroring, seen on the upright picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub struct Flip {
    /// Left and right are exchanged.
    pub x: bool,
    /// Top and bottom are exchanged.
    pub y: bool,
}

/// How to compute texture coordinates.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Sampling {
    /// Mirroring.
    pub flip: Flip,
    /// Which way V goes.
    pub v: VAxis,
    /// By how many texels each edge is moved inwards, at most to the centre. 0.5 keeps linear filtering within the box.
    /// Not negative.
    pub shrink: f64,
}

/// A box of a page that holds an upright or a turned picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Area {
    page: Size,
    rect: Rect,
    turned: bool,
}

/// Why a box is not a valid area of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum AreaError {
    /// It has no pixels.
    #[error("the box {0} is empty")]
    Empty(Rect),
    /// It reaches beyond its page.
    #[error("the box {rect} reaches beyond its page of {page}")]
    Outside {
        /// The box.
        rect: Rect,
        /// The page.
        page: Size,
    },
}

/// A turned box has no offset and scale; use its matrix instead.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a turned box has no offset and scale; take its 2x3 matrix")]
pub struct Turned;

/// `uv = offset + scale * t`, with t in 0..1 on both axes of the upright picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OffsetScale {
    /// The UV of the picture's top left.
    pub offset: [f32; 2],
    /// The vector to its bottom right; negative if an axis is flipped or V goes up.
    pub scale: [f32; 2],
}

/// Corners as 16-bit normalised integers: `value = round(uv * 65535)`, halves away from zero, after V was flipped.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unorm16 {
    /// Top left, top right, bottom right, bottom left of the upright picture.
    pub corners: [[u16; 2]; 4],
    /// The error of the farthest of them, in texels of U and V.
    pub error: [f64; 2],
}

impl Area {
    /// A box of a page.
    ///
    /// # Errors
    /// The box is empty or reaches beyond the page.
    pub const fn new(page: Size, rect: Rect, turned: bool) -> Result<Self, AreaError> {
        if rect.w == 0 || rect.h == 0 {
            Err(AreaError::Empty(rect))
        } else if rect.inside(page) {
            Ok(Self { page, rect, turned })
        } else {
            Err(AreaError::Outside { rect, page })
        }
    }

    /// The page's size.
    #[must_use]
    pub const fn page(&self) -> Size {
        self.page
    }

    /// The box as stored.
    #[must_use]
    pub const fn stored(&self) -> Rect {
        self.rect
    }

    /// Whether the picture is stored turned by 90 degrees clockwise.
    #[must_use]
    pub const fn turned(&self) -> bool {
        self.turned
    }

    /// The size of the upright picture.
    #[must_use]
    pub const fn upright(&self) -> Size {
        self.rect.size().stored(self.turned)
    }

    /// The box of a part of the upright picture, or `None` if the part is empty or not inside. Pixel (i, j) of an
    /// upright w x h picture lies at (h-1-j, i) of a turned box.
    #[must_use]
    pub fn inner(&self, part: Rect) -> Option<Self> {
        let upright = self.upright();
        if part.w == 0 || part.h == 0 || !part.inside(upright) {
            return None;
        }
        let Rect { x, y, .. } = self.rect;
        let rect = if self.turned {
            Rect::new(x + (upright.h - part.y - part.h), y + part.x, part.h, part.w)
        } else {
            Rect::new(x + part.x, y + part.y, part.w, part.h)
        };
        Some(Self { rect, ..*self })
    }

    /// Which axes of the stored box a shrink of `texels` narrows to the centre, so that it could not be done in full.
    #[must_use]
    pub fn shrinks_to_centre(&self, texels: f64) -> [bool; 2] {
        [self.rect.w, self.rect.h].map(|side| texels * 2.0 > f64::from(side))
    }

    /// Edges of the stored box in UV, exact to `f64`: the first corner is the stored box's top left.
    #[inline]
    fn edges(&self, how: &Sampling) -> [f64; 4] {
        let Edges([left, top, right, bottom]) = Edges::of(self.rect);
        let narrowed = |a: f64, b: f64| {
            let by = how.shrink.min((b - a) / 2.0);
            (a + by, b - by)
        };
        let ((x0, x1), (y0, y1)) = (narrowed(left, right), narrowed(top, bottom));
        let (w, h) = (f64::from(self.page.w), f64::from(self.page.h));
        let (y0, y1) = match how.v {
            VAxis::Down => (y0, y1),
            // Not 1 - y/h, which would round twice.
            VAxis::Up => (h - y0, h - y1),
        };
        [x0 / w, y0 / h, x1 / w, y1 / h]
    }

    /// The rectangle of the box as stored. A flip exchanges the edges that it mirrors: for left and right those of U,
    /// or those of V if the box is turned.
    #[must_use]
    pub fn rect(&self, how: &Sampling) -> UvRect {
        let [u0, v0, u1, v1] = self.edges(how).map(single);
        let (swap_u, swap_v) = if self.turned { (how.flip.y, how.flip.x) } else { (how.flip.x, how.flip.y) };
        let (u0, u1) = if swap_u { (u1, u0) } else { (u0, u1) };
        let (v0, v1) = if swap_v { (v1, v0) } else { (v0, v1) };
        UvRect([u0, v0, u1, v1])
    }

    /// Corners before rounding, in the order of [`Area::corners`].
    #[inline]
    fn exact_corners(&self, how: &Sampling) -> [[f64; 2]; 4] {
        let [u0, v0, u1, v1] = self.edges(how);
        let stored = [[u0, v0], [u1, v0], [u1, v1], [u0, v1]];
        let [mut a, mut b, mut c, mut d] = stored;
        if self.turned {
            // The upright top left is the stored top right, and so on.
            [a, b, c, d] = [b, c, d, a];
        }
        if how.flip.x {
            [a, b, c, d] = [b, a, d, c];
        }
        if how.flip.y {
            [a, b, c, d] = [d, c, b, a];
        }
        [a, b, c, d]
    }

    /// The `[u, v]` for the top left, top right, bottom right and bottom left corners of the upright picture.
    #[must_use]
    #[inline]
    pub fn corners(&self, how: &Sampling) -> [[f32; 2]; 4] {
        self.exact_corners(how).map(|corner| corner.map(single))
    }

    /// Offset and scale of an upright box.
    ///
    /// # Errors
    /// The box is turned.
    pub fn offset_scale(&self, how: &Sampling) -> Result<OffsetScale, Turned> {
        if self.turned {
            return Err(Turned);
        }
        let [from, _, to, _] = self.exact_corners(how);
        Ok(OffsetScale { offset: from.map(single), scale: [single(to[0] - from[0]), single(to[1] - from[1])] })
    }

    /// The matrix in `uv = M * (s, t, 1)`, with s to the right and t down in 0..1 over the upright picture: two rows of
    /// three.
    #[must_use]
    pub fn matrix(&self, how: &Sampling) -> [[f32; 3]; 2] {
        let [origin, right, _, down] = self.exact_corners(how);
        [0, 1].map(|k| [single(right[k] - origin[k]), single(down[k] - origin[k]), single(origin[k])])
    }

    /// The corners as 16-bit normalised integers, and their error.
    #[must_use]
    pub fn unorm16(&self, how: &Sampling) -> Unorm16 {
        let exact = self.exact_corners(how);
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "u and v are in 0..1")]
        let corners = exact.map(|corner| corner.map(|t| (t * 65535.0).round() as u16));
        let sides = [f64::from(self.page.w), f64::from(self.page.h)];
        let mut error = [0.0_f64; 2];
        for (corner, exact) in corners.iter().zip(exact) {
            for k in 0..2 {
                error[k] = error[k].max((f64::from(corner[k]) / 65535.0 - exact[k]).abs() * sides[k]);
            }
        }
        Unorm16 { corners, error }
    }
}
