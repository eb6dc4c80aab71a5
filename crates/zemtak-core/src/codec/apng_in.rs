//! APNG: its frames on their canvas.

use super::canvas::{Canvas, Disposal, Piece};
use super::png_in::{self, Layout, damaged};
use super::{DecodeError, Frame, Limits};
use crate::geometry::Size;
use png::{BlendOp, DisposeOp, Reader};
use std::io::Cursor;

/// An APNG that is read frame by frame.
pub(super) struct Frames<'b> {
    reader: Reader<Cursor<&'b [u8]>>,
    canvas: Canvas,
    /// How many more frames the file has, by its own account.
    left: u32,
    /// The image for readers that do not know animation, if it is not one of the frames.
    has_other_image: bool,
    buffer: Vec<u8>,
}

impl<'b> Frames<'b> {
    /// Starts reading; `None` if the library takes the file for a still picture, as other readers do if its number of
    /// frames is impossible.
    pub fn open(bytes: &'b [u8], limits: &Limits) -> Result<Option<Self>, DecodeError> {
        let reader = png_in::open(bytes, limits)?;
        let size = png_in::size_of(reader.info());
        let length = reader.output_buffer_size().ok_or(DecodeError::TooLarge { size, limits: *limits })?;
        let Some(control) = reader.info().animation_control() else { return Ok(None) };
        let left = control.num_frames;
        let has_other_image = reader.info().frame_control().is_none();
        Ok(Some(Self { reader, canvas: Canvas::new(size), left, has_other_image, buffer: vec![0; length] }))
    }

    fn read(&mut self) -> Result<Frame, DecodeError> {
        if std::mem::take(&mut self.has_other_image) {
            self.reader.next_frame(&mut self.buffer).map_err(damaged)?;
        }
        let frame = self.reader.next_frame(&mut self.buffer).map_err(damaged)?;
        let size = Size::new(frame.width, frame.height);
        let raw = &self.buffer[..frame.buffer_size()];
        let rgba = Layout::of_frame(&frame).rgba(raw, size, self.reader.info())?;
        let control = self.reader.info().frame_control().ok_or_else(|| damaged("a frame has no description"))?;
        // By the specification, a denominator of 0 means 100.
        let parts = if control.delay_den == 0 { 100 } else { control.delay_den };
        let piece = Piece {
            at: [control.x_offset, control.y_offset],
            size,
            rgba,
            over: control.blend_op == BlendOp::Over,
            disposal: match control.dispose_op {
                DisposeOp::None => Disposal::Keep,
                DisposeOp::Background => Disposal::Clear,
                DisposeOp::Previous => Disposal::Restore,
            },
            ms: f64::from(control.delay_num) * 1000.0 / f64::from(parts),
        };
        self.canvas.show(&piece).ok_or_else(|| damaged("its canvas has no pixels"))
    }
}

impl Iterator for Frames<'_> {
    type Item = Result<Frame, DecodeError>;

    fn next(&mut self) -> Option<Self::Item> {
        self.left = self.left.checked_sub(1)?;
        Some(self.read())
    }
}
