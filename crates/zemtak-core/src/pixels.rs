//! Pictures as 8-bit RGBA, and what happens to them between decoding and layout.

use crate::geometry::{Rect, Size};

/// Bytes of one pixel: red, green, blue, alpha.
pub const PIXEL: usize = 4;

/// A picture: rows from the top, pixels from the left, 8-bit RGBA without padding.
///
/// # Guarantees
/// The data always has `w * h * 4` bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pixels {
    size: Size,
    data: Vec<u8>,
}

impl Pixels {
    /// A transparent picture, or `None` if its bytes exceed the address range.
    #[must_use]
    pub fn transparent(size: Size) -> Option<Self> {
        Some(Self { size, data: vec![0; byte_len(size)?] })
    }

    /// A picture of one value, or `None` if its bytes exceed the address range.
    #[must_use]
    pub fn filled(size: Size, value: [u8; PIXEL]) -> Option<Self> {
        Some(Self { size, data: value.repeat(byte_len(size)? / PIXEL) })
    }

    /// Takes RGBA bytes as a picture of `size`; `None` if there are too few or too many.
    #[must_use]
    pub fn from_rgba(size: Size, data: Vec<u8>) -> Option<Self> {
        (byte_len(size)? == data.len()).then_some(Self { size, data })
    }

    /// Width and height.
    #[must_use]
    pub fn size(&self) -> Size {
        self.size
    }

    /// All bytes, row by row, without copying them.
    #[must_use]
    pub fn into_bytes(self) -> Vec<u8> {
        self.data
    }

    /// All bytes, row by row.
    #[must_use]
    pub fn as_bytes(&self) -> &[u8] {
        &self.data
    }

    /// All bytes, row by row, to write.
    pub fn as_bytes_mut(&mut self) -> &mut [u8] {
        &mut self.data
    }

    /// The bytes of one row, from the top.
    ///
    /// # Panics
    /// The picture has no such row.
    #[must_use]
    pub fn row(&self, y: u32) -> &[u8] {
        let stride = self.size.w as usize * PIXEL;
        &self.data[y as usize * stride..][..stride]
    }

    /// The bytes of one row, to write.
    ///
    /// # Panics
    /// The picture has no such row.
    pub fn row_mut(&mut self, y: u32) -> &mut [u8] {
        let stride = self.size.w as usize * PIXEL;
        &mut self.data[y as usize * stride..][..stride]
    }

    /// The pixel in column `x` of row `y`, or `None` outside the picture.
    #[must_use]
    pub fn get(&self, x: u32, y: u32) -> Option<[u8; PIXEL]> {
        if x >= self.size.w || y >= self.size.h {
            return None;
        }
        self.row(y)[x as usize * PIXEL..][..PIXEL].try_into().ok()
    }

    /// The pixels of `part` as a picture of their own; `None` if the part is not inside.
    #[must_use]
    pub fn crop(&self, part: Rect) -> Option<Self> {
        if !part.inside(self.size) {
            return None;
        }
        let mut data = Vec::with_capacity(byte_len(part.size())?);
        for y in part.y..part.y + part.h {
            data.extend_from_slice(&self.row(y)[part.x as usize * PIXEL..][..part.w as usize * PIXEL]);
        }
        Self::from_rgba(part.size(), data)
    }

    /// The picture turned by 90 degrees clockwise: pixel (i, j) moves to (h-1-j, i).
    #[must_use]
    pub fn turned(&self) -> Self {
        let (w, h) = (self.size.w as usize, self.size.h as usize);
        let mut data = vec![0; self.data.len()];
        for (j, row) in self.data.chunks_exact((w * PIXEL).max(1)).enumerate() {
            for (i, pixel) in row.chunks_exact(PIXEL).enumerate() {
                data[(i * h + (h - 1 - j)) * PIXEL..][..PIXEL].copy_from_slice(pixel);
            }
        }
        Self { size: self.size.swapped(), data }
    }

