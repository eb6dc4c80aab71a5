//! PNG of every colour type, bit depth and interlacing to 8-bit RGBA.

use super::{DecodeError, Format, Limits, to_8_bit};
use crate::geometry::Size;
use crate::pixels::Pixels;
use png::{BitDepth, ColorType, DecodeOptions, Decoder, Info, OutputInfo, Reader, Transformations};
use std::io::Cursor;

/// What the decoder may take for chunks other than pixels.
const CHUNK_BYTES: usize = 64 << 20;

pub(super) fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Png, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let mut decoder = Decoder::new(Cursor::new(bytes));
    Ok(size_of(decoder.read_header_info().map_err(damaged)?))
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let mut reader = open(bytes, limits)?;
    let size = size_of(reader.info());
    let length = reader.output_buffer_size().ok_or(DecodeError::TooLarge { size, limits: *limits })?;
    let mut raw = vec![0; length];
    let frame = reader.next_frame(&mut raw).map_err(damaged)?;
    let rgba = if is_ready(&frame) { raw } else { rgba(&raw, &frame, reader.info())? };
    Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))
}

/// A file whose header was read.
pub(super) fn open<'b>(bytes: &'b [u8], limits: &Limits) -> Result<Reader<Cursor<&'b [u8]>>, DecodeError> {
    let mut options = DecodeOptions::default();
    // The library would pass over it; strict readers refuse such a file.
    options.set_ignore_adler32(false);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true);
    let mut decoder = Decoder::new_with_options(Cursor::new(bytes), options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    let header = decoder.read_header_info().map_err(damaged)?;
    limits.check(size_of(header))?;
    // Transparent colours become alpha here, while samples still have all their bits. Of a palette the library would show
    // black where there is no such colour.
    let indexed = header.color_type == ColorType::Indexed;
    decoder.set_transformations(if indexed { Transformations::IDENTITY } else { Transformations::EXPAND });
    decoder.read_info().map_err(damaged)
}

/// The size that a file's header says.
pub(super) fn size_of(info: &Info<'_>) -> Size {
    Size::new(info.width, info.height)
}

/// Whether the library has made what we want already.
fn is_ready(frame: &OutputInfo) -> bool {
    frame.color_type == ColorType::Rgba && frame.bit_depth == BitDepth::Eight
}

/// What the library has made of a frame as 8-bit RGBA.
pub(super) fn rgba(raw: &[u8], frame: &OutputInfo, info: &Info<'_>) -> Result<Vec<u8>, DecodeError> {
    if frame.color_type == ColorType::Indexed {
        let size = Size::new(frame.width, frame.height);
        return Palette::of(info)?.colours(raw, frame.line_size, size, frame.bit_depth as usize);
    }
    Ok(match frame.bit_depth {
        BitDepth::Sixteen => spread(&round(raw), frame.color_type),
        _ => spread(raw, frame.color_type),
    })
}

/// The colours of a palette, as the pixels name them.
struct Palette(Vec<[u8; 4]>);

impl Palette {
    fn of(info: &Info<'_>) -> Result<Self, DecodeError> {
        let colours = info.palette.as_deref().ok_or_else(|| damaged("it has no palette"))?;
        // Colours after the last alpha are opaque.
        let alphas = info.trns.as_deref().unwrap_or_default().iter().copied().chain(std::iter::repeat(255));
        Ok(Self(colours.chunks_exact(3).zip(alphas).map(|(c, a)| [c[0], c[1], c[2], a]).collect()))
    }

    /// What rows of `line` bytes show, each pixel a number of `bits`, the highest bits of a byte first.
    fn colours(&self, raw: &[u8], line: usize, size: Size, bits: usize) -> Result<Vec<u8>, DecodeError> {
        let (per_byte, mask) = (8 / bits, u8::MAX >> (8 - bits));
        let mut rgba = Vec::with_capacity(raw.len().saturating_mul(per_byte * 4));
        for row in raw.chunks_exact(line) {
            for x in 0..size.w as usize {
                let index = row[x / per_byte] >> (8 - bits - x % per_byte * bits) & mask;
                let colour = self.0.get(usize::from(index)).ok_or_else(|| {
                    damaged(format!("a pixel has colour {index}, counted from 0, of a palette with {}", self.0.len()))
                })?;
                rgba.extend_from_slice(colour);
            }
        }
        Ok(rgba)
    }
}

fn round(raw: &[u8]) -> Vec<u8> {
    raw.chunks_exact(2).map(|v| to_8_bit(u16::from_be_bytes([v[0], v[1]]))).collect()
}

fn spread(raw: &[u8], color: ColorType) -> Vec<u8> {
    match color {
        ColorType::Grayscale | ColorType::Indexed => raw.iter().flat_map(|&g| [g, g, g, 255]).collect(),
        ColorType::GrayscaleAlpha => raw.chunks_exact(2).flat_map(|p| [p[0], p[0], p[0], p[1]]).collect(),
        ColorType::Rgb => raw.chunks_exact(3).flat_map(|p| [p[0], p[1], p[2], 255]).collect(),
        ColorType::Rgba => raw.to_vec(),
    }
}
