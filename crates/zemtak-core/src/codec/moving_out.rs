//! Writing moving pictures: APNG and GIF.

use super::encode::EncodeError;
#[cfg(feature = "encode-gif")]
use super::encode::{Unproved, compare};
#[cfg(feature = "encode-apng")]
use super::mark::KEYWORD;
use super::mark::Mark;
use crate::geometry::Size;
#[cfg(feature = "encode-gif")]
use crate::pixels::PIXEL;
use crate::pixels::Pixels;

/// A picture, and how long it is shown: a fraction of seconds.
#[derive(Debug, Clone, Copy)]
pub struct TimedPicture<'a> {
    /// The picture; all have the same size.
    pub pixels: &'a Pixels,
    /// Seconds: a numerator, and a denominator other than 0; each at most 65,535.
    pub seconds: [u16; 2],
}

/// Encodes an animated PNG, marked as a clip, that plays `plays` times, or forever if that is 0.
///
/// # Errors
/// There is no picture, sizes differ, the size is out of the format's range, or the file does not show the same once
/// decoded.
#[cfg(feature = "encode-apng")]
pub fn encode_apng(moments: &[TimedPicture<'_>], plays: u32) -> Result<Vec<u8>, EncodeError> {
    let size = common_size(moments.iter().map(|m| m.pixels))?;
    let failed = |e: png::EncodingError| EncodeError::Codec(e.to_string());
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, size.w, size.h);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    let frames = u32::try_from(moments.len()).map_err(|_| EncodeError::TooLarge(size, moments.len()))?;
    encoder.set_animated(frames, plays).map_err(failed)?;
    encoder.set_blend_op(png::BlendOp::Source).map_err(failed)?;
    encoder.add_text_chunk(KEYWORD.into(), Mark::Clip.text().into()).map_err(failed)?;
    let mut writer = encoder.write_header().map_err(failed)?;
    for moment in moments {
        writer.set_frame_delay(moment.seconds[0], moment.seconds[1]).map_err(failed)?;
        writer.write_image_data(moment.pixels.as_bytes()).map_err(failed)?;
    }
    writer.finish().map_err(failed)?;
    let pictures: Vec<&Pixels> = moments.iter().map(|moment| moment.pixels).collect();
    super::png_proof::prove_moving(&out, &pictures)?;
    Ok(out)
}

fn common_size<'p>(mut pictures: impl Iterator<Item = &'p Pixels>) -> Result<Size, EncodeError> {
    let size = pictures.next().ok_or(EncodeError::Empty)?.size();
    if pictures.all(|picture| picture.size() == size) { Ok(size) } else { Err(EncodeError::Sizes) }
}

/// Alpha from which a pixel of a GIF is drawn: the format only knows opaque and transparent.
#[cfg(feature = "encode-gif")]
const DRAWN: u8 = 128;

/// Encodes a GIF, marked as a clip; delays are in hundredths of a second. It plays once or forever.
///
/// Up to 255 colours are kept exactly; more are reduced to 255 that fit all pictures together, without dithering, so
/// that flat areas stay flat.
///
/// # Errors
/// There is no picture, sizes differ or are beyond 65,535, or the file does not show the same once decoded.
#[cfg(feature = "encode-gif")]
pub fn encode_gif(moments: &[(&Pixels, u16)], for_ever: bool) -> Result<Vec<u8>, EncodeError> {
    let size = common_size(moments.iter().map(|(pixels, _)| *pixels))?;
    let failed = |e: gif::EncodingError| EncodeError::Codec(e.to_string());
    let side = |side: u32| u16::try_from(side).map_err(|_| EncodeError::TooLarge(size, moments.len()));
    let (width, height) = (side(size.w)?, side(size.h)?);
    let palette = Palette::of(moments.iter().map(|(pixels, _)| *pixels));
    let mut out = Vec::new();
    let mut encoder = gif::Encoder::new(&mut out, width, height, &palette.colours).map_err(failed)?;
    if for_ever {
        encoder.set_repeat(gif::Repeat::Infinite).map_err(failed)?;
    }
    let comment = gif::AnyExtension(0xfe);
    encoder.write_raw_extension(comment, &[Mark::Clip.text().as_bytes()]).map_err(failed)?;
    for (pixels, delay) in moments {
        let indices: Vec<u8> = pixels.as_bytes().chunks_exact(PIXEL).map(|pixel| palette.index(pixel)).collect();
        let frame = gif::Frame {
            width,
            height,
            delay: *delay,
            dispose: gif::DisposalMethod::Background,
            transparent: Some(Palette::CLEAR),
            buffer: indices.into(),
            ..gif::Frame::default()
        };
        encoder.write_frame(&frame).map_err(failed)?;
    }
    drop(encoder);
    prove_gif(&out, moments, &palette)?;
    Ok(out)
}

