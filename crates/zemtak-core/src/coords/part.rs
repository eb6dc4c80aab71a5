//! Parts of sprites, and parts of parts: which pixels of them are stored, and where.

use super::{Area, VAxis};
use crate::geometry::{Rect, Size};

/// A rectangle to show: in canvas pixels of a sprite, or relative to the part that it is a part of. It may start
/// outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    /// Left edge.
    pub x: i32,
    /// Top edge.
    pub y: i32,
    /// Width, at least 1.
    pub w: u32,
    /// Height, at least 1.
    pub h: u32,
}

/// A sprite's picture: its canvas, and where its visible box is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Picture {
    /// The box on its page.
    pub area: Area,
    /// The full size.
    pub canvas: Size,
    /// Where the upright box begins on the canvas.
    pub inset: [u32; 2],
}

/// The stored pixels of a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Visible {
    /// Where it is stored.
    pub area: Area,
    /// Where it lies on the canvas.
    pub on_canvas: Rect,
    /// Where it lies in the requested part.
    pub in_part: [u32; 2],
    /// How many columns and rows of the part lie outside the canvas, or outside the part that it is a part of: left,
    /// top, right, bottom.
    pub outside: [u32; 4],
    /// How many more lie in the transparent border that was trimmed.
    pub in_border: [u32; 4],
}

/// Why nothing of a part can be shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PartError {
    /// It has no pixels.
    #[error("a part has at least one pixel a side")]
    Empty,
    /// It lies outside the canvas, or outside the part that it is a part of.
    #[error("all of it lies outside the canvas of {0}, or outside the part that it is a part of")]
    Outside(Size),
    /// All of it is transparent.
    #[error("all of it lies in the transparent border, which is not stored; the visible box on the canvas is {0}")]
    InBorder(Rect),
}

/// Left, top, right, bottom; wide enough for sums of parts.
type Bounds = [i64; 4];

impl Picture {
    /// A box whose canvas is the box itself.
    #[must_use]
    pub const fn whole(area: Area) -> Self {
        Self { area, canvas: area.upright(), inset: [0, 0] }
    }

    /// Where the visible box lies on the canvas.
    #[must_use]
    pub const fn visible_box(&self) -> Rect {
        Rect::at(self.inset[0], self.inset[1], self.area.upright())
    }

    /// All that is stored of the sprite: the same as [`Picture::part`] without parts, for a fraction of the work.
    #[must_use]
    #[inline]
    pub fn shown(&self) -> Visible {
        let Size { w, h } = self.area.upright();
        let [left, top] = self.inset;
        let beyond = |side: u32, start: u32, length: u32| side.saturating_sub(start.saturating_add(length));
        Visible {
            area: self.area,
            on_canvas: self.visible_box(),
            in_part: self.inset,
            outside: [0; 4],
            in_border: [left, top, beyond(self.canvas.w, left, w), beyond(self.canvas.h, top, h)],
        }
    }

    /// The place on the page of a place on the loose image. Both are UVs, with (0, 0) and (1, 1) at the corners of the
    /// image and of the page; if V goes up in one, it goes up in the other. A place in the transparent border lies
    /// beside the box.
    ///
    /// ```
    /// use zemtak_core::coords::{Area, Picture, VAxis};
    /// use zemtak_core::geometry::{Rect, Size};
    ///
    /// let area = Area::new(Size::new(64, 32), Rect::new(8, 4, 16, 8), false).unwrap();
    /// let picture = Picture { area, canvas: Size::new(20, 10), inset: [2, 1] };
    /// // The middle of the image is pixel (10, 5) of the canvas, (8, 4) of the box, (16, 8) of the page.
    /// assert_eq!(picture.to_page([0.5, 0.5], VAxis::Down), [0.25, 0.25]);
    /// assert_eq!(picture.to_page([0.5, 0.5], VAxis::Up), [0.25, 0.75]);
    /// ```
    #[must_use]
    pub fn to_page(&self, [u, v]: [f64; 2], axis: VAxis) -> [f64; 2] {
        let v_down = |v: f64| if axis == VAxis::Up { 1.0 - v } else { v };
        let [x, y] = [u * f64::from(self.canvas.w), v_down(v) * f64::from(self.canvas.h)];
        let [x, y] = [x - f64::from(self.inset[0]), y - f64::from(self.inset[1])];
        // Pixel (i, j) of the upright picture lies at (h - 1 - j, i) of a turned one.
        let [x, y] = if self.area.turned() { [f64::from(self.area.upright().h) - y, x] } else { [x, y] };
        let (stored, page) = (self.area.stored(), self.area.page());
        let at = [(f64::from(stored.x) + x) / f64::from(page.w), (f64::from(stored.y) + y) / f64::from(page.h)];
        [at[0], v_down(at[1])]
    }

