//! Pixels in compressed blocks, and back. Packing and unpacking share no code.

use crate::atlas::PixelKind;
use crate::geometry::Size;
use crate::pixels::{PIXEL, Pixels};
use crate::texture::BLOCK_SIDE as SIDE;

/// The bytes of a row of an unpacked block.
const ROW: usize = SIDE as usize * PIXEL;

/// A level's pixels from its blocks; `None` if the number of bytes does not match the size.
#[cfg(feature = "decode-blocks")]
#[must_use]
pub fn unpack(bytes: &[u8], kind: PixelKind, size: Size) -> Option<Pixels> {
    if bytes.len() as u64 != kind.level_bytes(size) {
        return None;
    }
    let unpack_block: fn(&[u8], &mut [u8], usize) = match kind {
        PixelKind::Rgba8 => return Pixels::from_rgba(size, bytes.to_vec()),
        PixelKind::Bc1 => bcdec_rs::bc1,
        PixelKind::Bc3 => bcdec_rs::bc3,
        PixelKind::Bc7 => bcdec_rs::bc7,
    };
    let mut pixels = Pixels::transparent(size)?;
    let stride = size.w as usize * PIXEL;
    let of_row = size.w.div_ceil(SIDE) as usize * kind.block_bytes() as usize;
    crate::par::each_chunk(pixels.as_bytes_mut(), stride * SIDE as usize, |y, rows| {
        let blocks = bytes[y * of_row..][..of_row].chunks_exact(kind.block_bytes() as usize);
        for (x, block) in blocks.enumerate() {
            let mut unpacked = [0; ROW * SIDE as usize];
            unpack_block(block, &mut unpacked, ROW);
            for (row, from) in rows.chunks_exact_mut(stride).zip(unpacked.chunks_exact(ROW)) {
                let to = &mut row[x * ROW..stride.min((x + 1) * ROW)];
                to.copy_from_slice(&from[..to.len()]);
            }
        }
    });
    Some(pixels)
}

#[cfg(feature = "encode-ktx2")]
pub use packing::BlockError;
#[cfg(feature = "encode-ktx2")]
pub(super) use packing::pack;

#[cfg(feature = "encode-ktx2")]
mod packing {
    use super::{PIXEL, PixelKind, Pixels, ROW, SIDE, Size, unpack};
    use crate::atlas::Alpha;
    use crate::geometry::Rect;
    use crate::texture::{Loss, loss};
    use dds::{ColorFormat, CompressionQuality, EncodeOptions, Format, ImageView};

    /// How many rows of blocks go to the library at once.
    const ROWS: u32 = 8;

    /// Blocks with a PSNR below this many decibels are packed once more, with more care: on art with hard edges that is
    /// one in ten, and it gains three decibels for half as much time again.
    const GOOD: f64 = 38.0;

    /// Why pixels cannot be packed: the library's reason.
    #[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
    #[error("no blocks: {0}")]
    pub struct BlockError(String);

    /// A level in blocks. Each block depends on its own pixels alone, so any number of threads makes the same.
    pub fn pack(pixels: &Pixels, kind: PixelKind, alpha: Alpha) -> Result<Vec<u8>, BlockError> {
        let size = pixels.size();
        let format = match kind {
            PixelKind::Rgba8 => return Ok(pixels.as_bytes().to_vec()),
            PixelKind::Bc1 => Format::BC1_UNORM,
            PixelKind::Bc3 => Format::BC3_UNORM,
            PixelKind::Bc7 => Format::BC7_UNORM,
        };
        let strips = size.h.div_ceil(ROWS * SIDE);
        let packed = crate::par::map_range(strips as usize, |strip| {
            #[expect(clippy::cast_possible_truncation, reason = "below the number of strips, a u32")]
            let top = strip as u32 * ROWS * SIDE;
            let count = (size.h - top).min(ROWS * SIDE);
            let to = Size::new(size.w.next_multiple_of(SIDE), count.next_multiple_of(SIDE));
            let rows = Pixels::from_rgba(to, whole_blocks(pixels, top, count, to));
            let rows = rows.ok_or_else(|| BlockError("a strip of blocks has no size".into()))?;
            Packing { kind, format, alpha }.strip(&rows)
        });
        Ok(packed.into_iter().collect::<Result<Vec<_>, BlockError>>()?.concat())
    }

    /// How blocks are packed.
    #[derive(Clone, Copy)]
    struct Packing {
        kind: PixelKind,
        format: Format,
        alpha: Alpha,
    }

    impl Packing {
        /// Quickly at first; then blocks that lose much are packed with more care, and the results kept if they lose
        /// less.
        fn strip(self, rows: &Pixels) -> Result<Vec<u8>, BlockError> {
            let filled = if self.alpha == Alpha::Straight { with_hidden_colour(rows) } else { rows.clone() };
            let mut bytes = self.encode(&filled, CompressionQuality::Fast)?;
            let places: Vec<[u32; 2]> = blocks_of(rows.size()).collect();
            let losses = self.losses(rows, &bytes, &places)?;
            let poor: Vec<usize> = (0..places.len()).filter(|&at| !losses[at].keeps(GOOD)).collect();
            if poor.is_empty() {
                return Ok(bytes);
            }
            let of_poor = |from: &Pixels| beside_each_other(from, poor.iter().map(|&at| places[at]));
            let (Some(seen), Some(filled)) = (of_poor(rows), of_poor(&filled)) else { return Ok(bytes) };
            let better = self.encode(&filled, CompressionQuality::High)?;
            let lost = self.losses(&seen, &better, &blocks_of(seen.size()).collect::<Vec<_>>())?;
            let length = self.kind.block_bytes() as usize;
            for (n, (&at, lost)) in poor.iter().zip(lost).enumerate() {
                if lost.squares < losses[at].squares {
                    bytes[at * length..][..length].copy_from_slice(&better[n * length..][..length]);
                }
            }
            Ok(bytes)
        }

