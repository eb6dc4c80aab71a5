//! PNG of every colour type, bit depth and interlacing to 8-bit RGBA.

use super::{DecodeError, Format, Ignored, Limits, PngKind, opaque, to_8_bit};
use crate::geometry::Size;
use crate::pixels::Pixels;
use png::{BitDepth, ColorType, DecodeOptions, Decoder, Info, OutputInfo, Reader, Transformations};
use std::io::{BufRead, Cursor, Seek};

/// The memory that the decoder may use for chunks other than pixels.
const CHUNK_BYTES: usize = 64 << 20;

pub(super) fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Png, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let mut decoder = Decoder::new(Cursor::new(bytes));
    Ok(size_of(decoder.read_header_info().map_err(damaged)?))
}

/// The picture, and what is odd about the end of its compressed pixels.
pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<(Pixels, Option<Ignored>), DecodeError> {
    if let Some(header) = Header::of_rows(bytes) {
        limits.check(header.size)?;
        if let Some((raw, layout, info, odd_end)) = header.with_its_end(bytes) {
            return Ok((layout.pixels(raw, header.size, &info)?, odd_end));
        }
    }
    let mut reader = open(bytes, limits)?;
    let size = size_of(reader.info());
    let length = reader.output_buffer_size().ok_or(DecodeError::TooLarge { size, limits: *limits })?;
    let mut raw = vec![0; length];
    let frame = reader.next_frame(&mut raw).map_err(damaged)?;
    let pixels = Layout::of_frame(&frame).pixels(raw, size, reader.info())?;
    // All pixels are there, so it must be their end that is missing. With interlacing or frames this cannot be told.
    let can_tell = !reader.info().interlaced && !reader.info().is_animated();
    Ok((pixels, can_tell.then_some(Ignored::CutEnd)))
}

/// The header, if it is whole and pixels come row by row.
struct Header {
    size: Size,
}

impl Header {
    // Signature, length of the header, its name, width, height, five more bytes, and the checksum of everything from
    // the name on.
    const NAME: usize = 12;
    const HEIGHT: usize = 20;
    const SUM: usize = 29;

    fn of_rows(bytes: &[u8]) -> Option<Self> {
        let kind = PngKind::of(bytes)?;
        let word = |at: usize| Some(u32::from_be_bytes(*bytes.get(at..)?.first_chunk()?));
        let is_whole = word(Self::SUM)? == crc32fast::hash(&bytes[Self::NAME..Self::SUM]);
        let size = Size::new(word(Self::HEIGHT - 4)?, word(Self::HEIGHT)?);
        (is_whole && !kind.interlaced).then_some(Self { size })
    }

    /// Reads the file as if it had one more row. The library stops after the last row that the header announces and
    /// looks no further; this way it reaches the end, and tells whether that is in order. `None` if it is not.
    fn with_its_end(&self, bytes: &[u8]) -> Option<(Vec<u8>, Layout, Info<'static>, Option<Ignored>)> {
        let mut longer = bytes.to_vec();
        longer[Self::HEIGHT..Self::HEIGHT + 4].copy_from_slice(&self.size.h.checked_add(1)?.to_be_bytes());
        let sum = crc32fast::hash(&longer[Self::NAME..Self::SUM]);
        longer[Self::SUM..Self::SUM + 4].copy_from_slice(&sum.to_be_bytes());
        let mut reader = open(&longer, &Limits { side: u32::MAX, pixels: u64::MAX, ..Limits::default() }).ok()?;
        let mut raw = vec![0; reader.output_buffer_size()?];
        let odd_end = match reader.next_frame(&mut raw) {
            Ok(_) => Some(Ignored::MorePixels),
            // From the row that does not exist.
            Err(error) if error.to_string().contains("does not have enough data") => None,
            Err(_) => return None,
        };
        let layout = Layout::of(&reader);
        raw.truncate(layout.line * self.size.h as usize);
        Some((raw, layout, reader.info().clone(), odd_end))
    }
}

/// A file whose header was read.
pub(super) fn open<'b>(bytes: &'b [u8], limits: &Limits) -> Result<Reader<Cursor<&'b [u8]>>, DecodeError> {
    let mut options = DecodeOptions::default();
    // The library would ignore it; strict readers refuse such a file.
    options.set_ignore_adler32(false);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true);
    let mut decoder = Decoder::new_with_options(Cursor::new(bytes), options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    let header = decoder.read_header_info().map_err(damaged)?;
    limits.check(size_of(header))?;
    // Transparent colours become alpha here, while samples still have all their bits. The library would show black for
    // a colour that a palette does not have.
    let indexed = header.color_type == ColorType::Indexed;
    decoder.set_transformations(if indexed { Transformations::IDENTITY } else { Transformations::EXPAND });
    decoder.read_info().map_err(damaged)
}

