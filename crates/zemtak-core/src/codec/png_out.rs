//! Writing pages as PNG.
//!
//! Except at the smallest size, a page is cut into bands of whole rows, each filtered and deflated on its own, so that
//! all cores can share a page and an unchanged band need not be made again. Bands have a fixed size, so the bytes do
//! not depend on the number of threads, and the libraries give the same bytes on every processor: they select
//! instructions for sums, copying and comparing, none of which changes what is found.

use super::png_filter::{Filter, append_least};
use super::{EncodeError, Mark};
use crate::geometry::Size;
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use libdeflater::{CompressionLvl, Compressor};
use serde::Serialize;
use std::borrow::Cow;
use std::ops::Range;
use zlib_rs::adler32::{adler32, adler32_combine};
use zlib_rs::crc32::crc32;
use zlib_rs::{Deflate, DeflateFlush};

/// How much work goes into making a PNG small. docs/performance.md has sizes and times.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize)]
#[non_exhaustive]
pub enum PngEffort {
    /// The least time: for trying things out.
    Fast,
    /// Small files in little time: for every day.
    #[default]
    Balanced,
    /// The smallest file, at seconds per page: for what players get.
    Small,
}

impl PngEffort {
    /// How the bands of a page are made. `None` if a page is deflated as a whole.
    #[must_use]
    pub const fn bands(self) -> Option<BandEffort> {
        match self {
            Self::Fast => Some(BandEffort { level: 2, run: 32, tried: 2 }),
            // Level 5 takes a tenth less time in all, level 7 a quarter more, for files that are larger or smaller by
            // half a per cent to one. More filters, or trying more rows, take as much time and gain less.
            Self::Balanced => Some(BandEffort { level: 6, run: 16, tried: 2 }),
            Self::Small => None,
        }
    }
}

/// How much work goes into a band.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct BandEffort {
    /// The deflate level.
    level: i32,
    /// One filter is chosen for each run of this many rows ...
    run: usize,
    /// ... by a quick trial on this many of them.
    tried: usize,
}

/// Changes whenever the same pixels yield other bytes.
pub const PNG_VERSION: u32 = 5;

/// The least number of bytes of pixels in a band: smaller bands make use of more cores and mean less work when a sprite
/// changes, larger ones make smaller files (by a quarter of a per cent for twice as many bytes).
const BAND: usize = 1 << 18;

/// The deflate level at which filters are tried.
const TRIAL: i32 = 1;

/// Rows that deflate to less than this part of their length are mostly empty, whatever the filter.
const EMPTY: usize = 64;

/// How the filters of small files are chosen: one for each run of this many rows, all of which are tried at this level.
const SMALL_RUN: usize = 16;
const SMALL_TRIAL: i32 = 6;

/// The deflate window: 32 KiB.
const WINDOW_BITS: u8 = 15;

/// The header of a zlib stream with such a window.
const ZLIB_HEADER: [u8; 2] = [0x78, 0x9c];

/// An empty deflate block that ends the stream.
const LAST_BLOCK: [u8; 5] = [1, 0, 0, 0xff, 0xff];

/// A band of whole rows as a piece of a deflate stream. It ends on a byte boundary and refers to nothing outside.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Band<'a> {
    /// The piece; where a file has it already, as it lies there.
    pub deflated: Cow<'a, [u8]>,
    /// The Adler-32 sum of what was deflated (RFC 1950).
    pub sum: u32,
    /// How many bytes were deflated.
    pub length: u64,
}

/// The file of a picture.
pub(super) fn encode(pixels: &Pixels, effort: PngEffort, mark: Option<Mark>) -> Result<Vec<u8>, EncodeError> {
    let size = pixels.size();
    if size.area() == 0 {
        return Err(EncodeError::Empty);
    }
    let Some(effort) = effort.bands() else { return Ok(file(size, mark, &[&smallest(pixels)?])) };
    let ranges = png_bands(size);
    let bands = par::map_range(ranges.len(), |i| encode_png_band(rows_of(pixels, &ranges[i]), size.w, effort));
    let bands: Vec<Band<'_>> = bands.into_iter().collect::<Result<_, _>>()?;
    Ok(join_png_bands(size, mark, &bands))
}

