//! Drawing charts and sheets: rectangles and lines of text on a picture.

use crate::palette::{Colour, FAINT, NIGHT};
use ab_glyph::{Font, FontRef, Outline, OutlineCurve, PxScale, ScaleFont};
use tiny_skia::{Color, FillRule, Paint, Path, PathBuilder, Pixmap, Transform};
use zemtak_build::{Failure, Problem, ProblemKind};
use zemtak_core::codec::{EncodeError, Mark, PngEffort, encode_marked_png};
use zemtak_core::geometry::{self, Size};
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample};

/// DejaVu Sans, reduced to Latin letters; see labels-licence.txt beside it.
static LABELS: &[u8] = include_bytes!("../assets/labels.ttf");

/// An opaque picture being drawn. Positions are in pixels from the top left.
pub struct Drawing {
    picture: Pixmap,
    font: FontRef<'static>,
}

/// How a colour is shown in a legend: the way it is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shown {
    /// A filled area.
    Filled,
    /// A frame.
    Framed,
    /// A cross.
    Crossed,
}

/// The position, height and colour of a text.
#[derive(Debug, Clone, Copy)]
pub struct Line {
    /// Its left end.
    pub x: u32,
    /// Its baseline.
    pub y: u32,
    /// The height of its letters in pixels, descenders included.
    pub size: f32,
    /// Its colour.
    pub colour: Colour,
}

impl Drawing {
    /// A picture filled with one colour.
    ///
    /// # Errors
    /// There is not enough memory for it.
    pub fn new(size: Size, background: Colour) -> Result<Self, Failure> {
        let failed = |why: &str| Problem::bad_input(ProblemKind::CannotDrawPicture, "", why, "please report this");
        let mut picture = Pixmap::new(size.w, size.h).ok_or_else(|| failed("it has no memory"))?;
        picture.fill(opaque(background));
        let font = FontRef::try_from_slice(LABELS).map_err(|_| failed("its letters cannot be read"))?;
        Ok(Self { picture, font })
    }

    /// Fills the part of a rectangle that lies on the picture. The library's way of filling takes a microsecond for
    /// every rectangle, and some pictures consist of millions.
    pub fn fill(&mut self, area: geometry::Rect, colour: Colour) {
        let (width, height) = (self.picture.width(), self.picture.height());
        let (left, top) = (area.x.min(width), area.y.min(height));
        let (columns, rows) = (area.w.min(width - left) as usize, area.h.min(height - top));
        let colour = opaque(colour).premultiply().to_color_u8();
        for row in top..top + rows {
            let first = row as usize * width as usize + left as usize;
            self.picture.pixels_mut()[first..first + columns].fill(colour);
        }
    }

    /// Draws a border one pixel wide inside a rectangle.
    pub fn outline(&mut self, area: geometry::Rect, colour: Colour) {
        let geometry::Rect { x, y, w, h } = area;
        let (right, bottom) = ((x + w).saturating_sub(1), (y + h).saturating_sub(1));
        for side in [(x, y, w, 1), (x, bottom, w, 1), (x, y, 1, h), (right, y, 1, h)] {
            self.fill(geometry::Rect::new(side.0, side.1, side.2, side.3), colour);
        }
    }

    /// Draws a legend from a position on, and returns where it ends.
    pub fn legend(&mut self, [mut x, baseline]: [u32; 2], what: &[(&str, Colour, Shown)]) -> u32 {
        for (word, colour, shown) in what {
            let square = geometry::Rect::new(x, baseline - 12, 13, 13);
            match shown {
                Shown::Filled => self.fill(square, *colour),
                Shown::Framed => self.outline(square, *colour),
                Shown::Crossed => self.cross([x + 6, baseline - 6], *colour),
            }
            x = self.write(word, Line { x: x + 20, y: baseline, size: 14.0, colour: FAINT }) + 26;
        }
        x
    }

    /// A small cross round a point, visible on any background.
    pub fn cross(&mut self, [x, y]: [u32; 2], colour: Colour) {
        for (colour, w) in [(NIGHT, 3), (colour, 1)] {
            let half = w / 2;
            self.fill(geometry::Rect::new(x.saturating_sub(4), y.saturating_sub(half), 9, w), colour);
            self.fill(geometry::Rect::new(x.saturating_sub(half), y.saturating_sub(4), w, 9), colour);
        }
    }

