//! Treatment of a decoded sprite before layout: resampling, trimming, clearing, fringe, premultiplying.

use crate::geometry::{Rect, Size};
use crate::pixels::{PIXEL, Pixels, premultiplied, straight};
use crate::resample::{Scale, resample, resample_data};
use serde::Serialize;

/// A sprite ready for layout: its stored pixels, and where they lie on its canvas.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Prepared {
    /// The canvas's size.
    pub canvas: Size,
    /// Where the stored pixels begin on the canvas.
    pub inset: [u32; 2],
    /// The stored pixels, upright.
    pub stored: Pixels,
    /// Whether no pixel of the sprite is visible.
    pub empty: bool,
}

/// Changes whenever the same picture and treatment yield other stored pixels.
pub const TREATMENT_VERSION: u32 = 1;

/// How sprites are treated before layout.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct Treatment {
    /// Scale it first. Default: not at all.
    pub scale: Option<Scale>,
    /// Store the visible box instead of the canvas. Default: true.
    pub trim: bool,
    /// Alpha from which a pixel is visible, 1 to 255. Default: 1.
    pub visible_alpha: u8,
    /// How many pixels edge colours spread under transparent ones. Default: 0, which writes colour 0 there.
    pub fringe: u32,
    /// Multiply colour by alpha. Default: false.
    pub premultiply: bool,
}

impl Default for Treatment {
    fn default() -> Self {
        Self { scale: None, trim: true, visible_alpha: 1, fringe: 0, premultiply: false }
    }
}

impl Prepared {
    /// Treats a decoded sprite.
    ///
    /// With trimming, pixels outside the visible box are dropped, including faint ones below `visible_alpha`, and a
    /// sprite without visible pixels is stored as one transparent pixel at inset (0, 0). Without it, the whole canvas
    /// is stored as it is.
    #[must_use]
    pub fn new(source: Pixels, treatment: Treatment) -> Self {
        Self::with_layers(source, Vec::new(), treatment).0
    }

    /// Treats a decoded sprite and its layers, which have its size: all are trimmed to one box, outside which the
    /// sprite has no visible pixel and every layer is at its ground value. Layers are data: their values do not change.
    #[must_use]
    pub fn with_layers(source: Pixels, layers: Vec<LayerPixels>, treatment: Treatment) -> (Self, Vec<Pixels>) {
        let (source, layers) = match treatment.scale {
            Some(scale) => {
                let layer = |l: LayerPixels| LayerPixels { pixels: resample_data(&l.pixels, scale), ..l };
                (resample(&source, scale), layers.into_iter().map(layer).collect())
            }
            None => (source, layers),
        };
        let canvas = source.size();
        let of_layers = layers.iter().map(|layer| layer.marked_box(treatment.visible_alpha));
        let visible = of_layers.fold(source.visible_box(treatment.visible_alpha), union);
        let (prepared, kept) = Self::kept(source, visible, treatment);
        let of_layer = |layer: LayerPixels| match prepared.stored.size() == kept.size() {
            true if kept.size() == canvas => layer.pixels,
            true => layer.pixels.crop(kept).unwrap_or(layer.pixels),
            // One pixel is stored for an empty sprite.
            false => layer.pixels.crop(Rect::new(0, 0, 1, 1)).unwrap_or(layer.pixels),
        };
        let stored = layers.into_iter().map(of_layer).collect();
        (prepared, stored)
    }

    /// The stored part of a picture at its final size, and where it lay.
    fn kept(source: Pixels, visible: Option<Rect>, treatment: Treatment) -> (Self, Rect) {
        let canvas = source.size();
        let full = Rect::at(0, 0, canvas);
        let (mut stored, kept) = match (treatment.trim, visible) {
            (true, None) => (one_clear_pixel().unwrap_or(source), full),
            (true, Some(part)) if part != full => match source.crop(part) {
                Some(cut) => (cut, part),
                None => (source, full),
            },
            _ => (source, full),
        };
        stored.clear_hidden_colour();
        spread_edges(&mut stored, treatment.fringe);
        if treatment.premultiply {
            premultiply(&mut stored);
        }
        (Self { canvas, inset: [kept.x, kept.y], stored, empty: visible.is_none() }, kept)
    }
}

/// A layer of a sprite before it is trimmed.
#[derive(Debug, Clone)]
pub struct LayerPixels {
    /// Its values.
    pub pixels: Pixels,
    /// Its value where it says nothing.
    pub ground: [u8; PIXEL],
}

