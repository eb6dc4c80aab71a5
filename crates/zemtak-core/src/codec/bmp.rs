//! BMP.

use super::{DecodeError, Format, Limits};
use crate::geometry::Size;
use crate::pixels::Pixels;
use std::borrow::Cow;
use zune_bmp::BmpDecoder;
use zune_core::bytestream::ZCursor;
use zune_core::colorspace::ColorSpace;
use zune_core::options::DecoderOptions;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Bmp, reason)
}

/// The longest header, that of version 5, after the file header.
const LONGEST_HEADERS: usize = 14 + 124;

/// The library expects more bytes after a short header than the smallest pictures have.
fn padded(bytes: &[u8]) -> Cow<'_, [u8]> {
    if bytes.len() >= LONGEST_HEADERS {
        return bytes.into();
    }
    let mut padded = bytes.to_vec();
    padded.resize(LONGEST_HEADERS, 0);
    padded.into()
}

/// A decoder that has read the header.
fn open(bytes: &[u8]) -> Result<BmpDecoder<ZCursor<&[u8]>>, DecodeError> {
    // Our own limits apply to the sides.
    let options = DecoderOptions::default().set_strict_mode(true).set_max_width(1 << 30).set_max_height(1 << 30);
    let mut decoder = BmpDecoder::new_with_options(ZCursor::new(bytes), options);
    decoder.decode_headers().map_err(|error| damaged(format!("{error:?}")))?;
    Ok(decoder)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let header = padded(&bytes[..bytes.len().min(LONGEST_HEADERS)]);
    let decoder = open(&header)?;
    let (w, h) = decoder.dimensions().ok_or_else(|| damaged("it has no size"))?;
    let side = |v: usize| u32::try_from(v).unwrap_or(u32::MAX);
    Ok(Size::new(side(w), side(h)))
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let size = size(bytes)?;
    limits.check(size)?;
    let whole = padded(bytes);
    let mut decoder = open(&whole)?;
    Header::read(bytes).check(bytes.len(), size)?;
    let raw = decoder.decode().map_err(|error| damaged(format!("{error:?}")))?;
    let rgba = match decoder.colorspace() {
        Some(ColorSpace::Luma) => raw.iter().map(|&g| [g, g, g, 255]).collect::<Vec<_>>().into_flattened(),
        Some(ColorSpace::RGB) => super::opaque(&raw),
        Some(ColorSpace::RGBA) => raw,
        other => return Err(damaged(format!("its colours are {other:?}"))),
    };
    Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))
}

/// What the library does not check: it takes 0 for what is missing.
struct Header {
    /// Where the pixels begin, and how long the second header is.
    pixels: u32,
    length: u32,
    planes: u32,
    bits: u32,
    /// The number of colours in the palette according to the header; 0 means as many as the bits can address.
    colours: u32,
    compression: u32,
    from_top: bool,
}

impl Header {
    fn read(bytes: &[u8]) -> Self {
        let word =
            |at: usize| bytes.get(at..).and_then(<[u8]>::first_chunk).map_or(0, |word| u32::from_le_bytes(*word));
        let (pixels, length) = (word(10), word(14));
        // The oldest header has sides of two bytes, and ends there.
        let (both, colours, compression) = if length == 12 { (word(22), 0, 0) } else { (word(26), word(46), word(30)) };
        Self {
            pixels,
            length,
            planes: both & 0xffff,
            bits: both >> 16,
            colours,
            compression,
            from_top: length > 12 && word(22) >> 31 == 1,
        }
    }

    fn has_runs(&self) -> bool {
        matches!(self.compression, 1 | 2)
    }

    fn check(&self, file: usize, size: Size) -> Result<(), DecodeError> {
        if self.planes != 1 {
            return Err(damaged(format!("it has {} planes, which is never so", self.planes)));
        }
        if self.has_runs() && self.from_top {
            return Err(damaged("run lengths go with rows from the bottom alone"));
        }
        let colours = if self.colours == 0 { 1 << self.bits.min(8) } else { self.colours.min(256) };
        // After the oldest header there are as many as there is room for.
        let palette = if self.bits <= 8 && self.length > 12 { colours * 4 } else { 0 };
        if u64::from(self.pixels) < 14 + u64::from(self.length) + u64::from(palette) {
            return Err(damaged("its pixels are said to begin inside its palette"));
        }
        // Rows are padded to a multiple of four bytes, except for the last.
        let (row, last) = (u64::from(size.w) * u64::from(self.bits), u64::from(size.h.saturating_sub(1)));
        let needed = u64::from(self.pixels) + row.div_ceil(32) * 4 * last + row.div_ceil(8);
        // With run lengths, the library itself notices a missing end.
        if !self.has_runs() && (file as u64) < needed {
            return Err(damaged("it ends too early"));
        }
        Ok(())
    }
}