    /// Whether a place on the loose image is stored: on the visible box or its edge.
    #[must_use]
    pub fn stores(&self, [u, v]: [f64; 2], axis: VAxis) -> bool {
        let v = if axis == VAxis::Up { 1.0 - v } else { v };
        let visible = self.visible_box();
        let within = |at: f64, start: u32, length: u32| at >= f64::from(start) && at <= f64::from(start + length);
        within(u * f64::from(self.canvas.w), visible.x, visible.w)
            && within(v * f64::from(self.canvas.h), visible.y, visible.h)
    }

    /// What is stored of a part of a part ... of the canvas, the outermost part first; of the whole canvas without
    /// parts.
    ///
    /// A part is relative to the top left of the part around it as that was requested, whatever of it is stored.
    ///
    /// # Errors
    /// A part is empty, or nothing of it is stored.
    pub fn part(&self, parts: &[Part]) -> Result<Visible, PartError> {
        let mut asked: Bounds = [0, 0, i64::from(self.canvas.w), i64::from(self.canvas.h)];
        let mut within = asked;
        for part in parts {
            if part.w == 0 || part.h == 0 {
                return Err(PartError::Empty);
            }
            let (x, y) = (asked[0].saturating_add(part.x.into()), asked[1].saturating_add(part.y.into()));
            asked = [x, y, x.saturating_add(part.w.into()), y.saturating_add(part.h.into())];
            within = intersection(within, asked).ok_or(PartError::Outside(self.canvas))?;
        }
        let visible = self.visible_box();
        let shown = intersection(within, bounds(visible)).ok_or(PartError::InBorder(visible))?;
        shown_part(&self.area, visible, asked, within, shown)
    }
}

impl Visible {
    /// What is stored of a part of this one: in pixels, relative to what this is a part of. The same as
    /// [`Picture::part`] with one more part, for those who do not have the picture.
    ///
    /// # Errors
    /// As for [`Picture::part`]; sizes and boxes are those of this part.
    pub fn part(&self, part: Part) -> Result<Self, PartError> {
        if part.w == 0 || part.h == 0 {
            return Err(PartError::Empty);
        }
        let shown = bounds(self.on_canvas);
        let [left, top, right, bottom] = self.in_border.map(i64::from);
        let within = [shown[0] - left, shown[1] - top, shown[2] + right, shown[3] + bottom];
        let [x, y] = [0, 1].map(|k| shown[k] - i64::from(self.in_part[k]));
        let (x, y) = (x.saturating_add(part.x.into()), y.saturating_add(part.y.into()));
        let asked = [x, y, x.saturating_add(part.w.into()), y.saturating_add(part.h.into())];
        let within = intersection(within, asked).ok_or(PartError::Outside(self.on_canvas.size()))?;
        let stored = intersection(within, shown).ok_or(PartError::InBorder(self.on_canvas))?;
        shown_part(&self.area, self.on_canvas, asked, within, stored)
    }
}

/// The stored pixels of a part: `asked` for, within `within`, what it is a part of, and of that `shown`, all on the
/// canvas. `area` stores the part `visible` of the canvas.
fn shown_part(area: &Area, visible: Rect, asked: Bounds, within: Bounds, shown: Bounds) -> Result<Visible, PartError> {
    let [left, top, right, bottom] = shown;
    // All differences below are between edges of one canvas or one part, so they fit.
    let small = |difference: i64| u32::try_from(difference).unwrap_or(u32::MAX);
    let on_canvas = Rect::new(small(left), small(top), small(right - left), small(bottom - top));
    let in_box = Rect::at(on_canvas.x - visible.x, on_canvas.y - visible.y, on_canvas.size());
    let between = |outer: Bounds, inner: Bounds| {
        [inner[0] - outer[0], inner[1] - outer[1], outer[2] - inner[2], outer[3] - inner[3]].map(small)
    };
    Ok(Visible {
        area: area.inner(in_box).ok_or(PartError::InBorder(visible))?,
        on_canvas,
        in_part: [small(left - asked[0]), small(top - asked[1])],
        outside: between(asked, within),
        in_border: between(within, shown),
    })
}

fn bounds(rect: Rect) -> Bounds {
    let edge = |edge: u64| i64::try_from(edge).unwrap_or(i64::MAX);
    [rect.x.into(), rect.y.into(), edge(rect.right()), edge(rect.bottom())]
}

fn intersection(a: Bounds, b: Bounds) -> Option<Bounds> {
    let both = [a[0].max(b[0]), a[1].max(b[1]), a[2].min(b[2]), a[3].min(b[3])];
    (both[0] < both[2] && both[1] < both[3]).then_some(both)
}
