//! Writing pages as PNG: bands of rows are filtered and deflated each for itself, so that all cores can share a page.
//!
//! The bands are of fixed size, so the bytes do not depend on the number of threads.

use super::png_filter::filter_rows;
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use flate2::{Compress, Compression, FlushCompress, Status};
use png::{BitDepth, ColorType, Encoder, EncodingError, chunk};

/// How much work goes into making a PNG small.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum PngEffort {
    /// The least time.
    Fast,
    /// Nearly the smallest file for a fraction of the time.
    #[default]
    Balanced,
    /// The smallest file.
    Small,
}

impl PngEffort {
    const fn level(self) -> u32 {
        match self {
            Self::Fast => 1,
            Self::Balanced => 6,
            Self::Small => 9,
        }
    }

    /// How many bytes of pixels a band holds at least: fewer make use of more cores, more make smaller files.
    const fn band(self) -> usize {
        match self {
            Self::Fast | Self::Balanced => 1 << 20,
            Self::Small => 4 << 20,
        }
    }
}

/// Encodes a picture as a PNG of 8-bit RGBA, without marks of gamma or colour profile: they make loaders shift colours.
///
/// # Errors
/// Where the PNG writer refuses: a picture without pixels.
pub fn encode_png(pixels: &Pixels, effort: PngEffort) -> Result<Vec<u8>, EncodingError> {
    let size = pixels.size();
    let mut out = Vec::new();
    let mut encoder = Encoder::new(&mut out, size.w, size.h);
    encoder.set_color(ColorType::Rgba);
    encoder.set_depth(BitDepth::Eight);
    let mut writer = encoder.write_header()?;
    for data in deflate(pixels, effort) {
        writer.write_chunk(chunk::IDAT, &data)?;
    }
    writer.finish()?;
    Ok(out)
}

/// The zlib stream of the filtered rows, in pieces.
fn deflate(pixels: &Pixels, effort: PngEffort) -> Vec<Vec<u8>> {
    let stride = pixels.size().w as usize * PIXEL;
    let rows = (effort.band() / stride.max(1)).max(1);
    let bytes = pixels.as_bytes();
    let count = bytes.len().div_ceil(rows * stride);
    let top = vec![0; stride];
    let bands = par::map_range(count, |i| {
        let start = i * rows * stride;
        let above = if i == 0 { &top } else { &bytes[start - stride..start] };
        let filtered = filter_rows(&bytes[start..bytes.len().min(start + rows * stride)], stride, above);
        let mut sum = simd_adler32::Adler32::new();
        sum.write(&filtered);
        let packed = deflate_band(&filtered, effort.level(), i + 1 == count);
        (packed, sum.finish(), filtered.len())
    });
    // A zlib header for a window of 32 KiB, the bands, and the check sum of all that was put in.
    let mut sum = 1;
    let mut pieces = Vec::with_capacity(count);
    for (packed, band_sum, length) in bands {
        sum = join_adler(sum, band_sum, length);
        pieces.push(packed);
    }
    if let Some(first) = pieces.first_mut() {
        first.splice(0..0, [0x78, 0x9c]);
    }
    if let Some(last) = pieces.last_mut() {
        last.extend_from_slice(&sum.to_be_bytes());
    }
    pieces
}

/// Deflates one band; all but the last end on a byte border without ending the stream.
fn deflate_band(filtered: &[u8], level: u32, last: bool) -> Vec<u8> {
    let flush = if last { FlushCompress::Finish } else { FlushCompress::Sync };
    let mut state = Compress::new(Compression::new(level), false);
    let mut out = Vec::with_capacity(filtered.len() / 3 + 256);
    loop {
        #[expect(clippy::cast_possible_truncation, reason = "counts bytes of a slice")]
        let taken = state.total_in() as usize;
        let status = state.compress_vec(&filtered[taken..], &mut out, flush);
        let full = out.len() == out.capacity();
        if matches!(status, Ok(Status::StreamEnd) | Err(_)) || !full {
            return out;
        }
        out.reserve(out.capacity() / 2 + 256);
    }
}

/// The Adler-32 sum of two runs of bytes from the sums of each (RFC 1950, section 8.2; the sum starts at 1).
fn join_adler(first: u32, second: u32, second_length: usize) -> u32 {
    const BASE: u64 = 65_521;
    let low = |sum: u32| u64::from(sum & 0xffff);
    let high = |sum: u32| u64::from(sum >> 16);
    let a = (low(first) + low(second) + BASE - 1) % BASE;
    let shift = (second_length as u64 % BASE) * ((low(first) + BASE - 1) % BASE) % BASE;
    let b = (high(first) + high(second) + shift) % BASE;
    (b as u32) << 16 | a as u32
}
