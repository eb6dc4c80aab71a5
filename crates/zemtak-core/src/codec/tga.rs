//! TGA, without a library: those that exist fill the missing part of a truncated file with black, or flip pictures
//! whose rows run from the right.
//!
//! The fields of its header, all little-endian, are those of "Truevision TGA File Format Specification, Version 2.0".

use super::{DecodeError, Format, Limits};
use crate::geometry::Size;
use crate::pixels::Pixels;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Tga, reason)
}

fn cut() -> DecodeError {
    damaged("it ends too early")
}

/// What a value in a file stands for.
#[derive(Debug, Clone, Copy)]
enum Value {
    Grey,
    GreyAlpha,
    /// Five bits each, and one bit of alpha if that is used.
    Colour16 {
        alpha: bool,
    },
    Bgr,
    Bgra,
}

impl Value {
    fn of_colour(bits: u8, alpha_bits: u8) -> Option<Self> {
        Some(match bits {
            15 | 16 => Self::Colour16 { alpha: bits == 16 && alpha_bits == 1 },
            24 => Self::Bgr,
            32 => Self::Bgra,
            _ => return None,
        })
    }

    const fn bytes(self) -> usize {
        match self {
            Self::Grey => 1,
            Self::GreyAlpha | Self::Colour16 { .. } => 2,
            Self::Bgr => 3,
            Self::Bgra => 4,
        }
    }

    /// The colour of its bytes, as many as [`bytes`](Self::bytes) says.
    #[expect(clippy::cast_possible_truncation, reason = "31 parts of 255 are a byte")]
    fn rgba(self, bytes: &[u8]) -> [u8; 4] {
        match (self, bytes) {
            (Self::Grey, &[g]) => [g, g, g, 255],
            (Self::GreyAlpha, &[g, a]) => [g, g, g, a],
            (Self::Colour16 { alpha }, &[low, high]) => {
                let word = u32::from(u16::from_le_bytes([low, high]));
                let part = |shift: u32| (((word >> shift & 31) * 255 + 15) / 31) as u8;
                let alpha = if alpha && word >> 15 == 0 { 0 } else { 255 };
                [part(10), part(5), part(0), alpha]
            }
            (Self::Bgr, &[b, g, r]) => [r, g, b, 255],
            (Self::Bgra, &[b, g, r, a]) => [r, g, b, a],
            _ => [0; 4],
        }
    }
}

/// What the header says.
struct Header {
    size: Size,
    /// Bytes of a pixel, and what they are: a colour, or the index of one.
    pixel_bytes: usize,
    value: Option<Value>,
    palette: Option<Palette>,
    run_lengths: bool,
    from_right: bool,
    from_top: bool,
    /// Where the pixels begin.
    pixels_at: usize,
}

struct Palette {
    /// The index of the first colour.
    first: usize,
    colours: Vec<[u8; 4]>,
}

impl Header {
    fn read(bytes: &[u8]) -> Result<Self, DecodeError> {
        let header: &[u8; 18] = bytes.first_chunk().ok_or_else(cut)?;
        let word = |at: usize| u16::from_le_bytes([header[at], header[at + 1]]);
        let (kind, bits, descriptor) = (header[2], header[16], header[17]);
        let alpha_bits = descriptor & 15;
        let unknown = || damaged(format!("pictures of kind {kind} with {bits} bits a pixel are not known"));
        let palette_at = 18 + usize::from(header[0]);
        let (palette, palette_bytes) = match header[1] {
            0 => (None, 0),
            _ => palette(bytes, palette_at, word(3), word(5), header[7])?,
        };
        let value = match (kind & 7, bits) {
            (1, 8 | 16) if palette.is_some() => None,
            (2, _) => Some(Value::of_colour(bits, alpha_bits).ok_or_else(unknown)?),
            (3, 8) => Some(Value::Grey),
            (3, 16) => Some(Value::GreyAlpha),
            _ => return Err(unknown()),
        };
        Ok(Self {
            size: Size::new(word(12).into(), word(14).into()),
            pixel_bytes: value.map_or(usize::from(bits / 8), Value::bytes),
            value,
            palette: palette.filter(|_| value.is_none()),
            run_lengths: kind & 8 != 0,
            from_right: descriptor & 16 != 0,
            from_top: descriptor & 32 != 0,
            pixels_at: palette_at + palette_bytes,
        })
    }

