//! What blocks lose of a picture as it is seen: colours weighted by their alpha.

use crate::atlas::Alpha;
use crate::geometry::{Rect, Size};
use crate::pixels::{PIXEL, Pixels, premultiplied};
use crate::texture::BLOCK_SIDE;
use serde::{Deserialize, Serialize};

/// How far a picture is from its original.
///
/// This compares the four channels of each pixel, colours multiplied by alpha, for all pixels that are visible in
/// either picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Loss {
    /// The sum of all squared differences.
    pub squares: u64,
    /// How many pixels were visible.
    pub pixels: u64,
}

impl Loss {
    /// The peak signal-to-noise ratio in decibels: `10 log10(255² / mean squared difference)`. `None` if nothing
    /// differs.
    #[must_use]
    pub fn psnr(self) -> Option<f64> {
        #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
        let mean = self.squares as f64 / (self.pixels * PIXEL as u64).max(1) as f64;
        (self.squares > 0).then(|| 10.0 * libm::log10(255.0 * 255.0 / mean))
    }

    /// Whether it is at least this many decibels.
    #[must_use]
    pub fn keeps(self, least: f64) -> bool {
        self.psnr().is_none_or(|psnr| psnr >= least)
    }

    /// The sum of both.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self { squares: self.squares + other.squares, pixels: self.pixels + other.pixels }
    }
}

/// The part of a page with the greatest loss.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct WorstBlock {
    /// The block's pixels on the page.
    pub rect: Rect,
    /// What it loses.
    pub loss: Loss,
}

/// What a part of a picture loses. Both pictures have the same size, and the part lies on it.
#[must_use]
pub fn loss(original: &Pixels, shown: &Pixels, alpha: Alpha, part: Rect) -> Loss {
    let mut loss = Loss::default();
    for y in part.y..part.y + part.h {
        let bytes = part.x as usize * PIXEL..(part.x + part.w) as usize * PIXEL;
        let [a, b] = [original, shown].map(|pixels| pixels.row(y)[bytes.clone()].as_chunks::<PIXEL>().0);
        for (a, b) in a.iter().zip(b) {
            loss = loss.and(pixel_loss(*a, *b, alpha));
        }
    }
    loss
}

/// What one pixel loses.
#[must_use]
pub fn pixel_loss(original: [u8; PIXEL], shown: [u8; PIXEL], alpha: Alpha) -> Loss {
    if original == shown || original[3] | shown[3] == 0 {
        return Loss { squares: 0, pixels: u64::from(original[3] | shown[3] > 0) };
    }
    let (a, b) = match alpha {
        Alpha::Straight => (premultiplied(original), premultiplied(shown)),
        Alpha::Premultiplied => (original, shown),
    };
    Loss { squares: a.iter().zip(b).map(|(a, b)| u64::from(a.abs_diff(b)).pow(2)).sum(), pixels: 1 }
}

/// The block of a page that loses most, if any does.
#[must_use]
pub fn worst_block(original: &Pixels, shown: &Pixels, alpha: Alpha) -> Option<WorstBlock> {
    let Size { w, h } = original.size();
    let of_row = |y: usize| {
        #[expect(clippy::cast_possible_truncation, reason = "below the height, a u32")]
        let y = y as u32 * BLOCK_SIDE;
        let blocks = (0..w).step_by(BLOCK_SIDE as usize).map(|x| {
            let rect = Rect::new(x, y, (w - x).min(BLOCK_SIDE), (h - y).min(BLOCK_SIDE));
            WorstBlock { rect, loss: loss(original, shown, alpha, rect) }
        });
        blocks.reduce(worse)
    };
    let rows = crate::par::map_range(h.div_ceil(BLOCK_SIDE) as usize, of_row);
    rows.into_iter().flatten().reduce(worse).filter(|worst| worst.loss.squares > 0)
}

/// The first of those that lose most for their visible pixels.
fn worse(a: WorstBlock, b: WorstBlock) -> WorstBlock {
    let [of_a, of_b] =
        [(a.loss, b.loss), (b.loss, a.loss)].map(|(x, y)| u128::from(x.squares) * u128::from(y.pixels.max(1)));
    if of_b > of_a { b } else { a }
}
