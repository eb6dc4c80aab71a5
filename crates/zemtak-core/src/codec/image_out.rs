//! Pixels to the formats that a library writes as they are.

use crate::pixels::Pixels;
use image::{ExtendedColorType, ImageEncoder, ImageError};

/// A QOI file.
///
/// # Errors
/// The library's reason.
#[cfg(feature = "qoi")]
pub fn encode_qoi(pixels: &Pixels) -> Result<Vec<u8>, ImageError> {
    let mut bytes = Vec::new();
    write(image::codecs::qoi::QoiEncoder::new(&mut bytes), pixels)?;
    Ok(bytes)
}

/// A WebP file without loss.
///
/// # Errors
/// The library's reason: a side over 16,384 pixels.
#[cfg(feature = "webp")]
pub fn encode_webp(pixels: &Pixels) -> Result<Vec<u8>, ImageError> {
    let mut bytes = Vec::new();
    write(image::codecs::webp::WebPEncoder::new_lossless(&mut bytes), pixels)?;
    Ok(bytes)
}

fn write(encoder: impl ImageEncoder, pixels: &Pixels) -> Result<(), ImageError> {
    let size = pixels.size();
    encoder.write_image(pixels.as_bytes(), size.w, size.h, ExtendedColorType::Rgba8)
}
