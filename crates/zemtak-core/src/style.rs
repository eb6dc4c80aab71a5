//! Which kind of art a picture is, judged by its colours and edges: pixel art should be drawn with hard pixels, smooth
//! art with filtering.

use crate::pixels::{PIXEL, Pixels};
use std::collections::HashSet;

/// Colours are counted up to this number; no pixel art has more.
const MOST_COLOURS: usize = 1024;

/// A picture with up to this many colours may be pixel art.
const PALETTE: usize = 256;

/// A kind of art.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Style {
    /// Few colours and hard edges.
    Pixel,
    /// Many colours, or edges that fade out.
    Smooth,
}

/// What was counted in a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Traits {
    /// Pixels with an alpha above 0.
    pub visible: u64,
    /// Different colours among them, ignoring alpha; at most 1024 are counted.
    pub colours: usize,
    /// Visible pixels next to a transparent one.
    pub edge: u64,
    /// How many of those are half transparent themselves.
    pub soft_edge: u64,
}

impl Traits {
    /// Counts them.
    #[must_use]
    pub fn of(picture: &Pixels) -> Self {
        let mut colours = HashSet::new();
        let mut traits = Self::default();
        let (w, h) = (picture.size().w, picture.size().h);
        for y in 0..h {
            let above = y.checked_sub(1).map(|y| picture.row(y));
            let below = (y + 1 < h).then(|| picture.row(y + 1));
            let row = picture.row(y);
            for (x, pixel) in row.chunks_exact(PIXEL).enumerate().filter(|(_, pixel)| pixel[3] > 0) {
                traits.visible += 1;
                if colours.len() < MOST_COLOURS {
                    colours.insert([pixel[0], pixel[1], pixel[2]]);
                }
                let clear = |row: &[u8], x: usize| row.get(x * PIXEL + 3) == Some(&0);
                let beside = (x > 0 && clear(row, x - 1)) || (x + 1 < w as usize && clear(row, x + 1));
                if beside || [above, below].into_iter().flatten().any(|row| clear(row, x)) {
                    traits.edge += 1;
                    traits.soft_edge += u64::from(pixel[3] < 255);
                }
            }
        }
        traits.colours = colours.len();
        traits
    }

    /// The kind of art, if the picture is large and clear enough to tell.
    ///
    /// Pixel art repeats the colours of a palette and ends in opaque pixels; a soft edge, or a different colour for
    /// nearly every pixel, comes from smooth drawing, rendering or a camera.
    #[must_use]
    pub fn style(self) -> Option<Style> {
        let soft = |part: u64| self.edge > 0 && self.soft_edge * 10 >= self.edge * part;
        if self.visible < 16 {
            None
        } else if soft(4) || self.colours > PALETTE {
            Some(Style::Smooth)
        } else if !soft(1) && (self.colours <= 32 || self.colours as u64 * 4 <= self.visible) {
            Some(Style::Pixel)
        } else {
            None
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::pixels::tests::pictures;
    use proptest::prelude::*;

    /// A disc on a canvas of 32 pixels, with an edge as wide as `soft` pixels, of `colours` shades.
    fn disc(soft: f64, colours: u8) -> Pixels {
        let mut picture = Pixels::transparent(Size::new(32, 32)).unwrap();
        for y in 0..32_u32 {
            for x in 0..32_u32 {
                let distance = (f64::from(x) - 15.5).hypot(f64::from(y) - 15.5);
                #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to a byte")]
                let alpha = (((14.0 - distance) / soft).clamp(0.0, 1.0) * 255.0) as u8;
                let shade = u8::try_from((x + y) % u32::from(colours)).unwrap();
                picture.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&[shade, 90, 200 - shade, alpha]);
            }
        }
        picture
    }

    #[test]
    fn hard_edges_of_few_colours_are_pixel_art_and_faded_edges_are_not() {
        let hard = Traits::of(&disc(0.001, 4));
        assert_eq!((hard.colours, hard.soft_edge, hard.style()), (4, 0, Some(Style::Pixel)));
        let soft = Traits::of(&disc(3.0, 4));
        assert!(soft.soft_edge > soft.edge / 2, "{soft:?}");
        assert_eq!(soft.style(), Some(Style::Smooth));
        // Too small to tell.
        assert_eq!(Traits::of(&disc(0.001, 4).crop(crate::geometry::Rect::new(14, 14, 3, 3)).unwrap()).style(), None);
    }

    proptest! {
        /// Asking each pixel for its four neighbours gives the same counts.
        #[test]
        fn edges_are_pixels_beside_transparent_ones(picture in pictures()) {
            let size = picture.size();
            let alpha = |x: u32, y: u32| picture.get(x, y).map(|pixel| pixel[3]);
            let places = (0..size.h).flat_map(|y| (0..size.w).map(move |x| (x, y)));
            let visible: Vec<(u32, u32)> = places.filter(|&(x, y)| alpha(x, y) != Some(0)).collect();
            let edge = visible.iter().filter(|&&(x, y)| {
                let beside = [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)];
                beside.into_iter().any(|(x, y)| alpha(x, y) == Some(0))
            });
            let soft = edge.clone().filter(|&&(x, y)| alpha(x, y) != Some(255));
            let counts = [visible.len(), edge.count(), soft.count()].map(|count| count as u64);
            let traits = Traits::of(&picture);
            prop_assert_eq!([traits.visible, traits.edge, traits.soft_edge], counts);
        }
    }

    #[test]
    fn the_kind_changes_just_where_it_should() {
        let style = |visible, colours, edge, soft_edge| Traits { visible, colours, edge, soft_edge }.style();
        let (pixel, smooth) = (Some(Style::Pixel), Some(Style::Smooth));
        assert_eq!([style(15, 4, 0, 0), style(16, 4, 0, 0)], [None, pixel]);
        // A picture that fills its canvas has no edge that could be soft.
        assert_eq!([style(9999, 256, 0, 0), style(9999, 257, 0, 0)], [pixel, smooth]);
        // Of a hundred pixels of the edge.
        assert_eq!([9, 10, 39, 40].map(|soft| style(9999, 9, 100, soft)), [pixel, None, None, smooth]);
        // Colours that are few for the pixels.
        assert_eq!([style(100, 32, 9, 0), style(100, 33, 9, 0)], [pixel, None]);
        assert_eq!([style(160, 40, 9, 0), style(159, 40, 9, 0)], [pixel, None]);
    }

    #[test]
    fn a_colour_for_every_pixel_is_smooth_art_whatever_its_edges() {
        let mut picture = Pixels::transparent(Size::new(32, 32)).unwrap();
        for (i, pixel) in (0_u16..).zip(picture.as_bytes_mut().chunks_exact_mut(PIXEL)) {
            let [low, high] = i.to_le_bytes();
            pixel.copy_from_slice(&[low, high * 60, 7, 255]);
        }
        let traits = Traits::of(&picture);
        assert_eq!((traits.visible, traits.edge, traits.style()), (1024, 0, Some(Style::Smooth)));
    }
}
