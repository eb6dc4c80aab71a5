//! Pixels as a game's upload call wants them: rows of values without a header, in a given order.

use crate::pixels::{PIXEL, Pixels};

/// The order of a pixel's four channels: in memory if each is a byte, from the highest bits down if all are in one
/// 16-bit word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Channels {
    /// Red, green, blue, alpha.
    #[default]
    Rgba,
    /// Blue, green, red, alpha.
    Bgra,
    /// Alpha, red, green, blue.
    Argb,
    /// Alpha, blue, green, red.
    Abgr,
}

impl Channels {
    /// The index of each channel in an RGBA pixel.
    fn order(self) -> [usize; PIXEL] {
        match self {
            Self::Rgba => [0, 1, 2, 3],
            Self::Bgra => [2, 1, 0, 3],
            Self::Argb => [3, 0, 1, 2],
            Self::Abgr => [3, 2, 1, 0],
        }
    }
}

/// How many bits each channel has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Bits {
    /// Eight each: four bytes.
    #[default]
    Eight,
    /// Five, six and five in a 16-bit word, lower byte first, without alpha.
    FiveSixFive,
    /// Four each in a 16-bit word, lower byte first.
    Four,
}

/// How rows of raw pixels are laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RawLayout {
    /// The order of a pixel's channels. Without alpha, `argb` is `rgb`, and `abgr` is `bgr`.
    pub channels: Channels,
    /// Bits per channel.
    pub bits: Bits,
    /// Whether channels with fewer bits are dithered in an ordered pattern of 4 x 4 pixels, so that gradients show no
    /// steps.
    pub dither: bool,
    /// Each row takes a multiple of this many bytes; the padding is 0.
    pub row_align: u32,
    /// Whether the lowest row comes first.
    pub bottom_up: bool,
}

impl Default for RawLayout {
    /// Rows of RGBA from the top, a byte per channel, without padding.
    fn default() -> Self {
        Self { channels: Channels::Rgba, bits: Bits::Eight, dither: false, row_align: 1, bottom_up: false }
    }
}

