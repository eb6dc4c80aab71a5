//! Writing KTX2 (Khronos, KTX File Format 2.0), proved by a reader that shares no code with this.

use super::format::KTX2_IDENTIFIER;
use super::ktx2_in::read_ktx2;
use super::{EncodeError, Limits, Mark, Unproved};
use crate::atlas::{Alpha, Colour, PixelKind};
use crate::texture::Texture;

/// Changes whenever the same texture yields other bytes as KTX2, or the same pixels yield other blocks.
pub const KTX2_VERSION: u32 = 1;

/// Whether levels are compressed once more than the card requires: smaller files, which a reader unpacks first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Supercompression {
    /// Levels in the form the card takes.
    #[default]
    None,
    /// Each level by Zstandard (RFC 8878).
    Zstd,
}

/// Zstandard's own effort, out of 22: above it, files shrink by less than one per cent for twice the time.
const ZSTD_LEVEL: i32 = 9;
const HEADER: usize = 80;
const INDEX_ENTRY: usize = 24;
const ZSTD_SCHEME: u32 = 2;

/// A texture as KTX2, read back and compared before it is returned.
///
/// # Errors
/// The texture has no levels or is too large for the format, or the file does not hold the same texture when read.
pub fn encode_ktx2(texture: &Texture, with: Supercompression) -> Result<Vec<u8>, EncodeError> {
    let file = write(texture, with)?;
    prove(&file, texture)?;
    Ok(file)
}

/// Reads a file and compares it with a texture.
pub(super) fn prove(file: &[u8], texture: &Texture) -> Result<(), Unproved> {
    let limits = Limits { side: u32::MAX, pixels: u64::MAX, ..Limits::default() };
    let read = read_ktx2(file, &limits).map_err(|error| Unproved::Undecodable(error.to_string()))?;
    if (read.size, read.levels.len()) != (texture.size, texture.levels.len()) {
        return Err(Unproved::Size);
    }
    if let Some(picture) = read.levels.iter().zip(&texture.levels).position(|(read, level)| read != level) {
        return Err(Unproved::Pixels { picture, row: 0 });
    }
    if read != *texture {
        return Err(Unproved::Undecodable("it says something else of its colours".into()));
    }
    Ok(())
}

fn write(texture: &Texture, with: Supercompression) -> Result<Vec<u8>, EncodeError> {
    if texture.levels.is_empty() {
        return Err(EncodeError::Empty);
    }
    let too_large = |_| EncodeError::TooLarge(texture.size, texture.levels.len());
    let smaller = match with {
        Supercompression::None => None,
        Supercompression::Zstd => Some(texture.levels.iter().map(|level| zstd(level)).collect::<Result<Vec<_>, _>>()?),
    };
    let stored = smaller.as_ref().unwrap_or(&texture.levels);
    let (descriptor, values) = (format_descriptor(texture), key_values());
    let descriptor_at = HEADER + INDEX_ENTRY * stored.len();
    let values_at = descriptor_at + descriptor.len();
    // Levels that the card reads start at a multiple of a block; those that are unpacked first start anywhere.
    let step = if with == Supercompression::None { texture.kind.block_bytes().max(4) as usize } else { 1 };
    let mut at = (values_at + values.len()).next_multiple_of(step);
    let mut offsets = vec![0; stored.len()];
    for (offset, level) in offsets.iter_mut().zip(stored).rev() {
        *offset = at;
        at = (at + level.len()).next_multiple_of(step);
    }
    let mut file = Vec::with_capacity(at);
    file.extend_from_slice(KTX2_IDENTIFIER);
    let scheme = if with == Supercompression::Zstd { ZSTD_SCHEME } else { 0 };
    let (count, one) = (u32::try_from(stored.len()).map_err(too_large)?, 1);
    words(&mut file, &[vk_format(texture), one, texture.size.w, texture.size.h, 0, 0, one, count, scheme]);
    let small = |n: usize| u32::try_from(n).map_err(too_large);
    words(&mut file, &[small(descriptor_at)?, small(descriptor.len())?, small(values_at)?, small(values.len())?]);
    // There are no data that all levels share.
    file.extend_from_slice(&[0; 16]);
    for ((offset, level), whole) in offsets.iter().zip(stored).zip(&texture.levels) {
        for number in [*offset, level.len(), whole.len()] {
            file.extend_from_slice(&(number as u64).to_le_bytes());
        }
    }
    file.extend(descriptor);
    file.extend(values);
    for (offset, level) in offsets.iter().zip(stored).rev() {
        file.resize(*offset, 0);
        file.extend_from_slice(level);
    }
    Ok(file)
}