impl LayerPixels {
    /// The box of everything that is visible and not the ground value.
    fn marked_box(&self, visible_alpha: u8) -> Option<Rect> {
        let mut marks = self.pixels.clone();
        for pixel in marks.as_bytes_mut().as_chunks_mut::<PIXEL>().0 {
            if *pixel == self.ground {
                *pixel = [0; PIXEL];
            }
        }
        marks.visible_box(visible_alpha)
    }
}

fn union(one: Option<Rect>, other: Option<Rect>) -> Option<Rect> {
    let (Some(a), Some(b)) = (one, other) else { return one.or(other) };
    let (x, y) = (a.x.min(b.x), a.y.min(b.y));
    Some(Rect::new(x, y, (a.x + a.w).max(b.x + b.w) - x, (a.y + a.h).max(b.y + b.h) - y))
}

/// Normals of a picture that is turned by 90 degrees clockwise: red points right and green up, or down, from a middle
/// of 127.5. Only the values change; the pixels stay in place.
pub fn turn_normals(pixels: &mut Pixels, y_down: bool) {
    for [r, g, ..] in pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0 {
        // Right becomes down, and up becomes right.
        (*r, *g) = if y_down { (255 - *g, *r) } else { (*g, 255 - *r) };
    }
}

fn one_clear_pixel() -> Option<Pixels> {
    Pixels::transparent(Size::new(1, 1))
}

/// Multiplies each colour by its alpha, rounded: `(c * a + 127) div 255`.
pub fn premultiply(pixels: &mut Pixels) {
    for pixel in pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0 {
        *pixel = premultiplied(*pixel);
    }
}

/// Divides each colour by its alpha, rounded: reverses [`premultiply`] as far as eight bits allow.
pub fn straighten(pixels: &mut Pixels) {
    for pixel in pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0.iter_mut().filter(|pixel| pixel[3] > 0) {
        *pixel = straight(*pixel);
    }
}

/// Gives transparent pixels the colour of a coloured neighbour, ring by ring, up to `reach` rings. A filter that looks
/// beyond the edge then finds the edge's colour instead of black. Alpha stays 0.
pub fn spread_edges(pixels: &mut Pixels, reach: u32) {
    if reach == 0 || pixels.as_bytes().chunks_exact(PIXEL).all(|p| p[3] > 0) {
        return;
    }
    let (w, h) = (pixels.size().w as usize, pixels.size().h as usize);
    // 1 for a pixel with a colour. Has an empty border, so that every pixel has eight neighbours.
    let stride = w + 2;
    let mut coloured = vec![0u8; stride * (h + 2)];
    for (y, row) in pixels.as_bytes().chunks_exact(w * PIXEL).enumerate() {
        let marks = &mut coloured[(y + 1) * stride + 1..][..w];
        marks.iter_mut().zip(row.chunks_exact(PIXEL)).for_each(|(mark, pixel)| *mark = u8::from(pixel[3] > 0));
    }
    let mut ring = Vec::new();
    for _ in 0..reach {
        ring.clear();
        edges(&coloured, stride, &mut ring);
        // The position of a marked pixel among the bytes.
        let byte = |at: usize| ((at / stride - 1) * w + at % stride - 1) * PIXEL;
        for &(at, from) in &ring {
            pixels.as_bytes_mut().copy_within(byte(from)..byte(from) + 3, byte(at));
        }
        ring.iter().for_each(|&(at, _)| coloured[at] = 1);
    }
}

