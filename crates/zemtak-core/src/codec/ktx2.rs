//! The full size of a texture in KTX2 as a picture.

use super::{DecodeError, Limits};
use crate::pixels::Pixels;
use crate::texture::read_ktx2;

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Pixels, DecodeError> {
    let texture = read_ktx2(bytes, limits)?;
    let (kind, size) = (texture.kind, texture.size);
    let level = texture.levels.into_iter().next().unwrap_or_default();
    #[cfg(feature = "decode-blocks")]
    let pixels = crate::texture::unpack(&level, kind, size);
    #[cfg(not(feature = "decode-blocks"))]
    let pixels = match kind.is_compressed() {
        true => return Err(DecodeError::Blocks(kind)),
        false => Pixels::from_rgba(size, level),
    };
    let too_few = || DecodeError::damaged(super::Format::Ktx2, "fewer pixels than its header says");
    pixels.ok_or_else(too_few)
}
