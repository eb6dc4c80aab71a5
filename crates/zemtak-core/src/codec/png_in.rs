//! PNG of every colour type, bit depth and interlacing to 8-bit RGBA.

use super::{DecodeError, Format, Limits, to_8_bit};
use crate::geometry::Size;
use crate::pixels::Pixels;
use png::{BitDepth, ColorType, DecodeOptions, Decoder, Transformations};
use std::io::Cursor;

/// What the decoder may take for chunks other than pixels.
const CHUNK_BYTES: usize = 64 << 20;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Png, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let mut decoder = Decoder::new(Cursor::new(bytes));
    let header = decoder.read_header_info().map_err(damaged)?;
    Ok(Size::new(header.width, header.height))
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let mut options = DecodeOptions::default();
    // The library would pass over it; strict readers refuse such a file.
    options.set_ignore_adler32(false);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true);
    let mut decoder = Decoder::new_with_options(Cursor::new(bytes), options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    let header = decoder.read_header_info().map_err(damaged)?;
    let size = Size::new(header.width, header.height);
    limits.check(size)?;
    // Transparent colours become alpha here, while samples still have all their bits. Of a palette the library would show
    // black where there is no such colour.
    let indexed = header.color_type == ColorType::Indexed;
    decoder.set_transformations(if indexed { Transformations::IDENTITY } else { Transformations::EXPAND });
    let mut reader = decoder.read_info().map_err(damaged)?;
    let length = reader.output_buffer_size().ok_or(DecodeError::TooLarge { size, limits: *limits })?;
    let mut raw = vec![0; length];
    let frame = reader.next_frame(&mut raw).map_err(damaged)?;
    let rgba = match frame.bit_depth {
        bits if indexed => Palette::of(reader.info())?.colours(&raw, frame.line_size, size, bits as usize)?,
        BitDepth::Sixteen => spread(&round(&raw), frame.color_type),
        _ if frame.color_type == ColorType::Rgba => raw,
        _ => spread(&raw, frame.color_type),
    };
    Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))
}

/// The colours of a palette, as the pixels name them.
struct Palette(Vec<[u8; 4]>);

impl Palette {
    fn of(info: &png::Info<'_>) -> Result<Self, DecodeError> {
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
