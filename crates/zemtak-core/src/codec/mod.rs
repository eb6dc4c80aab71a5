//! Bytes to pixels and back, with limits on what an untrusted file may ask for.
//!
//! A format is recognised by content; see [`Format`]. Every picture becomes 8-bit RGBA ([`Pixels`]): palettes and
//! transparent colours become alpha, 16-bit samples are rounded by [`to_8_bit`], colour profiles and gamma are ignored
//! and listed in [`Decoded::ignored`].

#[cfg(feature = "decode-apng")]
mod apng_in;
#[cfg(feature = "decode-bmp")]
mod bmp;
#[cfg(any(feature = "decode-apng", feature = "decode-gif"))]
mod canvas;
#[cfg(feature = "encode")]
mod encode;
mod format;
mod frames;
#[cfg(feature = "decode-gif")]
mod gif_in;
#[cfg(feature = "decode-jpeg")]
mod jpeg;
#[cfg(feature = "decode-ktx2")]
mod ktx2_in;
#[cfg(feature = "encode-ktx2")]
mod ktx2_out;
mod mark;
mod markers;
#[cfg(any(feature = "encode-apng", feature = "encode-gif"))]
mod moving_out;
#[cfg(feature = "encode-png")]
mod png_filter;
#[cfg(feature = "decode-png")]
mod png_in;
#[cfg(feature = "encode-png")]
mod png_out;
#[cfg(feature = "encode-png")]
mod png_proof;
#[cfg(feature = "decode-qoi")]
mod qoi;
#[cfg(feature = "encode")]
mod raw;
#[cfg(feature = "decode")]
mod reason;
#[cfg(feature = "decode-tga")]
mod tga;
#[cfg(feature = "decode-webp")]
mod webp;

#[cfg(feature = "encode")]
pub use encode::{EncodeError, Encoded, Unproved};
pub use format::Format;
pub use frames::{Decoded as DecodedFrames, Frame, decode_each, decode_frames};
#[cfg(feature = "decode-ktx2")]
pub use ktx2_in::read_ktx2;
#[cfg(feature = "encode-ktx2")]
pub use ktx2_out::{KTX2_VERSION, Supercompression, encode_ktx2};
pub use mark::Mark;
pub use markers::{Ignored, PngColour, PngKind};
#[cfg(any(feature = "encode-apng", feature = "encode-gif"))]
pub use moving_out::TimedPicture;
#[cfg(feature = "encode-apng")]
pub use moving_out::encode_apng;
#[cfg(feature = "encode-gif")]
pub use moving_out::encode_gif;
#[cfg(feature = "encode-png")]
pub use png_out::{
    Band, BandEffort, PNG_VERSION, PngEffort, encode_png_band, join_png_bands, png_bands, split_png_bands,
};
#[cfg(feature = "encode-png")]
pub use png_proof::{prove_joined_png, prove_png, prove_png_band};

#[cfg(feature = "encode")]
pub use raw::{Bits, Channels, RawLayout};

use crate::geometry::Size;
use crate::pixels::Pixels;
use std::collections::BTreeSet;

/// Changes whenever the same file decodes to other pixels.
pub const DECODE_VERSION: u32 = 4;

/// Changes whenever the same pixels yield other bytes as QOI or WebP.
pub const IMAGE_VERSION: u32 = 1;

/// Limits on what an image may ask for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// The longest side in pixels. Default: 65,536, since strips of 2048 x 32,768 occur.
    pub side: u32,
    /// The largest number of pixels of a picture. Default: 2^26, which is 256 MiB once decoded.
    pub pixels: u64,
    /// The largest number of pixels of all frames of an animated picture together. Default: 2^28.
    pub all_pixels: u64,
    /// The largest number of frames. Default: 10,000.
    pub frames: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { side: 65_536, pixels: 1 << 26, all_pixels: 1 << 28, frames: 10_000 }
    }
}

impl Limits {
    /// Refuses a picture that is too large, before memory is allocated for it.
    ///
    /// # Errors
    /// [`DecodeError::TooLarge`] with both sizes.
    pub fn check(&self, size: Size) -> Result<(), DecodeError> {
        if size.w > self.side || size.h > self.side || size.area() > self.pixels {
            return Err(DecodeError::TooLarge { size, limits: *self });
        }
        Ok(())
    }
}

