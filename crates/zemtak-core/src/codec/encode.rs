//! Pixels to bytes, and the proof that the bytes show the pixels.

use crate::geometry::Size;
use crate::pixels::Pixels;

/// Why a picture cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EncodeError {
    /// There is nothing to write.
    #[error("there is no picture")]
    Empty,
    /// The pictures are not of one size.
    #[error("the pictures are not of one size")]
    Sizes,
    /// The format does not support this size or number.
    #[error("{0} pixels in {1} pictures are more than the format holds")]
    TooLarge(Size, usize),
    /// The library's reason.
    #[error("the encoder gave up: {0}")]
    Codec(String),
    /// The encoded bytes, decoded again, are not the pixels that went in.
    #[error(transparent)]
    Unproved(#[from] Unproved),
}

#[cfg(feature = "encode-ktx2")]
impl From<crate::texture::BlockError> for EncodeError {
    fn from(error: crate::texture::BlockError) -> Self {
        Self::Codec(error.to_string())
    }
}

/// The result of decoding encoded pixels again.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum Unproved {
    /// A decoder refuses the bytes.
    #[error("what was encoded cannot be decoded: {0}")]
    Undecodable(String),
    /// It has another size, or another number of pictures.
    #[error("what was encoded has another size once decoded")]
    Size,
    /// It has other pixels.
    #[error("what was encoded shows other pixels once decoded, first in row {row} of picture {picture}")]
    Pixels {
        /// Which picture, from 0.
        picture: usize,
        /// Which row, from 0.
        row: usize,
    },
}

/// An encoded picture whose bytes are available once they are proved.
#[derive(Debug)]
pub struct Encoded<'p> {
    bytes: Vec<u8>,
    pixels: &'p Pixels,
    decode: Decode,
}

/// Decodes and compares.
type Decode = fn(&[u8], &Pixels) -> Result<(), Unproved>;

impl<'p> Encoded<'p> {
    pub(super) fn new(bytes: Vec<u8>, pixels: &'p Pixels, decode: Decode) -> Self {
        Self { bytes, pixels, decode }
    }

    /// The pixels as they are: there is nothing to prove.
    #[must_use]
    pub fn raw(pixels: &'p Pixels) -> Self {
        Self::new(pixels.as_bytes().to_vec(), pixels, |bytes, pixels| compare(0, bytes, pixels))
    }

    /// Decodes the bytes and compares every pixel with those that went in; then returns the bytes.
    ///
    /// # Errors
    /// The bytes do not show the same pixels.
    pub fn prove(self) -> Result<Vec<u8>, Unproved> {
        (self.decode)(&self.bytes, self.pixels)?;
        Ok(self.bytes)
    }
}

/// Compares decoded rows with those of a picture.
pub(super) fn compare(picture: usize, decoded: &[u8], pixels: &Pixels) -> Result<(), Unproved> {
    if decoded.len() != pixels.as_bytes().len() {
        return Err(Unproved::Size);
    }
    let stride = (pixels.size().w as usize * crate::pixels::PIXEL).max(1);
    let mut rows = decoded.chunks(stride).zip(pixels.as_bytes().chunks(stride));
    match rows.position(|(a, b)| a != b) {
        Some(row) => Err(Unproved::Pixels { picture, row }),
        None => Ok(()),
    }
}
