//! From the atlas back to pictures: where a sprite lies, and its pixels on their canvas.

use super::{Page, Sprite};
use crate::coords::{Area, AreaError, Picture};
use crate::geometry::Rect;
use crate::pixels::{PIXEL, Pixels};

/// The largest canvas that a sprite is put back on, in pixels.
const CANVAS_PIXELS: u64 = 1 << 28;

impl Sprite {
    /// The sprite's picture on its page, for coordinates.
    ///
    /// # Errors
    /// The box does not lie on the page.
    pub fn picture(&self, page: &Page) -> Result<Picture, AreaError> {
        let area = Area::new(page.size(), self.rect, self.turned)?;
        Ok(Picture { area, canvas: self.canvas, inset: self.inset })
    }

    /// The sprite's pixels from its page, back on their canvas, upright; what is not stored is transparent. `None` if
    /// the box is not on the page, or if the canvas does not hold it or is larger than any that is packed.
    #[must_use]
    pub fn restore(&self, page: &Pixels) -> Option<Pixels> {
        let stored = page.crop(self.rect)?;
        let upright = if self.turned { stored.turned().turned().turned() } else { stored };
        let [left, top] = self.inset;
        let place = Rect::at(left, top, upright.size());
        if !place.inside(self.canvas) || self.canvas.area() > CANVAS_PIXELS {
            return None;
        }
        let mut canvas = Pixels::transparent(self.canvas)?;
        for y in 0..place.h {
            canvas.row_mut(top + y)[left as usize * PIXEL..][..place.w as usize * PIXEL]
                .copy_from_slice(upright.row(y));
        }
        Some(canvas)
    }
}
