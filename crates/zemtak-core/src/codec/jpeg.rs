//! JPEG to 8-bit RGBA.
//!
//! The codec is built without its vector code, which may round differently from one machine to another.

use super::{DecodeError, Format, Ignored, Limits, markers};
use crate::geometry::Size;
use crate::pixels::Pixels;
use std::collections::BTreeSet;
use zune_core::bytestream::ZCursor;
use zune_core::colorspace::ColorSpace;
use zune_core::options::DecoderOptions;
use zune_jpeg::JpegDecoder;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Jpeg, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    open(bytes).map(|(_, size)| size)
}

type Reader<'b> = JpegDecoder<ZCursor<&'b [u8]>>;

/// A decoder that has read the headers, and the picture's size.
fn open(bytes: &[u8]) -> Result<(Reader<'_>, Size), DecodeError> {
    let side = usize::from(u16::MAX);
    let options = DecoderOptions::new_safe()
        .set_max_width(side)
        .set_max_height(side)
        .set_strict_mode(true)
        .jpeg_set_out_colorspace(ColorSpace::RGB);
    let mut decoder = JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    decoder.decode_headers().map_err(damaged)?;
    let (w, h) = decoder.dimensions().ok_or_else(|| damaged("no size in its header"))?;
    let size = Size::new(u32::try_from(w).unwrap_or(u32::MAX), u32::try_from(h).unwrap_or(u32::MAX));
    Ok((decoder, size))
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<(Pixels, BTreeSet<Ignored>), DecodeError> {
    let (mut decoder, size) = open(bytes)?;
    limits.check(size)?;
    if !ends(bytes) {
        return Err(damaged("the file ends before the picture does"));
    }
    // A JPEG is always opaque. When asked for RGBA, the codec once made CMYK pictures entirely transparent.
    let rgb = decoder.decode().map_err(damaged)?;
    let pixels =
        Pixels::from_rgba(size, super::opaque(&rgb)).ok_or_else(|| damaged("fewer pixels than its header says"))?;
    let mut ignored = BTreeSet::new();
    if decoder.icc_profile().is_some() {
        ignored.insert(Ignored::ColourProfile);
    }
    if decoder.exif().is_some_and(|exif| markers::turned_by_exif(exif)) {
        ignored.insert(Ignored::Orientation);
    }
    Ok((pixels, ignored))
}

/// Whether there is an end-of-image marker. The codec silently fills missing parts of a truncated file with grey.
fn ends(bytes: &[u8]) -> bool {
    bytes.windows(2).rev().any(|pair| pair == [0xff, 0xd9])
}
