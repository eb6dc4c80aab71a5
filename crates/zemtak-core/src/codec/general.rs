//! The formats without a codec of their own here: BMP, TGA, GIF.

use super::{DecodeError, Format, Ignored, Limits};
use crate::geometry::Size;
use crate::pixels::Pixels;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader};
use std::collections::BTreeSet;
use std::io::Cursor;

pub(super) fn size(bytes: &[u8], format: Format) -> Result<Size, DecodeError> {
    let (w, h) = open(bytes, format, u64::MAX)?.dimensions();
    Ok(Size::new(w, h))
}

/// A decoder that has read the header.
fn open(bytes: &[u8], format: Format, most_bytes: u64) -> Result<impl ImageDecoder, DecodeError> {
    let kind = match format {
        Format::Bmp => ImageFormat::Bmp,
        Format::Tga => ImageFormat::Tga,
        Format::Gif => ImageFormat::Gif,
        Format::Png | Format::Jpeg | Format::Qoi | Format::WebP | Format::Ktx2 => {
            return Err(DecodeError::NotBuiltIn(format));
        }
    };
    if !kind.reading_enabled() {
        return Err(DecodeError::NotBuiltIn(format));
    }
    let mut reader = ImageReader::with_format(Cursor::new(bytes), kind);
    let mut memory = image::Limits::no_limits();
    memory.max_alloc = Some(most_bytes);
    reader.limits(memory);
    reader.into_decoder().map_err(|reason| DecodeError::damaged(format, reason))
}

pub(super) fn decode(
    bytes: &[u8],
    format: Format,
    limits: &Limits,
) -> Result<(Pixels, BTreeSet<Ignored>), DecodeError> {
    let decoder = open(bytes, format, limits.pixels.saturating_mul(8))?;
    let (w, h) = decoder.dimensions();
    let size = Size::new(w, h);
    limits.check(size)?;
    let damaged = |reason: image::ImageError| DecodeError::damaged(format, reason);
    let rgba = DynamicImage::from_decoder(decoder).map_err(damaged)?.into_rgba8().into_raw();
    let pixels = Pixels::from_rgba(size, rgba)
        .ok_or_else(|| DecodeError::damaged(format, "fewer pixels than its header says"))?;
    let mut ignored = BTreeSet::new();
    if format == Format::Gif && has_second_frame(bytes) {
        ignored.insert(Ignored::Frames);
    }
    Ok((pixels, ignored))
}

/// Whether a GIF goes on after its first picture. A damaged second frame counts: it is not taken either way.
#[cfg(feature = "decode-gif")]
fn has_second_frame(bytes: &[u8]) -> bool {
    use image::AnimationDecoder;
    image::codecs::gif::GifDecoder::new(Cursor::new(bytes)).is_ok_and(|d| d.into_frames().nth(1).is_some())
}

#[cfg(not(feature = "decode-gif"))]
fn has_second_frame(_: &[u8]) -> bool {
    false
}
