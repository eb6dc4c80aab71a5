//! A strict decoder for encoded PNGs.
//!
//! It is independent: it walks the chunks, inflates with another library than the one that deflated, and compares the
//! filtered bytes with the pixels, so that it shares no line with the encoder. Decoders made for showing pictures will
//! not do: they stop at the last pixel, and would accept a file whose stream has no end or a wrong sum, which others
//! then refuse.
//!
//! A page of bands is proved in two steps, so that each band can be proved while its rows are at hand, and a band of an
//! earlier build need not be proved again: first each band, then that the file holds exactly these bands.

use super::Mark;
use super::encode::Unproved;
use super::png_out::{Band, png_bands, rows_of};
use crate::geometry::Size;
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use libdeflater::{Decompressor, adler32, crc32};
use zlib_rs::{Inflate, InflateFlush, Status};

/// A stored block that ends a deflate stream with known bytes, appended to a band: if they come out, the band before
/// them has neither ended the stream nor left a block unfinished.
const BEHIND: [u8; 9] = [1, 4, 0, 0xfb, 0xff, b'z', b'b', b'e', b'h'];
const BEHIND_LENGTH: usize = 4;

/// The header of a zlib stream with a window of 32 KiB.
const ZLIB_HEADER: [u8; 2] = [0x78, 0x9c];

/// An empty block that ends a deflate stream.
const LAST_BLOCK: [u8; 5] = [1, 0, 0, 0xff, 0xff];

/// Decodes a PNG file of 8-bit RGBA, deflated as a whole by any library but zlib-rs, and compares it with the pixels
/// that went in.
///
/// # Errors
/// It does not show the same pixels, or a strict reader would refuse it.
pub fn prove_png(file: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    let (size, stride) = (pixels.size(), stride_of(pixels.size().w));
    let filtered = inflate(&pieces(file, size)?.concat(), (stride + 1) * size.h as usize)?;
    compare(&filtered, pixels.as_bytes(), stride)
}

/// The same for a file made of bands.
pub(super) fn prove_png_of_bands(file: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    let size = pixels.size();
    let ranges = png_bands(size);
    let (bands, end) = bands_of(file, size, ranges.len())?;
    let sums = par::map_range(ranges.len(), |i| proved_sum(bands[i], rows_of(pixels, &ranges[i]), size.w));
    let sums: Vec<(u32, u64)> = sums.into_iter().collect::<Result<_, _>>()?;
    ends_with_sum(end, sums)
}

/// Decodes a band of a page that is `width` pixels wide and compares it with its rows.
///
/// # Errors
/// It does not show the same pixels.
pub fn prove_png_band(band: &Band<'_>, rows: &[u8], width: u32) -> Result<(), Unproved> {
    if proved_sum(&band.deflated, rows, width)? == (band.sum, band.length) {
        Ok(())
    } else {
        Err(bad("a band has a wrong sum"))
    }
}