/// The pixels without colour that have a coloured neighbour, and the first such neighbour, sides before corners. Copies
/// of one colour make smaller files than means do.
fn edges(coloured: &[u8], stride: usize, ring: &mut Vec<(usize, usize)>) {
    // Column by column, whether anything in three rows is coloured, then the same over three columns: plain loops over
    // whole rows, because hardly any pixel is an edge.
    let mut columns = vec![0u8; stride];
    let mut near = vec![0u8; stride];
    for first in (stride..coloured.len() - stride).step_by(stride) {
        let [above, here, below] = [first - stride, first, first + stride].map(|start| &coloured[start..][..stride]);
        let three = above.iter().zip(here).zip(below);
        columns.iter_mut().zip(three).for_each(|(any, ((a, b), c))| *any = a | b | c);
        let inner = columns.windows(3).zip(&here[1..]);
        near[1..].iter_mut().zip(inner).for_each(|(near, (any, here))| *near = (any[0] | any[1] | any[2]) & !here & 1);
        for x in (1..stride - 1).filter(|&x| near[x] != 0) {
            let at = first + x;
            let sides = [at - stride, at - 1, at + 1, at + stride];
            let corners = [at - stride - 1, at - stride + 1, at + stride - 1, at + stride + 1];
            let from = sides.into_iter().chain(corners).find(|&n| coloured[n] != 0);
            ring.extend(from.map(|from| (at, from)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::tests::pictures;
    use crate::resample::Resample;
    use proptest::prelude::*;

    proptest! {
        /// All layers are cut to one box: the smallest one outside which nothing is visible and no layer differs from
        /// its ground value.
        #[test]
        fn layers_are_trimmed_together(picture in pictures(), marks in prop::collection::vec((0u32..8, 0u32..8), 0..4), trim: bool) {
            let ground = [128, 128, 255, 255];
            let size = picture.size();
            let mut layer = Pixels::from_rgba(size, ground.repeat((size.w * size.h) as usize)).unwrap();
            let marked = |x: u32, y: u32| marks.iter().any(|&(mx, my)| (mx % size.w, my % size.h) == (x, y));
            for (x, y) in (0..size.h).flat_map(|y| (0..size.w).map(move |x| (x, y))).filter(|&(x, y)| marked(x, y)) {
                layer.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&[9, 200, 30, 255]);
            }
            let layers = vec![LayerPixels { pixels: layer.clone(), ground }];
            let treatment = Treatment { trim, ..Treatment::default() };
            let (prepared, stored) = Prepared::with_layers(picture.clone(), layers, treatment);
            let says = |x: u32, y: u32| picture.get(x, y).unwrap()[3] > 0 || marked(x, y);
            let all: Vec<(u32, u32)> = (0..size.h).flat_map(|y| (0..size.w).map(move |x| (x, y))).filter(|&(x, y)| says(x, y)).collect();
            prop_assert_eq!(prepared.empty, all.is_empty());
            prop_assert_eq!(stored[0].size(), prepared.stored.size());
            if trim && !all.is_empty() {
                let (left, top) = (all.iter().map(|p| p.0).min().unwrap(), all.iter().map(|p| p.1).min().unwrap());
                let (right, bottom) = (all.iter().map(|p| p.0).max().unwrap(), all.iter().map(|p| p.1).max().unwrap());
                prop_assert_eq!(prepared.inset, [left, top]);
                prop_assert_eq!(prepared.stored.size(), Size::new(right - left + 1, bottom - top + 1));
                for (x, y) in (top..=bottom).flat_map(|y| (left..=right).map(move |x| (x, y))) {
                    prop_assert_eq!(stored[0].get(x - left, y - top), layer.get(x, y));
                }
            }
        }
    }

    #[test]
    fn layers_are_scaled_with_their_picture() {
        let picture = Pixels::from_rgba(Size::new(2, 1), [[0; 4], [9, 9, 9, 255]].concat()).unwrap();
        let ground = [128, 128, 255, 255];
        let layer = Pixels::from_rgba(Size::new(2, 1), [ground, [1, 2, 3, 255]].concat()).unwrap();
        let scale = Some(Scale { factor: "2".parse().unwrap(), resample: Resample::Pixel });
        let treatment = Treatment { scale, ..Treatment::default() };
        let (prepared, stored) = Prepared::with_layers(picture, vec![LayerPixels { pixels: layer, ground }], treatment);
        assert_eq!((prepared.canvas, prepared.inset), (Size::new(4, 2), [2, 0]));
        let four = |pixel: [u8; 4]| Pixels::from_rgba(Size::new(2, 2), pixel.repeat(4)).unwrap();
        assert_eq!((prepared.stored, stored), (four([9, 9, 9, 255]), vec![four([1, 2, 3, 255])]));
    }

    /// By definition: the vector that a pixel encodes is turned like the picture.
    #[test]
    fn normals_turn_with_their_picture() {
        for (pixel, y_down) in [([255, 128, 200, 255], false), ([128, 255, 200, 7], false), ([30, 210, 9, 255], true)] {
            let vector = |[r, g, ..]: [u8; 4]| {
                let up = (f64::from(g) - 127.5) * if y_down { -1.0 } else { 1.0 };
                [f64::from(r) - 127.5, up]
            };
            let mut picture = Pixels::from_rgba(Size::new(1, 1), pixel.to_vec()).unwrap();
            turn_normals(&mut picture, y_down);
            let turned = picture.get(0, 0).unwrap();
            let [right, up] = vector(pixel);
            assert_eq!((vector(turned), &turned[2..]), ([up, -right], &pixel[2..]));
        }
    }

    proptest! {
        #[test]
        fn nothing_visible_is_lost_by_preparing(picture in pictures(), trim: bool, least in 1u8..=255) {
            let ready = Prepared::new(picture.clone(), Treatment { trim, visible_alpha: least, ..Treatment::default() });
            prop_assert_eq!(ready.canvas, picture.size());
            prop_assert_eq!(ready.empty, picture.visible_box(least).is_none());
            for y in 0..picture.size().h {
                for x in 0..picture.size().w {
                    let source = picture.get(x, y).unwrap();
                    let at = (x.wrapping_sub(ready.inset[0]), y.wrapping_sub(ready.inset[1]));
                    match ready.stored.get(at.0, at.1) {
                        Some(kept) if !(trim && ready.empty) => {
                            prop_assert_eq!(kept, if source[3] == 0 { [0; 4] } else { source });
                        }
                        _ => prop_assert!(source[3] < least),
                    }
                }
            }
        }
        #[test]
        fn colour_spreads_under_transparent_pixels_and_touches_nothing_else(picture in pictures(), reach in 0u32..5) {
            let mut spread = picture.clone();
            spread.clear_hidden_colour();
            let cleared = spread.clone();
            spread_edges(&mut spread, reach);
            let at = |p: &Pixels, x: u32, y: u32| p.get(x, y).unwrap();
            let Size { w, h } = picture.size();
            // By looking at every pixel: how many moves of a chess king lead to the nearest colour.
            let steps = |x: u32, y: u32| {
                let seen = (0..h).flat_map(|j| (0..w).map(move |i| (i, j))).filter(|&(i, j)| at(&cleared, i, j)[3] > 0);
                seen.map(|(i, j)| i.abs_diff(x).max(j.abs_diff(y))).min().filter(|_| x < w && y < h)
            };
            for y in 0..h {
                for x in 0..w {
                    let (before, after) = (at(&cleared, x, y), at(&spread, x, y));
                    prop_assert_eq!(before[3], after[3]);
                    let far = steps(x, y);
                    let Some(far) = far.filter(|&far| before[3] == 0 && far <= reach) else {
                        prop_assert_eq!(before, after);
                        continue;
                    };
                    let around = (0..9).map(|k| (x.wrapping_add(k % 3).wrapping_sub(1), y.wrapping_add(k / 3).wrapping_sub(1)));
                    let inner = around.filter(|&(i, j)| steps(i, j).is_some_and(|steps| steps < far));
                    let colours: Vec<_> = inner.filter_map(|(i, j)| spread.get(i, j)).map(|[r, g, b, _]| [r, g, b, 0]).collect();
                    prop_assert!(colours.contains(&after), "{:?} at {}, {} is none of {:?}", after, x, y, colours);
                }
            }
        }
    }

    #[test]
    fn straightening_gives_the_nearest_colour_of_every_pair() {
        for alpha in 1..=255u8 {
            for colour in 0..=255u8 {
                let mut pixel = Pixels::from_rgba(Size::new(1, 1), vec![colour, 0, 255, alpha]).unwrap();
                straighten(&mut pixel);
                let [straight, none, most, kept] = pixel.get(0, 0).unwrap();
                // By distance: twice the error of colour * 255 / alpha is at most one.
                let error = i64::from(straight) * i64::from(alpha) - i64::from(colour) * 255;
                assert!(
                    if colour < alpha { 2 * error.abs() <= i64::from(alpha) } else { straight == 255 },
                    "{colour} {alpha}"
                );
                assert_eq!((none, most, kept), (0, 255, alpha));
            }
        }
    }

    #[test]
    fn a_transparent_pixel_takes_the_colour_of_the_edge_beside_it() {
        let row = [[10, 20, 30, 255], [0; 4], [13, 21, 30, 9], [0; 4], [0; 4]].concat();
        let mut picture = Pixels::from_rgba(Size::new(5, 1), row).unwrap();
        spread_edges(&mut picture, 2);
        let expected = [[10, 20, 30, 255], [10, 20, 30, 0], [13, 21, 30, 9], [13, 21, 30, 0], [13, 21, 30, 0]];
        assert_eq!(picture.as_bytes(), expected.concat());
        premultiply(&mut picture);
        assert_eq!(picture.get(2, 0), Some([0, 1, 1, 9]));
        assert_eq!(picture.get(1, 0), Some([0, 0, 0, 0]));
    }
}