/// A decoded picture, and what was ignored.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decoded {
    /// The picture as straight 8-bit RGBA.
    pub pixels: Pixels,
    /// The format, recognised by content.
    pub format: Format,
    /// What the file contains that decoding ignores.
    pub ignored: BTreeSet<Ignored>,
}

/// Why bytes are not a usable picture.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum DecodeError {
    /// There are no bytes.
    #[error("the file is empty")]
    Empty,
    /// The content is not of a known image format.
    #[error("not an image: it begins with {start}")]
    NotAnImage {
        /// The first bytes, for people.
        start: String,
    },
    /// The format is known, but this build does not include it.
    #[error("this program was built without the feature decode-{} of zemtak-core, which reads {} images", .0.feature(), .0)]
    NotBuiltIn(Format),
    /// The pixels are in compressed blocks, and this build cannot unpack them.
    #[error("this program was built without the feature decode-blocks of zemtak-core, which unpacks {}", .0.word())]
    Blocks(crate::atlas::PixelKind),
    /// More pixels than allowed.
    #[error("{size} pixels are more than the limit of {} a side and {} pixels in all", limits.side, limits.pixels)]
    TooLarge {
        /// The size that the file claims.
        size: Size,
        /// The limits that it exceeds.
        limits: Limits,
    },
    /// More frames, or more pixels in all frames together, than allowed.
    #[error(
        "an animation of over {} frames or {} pixels in all frames together, which is the limit", limits.frames, limits.all_pixels
    )]
    TooLong {
        /// The limits that it exceeds.
        limits: Limits,
    },
    /// The file is damaged, truncated, or uses something that its codec does not support.
    #[error("bad {format} file: {reason}")]
    Damaged {
        /// The format, recognised by content.
        format: Format,
        /// What is wrong with it.
        reason: String,
    },
}

impl DecodeError {
    #[cfg(feature = "decode")]
    pub(crate) fn damaged(format: Format, reason: impl std::fmt::Display) -> Self {
        Self::Damaged { format, reason: reason::plain(&reason.to_string()) }
    }
}

/// Decodes a picture, recognised by its content; `extension` matters only for TGA, which has no signature.
///
/// For an animated file, takes the first picture and reports [`Ignored::Frames`]; [`decode_frames`] takes all.
///
/// # Errors
/// [`DecodeError`]: not an image, damaged, or larger than `limits`.
pub fn decode(bytes: &[u8], extension: Option<&str>, limits: &Limits) -> Result<Decoded, DecodeError> {
    let format = format_of(bytes, extension)?;
    let (pixels, ignored) = decode_as(format, bytes, limits)?;
    Ok(Decoded { pixels, format, ignored })
}

/// The size of a picture according to its header, before any pixel is decoded: to know how much memory decoding will
/// take.
///
/// # Errors
/// As for [`decode`], as far as the header shows.
pub fn size_of(bytes: &[u8], extension: Option<&str>) -> Result<Size, DecodeError> {
    match format_of(bytes, extension)? {
        #[cfg(feature = "decode-png")]
        Format::Png => png_in::size(bytes),
        #[cfg(feature = "decode-jpeg")]
        Format::Jpeg => jpeg::size(bytes),
        #[cfg(feature = "decode-qoi")]
        Format::Qoi => qoi::size(bytes),
        #[cfg(feature = "decode-webp")]
        Format::WebP => webp::size(bytes),
        #[cfg(feature = "decode-bmp")]
        Format::Bmp => bmp::size(bytes),
        #[cfg(feature = "decode-tga")]
        Format::Tga => tga::size(bytes),
        #[cfg(feature = "decode-gif")]
        Format::Gif => gif_in::size(bytes),
        #[allow(unreachable_patterns, reason = "where all formats are built in")]
        other => Err(DecodeError::NotBuiltIn(other)),
    }
}