/// The rows of each band of a page.
#[must_use]
pub fn png_bands(size: Size) -> Vec<Range<u32>> {
    let stride = (size.w as usize * PIXEL).max(1);
    let height = u32::try_from((BAND / stride).max(1)).unwrap_or(u32::MAX);
    (0..size.h).step_by(height as usize).map(|top| top..size.h.min(top.saturating_add(height))).collect()
}

pub(super) fn rows_of<'p>(pixels: &'p Pixels, range: &Range<u32>) -> &'p [u8] {
    let stride = pixels.size().w as usize * PIXEL;
    &pixels.as_bytes()[range.start as usize * stride..range.end as usize * stride]
}

/// Filters and deflates the rows of a band of a page that is `width` pixels wide.
///
/// # Errors
/// The deflate library fails, which it has no reason to.
pub fn encode_png_band(rows: &[u8], width: u32, effort: BandEffort) -> Result<Band<'static>, EncodeError> {
    let stride = width as usize * PIXEL;
    let mut filtered = Vec::with_capacity(rows.len() + rows.len() / stride.max(1));
    let (mut trial, mut some) = (Deflater::new(TRIAL), Vec::new());
    for start in (0..rows.len()).step_by((effort.run * stride).max(1)) {
        let end = rows.len().min(start + effort.run * stride);
        let tried = start..end.min(start + effort.tried * stride);
        let mut length = |filter| {
            some.clear();
            filter_rows(filter, rows, &tried, stride, &mut some);
            trial.whole(&some).map(<[u8]>::len)
        };
        let plain = length(Filter::Plain)?;
        let nearest = plain > tried.len() / EMPTY && length(Filter::Nearest)? < plain;
        let filter = if nearest { Filter::Nearest } else { Filter::Plain };
        filter_rows(filter, rows, &(start..end), stride, &mut filtered);
    }
    let deflated = Cow::Owned(Deflater::new(effort.level).piece(&filtered)?.to_vec());
    Ok(Band { deflated, sum: adler32(1, &filtered), length: filtered.len() as u64 })
}

/// Appends a range of bytes that is whole rows, filtered. The very first row has none above it.
fn filter_rows(filter: Filter, rows: &[u8], range: &Range<usize>, stride: usize, out: &mut Vec<u8>) {
    for start in range.clone().step_by(stride) {
        filter.append(&rows[start..start + stride], above(rows, start, stride), out);
    }
}

fn above(rows: &[u8], start: usize, stride: usize) -> Option<&[u8]> {
    start.checked_sub(stride).map(|before| &rows[before..start])
}