/// At which of 16 steps each pixel of a 4 x 4 pattern is rounded up (B. E. Bayer, 1973).
const STEPS: [[u32; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];

impl RawLayout {
    /// The bytes of a pixel.
    #[must_use]
    pub fn pixel_bytes(&self) -> u32 {
        if self.bits == Bits::Eight { 4 } else { 2 }
    }

    /// The bytes of a row, including padding.
    #[must_use]
    pub fn row_bytes(&self, width: u32) -> u64 {
        (u64::from(width) * u64::from(self.pixel_bytes())).next_multiple_of(u64::from(self.row_align.max(1)))
    }

    /// The rows of a picture.
    ///
    /// A channel with fewer bits gets the nearest value, `(v * most * 2 + 255) div 510` with `most` its largest value;
    /// dithered, `(v * most * 32 + 255 * (2 * step + 1)) div (255 * 32)`, where `step` is the pattern's step for the
    /// pixel, from 0 to 15.
    #[must_use]
    pub fn encode(&self, pixels: &Pixels) -> Vec<u8> {
        let size = pixels.size();
        let row_bytes = usize::try_from(self.row_bytes(size.w)).unwrap_or(usize::MAX);
        let mut rows = Vec::with_capacity(row_bytes.saturating_mul(size.h as usize));
        for n in 0..size.h {
            let y = if self.bottom_up { size.h - 1 - n } else { n };
            let end = rows.len() + row_bytes;
            for (x, pixel) in (0..).zip(pixels.row(y).as_chunks::<PIXEL>().0) {
                self.push(&mut rows, *pixel, STEPS[y as usize % 4][x % 4]);
            }
            rows.resize(end, 0);
        }
        rows
    }

    fn push(&self, rows: &mut Vec<u8>, pixel: [u8; PIXEL], step: u32) {
        let order = self.channels.order();
        let widths: [u32; PIXEL] = match self.bits {
            Bits::Eight => return rows.extend(order.map(|from| pixel[from])),
            Bits::FiveSixFive => [5, 6, 5, 0],
            Bits::Four => [4; 4],
        };
        let word = order.into_iter().fold(0u16, |word, from| {
            let number = self.narrow(pixel[from], widths[from], step);
            (word << widths[from]) | number
        });
        rows.extend(word.to_le_bytes());
    }

    /// A channel in fewer bits.
    fn narrow(&self, byte: u8, bits: u32, step: u32) -> u16 {
        let (v, most) = (u32::from(byte), (1u32 << bits) - 1);
        let number = match self.dither {
            true => (v * most * 32 + 255 * (2 * step + 1)) / (255 * 32),
            false => (v * most * 2 + 255) / 510,
        };
        u16::try_from(number).unwrap_or(u16::MAX)
    }
}

#[cfg(test)]
#[allow(clippy::cast_possible_truncation, reason = "small pictures")]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::pixels::tests::pictures;
    use proptest::prelude::*;

    const ORDERS: [(Channels, &str); 4] =
        [(Channels::Rgba, "rgba"), (Channels::Bgra, "bgra"), (Channels::Argb, "argb"), (Channels::Abgr, "abgr")];

    proptest! {
        /// Read back letter by letter from the name of the order, each channel is where its name says, and as near as
        /// its bits allow.
        #[test]
        fn rows_are_laid_out_as_they_are_called(
            picture in pictures(), order in 0usize..4, bits in 0usize..3, dither: bool, row_align in 1u32..9, bottom_up: bool,
        ) {
            let (channels, word) = ORDERS[order];
            let (bits, widths) =
                [(Bits::Eight, [8; 4]), (Bits::FiveSixFive, [5, 6, 5, 0]), (Bits::Four, [4; 4])][bits];
            let layout = RawLayout { channels, bits, dither, row_align, bottom_up };
            let (rows, size) = (layout.encode(&picture), picture.size());
            let row_bytes = layout.row_bytes(size.w) as usize;
            prop_assert_eq!(rows.len(), row_bytes * size.h as usize);
            for (n, row) in rows.chunks(row_bytes).enumerate() {
                let y = if bottom_up { size.h - 1 - n as u32 } else { n as u32 };
                let used = size.w as usize * layout.pixel_bytes() as usize;
                prop_assert!(row.len() < used + row_align as usize && row[used..].iter().all(|&b| b == 0));
                for x in 0..size.w {
                    let bytes = &row[x as usize * layout.pixel_bytes() as usize..][..layout.pixel_bytes() as usize];
                    let mut word_left = if bits == Bits::Eight { 0 } else { u32::from(bytes[0]) | u32::from(bytes[1]) << 8 };
                    // From the last letter to the first: the lowest bits first.
                    for (place, letter) in word.chars().enumerate().collect::<Vec<_>>().into_iter().rev() {
                        let at = "rgba".find(letter).unwrap();
                        let width = widths[at];
                        let most = (1u32 << width) - 1;
                        let number = if bits == Bits::Eight { u32::from(bytes[place]) } else { word_left & most };
                        word_left >>= width;
                        if width == 0 { continue; }
                        let exact = f64::from(picture.get(x, y).unwrap()[at]) * f64::from(most) / 255.0;
                        let off = (f64::from(number) - exact).abs();
                        prop_assert!(off <= if dither { 31.0 / 32.0 } else { 0.5 }, "{letter} {number} {exact}");
                    }
                }
            }
        }
    }

    /// Over each 4 x 4 pixels of one colour, the dithered values average to it, to a sixteenth of a step.
    #[test]
    fn dithering_keeps_the_mean() {
        let layout = RawLayout { bits: Bits::Four, dither: true, ..RawLayout::default() };
        for value in 0..=255u8 {
            let flat = Pixels::from_rgba(Size::new(4, 4), [value; 64].to_vec()).unwrap();
            let sum: u32 = layout.encode(&flat).chunks(2).map(|word| u32::from(word[1] >> 4)).sum();
            let exact = f64::from(value) * 15.0 / 255.0 * 16.0;
            assert!((f64::from(sum) - exact).abs() <= 0.5, "{value}: {sum} {exact}");
        }
    }
}
