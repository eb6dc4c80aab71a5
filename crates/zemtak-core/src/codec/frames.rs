//! All frames of an animated picture, each on the full canvas.

#[cfg(feature = "decode-apng")]
use super::apng_in;
#[cfg(feature = "decode-gif")]
use super::gif_in;
#[cfg(feature = "decode-apng")]
use super::markers;
use super::{DecodeError, Format, Ignored, Limits, decode};
use crate::pixels::Pixels;
use std::collections::BTreeSet;

/// One frame of an animated picture, or all of a still one.
#[derive(Debug, Clone, PartialEq)]
pub struct Frame {
    /// The picture as straight 8-bit RGBA, including what earlier frames left of it.
    pub pixels: Pixels,
    /// How long it is shown, in milliseconds; `None` if the file does not say, or says 0.
    pub ms: Option<f64>,
}

/// The frames of a picture, at least one, and what was ignored.
#[derive(Debug, Clone, PartialEq)]
pub struct Decoded {
    /// The frames in order.
    pub frames: Vec<Frame>,
    /// The format, recognised by content.
    pub format: Format,
    /// What the file contains that decoding ignores.
    pub ignored: BTreeSet<Ignored>,
}

/// Like [`decode`], but with all frames of an APNG or a GIF.
///
/// # Errors
/// As for [`decode`]; also too many frames according to `limits`.
pub fn decode_frames(bytes: &[u8], extension: Option<&str>, limits: &Limits) -> Result<Decoded, DecodeError> {
    let mut frames = Vec::new();
    let (format, ignored) = decode_each(bytes, extension, limits, &mut |frame| frames.push(frame))?;
    Ok(Decoded { frames, format, ignored })
}

/// Like [`decode_frames`], but passes on each frame as soon as it is decoded, so that not all of them are in memory at
/// once. If it fails, some frames may have been passed on already.
///
/// # Errors
/// As for [`decode_frames`].
pub fn decode_each(
    bytes: &[u8],
    extension: Option<&str>,
    limits: &Limits,
    take: &mut dyn FnMut(Frame),
) -> Result<(Format, BTreeSet<Ignored>), DecodeError> {
    #[cfg(feature = "decode-gif")]
    if Format::of(bytes, extension) == Some(Format::Gif) {
        each(gif_in::Frames::open(bytes, limits)?, Format::Gif, limits, take)?;
        return Ok((Format::Gif, BTreeSet::new()));
    }
    #[cfg(feature = "decode-apng")]
    if Format::of(bytes, extension) == Some(Format::Png)
        && markers::is_animated(bytes)
        && let Some(frames) = apng_in::Frames::open(bytes, limits)?
    {
        let mut ignored = markers::of_png(bytes);
        ignored.remove(&Ignored::Frames);
        each(frames, Format::Png, limits, take)?;
        return Ok((Format::Png, ignored));
    }
    let still = decode(bytes, extension, limits)?;
    take(Frame { pixels: still.pixels, ms: None });
    Ok((still.format, still.ignored))
}

/// Passes on all frames. A single one is a still picture.
#[cfg(any(feature = "decode-apng", feature = "decode-gif"))]
fn each(
    frames: impl Iterator<Item = Result<Frame, DecodeError>>,
    format: Format,
    limits: &Limits,
    take: &mut dyn FnMut(Frame),
) -> Result<(), DecodeError> {
    let mut first = None;
    let (mut count, mut pixels) = (0, 0);
    for frame in frames {
        let frame = frame?;
        count += 1;
        pixels += frame.pixels.size().area();
        if count > limits.frames || pixels > limits.all_pixels {
            return Err(DecodeError::TooLong { limits: *limits });
        }
        if count == 1 {
            first = Some(frame);
            continue;
        }
        first.take().into_iter().chain([frame]).for_each(&mut *take);
    }
    match first {
        Some(alone) => take(Frame { ms: None, ..alone }),
        None if count == 0 => return Err(DecodeError::damaged(format, "there is no picture in it")),
        None => {}
    }
    Ok(())
}
