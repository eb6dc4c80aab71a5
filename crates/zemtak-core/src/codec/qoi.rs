//! QOI, reading and writing.

use super::{DecodeError, Format, Limits};
use crate::geometry::Size;
use crate::pixels::Pixels;

fn damaged(reason: impl std::fmt::Display) -> DecodeError {
    DecodeError::damaged(Format::Qoi, reason)
}

pub(super) fn size(bytes: &[u8]) -> Result<Size, DecodeError> {
    let header = *qoi::Decoder::new(bytes).map_err(damaged)?.header();
    Ok(Size::new(header.width, header.height))
}

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let mut decoder = qoi::Decoder::new(bytes).map_err(damaged)?.with_channels(qoi::Channels::Rgba);
    let header = *decoder.header();
    let size = Size::new(header.width, header.height);
    limits.check(size)?;
    let rgba = decoder.decode_to_vec().map_err(damaged)?;
    Pixels::from_rgba(size, rgba).ok_or_else(|| damaged("fewer pixels than its header says"))
}

#[cfg(feature = "encode-qoi")]
pub(super) use writing::{encode, prove};

#[cfg(feature = "encode-qoi")]
mod writing {
    use crate::codec::encode::{EncodeError, Unproved, compare};
    use crate::pixels::Pixels;
    use zune_core::bytestream::ZCursor;
    use zune_core::options::DecoderOptions;
    use zune_qoi::QoiDecoder;

    pub fn encode(pixels: &Pixels) -> Result<Vec<u8>, EncodeError> {
        let size = pixels.size();
        if size.area() == 0 {
            return Err(EncodeError::Empty);
        }
        let written = qoi::encode_to_vec(pixels.as_bytes(), size.w, size.h);
        written.map_err(|error| EncodeError::Codec(error.to_string()))
    }

    /// Decodes with a library that is independent of the encoder.
    pub fn prove(bytes: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
        let options = DecoderOptions::default().set_strict_mode(true);
        let mut decoder = QoiDecoder::new_with_options(ZCursor::new(bytes), options);
        let decoded = decoder.decode().map_err(|error| Unproved::Undecodable(format!("{error:?}")))?;
        let size = decoder.dimensions().map(|(w, h)| (w as u64, h as u64));
        if size != Some((u64::from(pixels.size().w), u64::from(pixels.size().h))) {
            return Err(Unproved::Size);
        }
        compare(0, &decoded, pixels)
    }
}