    /// Draws a picture over the existing one, its top left at a position.
    pub fn paste(&mut self, pixels: &Pixels, [x, y]: [u32; 2]) {
        let (width, height) = (self.picture.width(), self.picture.height());
        let columns = pixels.size().w.min(width.saturating_sub(x)) as usize;
        for row in (0..pixels.size().h).take_while(|row| y + row < height) {
            let first = ((y + row) as usize * width as usize + x as usize) * 4;
            let below = self.picture.data_mut()[first..].chunks_exact_mut(4);
            for (below, above) in below.zip(pixels.row(row).chunks_exact(4)).take(columns) {
                let alpha = u32::from(above[3]);
                for (below, above) in below.iter_mut().zip(&above[..3]) {
                    let mixed = (u32::from(*above) * alpha + u32::from(*below) * (255 - alpha) + 127) / 255;
                    *below = u8::try_from(mixed).unwrap_or(u8::MAX);
                }
            }
        }
    }

    /// Writes a line of text, and returns where it ends.
    pub fn write(&mut self, text: &str, line: Line) -> u32 {
        let scaled = self.font.as_scaled(PxScale::from(line.size));
        let (mut pen, scale) = (position(line.x), [scaled.h_scale_factor(), -scaled.v_scale_factor()]);
        let mut letters = Vec::new();
        for letter in text.chars() {
            let glyph = scaled.glyph_id(letter);
            letters.extend(self.font.outline(glyph).and_then(|o| path(&o, scale, [pen, position(line.y)])));
            pen += scaled.h_advance(glyph);
        }
        for letter in letters {
            let (paint, identity) = (paint(line.colour), Transform::identity());
            self.picture.fill_path(&letter, &paint, FillRule::Winding, identity, None);
        }
        whole(pen)
    }

    /// The width of a text.
    pub fn width(&self, text: &str, size: f32) -> u32 {
        let scaled = self.font.as_scaled(PxScale::from(size));
        whole(text.chars().map(|letter| scaled.h_advance(scaled.glyph_id(letter))).sum())
    }

    /// The end of a text, with an ellipsis for the cut part: names differ at their ends.
    pub fn shortened(&self, text: &str, room: u32, size: f32) -> String {
        if self.width(text, size) <= room {
            return text.to_owned();
        }
        let scaled = self.font.as_scaled(PxScale::from(size));
        let advance = |letter| scaled.h_advance(scaled.glyph_id(letter));
        let mut sum = advance('…');
        let fits = |(at, letter): &(usize, char)| {
            sum += advance(*letter);
            *at > 0 && whole(sum) <= room
        };
        let end = text.char_indices().rev().take_while(fits).last();
        end.map(|(at, _)| format!("…{}", &text[at..])).unwrap_or_default()
    }

    /// The picture as a PNG with our mark.
    ///
    /// # Errors
    /// It cannot be encoded.
    pub fn to_png(&self, mark: Mark, what: &str) -> Result<Vec<u8>, Failure> {
        let size = Size::new(self.picture.width(), self.picture.height());
        // Everything is opaque: there is no alpha to divide out.
        let pixels = Pixels::from_rgba(size, self.picture.data().to_vec());
        let encoded = pixels.ok_or(EncodeError::Empty).and_then(|p| encode_marked_png(&p, PngEffort::Balanced, mark));
        encoded.map_err(|error| Problem::not_encoded(what, &error, "please report this").into())
    }
}

/// An enlarged or reduced picture: hard pixels when enlarged, smooth when reduced.
#[must_use]
pub fn scaled(pixels: &Pixels, zoom: f64) -> Pixels {
    let kind = if zoom >= 1.0 { Resample::Pixel } else { Resample::Smooth };
    let factor = format!("{zoom:.6}").parse();
    factor.map_or_else(|_| pixels.clone(), |factor| resample(pixels, Scale { factor, resample: kind }))
}

/// The zoom that fits a picture into a space, whole numbers above 1, and not above a limit.
#[must_use]
pub fn zoom_to_fit(size: Size, room: Size, most: f64) -> f64 {
    let zoom = (f64::from(room.w) / f64::from(size.w)).min(f64::from(room.h) / f64::from(size.h)).min(most);
    if zoom >= 1.0 { zoom.floor() } else { zoom }
}

