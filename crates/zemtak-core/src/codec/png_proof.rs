//! What a strict decoder makes of an encoded PNG.
//!
//! It is written for itself: it walks the chunks, inflates by another library than the one that deflated, and takes the
//! filters back, so that no line of it is used by the encoder. Decoders that serve for showing pictures will not do: they
//! stop at the last pixel, and would pass a file whose stream has no end or a wrong sum, which others then refuse.

use super::Mark;
use super::encode::Unproved;
use super::png_out::{Band, join_png_bands};
use crate::geometry::Size;
use crate::pixels::{PIXEL, Pixels};
use libdeflater::{Decompressor, crc32};
use zlib_rs::{Inflate, InflateFlush, Status};

/// Which library inflates.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Inflater {
    Libdeflate,
    ZlibRs,
}

/// Decodes a PNG file of 8-bit RGBA and compares it with the pixels that went in.
///
/// # Errors
/// It does not show the same, or a strict reader would refuse it.
pub fn prove_png(file: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    prove(file, pixels.size(), pixels.as_bytes(), Inflater::Libdeflate)
}

/// The same for a file that libdeflate deflated.
pub(super) fn prove_small_png(file: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    prove(file, pixels.size(), pixels.as_bytes(), Inflater::ZlibRs)
}

/// Decodes a band of a page that is `width` pixels wide, put into a file of its own, and compares it with its rows.
///
/// # Errors
/// It does not show the same.
pub fn prove_png_band(band: &Band, rows: &[u8], width: u32) -> Result<(), Unproved> {
    let height = u32::try_from(rows.len() / (width as usize * PIXEL).max(1)).map_err(|_| Unproved::Size)?;
    let size = Size::new(width, height);
    prove(&join_png_bands(size, None, std::slice::from_ref(band)), size, rows, Inflater::Libdeflate)
}

fn prove(file: &[u8], size: Size, rows: &[u8], inflater: Inflater) -> Result<(), Unproved> {
    let mut proof = PngProof::with(file, size, inflater)?;
    proof.next_rows(rows)?;
    proof.end()
}

/// The proof of a PNG file of 8-bit RGBA, some rows at a time: those of a large page need not all be at hand at once.
#[derive(Debug)]
pub struct PngProof {
    /// The inflated rows, each led by the byte of its filter.
    filtered: Vec<u8>,
    /// How many rows were compared.
    compared: usize,
    stride: usize,
    /// The row above the next one.
    above: Vec<u8>,
}

impl PngProof {
    /// Reads a file as far as can be without comparing.
    ///
    /// # Errors
    /// A strict reader would refuse it, or it is not of this size.
    pub fn new(file: &[u8], size: Size) -> Result<Self, Unproved> {
        Self::with(file, size, Inflater::Libdeflate)
    }

    fn with(file: &[u8], size: Size, inflater: Inflater) -> Result<Self, Unproved> {
        let stride = size.w as usize * PIXEL;
        let filtered = inflate(&zlib_stream(file, size)?, (stride + 1) * size.h as usize, inflater)?;
        Ok(Self { filtered, compared: 0, stride, above: vec![0; stride] })
    }

    /// Compares the next rows of the file with those that went in.
    ///
    /// # Errors
    /// They are not the same.
    pub fn next_rows(&mut self, rows: &[u8]) -> Result<(), Unproved> {
        let mut row = vec![0; self.stride];
        let mut above = std::mem::take(&mut self.above);
        for pixels in rows.chunks_exact(self.stride) {
            let start = self.compared * (self.stride + 1);
            let (filter, filtered) = self.filtered.get(start..=start + self.stride).ok_or(Unproved::Size)?.split_at(1);
            // A plain row needs no copy.
            let same = match filter {
                [0] => filtered == pixels,
                _ => {
                    row.copy_from_slice(filtered);
                    take_back(filter[0], &mut row, &above)?;
                    row == pixels
                }
            };
            if !same {
                return Err(Unproved::Pixels { picture: 0, row: self.compared });
            }
            above.copy_from_slice(pixels);
            self.compared += 1;
        }
        self.above = above;
        Ok(())
    }

    /// Ends the proof.
    ///
    /// # Errors
    /// The file has more rows than were compared.
    pub fn end(self) -> Result<(), Unproved> {
        if self.compared * (self.stride + 1) == self.filtered.len() { Ok(()) } else { Err(Unproved::Size) }
    }
}

/// The data of all IDAT chunks of a file that has nothing but a mark and those between its header and its end.
fn zlib_stream(file: &[u8], size: Size) -> Result<Vec<u8>, Unproved> {
    let bad = |what: &str| Unproved::Undecodable(what.to_owned());
    let mut rest = file.strip_prefix(b"\x89PNG\r\n\x1a\n").ok_or_else(|| bad("it has no signature"))?;
    let mut stream = Vec::with_capacity(file.len());
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
            (b"IDAT", b"tEXt") if stream.is_empty() && Mark::of(file).is_some_and(|mark| mark.chunk() == data) => {}
            (b"IDAT", b"IDAT") => stream.extend_from_slice(data),
            (b"IDAT", b"IEND") if data.is_empty() && after.is_empty() => return Ok(stream),
            _ => return Err(bad("its chunks are not in order")),
        }
        rest = after;
    }
    Err(bad("it has no end"))
}

/// Exactly `length` bytes out of a zlib stream that ends where it should, with the right sum.
fn inflate(stream: &[u8], length: usize, inflater: Inflater) -> Result<Vec<u8>, Unproved> {
    let bad = |what: String| Unproved::Undecodable(what);
    let mut out = vec![0; length];
    let (taken, given) = match inflater {
        Inflater::Libdeflate => {
            let given = Decompressor::new().zlib_decompress(stream, &mut out).map_err(|e| bad(e.to_string()))?;
            // It holds the sum, but does not say where it stood: what comes after it would go unseen.
            let ends = stream.ends_with(&zlib_rs::adler32::adler32(1, &out[..given]).to_be_bytes());
            (if ends { stream.len() } else { 0 }, given)
        }
        Inflater::ZlibRs => {
            let mut state = Inflate::new(true, 15);
            let ended = state.decompress(stream, &mut out, InflateFlush::Finish);
            if !matches!(ended, Ok(Status::StreamEnd)) {
                return Err(bad("its stream has no end".into()));
            }
            #[expect(clippy::cast_possible_truncation, reason = "positions in slices")]
            let both = (state.total_in() as usize, state.total_out() as usize);
            both
        }
    };
    if (taken, given) == (stream.len(), length) { Ok(out) } else { Err(Unproved::Size) }
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
