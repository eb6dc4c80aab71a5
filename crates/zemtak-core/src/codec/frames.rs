//! All frames of an animated picture, each on the full canvas.

use super::{DecodeError, Format, Ignored, Limits, decode};
use crate::pixels::Pixels;
use std::collections::BTreeSet;

/// One frame of an animated picture, or all of a still one.
#[derive(Debug, Clone, PartialEq)]
pub struct Frame {
    /// The picture as straight 8-bit RGBA, with what earlier frames left of it.
    pub pixels: Pixels,
    /// How long it is shown, in milliseconds; nothing where the file does not say, or says 0.
    pub ms: Option<f64>,
}

/// The frames of a picture, at least one, and what was noticed on the way.
#[derive(Debug, Clone, PartialEq)]
pub struct Decoded {
    /// The frames in order.
    pub frames: Vec<Frame>,
    /// The format by content.
    pub format: Format,
    /// What the file carries that decoding leaves out of account.
    pub ignored: BTreeSet<Ignored>,
}

/// As [`decode`], but with all frames of an APNG or a GIF.
///
/// # Errors
/// As [`decode`], or too many frames by `limits`.
pub fn decode_frames(bytes: &[u8], extension: Option<&str>, limits: &Limits) -> Result<Decoded, DecodeError> {
    let mut frames = Vec::new();
    let (format, ignored) = decode_each(bytes, extension, limits, &mut |frame| frames.push(frame))?;
    Ok(Decoded { frames, format, ignored })
}

/// As [`decode_frames`], but hands each frame on as soon as it is decoded, so that they need not be in memory together. Where it
/// fails, some may have been handed on.
///
/// # Errors
/// As [`decode_frames`].
pub fn decode_each(
    bytes: &[u8],
    extension: Option<&str>,
    limits: &Limits,
    take: &mut dyn FnMut(Frame),
) -> Result<(Format, BTreeSet<Ignored>), DecodeError> {
    #[cfg(feature = "decode-gif")]
    if Format::of(bytes, extension) == Some(Format::Gif) {
        // What is no animation comes out as a still picture here too.
        moving::each(moving::gif(bytes, limits)?, None, Format::Gif, limits, take)?;
        return Ok((Format::Gif, BTreeSet::new()));
    }
    let first = decode(bytes, extension, limits)?;
    let (format, mut ignored) = (first.format, first.ignored);
    let still = Frame { pixels: first.pixels, ms: None };
    #[cfg(feature = "decode-apng")]
    if format == Format::Png && ignored.remove(&Ignored::Frames) {
        moving::each(moving::apng(bytes)?, Some(still), format, limits, take)?;
        return Ok((format, ignored));
    }
    let _ = &mut ignored;
    take(still);
    Ok((format, ignored))
}

#[cfg(any(feature = "decode-apng", feature = "decode-gif"))]
mod moving {
    use super::{DecodeError, Format, Frame, Limits};
    use crate::geometry::Size;
    use crate::pixels::Pixels;
    use image::AnimationDecoder;
    use std::io::Cursor;

    #[cfg(feature = "decode-gif")]
    pub fn gif<'b>(bytes: &'b [u8], limits: &Limits) -> Result<image::Frames<'b>, DecodeError> {
        use image::ImageDecoder;
        let decoder = image::codecs::gif::GifDecoder::new(Cursor::new(bytes));
        let damaged = |error| DecodeError::damaged(Format::Gif, error);
        let mut decoder = decoder.map_err(damaged)?;
        let (w, h) = decoder.dimensions();
        limits.check(Size::new(w, h))?;
        // A frame may claim to be larger than its canvas.
        let mut memory = image::Limits::no_limits();
        memory.max_alloc = Some(limits.pixels.saturating_mul(8));
        decoder.set_limits(memory).map_err(damaged)?;
        Ok(decoder.into_frames())
    }

    #[cfg(feature = "decode-apng")]
    pub fn apng(bytes: &[u8]) -> Result<image::Frames<'_>, DecodeError> {
        let decoder = image::codecs::png::PngDecoder::new(Cursor::new(bytes));
        let decoder = decoder.and_then(image::codecs::png::PngDecoder::apng);
        Ok(decoder.map_err(|e| DecodeError::damaged(Format::Png, e))?.into_frames())
    }

    /// Hands on all frames. One alone is a still picture, for which `still` is taken if that is given.
    pub fn each(
        frames: image::Frames<'_>,
        mut still: Option<Frame>,
        format: Format,
        limits: &Limits,
        take: &mut dyn FnMut(Frame),
    ) -> Result<(), DecodeError> {
        let mut first = None;
        let (mut count, mut pixels) = (0, 0);
        for frame in frames {
            let frame = one(frame.map_err(|e| DecodeError::damaged(format, e))?, format)?;
            count += 1;
            pixels += frame.pixels.size().area();
            if count > limits.frames || pixels > limits.all_pixels {
                return Err(DecodeError::TooLong { limits: *limits });
            }
            if count == 1 {
                first = Some(frame);
                continue;
            }
            still = None;
            first.take().into_iter().chain([frame]).for_each(&mut *take);
        }
        // It said that there are several, or there is nothing at all.
        let alone = still.or(first.map(|first| Frame { ms: None, ..first }));
        match alone {
            Some(alone) => take(alone),
            None if count == 0 => return Err(DecodeError::damaged(format, "there is no picture in it")),
            None => {}
        }
        Ok(())
    }

    fn one(frame: image::Frame, format: Format) -> Result<Frame, DecodeError> {
        let (numerator, denominator) = frame.delay().numer_denom_ms();
        let ms = f64::from(numerator) / f64::from(denominator.max(1));
        let picture = frame.into_buffer();
        let size = Size::new(picture.width(), picture.height());
        let pixels = Pixels::from_rgba(size, picture.into_raw());
        let pixels = pixels.ok_or_else(|| DecodeError::damaged(format, "a frame has fewer pixels than it says"))?;
        Ok(Frame { pixels, ms: (ms > 0.0).then_some(ms) })
    }
}
