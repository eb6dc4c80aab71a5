//! Writing pages as PNG.
//!
//! Bands of rows are filtered and deflated each for itself, so that all cores can share a page. The bands are of fixed
//! size, so the bytes do not depend on the number of threads. The deflate libraries are pure Rust without paths that
//! depend on the processor: some others hash differently where a CRC instruction exists, and so write other bytes.

use super::png_filter::{Strategy, filter_rows};
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use flate2::{Compress, Compression, FlushCompress, Status};
use png::{BitDepth, ColorType, Encoder, EncodingError, chunk};
use std::num::NonZeroU64;
use zopfli::Write;

/// How much work goes into making a PNG small. docs/performance.md has sizes and times.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum PngEffort {
    /// The least time: for trying things out.
    Fast,
    /// Small files for a little time: for every day.
    #[default]
    Balanced,
    /// The smallest file, at seconds a page: for what is given to players.
    Small,
}

/// How many bytes of pixels a band holds at least: fewer make use of more cores, more make smaller files.
const BAND: usize = 1 << 20;

/// The deflate level of balanced bands: 6 saves one per cent more and takes twice as long.
const LEVEL: u32 = 4;

/// How a filter is chosen for a band: each strategy is tried on every n-th run of so many rows.
const TRIED_ROWS: usize = 8;
const TRIED_EVERY: usize = 4;

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
    encoder.set_compression(png::Compression::Fast);
    encoder.set_filter(png::Filter::Paeth);
    let mut writer = encoder.write_header()?;
    match effort {
        PngEffort::Fast => writer.write_image_data(pixels.as_bytes())?,
        PngEffort::Balanced => {
            for piece in deflate(&Bands::of(pixels)) {
                writer.write_chunk(chunk::IDAT, &piece)?;
            }
        }
        PngEffort::Small => writer.write_chunk(chunk::IDAT, &squeeze(&Bands::of(pixels))?)?,
    }
    writer.finish()?;
    Ok(out)
}

/// A picture cut into bands of whole rows.
struct Bands<'a> {
    bytes: &'a [u8],
    stride: usize,
    rows: usize,
    top: Vec<u8>,
}

impl<'a> Bands<'a> {
    fn of(pixels: &'a Pixels) -> Self {
        let stride = pixels.size().w as usize * PIXEL;
        let rows = (BAND / stride.max(1)).max(1);
        Self { bytes: pixels.as_bytes(), stride, rows, top: vec![0; stride] }
    }

    fn count(&self) -> usize {
        self.bytes.len().div_ceil(self.rows * self.stride)
    }

    /// The rows from `row` on, at most `count`, and the row above them.
    fn rows(&self, row: usize, count: usize) -> (&'a [u8], &[u8]) {
        let start = row * self.stride;
        let end = self.bytes.len().min(start + count * self.stride);
        let above = if row == 0 { &self.top } else { &self.bytes[start - self.stride..start] };
        (&self.bytes[start..end], above)
    }

    /// One band, filtered by the strategy that does best on a part of it.
    fn filtered(&self, band: usize) -> Vec<u8> {
        let first = band * self.rows;
        let (rows, above) = self.rows(first, self.rows);
        let count = rows.len() / self.stride;
        let parts = (0..count).step_by(TRIED_ROWS * TRIED_EVERY);
        let cost = |strategy: &Strategy| {
            let mut tried = Vec::with_capacity(rows.len() / TRIED_EVERY + rows.len() / 16);
            for part in parts.clone() {
                let (rows, above) = self.rows(first + part, TRIED_ROWS.min(count - part));
                filter_rows(*strategy, rows, self.stride, above, &mut tried);
            }
            deflate_band(&tried, 1, true).len()
        };
        let best = Strategy::ALL.into_iter().min_by_key(cost).unwrap_or(Strategy::Plain);
        let mut out = Vec::with_capacity(rows.len() + count);
        filter_rows(best, rows, self.stride, above, &mut out);
        out
    }
}

/// The zlib stream of the filtered rows, in pieces.
fn deflate(bands: &Bands<'_>) -> Vec<Vec<u8>> {
    let count = bands.count();
    let packed = par::map_range(count, |i| {
        let filtered = bands.filtered(i);
        let mut sum = simd_adler32::Adler32::new();
        sum.write(&filtered);
        (deflate_band(&filtered, LEVEL, i + 1 == count), sum.finish(), filtered.len())
    });
    // A zlib header for a window of 32 KiB, the bands, and the check sum of all that was put in.
    let mut sum = 1;
    let mut pieces = Vec::with_capacity(count);
    for (packed, band_sum, length) in packed {
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

/// The zlib stream of the filtered rows, as small as an exhaustive search for matches makes it.
///
/// That library is built without `std`: it then brings its own logarithm, which is the same on every system.
fn squeeze(bands: &Bands<'_>) -> Result<Vec<u8>, EncodingError> {
    let filtered = par::map_range(bands.count(), |i| bands.filtered(i)).concat();
    let options = zopfli::Options { iteration_count: NonZeroU64::MIN, ..zopfli::Options::default() };
    let squeezed = zopfli::ZlibEncoder::new(options, zopfli::BlockType::Dynamic, Vec::new())
        .and_then(|mut encoder| encoder.write_all(&filtered).and_then(|()| encoder.finish()));
    squeezed.map_err(|e| EncodingError::IoError(std::io::Error::other(e.to_string())))
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
