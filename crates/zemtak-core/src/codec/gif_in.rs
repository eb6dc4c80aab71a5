//! GIF: its frames on their canvas.

use super::canvas::{Canvas, Disposal, Piece};
use super::{DecodeError, Format, Frame, Ignored, Limits};
use crate::geometry::Size;
use crate::pixels::Pixels;
use gif::{ColorOutput, DecodeOptions, Decoder, DisposalMethod, MemoryLimit};
use std::collections::BTreeSet;
use std::io::Cursor;
use std::num::NonZeroU64;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Gif, reason)
}

/// A GIF that is read frame by frame.
pub(super) struct Frames<'b> {
    decoder: Decoder<Cursor<&'b [u8]>>,
    canvas: Canvas,
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    open(bytes, &Limits::default()).map(|decoder| size_of(&decoder))
}

fn size_of<R: std::io::Read>(decoder: &Decoder<R>) -> Size {
    Size::new(decoder.width().into(), decoder.height().into())
}

/// A decoder that has read the header.
fn open<'b>(bytes: &'b [u8], limits: &Limits) -> Result<Decoder<Cursor<&'b [u8]>>, DecodeError> {
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    // A frame may claim to be larger than its canvas.
    let most = NonZeroU64::new(limits.pixels.saturating_mul(4)).unwrap_or(NonZeroU64::MIN);
    options.set_memory_limit(MemoryLimit::Bytes(most));
    options.read_info(Cursor::new(bytes)).map_err(damaged)
}

impl<'b> Frames<'b> {
    pub fn open(bytes: &'b [u8], limits: &Limits) -> Result<Self, DecodeError> {
        let decoder = open(bytes, limits)?;
        let size = size_of(&decoder);
        limits.check(size)?;
        Ok(Self { decoder, canvas: Canvas::new(size) })
    }
}

impl Iterator for Frames<'_> {
    type Item = Result<Frame, DecodeError>;

    fn next(&mut self) -> Option<Self::Item> {
        let frame = match self.decoder.read_next_frame() {
            Ok(frame) => frame?,
            Err(error) => return Some(Err(damaged(error))),
        };
        let piece = Piece {
            at: [frame.left.into(), frame.top.into()],
            size: Size::new(frame.width.into(), frame.height.into()),
            rgba: frame.buffer.to_vec(),
            over: true,
            disposal: match frame.dispose {
                DisposalMethod::Any | DisposalMethod::Keep => Disposal::Keep,
                DisposalMethod::Background => Disposal::Clear,
                DisposalMethod::Previous => Disposal::Restore,
            },
            ms: f64::from(frame.delay) * 10.0,
        };
        Some(self.canvas.show(&piece).ok_or_else(|| damaged("its canvas has no pixels")))
    }
}

/// The first picture.
pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<(Pixels, BTreeSet<Ignored>), DecodeError> {
    let mut frames = Frames::open(bytes, limits)?;
    let first = frames.next().unwrap_or_else(|| Err(damaged("there is no picture in it")))?;
    // A damaged second frame counts: it is ignored either way.
    let has_second = !matches!(frames.decoder.next_frame_info(), Ok(None));
    Ok((first.pixels, has_second.then_some(Ignored::Frames).into_iter().collect()))
}