    /// The smallest rectangle that holds every pixel with alpha at or above `visible_alpha`; `None` if there is none.
    #[must_use]
    pub fn visible_box(&self, visible_alpha: u8) -> Option<Rect> {
        let visible = |pixel: &[u8]| pixel[3] >= visible_alpha;
        let holds = |y: &u32| self.row(*y).chunks_exact(PIXEL).any(visible);
        let top = (0..self.size.h).find(holds)?;
        let bottom = (top..self.size.h).rev().find(holds)?;
        let (mut left, mut right) = (self.size.w as usize - 1, 0);
        for y in top..=bottom {
            let row = self.row(y);
            // Only columns that would widen the box are examined.
            if let Some(x) = row[..left * PIXEL].chunks_exact(PIXEL).position(visible) {
                left = x;
            }
            if let Some(x) = row[right * PIXEL..].chunks_exact(PIXEL).rposition(visible) {
                right += x;
            }
        }
        let left = left.min(right);
        #[expect(clippy::cast_possible_truncation, reason = "columns of a picture whose width is a u32")]
        let (x, w) = (left as u32, (right - left + 1) as u32);
        Some(Rect::new(x, top, w, bottom - top + 1))
    }

    /// The visible box and its pixels, without colour that cannot be seen; `None` if nothing is visible.
    #[must_use]
    pub fn visible_part(&self) -> Option<(Rect, Self)> {
        let part = self.visible_box(1)?;
        let mut pixels = self.crop(part)?;
        pixels.clear_hidden_colour();
        Some((part, pixels))
    }

    /// Sets the colour of pixels with alpha 0 to 0, so that sprites do not differ in what cannot be seen.
    pub fn clear_hidden_colour(&mut self) {
        for pixel in self.data.chunks_exact_mut(PIXEL) {
            if pixel[3] == 0 {
                pixel.fill(0);
            }
        }
    }
}

fn byte_len(size: Size) -> Option<usize> {
    usize::try_from(size.area()).ok()?.checked_mul(PIXEL)
}

/// A pixel whose colour is multiplied by its alpha, rounded: `(c * a + 127) div 255`.
pub(crate) fn premultiplied([r, g, b, a]: [u8; PIXEL]) -> [u8; PIXEL] {
    let colour = |c: u8| u8::try_from((u32::from(c) * u32::from(a) + 127) / 255).unwrap_or(u8::MAX);
    [colour(r), colour(g), colour(b), a]
}

/// A pixel whose colour is divided by its alpha, rounded; a pixel without alpha has no colour.
pub(crate) fn straight([r, g, b, a]: [u8; PIXEL]) -> [u8; PIXEL] {
    let alpha = u32::from(a);
    let colour = |c: u8| u8::try_from(((u32::from(c) * 255 + alpha / 2) / alpha.max(1)).min(255)).unwrap_or(u8::MAX);
    [colour(r), colour(g), colour(b), a]
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Small random pictures with many transparent pixels.
    pub(crate) fn pictures() -> impl Strategy<Value = Pixels> {
        (1u32..9, 1u32..9).prop_flat_map(|(w, h)| {
            let pixel = prop_oneof![3 => Just([7, 8, 9, 0]), 1 => Just([1, 2, 3, 5]), 1 => any::<[u8; 4]>()];
            prop::collection::vec(pixel, (w * h) as usize)
                .prop_map(move |p| Pixels::from_rgba(Size::new(w, h), p.concat()).unwrap())
        })
    }

    proptest! {
        #[test]
        fn the_visible_box_is_what_a_look_at_every_pixel_finds(picture in pictures(), least in 1u8..=255) {
            let all = (0..picture.size().h).flat_map(|y| (0..picture.size().w).map(move |x| (x, y)));
            let seen: Vec<_> = all.filter(|&(x, y)| picture.get(x, y).unwrap()[3] >= least).collect();
            let expected = seen.iter().map(|p| p.0).min().map(|x| {
                let y = seen.iter().map(|p| p.1).min().unwrap();
                let right = seen.iter().map(|p| p.0).max().unwrap();
                let bottom = seen.iter().map(|p| p.1).max().unwrap();
                Rect::new(x, y, right - x + 1, bottom - y + 1)
            });
            prop_assert_eq!(picture.visible_box(least), expected);
        }

        #[test]
        fn turning_moves_each_pixel_as_the_format_says(picture in pictures()) {
            let turned = picture.turned();
            for j in 0..picture.size().h {
                for i in 0..picture.size().w {
                    prop_assert_eq!(turned.get(picture.size().h - 1 - j, i), picture.get(i, j));
                }
            }
            prop_assert_eq!(turned.turned().turned().turned(), picture);
        }
    }
}
