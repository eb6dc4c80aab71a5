//! Pixels to the formats that a library writes as they are, and what another makes of the bytes.

use super::encode::{EncodeError, Unproved, compare};
use crate::pixels::Pixels;
use image::{ExtendedColorType, ImageEncoder};

/// A QOI file.
#[cfg(feature = "encode-qoi")]
pub(super) fn qoi(pixels: &Pixels) -> Result<Vec<u8>, EncodeError> {
    let mut bytes = Vec::new();
    write(image::codecs::qoi::QoiEncoder::new(&mut bytes), pixels)?;
    Ok(bytes)
}

/// A WebP file without loss.
#[cfg(feature = "encode-webp")]
pub(super) fn webp(pixels: &Pixels) -> Result<Vec<u8>, EncodeError> {
    const LONGEST_SIDE: u32 = 16_384;
    let size = pixels.size();
    if size.w.max(size.h) > LONGEST_SIDE {
        return Err(EncodeError::TooLarge(size, 1));
    }
    let mut bytes = Vec::new();
    write(image::codecs::webp::WebPEncoder::new_lossless(&mut bytes), pixels)?;
    Ok(bytes)
}

fn write(encoder: impl ImageEncoder, pixels: &Pixels) -> Result<(), EncodeError> {
    let size = pixels.size();
    if size.area() == 0 {
        return Err(EncodeError::Empty);
    }
    let written = encoder.write_image(pixels.as_bytes(), size.w, size.h, ExtendedColorType::Rgba8);
    written.map_err(|error| EncodeError::Codec(error.to_string()))
}

/// Decodes a QOI file by a library that the encoder knows nothing of.
#[cfg(feature = "encode-qoi")]
pub(super) fn prove_qoi(bytes: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    let options = zune_core::options::DecoderOptions::default().set_strict_mode(true);
    let mut decoder = zune_qoi::QoiDecoder::new_with_options(zune_core::bytestream::ZCursor::new(bytes), options);
    let decoded = decoder.decode().map_err(|error| Unproved::Undecodable(format!("{error:?}")))?;
    let size = decoder.dimensions().map(|(w, h)| (w as u64, h as u64));
    if size != Some((u64::from(pixels.size().w), u64::from(pixels.size().h))) {
        return Err(Unproved::Size);
    }
    compare(0, &decoded, pixels)
}

/// Decodes a WebP file: by the same library, whose decoder is written for itself and shares nothing with its encoder.
#[cfg(feature = "encode-webp")]
pub(super) fn prove_webp(bytes: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    let undecodable = |error: image::ImageError| Unproved::Undecodable(error.to_string());
    let decoder = image::codecs::webp::WebPDecoder::new(std::io::Cursor::new(bytes)).map_err(undecodable)?;
    let decoded = image::DynamicImage::from_decoder(decoder).map_err(undecodable)?.into_rgba8();
    if decoded.dimensions() != (pixels.size().w, pixels.size().h) {
        return Err(Unproved::Size);
    }
    compare(0, decoded.as_raw(), pixels)
}
