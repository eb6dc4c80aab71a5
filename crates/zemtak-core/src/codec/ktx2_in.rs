//! Reading KTX2: textures of one picture with its levels, of the kinds that a page may have.

use super::{DecodeError, Format as ImageFormat, Limits};
use crate::atlas::{Alpha, Colour, PixelKind};
use crate::geometry::Size;
use crate::mips::{level_size, most_levels};
use crate::pixels::Pixels;
use crate::texture::Texture;
use ::ktx2::dfd::DataFormatFlags;
use ::ktx2::{Format, Reader, SupercompressionScheme};
use std::io::Read;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(ImageFormat::Ktx2, reason)
}

/// Reads a texture. Checks its numbers against each other and against `limits` before it allocates memory.
///
/// # Errors
/// [`DecodeError`]: it is damaged, too large, or of a kind that no page has.
pub fn read_ktx2(bytes: &[u8], limits: &Limits) -> Result<Texture, DecodeError> {
    let reader = Reader::new(bytes).map_err(|error| damaged(format!("{error:?}")))?;
    let header = reader.header();
    let (kind, colour) = kind_of(header.format)?;
    let size = Size::new(header.pixel_width, header.pixel_height);
    limits.check(size)?;
    let one_picture = header.pixel_depth == 0 && header.layer_count == 0 && header.face_count == 1;
    if !one_picture || size.area() == 0 {
        return Err(damaged("it is no texture of one picture"));
    }
    if header.level_count == 0 || header.level_count > most_levels(size) {
        return Err(damaged(format_args!("{} levels do not go with {size} pixels", header.level_count)));
    }
    let mut levels = Vec::new();
    for (number, level) in (0..).zip(reader.levels()) {
        let expected = kind.level_bytes(level_size(size, number));
        let wrong = || damaged(format_args!("level {number} has not the bytes that its size asks for"));
        let expected = usize::try_from(expected).map_err(|_| wrong())?;
        levels.push(match header.supercompression_scheme {
            None if level.data.len() == expected => level.data.to_vec(),
            Some(SupercompressionScheme::Zstandard) => inflated(level.data, expected).ok_or_else(wrong)?,
            None => return Err(wrong()),
            Some(other) => return Err(damaged(format_args!("levels supercompressed by {other:?} are not read"))),
        });
    }
    let premultiplied = reader.basic_dfd().is_some_and(|b| b.flags.contains(DataFormatFlags::ALPHA_PREMULTIPLIED));
    let alpha = if premultiplied { Alpha::Premultiplied } else { Alpha::Straight };
    Ok(Texture { kind, size, alpha, colour, levels })
}

fn kind_of(format: Option<Format>) -> Result<(PixelKind, Colour), DecodeError> {
    Ok(match format {
        Some(Format::R8G8B8A8_UNORM) => (PixelKind::Rgba8, Colour::Linear),
        Some(Format::R8G8B8A8_SRGB) => (PixelKind::Rgba8, Colour::Srgb),
        Some(Format::BC1_RGBA_UNORM_BLOCK) => (PixelKind::Bc1, Colour::Linear),
        Some(Format::BC1_RGBA_SRGB_BLOCK) => (PixelKind::Bc1, Colour::Srgb),
        Some(Format::BC3_UNORM_BLOCK) => (PixelKind::Bc3, Colour::Linear),
        Some(Format::BC3_SRGB_BLOCK) => (PixelKind::Bc3, Colour::Srgb),
        Some(Format::BC7_UNORM_BLOCK) => (PixelKind::Bc7, Colour::Linear),
        Some(Format::BC7_SRGB_BLOCK) => (PixelKind::Bc7, Colour::Srgb),
        Some(other) => return Err(damaged(format_args!("pixels as {other:?} are not read"))),
        None => return Err(damaged("it does not say how pixels are stored")),
    })
}

/// Exactly this many bytes, or `None`.
fn inflated(deflated: &[u8], expected: usize) -> Option<Vec<u8>> {
    let decoder = ruzstd::decoding::StreamingDecoder::new(deflated).ok()?;
    let mut level = Vec::new();
    level.try_reserve_exact(expected.checked_add(1)?).ok()?;
    // One more than wanted, to see whether there are more.
    decoder.take(expected as u64 + 1).read_to_end(&mut level).ok()?;
    (level.len() == expected).then_some(level)
}

/// The full size of a texture as a picture.
pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let texture = read_ktx2(bytes, limits)?;
    let (kind, size) = (texture.kind, texture.size);
    let level = texture.levels.into_iter().next().unwrap_or_default();
    #[cfg(feature = "decode-blocks")]
    let pixels = crate::texture::unpack(&level, kind, size);
    #[cfg(not(feature = "decode-blocks"))]
    let pixels = match kind.is_compressed() {
        true => return Err(DecodeError::Blocks(kind)),
        false => Pixels::from_rgba(size, level),
    };
    let too_few = || DecodeError::damaged(ImageFormat::Ktx2, "fewer pixels than its header says");
    pixels.ok_or_else(too_few)
}