fn zstd(level: &[u8]) -> Result<Vec<u8>, EncodeError> {
    zstd::bulk::compress(level, ZSTD_LEVEL).map_err(|error| EncodeError::Codec(error.to_string()))
}

fn words(file: &mut Vec<u8>, words: &[u32]) {
    words.iter().for_each(|word| file.extend_from_slice(&word.to_le_bytes()));
}

/// The number of the format in Vulkan.
fn vk_format(texture: &Texture) -> u32 {
    let unorm = match texture.kind {
        PixelKind::Rgba8 => return if texture.colour == Colour::Srgb { 43 } else { 37 },
        PixelKind::Bc1 => 133,
        PixelKind::Bc3 => 137,
        PixelKind::Bc7 => 145,
    };
    unorm + u32::from(texture.colour == Colour::Srgb)
}

/// A channel in the data format descriptor: its first bit, number of bits, channel type, and largest value.
struct Sample(u32, u32, u32, u32);

const ALPHA: u32 = 15;

/// Khronos Data Format Specification 1.3, chapter 5: one basic descriptor block.
fn format_descriptor(texture: &Texture) -> Vec<u8> {
    // Alpha is linear even if colours are sRGB.
    let alpha = ALPHA | if texture.colour == Colour::Srgb { 0x10 } else { 0 };
    let whole = u32::MAX;
    let (model, samples) = match texture.kind {
        PixelKind::Rgba8 => {
            (1, vec![Sample(0, 8, 0, 255), Sample(8, 8, 1, 255), Sample(16, 8, 2, 255), Sample(24, 8, alpha, 255)])
        }
        PixelKind::Bc1 => (128, vec![Sample(0, 64, 1, whole)]),
        PixelKind::Bc3 => (130, vec![Sample(0, 64, alpha, whole), Sample(64, 64, 0, whole)]),
        PixelKind::Bc7 => (134, vec![Sample(0, 128, 0, whole)]),
    };
    let transfer = if texture.colour == Colour::Srgb { 2 } else { 1 };
    let flags = u32::from(texture.alpha == Alpha::Premultiplied);
    let side = texture.kind.block_side() - 1;
    #[expect(clippy::cast_possible_truncation, reason = "at most four samples")]
    let block = 24 + 16 * samples.len() as u32;
    let mut descriptor = Vec::new();
    words(&mut descriptor, &[block + 4, 0, 2 | (block << 16), model | (1 << 8) | (transfer << 16) | (flags << 24)]);
    words(&mut descriptor, &[side | (side << 8), texture.kind.block_bytes(), 0]);
    for Sample(first, bits, channel, largest) in samples {
        words(&mut descriptor, &[first | ((bits - 1) << 16) | (channel << 24), 0, 0, largest]);
    }
    descriptor
}

/// The direction of rows, and who wrote the file; sorted by key.
fn key_values() -> Vec<u8> {
    let mut values = Vec::new();
    for (key, value) in [("KTXorientation", "rd"), ("KTXwriter", Mark::Page.text())] {
        #[expect(clippy::cast_possible_truncation, reason = "two short texts")]
        words(&mut values, &[(key.len() + value.len() + 2) as u32]);
        values.extend_from_slice(format!("{key}\0{value}\0").as_bytes());
        values.resize(values.len().next_multiple_of(4), 0);
    }
    values
}
