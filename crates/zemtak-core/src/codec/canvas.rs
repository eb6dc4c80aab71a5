//! Frames of an animation that are parts of a picture, assembled on its canvas.

use super::Frame;
use crate::geometry::Size;
use crate::pixels::Pixels;

/// What happens to a piece's area before the next one is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Disposal {
    /// It stays.
    Keep,
    /// It becomes transparent. GIF speaks of a background colour, which no common reader draws.
    Clear,
    /// It becomes what it was before the piece.
    Restore,
}

/// What one frame contributes.
#[derive(Debug)]
pub(super) struct Piece {
    /// Where its upper left corner lies on the canvas. What reaches beyond the canvas is cut off.
    pub at: [u32; 2],
    pub size: Size,
    /// Straight RGBA, row by row.
    pub rgba: Vec<u8>,
    /// Whether it is drawn over what is there, or replaces it.
    pub over: bool,
    pub disposal: Disposal,
    /// How long it is shown; 0 if the file does not say.
    pub ms: f64,
}

/// The canvas of an animation.
#[derive(Debug)]
pub(super) struct Canvas {
    size: Size,
    rgba: Vec<u8>,
    /// What is still to be done about the last piece drawn: its area, and what that turns into (transparent if `None`).
    last: Option<(Area, Option<Vec<u8>>)>,
}

/// A part of the canvas in bytes: of each row, from `left` on.
#[derive(Debug, Clone, Copy)]
struct Area {
    top: usize,
    rows: usize,
    left: usize,
    length: usize,
}

impl Canvas {
    /// An empty one.
    pub fn new(size: Size) -> Self {
        Self { size, rgba: vec![0; size.w as usize * size.h as usize * 4], last: None }
    }

    /// Draws the next piece; returns what is visible then.
    pub fn show(&mut self, piece: &Piece) -> Option<Frame> {
        if let Some((area, before)) = self.last.take() {
            self.put(area, |row, y| match &before {
                Some(before) => row.copy_from_slice(&before[y * area.length..][..area.length]),
                None => row.fill(0),
            });
        }
        let [left, top] = piece.at.map(|v| v as usize);
        let [w, h] = [self.size.w, self.size.h].map(|v| v as usize);
        let rows = (piece.size.h as usize).min(h.saturating_sub(top));
        let columns = (piece.size.w as usize).min(w.saturating_sub(left));
        let area = Area { top, rows, left: left * 4, length: columns * 4 };
        self.last = match piece.disposal {
            Disposal::Keep => None,
            Disposal::Clear => Some((area, None)),
            Disposal::Restore => Some((area, Some(self.of(area)))),
        };
        let stride = piece.size.w as usize * 4;
        self.put(area, |row, y| draw(row, &piece.rgba[y * stride..][..area.length], piece.over));
        let pixels = Pixels::from_rgba(self.size, self.rgba.clone())?;
        Some(Frame { pixels, ms: (piece.ms > 0.0).then_some(piece.ms) })
    }

    fn rows(&self, area: Area) -> impl Iterator<Item = usize> + use<> {
        let stride = self.size.w as usize * 4;
        // It may lie entirely outside the canvas.
        let rows = if area.length == 0 { 0 } else { area.rows };
        (0..rows).map(move |y| (area.top + y) * stride + area.left)
    }

    fn of(&self, area: Area) -> Vec<u8> {
        self.rows(area).flat_map(|at| &self.rgba[at..][..area.length]).copied().collect()
    }

    fn put(&mut self, area: Area, mut row: impl FnMut(&mut [u8], usize)) {
        for (y, at) in self.rows(area).enumerate() {
            row(&mut self.rgba[at..][..area.length], y);
        }
    }
}

fn draw(there: &mut [u8], new: &[u8], over: bool) {
    if !over {
        there.copy_from_slice(new);
        return;
    }
    for (there, new) in there.as_chunks_mut::<4>().0.iter_mut().zip(new.as_chunks::<4>().0) {
        *there = blend(*new, *there);
    }
}

/// One colour over another, both straight, as the APNG specification defines it; rounded.
#[expect(clippy::cast_possible_truncation, reason = "means of bytes are bytes")]
fn blend(over: [u8; 4], under: [u8; 4]) -> [u8; 4] {
    if over[3] == 255 || under[3] == 0 {
        return over;
    }
    // In 255ths of 255.
    let (a, b) = (u32::from(over[3]) * 255, (255 - u32::from(over[3])) * u32::from(under[3]));
    if a == 0 {
        return under;
    }
    let mean = |n: usize| ((u32::from(over[n]) * a + u32::from(under[n]) * b + (a + b) / 2) / (a + b)) as u8;
    [mean(0), mean(1), mean(2), ((a + b + 127) / 255) as u8]
}

#[cfg(test)]
mod tests {
    use super::*;

    const SIZE: Size = Size::new(3, 2);

    fn piece(at: [u32; 2], size: Size, colour: [u8; 4], disposal: Disposal) -> Piece {
        Piece { at, size, rgba: colour.repeat((size.w * size.h) as usize), over: true, disposal, ms: 0.0 }
    }

    fn shown(canvas: &mut Canvas, piece: &Piece) -> Vec<[u8; 4]> {
        canvas.show(piece).unwrap().pixels.as_bytes().as_chunks().0.to_vec()
    }

    #[test]
    fn each_piece_leaves_what_it_says() {
        const RED: [u8; 4] = [255, 0, 0, 255];
        const BLUE: [u8; 4] = [0, 0, 255, 255];
        const NONE: [u8; 4] = [0; 4];
        let mut canvas = Canvas::new(SIZE);
        assert_eq!(shown(&mut canvas, &piece([0, 0], SIZE, RED, Disposal::Keep)), [RED; 6]);
        // Half of it lies outside.
        let corner = piece([2, 1], Size::new(2, 2), BLUE, Disposal::Restore);
        assert_eq!(shown(&mut canvas, &corner), [RED, RED, RED, RED, RED, BLUE]);
        let cleared = piece([0, 0], Size::new(1, 2), BLUE, Disposal::Clear);
        assert_eq!(shown(&mut canvas, &cleared), [BLUE, RED, RED, BLUE, RED, RED]);
        let outside = piece([7, 9], SIZE, BLUE, Disposal::Restore);
        assert_eq!(shown(&mut canvas, &outside), [NONE, RED, RED, NONE, RED, RED]);
        let last = Piece { over: false, ..piece([1, 0], Size::new(1, 1), NONE, Disposal::Keep) };
        assert_eq!(shown(&mut canvas, &last), [NONE, NONE, RED, NONE, RED, RED]);
    }

    #[test]
    fn colours_are_mixed_by_their_alpha() {
        for over in [[200, 10, 90, 0], [200, 10, 90, 1], [200, 10, 90, 100], [200, 10, 90, 255]] {
            for under in [[7, 250, 90, 0], [7, 250, 90, 40], [7, 250, 90, 255]] {
                let [a, b] = [over, under].map(|colour: [u8; 4]| f64::from(colour[3]) / 255.0);
                let alpha = a + b * (1.0 - a);
                let mixed = blend(over, under);
                assert!((f64::from(mixed[3]) - alpha * 255.0).abs() <= 0.5, "{over:?} over {under:?}: {mixed:?}");
                for n in 0..3 {
                    let mean = (f64::from(over[n]) * a + f64::from(under[n]) * b * (1.0 - a)) / alpha;
                    assert!(alpha == 0.0 || (f64::from(mixed[n]) - mean).abs() <= 0.5, "{over:?} over {under:?}");
                }
            }
        }
    }
}