/// The size according to a file's header.
pub(super) fn size_of(info: &Info<'_>) -> Size {
    Size::new(info.width, info.height)
}

/// How rows are laid out in the library's output.
pub(super) struct Layout {
    colours: ColorType,
    bits: BitDepth,
    line: usize,
}

impl Layout {
    /// Of a whole picture.
    fn of<R: BufRead + Seek>(reader: &Reader<R>) -> Self {
        let (colours, bits) = reader.output_color_type();
        Self { colours, bits, line: reader.output_line_size(reader.info().width).unwrap_or_default() }
    }

    /// Of a frame.
    pub fn of_frame(frame: &OutputInfo) -> Self {
        Self { colours: frame.color_type, bits: frame.bit_depth, line: frame.line_size }
    }

    /// Rows as a picture.
    fn pixels(&self, raw: Vec<u8>, size: Size, info: &Info<'_>) -> Result<Pixels, DecodeError> {
        let is_ready = self.colours == ColorType::Rgba && self.bits == BitDepth::Eight;
        let rgba = if is_ready { raw } else { self.rgba(&raw, size, info)? };
        Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))
    }

    /// Rows as 8-bit RGBA.
    pub fn rgba(&self, raw: &[u8], size: Size, info: &Info<'_>) -> Result<Vec<u8>, DecodeError> {
        if self.colours == ColorType::Indexed {
            return Palette::of(info)?.colours(raw, self.line, size, self.bits as usize);
        }
        Ok(match self.bits {
            BitDepth::Sixteen => spread(&round(raw), self.colours),
            _ => spread(raw, self.colours),
        })
    }
}

/// The colours of a palette, by the indices in pixels.
struct Palette(Vec<[u8; 4]>);

impl Palette {
    fn of(info: &Info<'_>) -> Result<Self, DecodeError> {
        let colours = info.palette.as_deref().ok_or_else(|| damaged("it has no palette"))?;
        // Colours after the last alpha are opaque.
        let alphas = info.trns.as_deref().unwrap_or_default().iter().copied().chain(std::iter::repeat(255));
        Ok(Self(colours.chunks_exact(3).zip(alphas).map(|(c, a)| [c[0], c[1], c[2], a]).collect()))
    }

    /// The colours of rows of `line` bytes, each pixel an index of `bits` bits, the highest bits of a byte first.
    fn colours(&self, raw: &[u8], line: usize, size: Size, bits: usize) -> Result<Vec<u8>, DecodeError> {
        let known = self.0.len();
        // A colour for every index that a byte can hold, so that none has to be checked while it is looked up.
        let mut colours = [[0; 4]; 256];
        colours.iter_mut().zip(&self.0).for_each(|(colour, known)| *colour = *known);
        let mut rgba = Vec::with_capacity(size.w as usize * size.h as usize);
        let mut unpacked = Vec::new();
        for row in raw.chunks_exact(line) {
            let indices = match bits {
                1 => unpack::<1>(row, &mut unpacked),
                2 => unpack::<2>(row, &mut unpacked),
                4 => unpack::<4>(row, &mut unpacked),
                _ => row,
            };
            let indices = &indices[..size.w as usize];
            // The largest is found several times faster than the first that is too large.
            if let Some(index) = indices.iter().copied().max().filter(|&index| usize::from(index) >= known) {
                let why = format!("a pixel has colour {index}, counted from 0, of a palette with {known}");
                return Err(damaged(why));
            }
            rgba.extend(indices.iter().map(|&index| colours[usize::from(index)]));
        }
        Ok(rgba.into_flattened())
    }
}

/// The indices in a row with `BITS` bits for each.
fn unpack<'u, const BITS: usize>(row: &[u8], unpacked: &'u mut Vec<u8>) -> &'u [u8] {
    unpacked.resize(row.len() * (8 / BITS), 0);
    for (byte, indices) in row.iter().zip(unpacked.chunks_exact_mut(8 / BITS)) {
        for (n, index) in indices.iter_mut().enumerate() {
            *index = byte >> (8 - BITS - n * BITS) & (u8::MAX >> (8 - BITS));
        }
    }
    unpacked
}

fn round(raw: &[u8]) -> Vec<u8> {
    raw.chunks_exact(2).map(|v| to_8_bit(u16::from_be_bytes([v[0], v[1]]))).collect()
}

fn spread(raw: &[u8], color: ColorType) -> Vec<u8> {
    let pixels: Vec<[u8; 4]> = match color {
        ColorType::Grayscale | ColorType::Indexed => raw.iter().map(|&g| [g, g, g, 255]).collect(),
        ColorType::GrayscaleAlpha => raw.as_chunks().0.iter().map(|&[g, a]| [g, g, g, a]).collect(),
        ColorType::Rgb => return opaque(raw),
        ColorType::Rgba => return raw.to_vec(),
    };
    pixels.into_flattened()
}