/// Decodes a GIF and compares each of its pictures with what the palette can show of it. The library's decoder is
/// independent of its encoder.
#[cfg(feature = "encode-gif")]
pub(super) fn prove_gif(file: &[u8], moments: &[(&Pixels, u16)], palette: &Palette) -> Result<(), Unproved> {
    let undecodable = |error: gif::DecodingError| Unproved::Undecodable(error.to_string());
    let mut options = gif::DecodeOptions::new();
    options.set_color_output(gif::ColorOutput::RGBA);
    let mut decoder = options.read_info(file).map_err(undecodable)?;
    for (number, (pixels, delay)) in moments.iter().enumerate() {
        let frame = decoder.read_next_frame().map_err(undecodable)?.ok_or(Unproved::Size)?;
        let (w, h) = (u32::from(frame.width), u32::from(frame.height));
        if Size::new(w, h) != pixels.size() || (frame.left, frame.top, frame.delay) != (0, 0, *delay) {
            return Err(Unproved::Size);
        }
        let shown: Vec<[u8; PIXEL]> = pixels.as_bytes().chunks_exact(PIXEL).map(|pixel| palette.shown(pixel)).collect();
        let shown = Pixels::from_rgba(pixels.size(), shown.into_flattened()).ok_or(Unproved::Size)?;
        // The colour of a pixel that is not drawn does not matter.
        let (decoded, _) = frame.buffer.as_chunks();
        let decoded: Vec<[u8; PIXEL]> = decoded.iter().map(|&p| if p[3] == 0 { [0; PIXEL] } else { p }).collect();
        compare(number, decoded.as_flattened(), &shown)?;
    }
    if decoder.read_next_frame().map_err(undecodable)?.is_some() { Err(Unproved::Size) } else { Ok(()) }
}

/// The colours of a GIF. The first one stands for transparency.
#[cfg(feature = "encode-gif")]
pub(super) struct Palette {
    colours: Vec<u8>,
    exact: std::collections::BTreeMap<[u8; 3], u8>,
    nearest: Option<color_quant::NeuQuant>,
}

#[cfg(feature = "encode-gif")]
impl Palette {
    const CLEAR: u8 = 0;
    /// The colours beside that.
    const MOST: usize = 255;

    pub(super) fn of<'p>(pictures: impl Iterator<Item = &'p Pixels>) -> Self {
        let drawn = |pixel: &&[u8]| pixel[3] >= DRAWN;
        let rgb = |pixel: &[u8]| [pixel[0], pixel[1], pixel[2]];
        let mut counts: std::collections::BTreeMap<[u8; 3], u64> = std::collections::BTreeMap::new();
        for picture in pictures {
            let pixels = picture.as_bytes().chunks_exact(PIXEL);
            pixels.filter(drawn).for_each(|pixel| *counts.entry(rgb(pixel)).or_default() += 1);
        }
        let mut colours = vec![0; 3];
        if counts.len() <= Self::MOST {
            colours.extend(counts.keys().flatten());
            let exact = (1..=u8::MAX).zip(counts.keys()).map(|(index, colour)| (*colour, index)).collect();
            return Self { colours, exact, nearest: None };
        }
        // Each colour once for every few of its pixels: large areas weigh more, small ones are not lost.
        let times = |n: &u64| usize::try_from(*n.min(&32)).unwrap_or(1) + 4;
        let weighed = counts.iter().flat_map(|(c, n)| std::iter::repeat_n(*c, times(n)));
        let samples: Vec<u8> = weighed.flat_map(|[r, g, b]| [r, g, b, 255]).collect();
        let quantiser = color_quant::NeuQuant::new(1, Self::MOST, &samples);
        colours.extend(quantiser.color_map_rgb());
        Self { colours, exact: std::collections::BTreeMap::new(), nearest: Some(quantiser) }
    }

    fn index(&self, pixel: &[u8]) -> u8 {
        if pixel[3] < DRAWN {
            return Self::CLEAR;
        }
        match &self.nearest {
            None => self.exact.get(&pixel[..3]).copied().unwrap_or(Self::CLEAR),
            Some(quantiser) => {
                let nearest = quantiser.index_of(&[pixel[0], pixel[1], pixel[2], 255]);
                u8::try_from(nearest + 1).unwrap_or(u8::MAX)
            }
        }
    }

    /// What a decoder should show for a pixel.
    fn shown(&self, pixel: &[u8]) -> [u8; PIXEL] {
        match self.index(pixel) {
            Self::CLEAR => [0; PIXEL],
            index => {
                let colour = &self.colours[usize::from(index) * 3..][..3];
                [colour[0], colour[1], colour[2], u8::MAX]
            }
        }
    }
}
