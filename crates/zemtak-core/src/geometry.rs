//! Integer rectangles and sizes. Pixels: origin at the top left, y down, half-open ranges.

use serde::{Deserialize, Serialize};
use std::fmt;

/// The longest page side that can be asked for, in pixels.
pub const LONGEST_SIDE: u32 = 1 << 20;

/// A width and a height in pixels; written `[w, h]`.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(from = "[u32; 2]", into = "[u32; 2]")]
pub struct Size {
    /// Width in pixels.
    pub w: u32,
    /// Height in pixels.
    pub h: u32,
}

impl Size {
    /// A size of `w` by `h` pixels.
    #[must_use]
    pub const fn new(w: u32, h: u32) -> Self {
        Self { w, h }
    }

    /// The number of pixels; never overflows.
    #[must_use]
    pub const fn area(self) -> u64 {
        self.w as u64 * self.h as u64
    }

    /// The size with its sides swapped: that of a sprite turned by 90 degrees.
    #[must_use]
    pub const fn swapped(self) -> Self {
        Self::new(self.h, self.w)
    }

    /// The size as stored: swapped when `turned`.
    #[must_use]
    pub const fn stored(self, turned: bool) -> Self {
        if turned { self.swapped() } else { self }
    }

    /// Whether a thing of this size fits into `room` without turning.
    #[must_use]
    pub const fn fits_in(self, room: Self) -> bool {
        self.w <= room.w && self.h <= room.h
    }
}

impl fmt::Display for Size {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} x {}", self.w, self.h)
    }
}

impl From<[u32; 2]> for Size {
    fn from([w, h]: [u32; 2]) -> Self {
        Self::new(w, h)
    }
}

impl From<Size> for [u32; 2] {
    fn from(s: Size) -> Self {
        [s.w, s.h]
    }
}

/// A rectangle `[x, y, w, h]` in pixels, covering `x..x+w` and `y..y+h`.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(from = "[u32; 4]", into = "[u32; 4]")]
pub struct Rect {
    /// Left edge.
    pub x: u32,
    /// Top edge.
    pub y: u32,
    /// Width.
    pub w: u32,
    /// Height.
    pub h: u32,
}

impl Rect {
    /// The rectangle with its top left at `x`, `y`.
    #[must_use]
    pub const fn new(x: u32, y: u32, w: u32, h: u32) -> Self {
        Self { x, y, w, h }
    }

    /// The rectangle of `size` with its top left at `x`, `y`.
    #[must_use]
    pub const fn at(x: u32, y: u32, size: Size) -> Self {
        Self::new(x, y, size.w, size.h)
    }

    /// Its width and height.
    #[must_use]
    pub const fn size(self) -> Size {
        Size::new(self.w, self.h)
    }

    /// The first column right of it; in `u64`, because an untrusted rectangle may exceed 2^32.
    #[must_use]
    pub const fn right(self) -> u64 {
        self.x as u64 + self.w as u64
    }

    /// The first row below it; in `u64`, because an untrusted rectangle may exceed 2^32.
    #[must_use]
    pub const fn bottom(self) -> u64 {
        self.y as u64 + self.h as u64
    }

    /// Whether it lies entirely inside an area of `size`.
    #[must_use]
    pub const fn inside(self, size: Size) -> bool {
        self.right() <= size.w as u64 && self.bottom() <= size.h as u64
    }

    /// The rectangle grown by `by` pixels on all four sides, or `None` if that exceeds the range of numbers.
    #[must_use]
    pub fn grown(self, by: u32) -> Option<Self> {
        let twice = by.checked_mul(2)?;
        Some(Self {
            x: self.x.checked_sub(by)?,
            y: self.y.checked_sub(by)?,
            w: self.w.checked_add(twice)?,
            h: self.h.checked_add(twice)?,
        })
    }
}

impl fmt::Display for Rect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "[{}, {}, {}, {}]", self.x, self.y, self.w, self.h)
    }
}

impl From<[u32; 4]> for Rect {
    fn from([x, y, w, h]: [u32; 4]) -> Self {
        Self::new(x, y, w, h)
    }
}

impl From<Rect> for [u32; 4] {
    fn from(r: Rect) -> Self {
        [r.x, r.y, r.w, r.h]
    }
}

/// The greatest common divisor; 0 only if both numbers are 0 (Euclid).
#[cfg(feature = "pack")]
pub(crate) const fn common_divisor(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { common_divisor(b, a % b) }
}