    fn colour(&self, pixel: &[u8]) -> Result<[u8; 4], DecodeError> {
        if let Some(value) = self.value {
            return Ok(value.rgba(pixel));
        }
        let number = pixel.iter().rev().fold(0, |sum, &byte| sum << 8 | usize::from(byte));
        let of_palette = |palette: &Palette| palette.colours.get(number.checked_sub(palette.first)?).copied();
        self.palette
            .as_ref()
            .and_then(of_palette)
            .ok_or_else(|| damaged(format!("a pixel has colour {number}, which its palette lacks")))
    }
}

/// The palette and its bytes. A file whose pixels need no palette may have one anyway, and of any kind.
fn palette(
    bytes: &[u8],
    at: usize,
    first: u16,
    length: u16,
    bits: u8,
) -> Result<(Option<Palette>, usize), DecodeError> {
    let whole = usize::from(length) * usize::from(bits).div_ceil(8);
    let Some(value) = Value::of_colour(bits, 0) else { return Ok((None, whole)) };
    let entries = bytes.get(at..at + whole).ok_or_else(cut)?;
    let colours = entries.chunks_exact(value.bytes()).map(|entry| value.rgba(entry)).collect();
    Ok((Some(Palette { first: first.into(), colours }), whole))
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    Header::read(bytes).map(|header| header.size)
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let header = Header::read(bytes)?;
    limits.check(header.size)?;
    let data = bytes.get(header.pixels_at..).ok_or_else(cut)?;
    let (w, h) = (header.size.w as usize, header.size.h as usize);
    // Run lengths expand a picture at most 128 times, so anything shorter cannot be complete.
    let least = if header.run_lengths { (w * h).div_ceil(128) } else { w * h * header.pixel_bytes };
    if header.size.area() == 0 {
        return Err(damaged("it has no pixels"));
    }
    if data.len() < least {
        return Err(cut());
    }
    let rgba = if header.run_lengths { spread(&header, data, w * h)? } else { plain(&header, data, w * h)? };
    Pixels::from_rgba(header.size, upright(&header, rgba)).ok_or_else(|| damaged("it has no pixels"))
}

fn plain(header: &Header, data: &[u8], count: usize) -> Result<Vec<u8>, DecodeError> {
    let mut rgba = Vec::with_capacity(count * 4);
    for pixel in data.chunks_exact(header.pixel_bytes).take(count) {
        rgba.extend_from_slice(&header.colour(pixel)?);
    }
    Ok(rgba)
}

/// Packets: a count minus one and that many pixels or, with the highest bit set, one pixel to repeat.
fn spread(header: &Header, mut data: &[u8], count: usize) -> Result<Vec<u8>, DecodeError> {
    let mut rgba = Vec::with_capacity(count * 4);
    while rgba.len() < count * 4 {
        let (&packet, rest) = data.split_first().ok_or_else(cut)?;
        let pixels = usize::from(packet & 127) + 1;
        let repeats = packet & 128 != 0;
        let bytes = header.pixel_bytes * if repeats { 1 } else { pixels };
        let (values, rest) = rest.split_at_checked(bytes).ok_or_else(cut)?;
        data = rest;
        if repeats {
            rgba.extend(header.colour(values)?.repeat(pixels));
        } else {
            rgba.extend(plain(header, values, pixels)?);
        }
    }
    // The last packet may exceed the picture.
    rgba.truncate(count * 4);
    Ok(rgba)
}

/// Rows from the top, pixels from the left.
fn upright(header: &Header, mut rgba: Vec<u8>) -> Vec<u8> {
    let row = header.size.w as usize * 4;
    if header.from_right {
        rgba.chunks_exact_mut(row).for_each(|row| row.as_chunks_mut::<4>().0.reverse());
    }
    if header.from_top {
        return rgba;
    }
    rgba.chunks_exact(row).rev().flatten().copied().collect()
}