        fn encode(self, rows: &Pixels, quality: CompressionQuality) -> Result<Vec<u8>, BlockError> {
            let mut options = EncodeOptions::default();
            (options.quality, options.parallel) = (quality, false);
            let size = dds::Size::new(rows.size().w, rows.size().h);
            let view = ImageView::new(rows.as_bytes(), size, ColorFormat::RGBA_U8);
            let view = view.ok_or_else(|| BlockError("a strip of blocks has no size".into()))?;
            let mut bytes = Vec::with_capacity(usize::try_from(self.kind.level_bytes(rows.size())).unwrap_or(0));
            let encoded = dds::encode(&mut bytes, view, self.format, None, &options);
            encoded.map_err(|error| BlockError(error.to_string()))?;
            Ok(bytes)
        }

        /// What each block of these rows loses.
        fn losses(self, rows: &Pixels, bytes: &[u8], places: &[[u32; 2]]) -> Result<Vec<Loss>, BlockError> {
            let shown = unpack(bytes, self.kind, rows.size());
            let shown = shown.ok_or_else(|| BlockError("the library gave fewer or more than was asked for".into()))?;
            Ok(places.iter().map(|&[x, y]| loss(rows, &shown, self.alpha, Rect::new(x, y, SIDE, SIDE))).collect())
        }
    }

    /// Where blocks begin, row by row.
    fn blocks_of(size: Size) -> impl Iterator<Item = [u32; 2]> {
        let (w, h) = (size.w, size.h);
        (0..h).step_by(SIDE as usize).flat_map(move |y| (0..w).step_by(SIDE as usize).map(move |x| [x, y]))
    }

    /// Blocks of a picture, side by side.
    fn beside_each_other(from: &Pixels, places: impl ExactSizeIterator<Item = [u32; 2]>) -> Option<Pixels> {
        let count = u32::try_from(places.len()).ok()?;
        let mut row = Pixels::transparent(Size::new(count.checked_mul(SIDE)?, SIDE))?;
        for (n, [x, y]) in places.enumerate() {
            for line in 0..SIDE {
                let bytes = &from.row(y + line)[x as usize * PIXEL..][..ROW];
                row.row_mut(line)[n * ROW..][..ROW].copy_from_slice(bytes);
            }
        }
        Some(row)
    }

    /// Rows extended to whole blocks by repeating their ends.
    fn whole_blocks(pixels: &Pixels, top: u32, count: u32, to: Size) -> Vec<u8> {
        let mut rows = Vec::with_capacity(to.w as usize * to.h as usize * PIXEL);
        for y in 0..to.h {
            let row = pixels.row(top + y.min(count - 1));
            rows.extend_from_slice(row);
            for _ in pixels.size().w..to.w {
                rows.extend_from_slice(&row[row.len() - PIXEL..]);
            }
        }
        rows
    }

    /// Rows in which transparent pixels without a colour get the mean colour of what is visible in their block: it
    /// cannot be seen, and black would pull apart the two colours between which a block's pixels lie.
    fn with_hidden_colour(rows: &Pixels) -> Pixels {
        let mut filled = rows.clone();
        for [x, y] in blocks_of(rows.size()) {
            let pixels = || (y..y + SIDE).flat_map(move |y| (x..x + SIDE).map(move |x| (x, y)));
            let (mut sums, mut count) = ([0u32; 3], 0);
            let mut hidden = Vec::new();
            for (x, y) in pixels() {
                match rows.get(x, y).unwrap_or_default() {
                    [0, 0, 0, 0] => hidden.push((x, y)),
                    pixel if pixel[3] > 0 => {
                        count += 1;
                        sums.iter_mut().zip(pixel).for_each(|(sum, colour)| *sum += u32::from(colour));
                    }
                    _ => {}
                }
            }
            if count > 0 {
                let mean = sums.map(|sum| u8::try_from((sum + count / 2) / count).unwrap_or(u8::MAX));
                for (x, y) in hidden {
                    filled.row_mut(y)[x as usize * PIXEL..][..3].copy_from_slice(&mean);
                }
            }
        }
        filled
    }

    #[cfg(test)]
    mod tests {
        use super::*;

        #[test]
        fn hidden_pixels_take_the_mean_colour_of_their_block_and_no_others_change() {
            // One block of two visible pixels, a hidden one with a colour, and thirteen without; and an empty block.
            let mut picture = Pixels::transparent(Size::new(8, 4)).unwrap();
            let drawn = [([0, 0], [10, 0, 255, 255]), ([3, 1], [21, 1, 255, 1]), ([2, 2], [200, 100, 50, 0])];
            for ([x, y], pixel) in drawn {
                picture.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&pixel);
            }
            let filled = with_hidden_colour(&picture);
            for (x, y) in (0..4).flat_map(|y| (0..8).map(move |x| (x, y))) {
                let own = drawn.iter().find(|(at, _)| *at == [x, y]).map(|(_, pixel)| *pixel);
                // (10 + 21) / 2 and (0 + 1) / 2, rounded up.
                let expected = own.unwrap_or(if x < 4 { [16, 1, 255, 0] } else { [0; 4] });
                assert_eq!(filled.get(x, y), Some(expected), "{x}, {y}");
            }
        }
    }
}
