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

/// As [`decode`], but with all frames of an APNG or a GIF. `limits.pixels` holds for all frames together.
///
/// # Errors
/// As [`decode`].
pub fn decode_frames(bytes: &[u8], extension: Option<&str>, limits: &Limits) -> Result<Decoded, DecodeError> {
    let first = decode(bytes, extension, limits)?;
    let (format, mut ignored) = (first.format, first.ignored);
    let mut frames = vec![Frame { pixels: first.pixels, ms: None }];
    if ignored.contains(&Ignored::Frames)
        && let Some(all) = animation(bytes, format, limits)?
    {
        ignored.remove(&Ignored::Frames);
        if all.len() > 1 {
            frames = all;
        }
    }
    Ok(Decoded { frames, format, ignored })
}

/// The frames of a format whose animations this build reads.
fn animation(bytes: &[u8], format: Format, limits: &Limits) -> Result<Option<Vec<Frame>>, DecodeError> {
    // Without these codecs there is nothing to hand these to.
    let _ = (bytes, limits);
    match format {
        #[cfg(feature = "decode-apng")]
        Format::Png => {
            use image::AnimationDecoder;
            let decoder = image::codecs::png::PngDecoder::new(std::io::Cursor::new(bytes));
            let decoder = decoder.and_then(image::codecs::png::PngDecoder::apng);
            collect(decoder.map_err(|e| DecodeError::damaged(format, e))?.into_frames(), format, limits).map(Some)
        }
        #[cfg(feature = "decode-gif")]
        Format::Gif => {
            use image::AnimationDecoder;
            let decoder = image::codecs::gif::GifDecoder::new(std::io::Cursor::new(bytes));
            collect(decoder.map_err(|e| DecodeError::damaged(format, e))?.into_frames(), format, limits).map(Some)
        }
        _ => Ok(None),
    }
}

#[cfg(any(feature = "decode-apng", feature = "decode-gif"))]
fn collect(frames: image::Frames<'_>, format: Format, limits: &Limits) -> Result<Vec<Frame>, DecodeError> {
    use crate::geometry::Size;
    let mut all = Vec::new();
    let mut total = 0;
    for frame in frames {
        let frame = frame.map_err(|e| DecodeError::damaged(format, e))?;
        let (numerator, denominator) = frame.delay().numer_denom_ms();
        let ms = f64::from(numerator) / f64::from(denominator.max(1));
        let picture = frame.into_buffer();
        let size = Size::new(picture.width(), picture.height());
        total += size.area();
        if total > limits.pixels {
            return Err(DecodeError::damaged(format, "its frames together have more pixels than the limit"));
        }
        let pixels = Pixels::from_rgba(size, picture.into_raw());
        let pixels = pixels.ok_or_else(|| DecodeError::damaged(format, "a frame has fewer pixels than it says"))?;
        all.push(Frame { pixels, ms: (ms > 0.0).then_some(ms) });
    }
    Ok(all)
}