/// The pixel nearest to a position.
#[must_use]
pub fn nearest(place: f64) -> u32 {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "casts from f64 saturate")]
    let nearest = place.round() as u32;
    nearest
}

/// The outline of a letter.
fn path(outline: &Outline, scale: [f32; 2], [x, y]: [f32; 2]) -> Option<Path> {
    let at = |p: ab_glyph::Point| (p.x.mul_add(scale[0], x), p.y.mul_add(scale[1], y));
    let mut path = PathBuilder::new();
    let mut end = None;
    for curve in &outline.curves {
        let (OutlineCurve::Line(from, to) | OutlineCurve::Quad(from, _, to) | OutlineCurve::Cubic(from, _, _, to)) =
            curve;
        if end != Some(*from) {
            path.move_to(at(*from).0, at(*from).1);
        }
        let (x, y) = at(*to);
        match curve {
            OutlineCurve::Line(..) => path.line_to(x, y),
            OutlineCurve::Quad(_, c, _) => path.quad_to(at(*c).0, at(*c).1, x, y),
            OutlineCurve::Cubic(_, c, d, _) => path.cubic_to(at(*c).0, at(*c).1, at(*d).0, at(*d).1, x, y),
        }
        end = Some(*to);
    }
    path.finish()
}

fn opaque([r, g, b]: Colour) -> Color {
    Color::from_rgba8(r, g, b, 255)
}

fn paint(colour: Colour) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color(opaque(colour));
    paint
}

/// A position on a picture: a hundred pages below each other are 130,000 pixels high.
#[expect(clippy::cast_precision_loss, reason = "exact below 2^24")]
fn position(place: u32) -> f32 {
    place as f32
}

/// The pixel that contains a position.
fn whole(place: f32) -> u32 {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to be within range")]
    let whole = place.clamp(0.0, 65_535.0) as u32;
    whole
}

#[cfg(test)]
mod tests {
    use super::*;

    const WHITE: Colour = [255; 3];

    /// Nothing was drawn further down than 65,535 pixels, where the fiftieth page of an atlas may be.
    #[test]
    fn a_picture_of_many_pages_is_drawn_to_its_end() {
        let mut drawing = Drawing::new(Size::new(40, 70_000), NIGHT).unwrap();
        let rows = |drawing: &Drawing| -> Vec<usize> {
            let drawn = |pixel: &tiny_skia::PremultipliedColorU8| pixel.red() == 255;
            let row = |row: &[tiny_skia::PremultipliedColorU8]| row.iter().any(drawn);
            let rows = drawing.picture.pixels().chunks(40).enumerate();
            rows.filter(|(_, pixels)| row(pixels)).map(|(number, _)| number).collect()
        };
        drawing.fill(geometry::Rect::new(38, 69_990, 9, 20), WHITE);
        assert_eq!(rows(&drawing), Vec::from_iter(69_990..70_000));
        drawing.fill(geometry::Rect::new(0, 69_990, 40, 10), NIGHT);
        // An empty rectangle was a line, so that a chart of memory showed some where there was none.
        drawing.fill(geometry::Rect::new(0, 100, 40, 0), WHITE);
        assert!(rows(&drawing).is_empty());
        let end = drawing.write("H", Line { x: 2, y: 69_000, size: 20.0, colour: WHITE });
        let rows = rows(&drawing);
        assert!(end > 10 && rows.len() > 5 && rows.iter().all(|row| (68_980..69_000).contains(row)), "{rows:?}");
    }

    #[test]
    fn of_a_long_name_the_longest_end_that_fits_is_shown() {
        let drawing = Drawing::new(Size::new(1, 1), NIGHT).unwrap();
        let name = "öl/moth/fly/0017";
        for room in 0..140 {
            let shown = drawing.shortened(name, room, 12.0);
            let ends = name.char_indices().skip(1).map(|(at, _)| format!("…{}", &name[at..]));
            let longest = std::iter::once(name.to_owned()).chain(ends).find(|end| drawing.width(end, 12.0) <= room);
            assert_eq!(shown, longest.unwrap_or_default(), "{room}");
        }
    }
}