/// Checks everything about a page's file that is not [proved](prove_png_band) with its bands: that it holds all of
/// them, in order, byte for byte, and nothing that a strict reader would refuse.
///
/// # Errors
/// It does not.
pub fn prove_joined_png(file: &[u8], size: Size, bands: &[Band<'_>]) -> Result<(), Unproved> {
    let (pieces, end) = bands_of(file, size, bands.len())?;
    if let Some(other) = pieces.iter().zip(bands).position(|(piece, band)| **piece != *band.deflated) {
        return Err(bad(&format!("band {other} is another")));
    }
    let rows = bands.iter().map(|band| band.length).sum::<u64>();
    if rows != (stride_of(size.w) as u64 + 1) * u64::from(size.h) {
        return Err(Unproved::Size);
    }
    ends_with_sum(end, bands.iter().map(|band| (band.sum, band.length)))
}

fn bad(what: &str) -> Unproved {
    Unproved::Undecodable(what.to_owned())
}

fn stride_of(width: u32) -> usize {
    width as usize * PIXEL
}

/// The pieces of a file's stream that are its bands, and what follows them.
fn bands_of(file: &[u8], size: Size, count: usize) -> Result<(Vec<&[u8]>, &[u8]), Unproved> {
    let mut pieces = pieces(file, size)?;
    let end =
        pieces.pop().filter(|_| pieces.len() == count + 1).ok_or_else(|| bad("it has another number of bands"))?;
    if pieces.remove(0) == ZLIB_HEADER { Ok((pieces, end)) } else { Err(bad("its stream has another header")) }
}

/// Inflates a band with another library than the one that deflated it, and compares it with its rows. Returns the
/// Adler-32 sum of the output, and its length.
fn proved_sum(piece: &[u8], rows: &[u8], width: u32) -> Result<(u32, u64), Unproved> {
    let stride = stride_of(width);
    let length = rows.len() + rows.len() / stride.max(1);
    let mut out = vec![0; length + BEHIND_LENGTH];
    let given = Decompressor::new().deflate_decompress(&[piece, &BEHIND].concat(), &mut out);
    let given = given.map_err(|e| bad(&e.to_string()))?;
    let (filtered, behind) = out.split_at(length);
    if given < out.len() || !BEHIND.ends_with(behind) {
        return Err(bad("a band has other rows, or no end on a byte border"));
    }
    compare(filtered, rows, stride)?;
    Ok((adler32(filtered), length as u64))
}

/// Whether a stream of bands ends with nothing but a last block and the Adler-32 sum of all bands (RFC 1950, section 8.2).
fn ends_with_sum(end: &[u8], sums: impl IntoIterator<Item = (u32, u64)>) -> Result<(), Unproved> {
    const BASE: u64 = 65_521;
    // The first half is one more than the sum of all bytes, the second half is the sum of the first half's values after
    // each byte.
    let (first, second) = sums.into_iter().fold((1, 0), |(first, second), (sum, length)| {
        let (own_first, own_second) = (u64::from(sum & 0xffff), u64::from(sum >> 16));
        let before = first + BASE - 1;
        ((before + own_first) % BASE, (second + own_second + before % BASE * (length % BASE)) % BASE)
    });
    #[expect(clippy::cast_possible_truncation, reason = "both are below 2^16")]
    let sum = (second << 16 | first) as u32;
    if end == [&LAST_BLOCK[..], &sum.to_be_bytes()].concat() {
        Ok(())
    } else {
        Err(bad("its stream has no end or a wrong sum"))
    }
}

/// Compares each filtered row with the pixels that went in.
fn compare(filtered: &[u8], rows: &[u8], stride: usize) -> Result<(), Unproved> {
    // A picture without pixels is never written.
    if stride == 0 {
        return Err(Unproved::Size);
    }
    let mut above = &vec![0; stride][..];
    for (number, (line, pixels)) in filtered.chunks_exact(stride + 1).zip(rows.chunks_exact(stride)).enumerate() {
        if !stands_for(line[0], &line[1..], pixels, above)? {
            return Err(Unproved::Pixels { picture: 0, row: number });
        }
        above = pixels;
    }
    Ok(())
}

/// The data of each IDAT chunk, in a file that has nothing but those and a mark between its header and its end.
fn pieces(file: &[u8], size: Size) -> Result<Vec<&[u8]>, Unproved> {
    let mut rest = file.strip_prefix(b"\x89PNG\r\n\x1a\n").ok_or_else(|| bad("it has no signature"))?;
    let mut pieces = Vec::new();
    let mut expected: &[u8; 4] = b"IHDR";
    while !rest.is_empty() {
        let (length, after) = rest.split_first_chunk::<4>().ok_or_else(|| bad("a chunk is cut short"))?;
        let length = u32::from_be_bytes(*length) as usize;
        let body = after.get(..length + 4).ok_or_else(|| bad("a chunk is cut short"))?;
        let (sum, after) = after[length + 4..].split_first_chunk::<4>().ok_or_else(|| bad("a chunk is cut short"))?;
        if crc32(body) != u32::from_be_bytes(*sum) {
            return Err(bad("a chunk has a wrong checksum"));
        }
        let (kind, data) = body.split_at(4);
        match (expected, kind) {
            (b"IHDR", b"IHDR") => {
                let header = [&size.w.to_be_bytes()[..], &size.h.to_be_bytes(), &[8, 6, 0, 0, 0]].concat();
                if data != header {
                    return Err(Unproved::Size);
                }
                expected = b"IDAT";
            }
            // No text but the mark: anything else would be an error in the encoder.
            (b"IDAT", b"tEXt") if pieces.is_empty() && Mark::of(file).is_some_and(|mark| mark.chunk() == data) => {}
            (b"IDAT", b"IDAT") => pieces.push(data),
            (b"IDAT", b"IEND") if data.is_empty() && after.is_empty() => return Ok(pieces),
            _ => return Err(bad("its chunks are not in order")),
        }
        rest = after;
    }
    Err(bad("it has no end"))
}

/// Exactly `length` bytes from a zlib stream that ends where it should, with the right sum.
fn inflate(stream: &[u8], length: usize) -> Result<Vec<u8>, Unproved> {
    let mut out = vec![0; length];
    let mut state = Inflate::new(true, 15);
    if !matches!(state.decompress(stream, &mut out, InflateFlush::Finish), Ok(Status::StreamEnd)) {
        return Err(bad("its stream has no end"));
    }
    let all = (state.total_in(), state.total_out()) == (stream.len() as u64, length as u64);
    if all { Ok(out) } else { Err(Unproved::Size) }
}

/// Whether a decoder turns a filtered row into `pixels`, given the row above, which it decoded before.
///
/// A decoder adds a prediction, computed from bytes that it has decoded, to each byte. As long as those are the
/// original pixels, its prediction equals the one computed from the original pixels; so it arrives at the same row if
/// and only if every byte is its pixel minus that prediction. Checked this way, no byte waits for the one before it.
fn stands_for(filter: u8, filtered: &[u8], pixels: &[u8], above: &[u8]) -> Result<bool, Unproved> {
    let Some((first, rest)) = pixels.split_first_chunk::<PIXEL>() else { return Ok(filtered.is_empty()) };
    // Left of the first pixel, and above it on the left, are zeros.
    let nothing = [0; PIXEL];
    let (first_above, rest_above) = above.split_at(PIXEL);
    let (first_filtered, rest_filtered) = filtered.split_at(PIXEL);
    let start = [first_filtered, first, &nothing[..], first_above, &nothing[..]];
    let inner = pixels.len() - PIXEL;
    let others = [rest_filtered, rest, &pixels[..inner], rest_above, &above[..inner]];
    Ok(match filter {
        0 => filtered == pixels,
        1 => agree(start, |[left, ..]| left) && agree(others, |[left, ..]| left),
        2 => agree(start, |[_, up, _]| up) && agree(others, |[_, up, _]| up),
        3 => agree(start, mean) && agree(others, mean),
        4 => agree(start, paeth) && agree(others, paeth),
        _ => return Err(Unproved::Undecodable("a row has an unknown filter".into())),
    })
}

/// Whether each filtered byte is its pixel minus the prediction from the pixel's neighbours (left, above, above on the
/// left).
fn agree(bytes: [&[u8]; 5], foretell: impl Fn([u8; 3]) -> u8) -> bool {
    let length = bytes[1].len();
    // With lengths that are evidently equal, the loop is vectorised.
    let [filtered, pixels, left, up, corner] = bytes.map(|bytes| &bytes[..length]);
    let differs = |i: usize| filtered[i].wrapping_add(foretell([left[i], up[i], corner[i]])) ^ pixels[i];
    (0..length).fold(0, |all, i| all | differs(i)) == 0
}

#[expect(clippy::cast_possible_truncation, reason = "the mean of two bytes")]
fn mean([left, up, _]: [u8; 3]) -> u8 {
    ((u16::from(left) + u16::from(up)) / 2) as u8
}

/// Whichever of the three neighbours is nearest to left + up - corner.
fn paeth([left, up, corner]: [u8; 3]) -> u8 {
    let [a, b, c] = [left, up, corner].map(i16::from);
    let (to_left, to_up, to_corner) = ((b - c).abs(), (a - c).abs(), (b - c + a - c).abs());
    if to_left <= to_up && to_left <= to_corner {
        left
    } else if to_up <= to_corner {
        up
    } else {
        corner
    }
}

/// Decodes an animated PNG and compares each of its pictures.
#[cfg(feature = "encode-apng")]
pub(super) fn prove_moving(file: &[u8], pictures: &[&Pixels]) -> Result<(), Unproved> {
    let undecodable = |error: png::DecodingError| Unproved::Undecodable(error.to_string());
    let mut options = png::DecodeOptions::default();
    options.set_ignore_adler32(false);
    let decoder = png::Decoder::new_with_options(std::io::Cursor::new(file), options);
    let mut reader = decoder.read_info().map_err(undecodable)?;
    for (number, pixels) in pictures.iter().enumerate() {
        let mut decoded = vec![0; reader.output_buffer_size().ok_or(Unproved::Size)?];
        let frame = reader.next_frame(&mut decoded).map_err(undecodable)?;
        let whole = reader.info().frame_control.is_none_or(|control| (control.x_offset, control.y_offset) == (0, 0));
        if !whole || (frame.width, frame.height) != (pixels.size().w, pixels.size().h) {
            return Err(Unproved::Size);
        }
        super::encode::compare(number, &decoded, pixels)?;
    }
    let more = reader.info().animation_control.is_some_and(|control| control.num_frames as usize != pictures.len());
    if more { Err(Unproved::Size) } else { reader.finish().map_err(undecodable) }
}
