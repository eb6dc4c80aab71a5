//! Sprites that are stretched to any size: bands along their edges keep theirs, what lies between fills the rest.

use super::quad::quad_over;
use super::{Part, Picture, Placement, Quad, Sampling};
use crate::geometry::Size;

/// How the middle between the bands fills its room.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Middle {
    /// Stretched.
    #[default]
    Stretched,
    /// Repeated: in whole copies, as many as come nearest to their own size.
    Tiled,
}

/// The most copies of a middle along one side.
const MOST_COPIES: f64 = 1024.0;

/// A sprite stretched to a size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretched {
    picture: Picture,
    columns: Bands,
    rows: Bands,
}

/// One side: where its bands begin and end on the canvas, and where they are drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Bands {
    from: [u32; 4],
    to: [f64; 4],
    copies: u32,
}

impl Bands {
    /// Bands that do not fit side by side shrink in proportion until they do.
    fn new(length: u32, first: u32, last: u32, to: f64, middle: Middle) -> Self {
        let first = first.min(length);
        let last = last.min(length - first);
        let (both, between) = (f64::from(first + last), f64::from(length - first - last));
        let size = if both > to { to / both } else { 1.0 };
        let edges = [0.0, f64::from(first) * size, to - f64::from(last) * size, to];
        let copies = match middle {
            Middle::Tiled if between > 0.0 => ((edges[2] - edges[1]) / between + 0.5).floor().clamp(1.0, MOST_COPIES),
            _ => 1.0,
        };
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "from 1 to the most copies")]
        let copies = copies as u32;
        Self { from: [0, first, length - last, length], to: edges, copies }
    }

    /// The pieces to draw: a part of the canvas's side by start and length, and from where to where it is drawn.
    fn pieces(self) -> impl Iterator<Item = (u32, u32, [f64; 2])> {
        let piece = move |band: usize, copy: u32, copies: u32| {
            let (start, end) = (self.to[band], self.to[band + 1]);
            let at = |n: u32| start + (end - start) * f64::from(n) / f64::from(copies);
            (self.from[band], self.from[band + 1] - self.from[band], [at(copy), at(copy + 1)])
        };
        let middle = (0..self.copies).map(move |copy| piece(1, copy, self.copies));
        let all = std::iter::once(piece(0, 0, 1)).chain(middle).chain(std::iter::once(piece(2, 0, 1)));
        all.filter(|(_, length, [from, to])| *length > 0 && to > from)
    }

    /// Where a place on the canvas's side, or beyond it, is drawn; a repeated middle counts as stretched.
    fn place(self, at: f64) -> f64 {
        let from = self.from.map(f64::from);
        let band = if at < from[1] {
            0
        } else if at > from[2] {
            2
        } else {
            1
        };
        let (start, length) = (from[band], from[band + 1] - from[band]);
        if length == 0.0 {
            return self.to[band] + (at - start);
        }
        self.to[band] + (at - start) * (self.to[band + 1] - self.to[band]) / length
    }
}

impl Stretched {
    /// A picture with its bands (left, top, right, bottom, in canvas pixels) at a size in canvas pixels.
    #[must_use]
    pub fn new(picture: Picture, [left, top, right, bottom]: [u32; 4], to: [f64; 2], middle: Middle) -> Self {
        let Size { w, h } = picture.canvas;
        let (columns, rows) = (Bands::new(w, left, right, to[0], middle), Bands::new(h, top, bottom, to[1], middle));
        Self { picture, columns, rows }
    }

    /// Where a point of the canvas, such as the pivot, lies on the stretched sprite.
    #[must_use]
    pub fn point(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        [self.columns.place(x), self.rows.place(y)]
    }

    /// The quads that draw it, row by row: up to nine, more if the middle is repeated. There are none for what is not
    /// stored. The pivot is that of the sprite, in canvas pixels.
    pub fn quads(self, pivot: [f64; 2], placement: Placement, sampling: Sampling) -> impl Iterator<Item = Quad> {
        let pivot = self.point(pivot);
        self.rows.pieces().flat_map(move |row| {
            self.columns.pieces().filter_map(move |column| {
                let [(x, w, across), (y, h, down)] = [column, row];
                let part = Part { x: i32::try_from(x).ok()?, y: i32::try_from(y).ok()?, w, h };
                let shown = self.picture.part(&[part]).ok()?;
                let on = shown.on_canvas;
                let side = |at: u32, start: u32, length: u32, to: [f64; 2]| {
                    to[0] + (to[1] - to[0]) * f64::from(at - start) / f64::from(length)
                };
                let edges = [
                    side(on.x, x, w, across),
                    side(on.y, y, h, down),
                    side(on.x + on.w, x, w, across),
                    side(on.y + on.h, y, h, down),
                ];
                Some(quad_over(&shown.area, edges, pivot, &placement, &sampling))
            })
        })
    }
}
