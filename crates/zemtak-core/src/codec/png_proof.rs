//! What a strict decoder makes of an encoded PNG.
//!
//! It is written for itself: it walks the chunks, inflates by another library than the one that deflated, and holds the
//! filtered bytes against the pixels, so that no line of it is used by the encoder. Decoders that serve for showing pictures will not do: they
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
        let mut above = &self.above[..];
        for pixels in rows.chunks_exact(self.stride) {
            let start = self.compared * (self.stride + 1);
            let (filter, filtered) = self.filtered.get(start..=start + self.stride).ok_or(Unproved::Size)?.split_at(1);
            if !stands_for(filter[0], filtered, pixels, above)? {
                return Err(Unproved::Pixels { picture: 0, row: self.compared });
            }
            above = pixels;
            self.compared += 1;
        }
        self.above = above.to_vec();
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

/// Whether a decoder makes `pixels` of a filtered row, given the row above, which it made before.
///
/// A decoder adds to each byte what it foretells from bytes that it has decoded. As long as those are the pixels that went in,
/// it foretells what the pixels foretell; so it comes to the same row if and only if every byte is its pixel less that. Asked
/// in this way no byte waits for the one before it.
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

/// Whether each filtered byte is its pixel's less what the pixel's neighbours (left, above, above on the left) foretell.
fn agree(bytes: [&[u8]; 5], foretell: impl Fn([u8; 3]) -> u8) -> bool {
    let length = bytes[1].len();
    // Of one length that is plain to see, they are looked at many at a time.
    let [filtered, pixels, left, up, corner] = bytes.map(|bytes| &bytes[..length]);
    let differs = |i: usize| filtered[i].wrapping_add(foretell([left[i], up[i], corner[i]])) ^ pixels[i];
    (0..length).fold(0, |all, i| all | differs(i)) == 0
}

#[expect(clippy::cast_possible_truncation, reason = "the mean of two bytes")]
fn mean([left, up, _]: [u8; 3]) -> u8 {
    ((u16::from(left) + u16::from(up)) / 2) as u8
}

/// Of the three neighbours that which is nearest to left + up - corner.
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