/// The file of a page with these bands, from the top, and a mark of its purpose.
#[must_use]
pub fn join_png_bands(size: Size, mark: Option<Mark>, bands: &[Band<'_>]) -> Vec<u8> {
    let sum = bands.iter().fold(1, |sum, band| adler32_combine(sum, band.sum, band.length));
    let end = [&LAST_BLOCK[..], &sum.to_be_bytes()].concat();
    let pieces = bands.iter().map(|band| &band.deflated[..]);
    let pieces: Vec<&[u8]> = std::iter::once(&ZLIB_HEADER[..]).chain(pieces).chain([&end[..]]).collect();
    file(size, mark, &pieces)
}

/// The deflated pieces of the bands in a file that [`join_png_bands`] made from `count` bands. `None` for any other
/// file.
#[must_use]
pub fn split_png_bands(file: &[u8], count: usize) -> Option<Vec<&[u8]>> {
    let mut rest = file.strip_prefix(&SIGNATURE)?;
    let mut pieces = Vec::with_capacity(count + 2);
    let mut ended = false;
    while !rest.is_empty() {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let (kind, after) = after.split_first_chunk::<4>()?;
        let (data, after) = after.split_at_checked(u32::from_be_bytes(*length) as usize)?;
        rest = after.get(4..)?;
        ended = kind == b"IEND";
        if kind == b"IDAT" {
            pieces.push(data);
        }
    }
    let whole =
        ended && pieces.len() == count + 2 && pieces[0] == ZLIB_HEADER && pieces[count + 1].starts_with(&LAST_BLOCK);
    whole.then(|| pieces[1..=count].to_vec())
}

const SIGNATURE: [u8; 8] = *b"\x89PNG\r\n\x1a\n";

/// A PNG of 8-bit RGBA with these pieces of a zlib stream, without gamma or colour profile: they make loaders shift
/// colours.
fn file(size: Size, mark: Option<Mark>, pieces: &[&[u8]]) -> Vec<u8> {
    let mut out = Vec::with_capacity(pieces.iter().map(|piece| piece.len() + 12).sum::<usize>() + 96);
    out.extend_from_slice(&SIGNATURE);
    let mut header = [size.w.to_be_bytes(), size.h.to_be_bytes()].concat();
    // 8 bits per channel, RGBA, the only compression and filter methods, not interlaced.
    header.extend_from_slice(&[8, 6, 0, 0, 0]);
    append_chunk(*b"IHDR", &header, &mut out);
    mark.iter().for_each(|mark| append_chunk(*b"tEXt", &mark.chunk(), &mut out));
    for piece in pieces {
        // A chunk's length has 31 bits.
        for part in piece.chunks(1 << 30) {
            append_chunk(*b"IDAT", part, &mut out);
        }
    }
    append_chunk(*b"IEND", &[], &mut out);
    out
}

fn append_chunk(kind: [u8; 4], data: &[u8], out: &mut Vec<u8>) {
    let length = u32::try_from(data.len()).unwrap_or(u32::MAX);
    out.extend_from_slice(&length.to_be_bytes());
    out.extend_from_slice(&kind);
    out.extend_from_slice(data);
    out.extend_from_slice(&crc32(crc32(0, &kind), data).to_be_bytes());
}

/// The zlib stream of all rows, as small as a search for the cheapest matches can make it.
fn smallest(pixels: &Pixels) -> Result<Vec<u8>, EncodeError> {
    let (bytes, stride) = (pixels.as_bytes(), pixels.size().w as usize * PIXEL);
    let runs = par::map_range((pixels.size().h as usize).div_ceil(SMALL_RUN), |run| {
        let start = run * SMALL_RUN * stride;
        best_filtered(bytes, &(start..bytes.len().min(start + SMALL_RUN * stride)), stride)
    });
    let filtered = runs.into_iter().collect::<Result<Vec<_>, _>>()?.concat();
    let mut compressor = Compressor::new(CompressionLvl::best());
    let mut out = vec![0; compressor.zlib_compress_bound(filtered.len())];
    let length = compressor.zlib_compress(&filtered, &mut out).map_err(|e| EncodeError::Codec(e.to_string()))?;
    out.truncate(length);
    Ok(out)
}

/// A run of rows, filtered by each filter and by the least sum per row: whichever deflates best.
fn best_filtered(bytes: &[u8], run: &Range<usize>, stride: usize) -> Result<Vec<u8>, EncodeError> {
    let mut trial = Deflater::new(SMALL_TRIAL);
    let mut by_row = Vec::with_capacity(run.len() + SMALL_RUN);
    for start in run.clone().step_by(stride) {
        append_least(&bytes[start..start + stride], above(bytes, start, stride), &mut by_row);
    }
    let mut best = (trial.whole(&by_row)?.len(), by_row);
    for filter in Filter::ALL {
        let mut filtered = Vec::with_capacity(run.len() + SMALL_RUN);
        filter_rows(filter, bytes, run, stride, &mut filtered);
        let length = trial.whole(&filtered)?.len();
        if length < best.0 {
            best = (length, filtered);
        }
    }
    Ok(best.1)
}

/// Deflates pieces, each on its own.
struct Deflater {
    state: Deflate,
    /// Room for output. It only grows, so that it is not cleared for every piece.
    out: Vec<u8>,
}

impl Deflater {
    fn new(level: i32) -> Self {
        Self { state: Deflate::new(level, false, WINDOW_BITS), out: Vec::new() }
    }

    /// A deflate stream of its own.
    fn whole(&mut self, input: &[u8]) -> Result<&[u8], EncodeError> {
        self.run(input, DeflateFlush::Finish, zlib_rs::compress_bound(input.len()))
    }

    /// A piece of a stream that ends on a byte boundary.
    fn piece(&mut self, input: &[u8]) -> Result<&[u8], EncodeError> {
        self.run(input, DeflateFlush::SyncFlush, zlib_rs::compress_bound(input.len()) + LAST_BLOCK.len())
    }

    /// Deflates all of `input`, into `room` bytes at first. A call that neither takes nor gives anything, with room left, is the library's word that
    /// it owes nothing more: that it did not fill the output is none, as it may have done no more than hand out what it
    /// still had from the call before.
    fn run(&mut self, input: &[u8], flush: DeflateFlush, room: usize) -> Result<&[u8], EncodeError> {
        self.state.reset();
        self.out.resize(self.out.len().max(room), 0);
        let (mut taken, mut given) = (0, 0);
        loop {
            if given == self.out.len() {
                self.out.resize(given + given / 2 + 64, 0);
            }
            let (rest, room) = (&input[taken..], &mut self.out[given..]);
            let called = self.state.compress(rest, room, flush);
            called.map_err(|error| EncodeError::Codec(error.as_str().to_owned()))?;
            #[expect(clippy::cast_possible_truncation, reason = "positions in slices")]
            let now = (self.state.total_in() as usize, self.state.total_out() as usize);
            if now == (taken, given) {
                break;
            }
            (taken, given) = now;
        }
        if taken < input.len() {
            return Err(EncodeError::Codec("it stopped early".into()));
        }
        // The first call of a stream writes something, so that an end without output is never taken for a whole one.
        if given == 0 { Err(EncodeError::Codec("it wrote nothing".into())) } else { Ok(&self.out[..given]) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Bytes that deflate to about `noise` hundredths of their length.
    fn bytes(length: usize, noise: usize) -> Vec<u8> {
        let mut state = 1u64;
        let next = |i: usize| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            if i % 100 < noise { (state >> 56) as u8 } else { 0 }
        };
        (0..length).map(next).collect()
    }

    /// What a decoder of another library makes of it: all of the input, and nothing owed.
    fn inflated(piece: &[u8], length: usize) -> Vec<u8> {
        let stream = [piece, &LAST_BLOCK].concat();
        let mut out = vec![0; length];
        let mut inflate = libdeflater::Decompressor::new();
        assert_eq!(inflate.deflate_decompress(&stream, &mut out), Ok(length));
        out
    }

    /// A page in fifteen of real art was no valid PNG: a band whose output buffer had filled up shortly before its end was
    /// taken for flushed once a call no longer filled the buffer. Wherever the buffer fills up, all must come out.
    #[test]
    fn a_piece_is_whole_wherever_its_buffer_fills_up() {
        for (noise, level) in [(0, 5), (7, 2), (7, 5), (33, 2), (33, 5), (100, 5)] {
            for length in [1, 2, 100, 5_000, 70_000] {
                let input = bytes(length, noise);
                let mut deflater = Deflater::new(level);
                let whole = deflater.piece(&input).unwrap();
                assert_eq!(inflated(whole, length), input, "{noise} {level} {length}");
                let ends = [1, 2, 3, 5, 8, whole.len() / 3, whole.len() / 2];
                let near = (0..20).map(|less| whole.len().saturating_sub(less).max(1));
                for room in ends.into_iter().filter(|&room| room > 0).chain(near).chain([whole.len() + 1]) {
                    let mut deflater = Deflater::new(level);
                    let piece = deflater.run(&input, DeflateFlush::SyncFlush, room).unwrap();
                    assert_eq!(inflated(piece, length), input, "{noise} {level} {length} {room}");
                }
            }
        }
    }

    #[test]
    fn a_file_comes_apart_into_the_bands_it_was_made_of() {
        let size = Size::new(3, 5);
        let band =
            |rows: usize| encode_png_band(&bytes(rows * 12, 50), 3, PngEffort::Balanced.bands().unwrap()).unwrap();
        let bands = [band(2), band(3)];
        let file = join_png_bands(size, None, &bands);
        let pieces: Vec<&[u8]> = bands.iter().map(|band| &band.deflated[..]).collect();
        assert_eq!(split_png_bands(&file, 2), Some(pieces));
        assert_eq!(split_png_bands(&file, 1), None);
        for cut in 0..file.len() {
            assert_eq!(split_png_bands(&file[..cut], 2), None, "{cut}");
        }
    }
}
