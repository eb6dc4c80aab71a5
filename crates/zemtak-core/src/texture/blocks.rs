//! Pixels in blocks, and back. What packs and what unpacks share no code.

use crate::atlas::PixelKind;
use crate::geometry::Size;
use crate::pixels::{PIXEL, Pixels};

const SIDE: u32 = 4;
/// The bytes of a row of an unpacked block.
const ROW: usize = SIDE as usize * PIXEL;

/// A level's pixels out of its blocks; nothing where there are not as many bytes as the size asks for.
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
    use super::{PIXEL, PixelKind, Pixels, SIDE, Size};
    use dds::{ColorFormat, CompressionQuality, EncodeOptions, Format, ImageView};

    /// How many rows of blocks go to the library at once.
    const ROWS: u32 = 8;

    /// Why pixels cannot be packed: the library's reason.
    #[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
    #[error("no blocks: {0}")]
    pub struct BlockError(String);

    /// A level in blocks. Each block follows from its own pixels alone, so any number of threads makes the same.
    pub fn pack(pixels: &Pixels, kind: PixelKind) -> Result<Vec<u8>, BlockError> {
        let size = pixels.size();
        let format = match kind {
            PixelKind::Rgba8 => return Ok(pixels.as_bytes().to_vec()),
            PixelKind::Bc1 => Format::BC1_UNORM,
            PixelKind::Bc3 => Format::BC3_UNORM,
            PixelKind::Bc7 => Format::BC7_UNORM,
        };
        let mut options = EncodeOptions::default();
        // For art of games the slower grades gain less than a tenth of the error and take three times as long.
        options.quality = CompressionQuality::Fast;
        options.parallel = false;
        let strips = size.h.div_ceil(ROWS * SIDE);
        let packed = crate::par::map_range(strips as usize, |strip| {
            #[expect(clippy::cast_possible_truncation, reason = "below the number of strips, a u32")]
            let top = strip as u32 * ROWS * SIDE;
            let count = (size.h - top).min(ROWS * SIDE);
            let wide = Size::new(size.w.next_multiple_of(SIDE), count.next_multiple_of(SIDE));
            let rows = whole_blocks(pixels, top, count, wide);
            let view = ImageView::new(&rows, dds::Size::new(wide.w, wide.h), ColorFormat::RGBA_U8);
            let view = view.ok_or_else(|| BlockError("a strip of blocks has no size".into()))?;
            let mut bytes = Vec::with_capacity(usize::try_from(kind.level_bytes(wide)).unwrap_or(0));
            let encoded = dds::encode(&mut bytes, view, format, None, &options);
            encoded.map_err(|error| BlockError(error.to_string()))?;
            Ok(bytes)
        });
        Ok(packed.into_iter().collect::<Result<Vec<_>, BlockError>>()?.concat())
    }

    /// Rows filled up to whole blocks by what is at their ends.
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
}