fn format_of(bytes: &[u8], extension: Option<&str>) -> Result<Format, DecodeError> {
    Format::of(bytes, extension).ok_or_else(|| match bytes {
        [] => DecodeError::Empty,
        _ => DecodeError::NotAnImage { start: describe_start(bytes) },
    })
}

fn decode_as(format: Format, bytes: &[u8], limits: &Limits) -> Result<(Pixels, BTreeSet<Ignored>), DecodeError> {
    // Without any codec there is nothing to pass these to.
    let _ = (bytes, limits);
    match format {
        #[cfg(feature = "decode-png")]
        Format::Png => {
            let (pixels, odd_end) = png_in::decode(bytes, limits)?;
            Ok((pixels, markers::of_png(bytes).into_iter().chain(odd_end).collect()))
        }
        #[cfg(feature = "decode-jpeg")]
        Format::Jpeg => jpeg::decode(bytes, limits),
        #[cfg(feature = "decode-qoi")]
        Format::Qoi => Ok((qoi::decode(bytes, limits)?, BTreeSet::new())),
        #[cfg(feature = "decode-ktx2")]
        Format::Ktx2 => Ok((ktx2_in::decode(bytes, limits)?, BTreeSet::new())),
        #[cfg(feature = "decode-webp")]
        Format::WebP => webp::decode(bytes, limits),
        #[cfg(feature = "decode-bmp")]
        Format::Bmp => Ok((bmp::decode(bytes, limits)?, BTreeSet::new())),
        #[cfg(feature = "decode-tga")]
        Format::Tga => Ok((tga::decode(bytes, limits)?, BTreeSet::new())),
        #[cfg(feature = "decode-gif")]
        Format::Gif => gif_in::decode(bytes, limits),
        #[allow(unreachable_patterns, reason = "where all formats are built in")]
        other => Err(DecodeError::NotBuiltIn(other)),
    }
}

/// The first bytes as a person would want to see them: as text if they are text, else in hexadecimal.
fn describe_start(bytes: &[u8]) -> String {
    let start = &bytes[..bytes.len().min(12)];
    let text = |b: &u8| b.is_ascii_graphic() || matches!(b, b' ' | b'\t' | b'\r' | b'\n');
    if start.iter().all(text) {
        format!("\"{}\"", start.escape_ascii())
    } else {
        let hex: Vec<String> = start.iter().map(|b| format!("{b:02x}")).collect();
        hex.join(" ")
    }
}

/// A 16-bit sample as 8 bits, rounded: `(v * 255 + 32767) div 65535`.
#[must_use]
pub const fn to_8_bit(v: u16) -> u8 {
    #[expect(clippy::cast_possible_truncation, reason = "the largest value, of 65535, is 255")]
    let byte = ((v as u32 * 255 + 32767) / 65535) as u8;
    byte
}

/// Opaque pixels of colours with three bytes each.
#[cfg(any(feature = "decode-png", feature = "decode-jpeg", feature = "decode-webp", feature = "decode-bmp"))]
fn opaque(rgb: &[u8]) -> Vec<u8> {
    let (colours, _) = rgb.as_chunks();
    let pixels: Vec<[u8; 4]> = colours.iter().map(|&[r, g, b]| [r, g, b, 255]).collect();
    pixels.into_flattened()
}

/// A PNG of 8-bit RGBA, with an optional mark of its purpose, not proved yet: to measure encoding and proof separately.
///
/// # Errors
/// The picture has no pixels.
#[cfg(feature = "encode-png")]
pub fn encoded_png(pixels: &Pixels, effort: PngEffort, mark: Option<Mark>) -> Result<Encoded<'_>, EncodeError> {
    // By a library other than the one that deflated it.
    let prove = if effort.bands().is_some() { png_proof::prove_png_of_bands } else { prove_png };
    Ok(Encoded::new(png_out::encode(pixels, effort, mark)?, pixels, prove))
}

/// A PNG of 8-bit RGBA without gamma or colour profile, which make loaders shift colours; proved to show these pixels.
///
/// # Errors
/// The picture has no pixels, or the file does not show the same once decoded.
#[cfg(feature = "encode-png")]
pub fn encode_png(pixels: &Pixels, effort: PngEffort) -> Result<Vec<u8>, EncodeError> {
    Ok(encoded_png(pixels, effort, None)?.prove()?)
}

