//! WebP: lossy and lossless reading, lossless writing.

use super::{DecodeError, Format, Ignored, Limits, markers};
use crate::geometry::Size;
use crate::pixels::Pixels;
use image_webp::WebPDecoder;
use std::collections::BTreeSet;
use std::io::Cursor;

/// The memory that the codec may use for a frame in pieces, beyond the pixels themselves.
const BYTES_PER_PIXEL: u64 = 8;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::WebP, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let (w, h) = WebPDecoder::new(Cursor::new(bytes)).map_err(damaged)?.dimensions();
    Ok(Size::new(w, h))
}

/// The first picture.
pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<(Pixels, BTreeSet<Ignored>), DecodeError> {
    // The library reads up to the last pixel and does not notice what is missing after it.
    if (bytes.len() as u64) < announced(bytes) {
        return Err(damaged("unexpected end"));
    }
    let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(damaged)?;
    let (w, h) = decoder.dimensions();
    let size = Size::new(w, h);
    limits.check(size)?;
    let memory = limits.pixels.saturating_mul(BYTES_PER_PIXEL);
    decoder.set_memory_limit(usize::try_from(memory).unwrap_or(usize::MAX));
    let mut ignored = BTreeSet::new();
    if decoder.is_animated() && decoder.num_frames() > 1 {
        ignored.insert(Ignored::Frames);
    }
    if decoder.icc_profile().map_err(damaged)?.is_some() {
        ignored.insert(Ignored::ColourProfile);
    }
    if decoder.exif_metadata().map_err(damaged)?.is_some_and(|exif| markers::turned_by_exif(&exif)) {
        ignored.insert(Ignored::Orientation);
    }
    let rgba = read(&mut decoder).map_err(damaged)?;
    let pixels = Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))?;
    Ok((pixels, ignored))
}

/// The length of the file that its header announces (RIFF, a length, and that many bytes).
fn announced(bytes: &[u8]) -> u64 {
    let said = bytes.get(4..).and_then(<[u8]>::first_chunk).map_or(0, |length| u64::from(u32::from_le_bytes(*length)));
    said + 8
}

/// The first picture as RGBA.
fn read(decoder: &mut WebPDecoder<Cursor<&[u8]>>) -> Result<Vec<u8>, image_webp::DecodingError> {
    let length = decoder.output_buffer_size().ok_or(image_webp::DecodingError::ImageTooLarge)?;
    let mut raw = vec![0; length];
    decoder.read_image(&mut raw)?;
    if !decoder.has_alpha() {
        raw = super::opaque(&raw);
    }
    Ok(raw)
}

#[cfg(feature = "encode-webp")]
pub(super) use writing::{encode, prove};

#[cfg(feature = "encode-webp")]
mod writing {
    use super::{Cursor, WebPDecoder, announced, read};
    use crate::codec::encode::{EncodeError, Unproved, compare};
    use crate::pixels::Pixels;
    use image_webp::{ColorType, WebPEncoder};

    /// A lossless file.
    pub fn encode(pixels: &Pixels) -> Result<Vec<u8>, EncodeError> {
        const LONGEST_SIDE: u32 = 16_384;
        let size = pixels.size();
        if size.area() == 0 {
            return Err(EncodeError::Empty);
        }
        if size.w.max(size.h) > LONGEST_SIDE {
            return Err(EncodeError::TooLarge(size, 1));
        }
        let mut bytes = Vec::new();
        let written = WebPEncoder::new(&mut bytes).encode(pixels.as_bytes(), size.w, size.h, ColorType::Rgba8);
        written.map_err(|error| EncodeError::Codec(error.to_string()))?;
        Ok(bytes)
    }

    /// Decodes with the same library, whose decoder is independent of its encoder. It does not look at the announced
    /// length, but other readers do.
    pub fn prove(bytes: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
        if announced(bytes) != bytes.len() as u64 {
            return Err(Unproved::Undecodable("it announces another length".into()));
        }
        let undecodable = |error: image_webp::DecodingError| Unproved::Undecodable(error.to_string());
        let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(undecodable)?;
        if decoder.dimensions() != (pixels.size().w, pixels.size().h) {
            return Err(Unproved::Size);
        }
        compare(0, &read(&mut decoder).map_err(undecodable)?, pixels)
    }
}
