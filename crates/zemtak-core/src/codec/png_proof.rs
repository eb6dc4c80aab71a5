//! What a strict decoder makes of an encoded PNG.
//!
//! It is written for itself: it walks the chunks, inflates by another library than the one that deflated, and takes the
//! filters back, so that no line of it is used by the encoder. Decoders that serve for showing pictures will not do: they
//! stop at the last pixel, and would pass a file whose stream has no end or a wrong sum, which others then refuse.

use super::Mark;
use super::encode::Unproved;
use super::png_out::{Band, png_bands, rows_of};
use crate::geometry::Size;
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use libdeflater::{Decompressor, adler32, crc32};
use zlib_rs::{Inflate, InflateFlush, Status};

/// A stored block that ends a deflate stream with bytes that are sought behind a band: where they come out, the band before
/// them has neither ended the stream nor left a block unfinished.
const BEHIND: [u8; 9] = [1, 4, 0, 0xfb, 0xff, b'z', b'b', b'e', b'h'];
const BEHIND_LENGTH: usize = 4;

/// The header of a zlib stream with a window of 32 KiB.
const ZLIB_HEADER: [u8; 2] = [0x78, 0x9c];

/// What an empty block that ends a deflate stream is.
const LAST_BLOCK: [u8; 5] = [1, 0, 0, 0xff, 0xff];

/// Decodes a PNG file of 8-bit RGBA, deflated as one by any library but zlib-rs, and compares it with the pixels that went in.
///
/// # Errors
/// It does not show the same, or a strict reader would refuse it.
pub fn prove_png(file: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    let (size, stride) = (pixels.size(), stride_of(pixels.size().w));
    let filtered = inflate(&pieces(file, size)?.concat(), (stride + 1) * size.h as usize)?;
    compare(&filtered, pixels.as_bytes(), stride)
}

/// The same for a file of bands.
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
/// It does not show the same.
pub fn prove_png_band(band: &Band, rows: &[u8], width: u32) -> Result<(), Unproved> {
    if proved_sum(&band.deflated, rows, width)? == (band.sum, band.length) {
        Ok(())
    } else {
        Err(bad("a band has a wrong sum"))
    }
}

/// Reads the file of a page as far as it is not [proved](prove_png_band) with its bands: that it holds all of them, in
/// order, each byte for byte, and nothing that a strict reader would refuse.
///
/// # Errors
/// It does not.
pub fn prove_joined_png(file: &[u8], size: Size, bands: &[Band]) -> Result<(), Unproved> {
    let (pieces, end) = bands_of(file, size, bands.len())?;
    if let Some(other) = pieces.iter().zip(bands).position(|(piece, band)| *piece != band.deflated) {
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

/// The pieces of a file's stream that are its bands, and what comes after them.
fn bands_of(file: &[u8], size: Size, count: usize) -> Result<(Vec<&[u8]>, &[u8]), Unproved> {
    let mut pieces = pieces(file, size)?;
    let end =
        pieces.pop().filter(|_| pieces.len() == count + 1).ok_or_else(|| bad("it has another number of bands"))?;
    if pieces.remove(0) == ZLIB_HEADER { Ok((pieces, end)) } else { Err(bad("its stream has another header")) }
}

/// Inflates a band by another library than the one that deflated it and compares it with its rows. Gives the Adler-32 sum of
/// what came out, and its length.
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
    // The first half is one more than the sum of all bytes, the second the sum of what the first was after each byte.
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

/// Takes the filters back and compares each row with the pixels that went in.
fn compare(filtered: &[u8], rows: &[u8], stride: usize) -> Result<(), Unproved> {
    // Nothing is written of a picture without pixels.
    if stride == 0 {
        return Err(Unproved::Size);
    }
    let mut row = vec![0; stride];
    let mut above = &vec![0; stride][..];
    for (number, (line, pixels)) in filtered.chunks_exact(stride + 1).zip(rows.chunks_exact(stride)).enumerate() {
        let (filter, filtered) = line.split_at(1);
        // A plain row needs no copy.
        let same = match filter {
            [0] => filtered == pixels,
            _ => {
                row.copy_from_slice(filtered);
                take_back(filter[0], &mut row, above)?;
                row == pixels
            }
        };
        if !same {
            return Err(Unproved::Pixels { picture: 0, row: number });
        }
        above = pixels;
    }
    Ok(())
}

/// The data of each IDAT chunk of a file that has nothing but a mark and those between its header and its end.
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
            // No text but the mark: others would be an error in the encoder.
            (b"IDAT", b"tEXt") if pieces.is_empty() && Mark::of(file).is_some_and(|mark| mark.chunk() == data) => {}
            (b"IDAT", b"IDAT") => pieces.push(data),
            (b"IDAT", b"IEND") if data.is_empty() && after.is_empty() => return Ok(pieces),
            _ => return Err(bad("its chunks are not in order")),
        }
        rest = after;
    }
    Err(bad("it has no end"))
}