/// The same with a mark of the picture's purpose.
///
/// # Errors
/// As for [`encode_png`].
#[cfg(feature = "encode-png")]
pub fn encode_marked_png(pixels: &Pixels, effort: PngEffort, mark: Mark) -> Result<Vec<u8>, EncodeError> {
    Ok(encoded_png(pixels, effort, Some(mark))?.prove()?)
}

/// A QOI file, not proved yet.
///
/// # Errors
/// The picture has no pixels.
#[cfg(feature = "encode-qoi")]
pub fn encoded_qoi(pixels: &Pixels) -> Result<Encoded<'_>, EncodeError> {
    Ok(Encoded::new(qoi::encode(pixels)?, pixels, qoi::prove))
}

/// A lossless WebP file, not proved yet.
///
/// # Errors
/// The picture has no pixels, or a side over 16,384 pixels.
#[cfg(feature = "encode-webp")]
pub fn encoded_webp(pixels: &Pixels) -> Result<Encoded<'_>, EncodeError> {
    Ok(Encoded::new(webp::encode(pixels)?, pixels, webp::prove))
}

#[cfg(test)]
mod proof_tests;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sixteen_bits_round_to_the_nearest_of_eight() {
        for v in 0..=u16::MAX {
            // Checked by distance: v is nearest to the multiple of 257 that its rounded value stands for.
            let back = i32::from(to_8_bit(v)) * 257;
            assert!((i32::from(v) - back).abs() <= 128, "{v}");
        }
    }

    #[test]
    fn what_is_no_image_says_how_it_begins() {
        let limits = Limits::default();
        assert_eq!(decode(b"", None, &limits), Err(DecodeError::Empty));
        let text = decode(b"<!DOCTYPE html>", Some("png"), &limits).unwrap_err().to_string();
        assert!(text.contains("\"<!DOCTYPE ht\""), "{text}");
        let binary = decode(&[0, 1, 254], Some("png"), &limits).unwrap_err().to_string();
        assert!(binary.contains("00 01 fe"), "{binary}");
    }

    /// Two letters and a file extension promise little: what follows must make sense.
    #[test]
    fn weak_signatures_are_believed_only_with_a_header_that_makes_sense() {
        let bmp = |pixels: u32, header: u32| {
            let words = [&[0; 8][..], &pixels.to_le_bytes(), &header.to_le_bytes()].concat();
            Format::of(&[b"BM", &words[..]].concat(), None)
        };
        assert_eq!([bmp(14, 12), bmp(14, 256), bmp(u32::MAX, 40)], [Some(Format::Bmp); 3]);
        assert_eq!([bmp(13, 12), bmp(14, 11), bmp(14, 257), Format::of(b"BMW, a car", None)], [None; 4]);
        let tga = |map: u8, kind: u8, side: [u8; 4], depth: u8, extension: &str| {
            let header = [&[0, map, kind, 0, 0, 0, 0, 0, 0, 0, 0, 0][..], &side, &[depth, 0]].concat();
            Format::of(&header, Some(extension))
        };
        let fine =
            [tga(0, 2, [1, 0, 1, 0], 32, "tga"), tga(1, 2, [0, 1, 0, 1], 24, "TGA"), tga(1, 9, [1; 4], 8, "vst")];
        assert_eq!(fine, [Some(Format::Tga); 3]);
        let odd = [
            tga(0, 2, [1, 0, 1, 0], 32, "png"),
            tga(2, 2, [1, 0, 1, 0], 32, "tga"),
            tga(0, 1, [1, 0, 1, 0], 8, "tga"),
            tga(0, 4, [1, 0, 1, 0], 8, "tga"),
            tga(0, 2, [0, 0, 1, 0], 32, "tga"),
            tga(0, 2, [1, 0, 0, 0], 32, "tga"),
            tga(0, 2, [1, 0, 1, 0], 31, "tga"),
        ];
        assert_eq!(odd, [None; 7]);
    }
}