/// Exactly `length` bytes out of a zlib stream that ends where it should, with the right sum.
fn inflate(stream: &[u8], length: usize) -> Result<Vec<u8>, Unproved> {
    let mut out = vec![0; length];
    let mut state = Inflate::new(true, 15);
    if !matches!(state.decompress(stream, &mut out, InflateFlush::Finish), Ok(Status::StreamEnd)) {
        return Err(bad("its stream has no end"));
    }
    let all = (state.total_in(), state.total_out()) == (stream.len() as u64, length as u64);
    if all { Ok(out) } else { Err(Unproved::Size) }
}

/// Takes a filter that is not the plain one back, given the row above.
fn take_back(filter: u8, row: &mut [u8], above: &[u8]) -> Result<(), Unproved> {
    match filter {
        1 => back_from_left(row),
        2 => row.iter_mut().zip(above).for_each(|(byte, up)| *byte = byte.wrapping_add(*up)),
        3 => by_pixel(row, above, |left, up, _| (left + up) / 2),
        4 => by_pixel(row, above, |left, up, corner| {
            let (to_left, to_up) = ((up - corner).abs(), (left - corner).abs());
            let to_corner = ((up - corner) + (left - corner)).abs();
            let sides = if to_left <= to_up { (to_left, left) } else { (to_up, up) };
            if sides.0 <= to_corner { sides.1 } else { corner }
        }),
        _ => return Err(Unproved::Undecodable("a row has an unknown filter".into())),
    }
    Ok(())
}

fn back_from_left(row: &mut [u8]) {
    let mut left = [0u8; PIXEL];
    for pixel in row.chunks_exact_mut(PIXEL) {
        for (byte, left) in pixel.iter_mut().zip(&mut left) {
            *byte = byte.wrapping_add(*left);
            *left = *byte;
        }
    }
}

/// Adds to each byte what is foretold from the same channel on the left, above, and above on the left.
fn by_pixel(row: &mut [u8], above: &[u8], foretell: impl Fn(i16, i16, i16) -> i16) {
    let (mut left, mut corner) = ([0i16; PIXEL], [0i16; PIXEL]);
    for (pixel, up) in row.chunks_exact_mut(PIXEL).zip(above.chunks_exact(PIXEL)) {
        let up: [i16; PIXEL] = std::array::from_fn(|c| i16::from(up[c]));
        for c in 0..PIXEL {
            // What is foretold is one of three bytes or the mean of two; the sum is taken modulo 256.
            let sum = i16::from(pixel[c]) + foretell(left[c], up[c], corner[c]);
            #[expect(clippy::cast_sign_loss, reason = "the low eight bits of a sum of two bytes")]
            let byte = (sum & 0xff) as u8;
            pixel[c] = byte;
            left[c] = i16::from(byte);
        }
        corner = up;
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
