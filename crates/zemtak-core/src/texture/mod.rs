//! What a graphics card gets: the levels of a texture, pixel by pixel or in compressed blocks.
//!
//! Blocks are those of the BC formats (Khronos Data Format Specification 1.3, chapters 19 and 21): 4 x 4 pixels in 8 or
//! 16 bytes, which the card unpacks while sampling. They lose a little; [`Loss`] tells how much.

#[cfg(any(feature = "decode-blocks", feature = "encode-ktx2"))]
mod blocks;
mod loss;

#[cfg(feature = "encode-ktx2")]
pub use blocks::BlockError;
#[cfg(feature = "decode-blocks")]
pub use blocks::unpack;
pub use loss::{Loss, WorstBlock, loss, pixel_loss, worst_block};

use crate::atlas::{Alpha, Colour, PixelKind};
use crate::geometry::Size;
use crate::mips::level_size;

/// How many pixels a side a compressed block has.
pub const BLOCK_SIDE: u32 = 4;

impl PixelKind {
    /// How many pixels a side a block has; 1 if pixels are not in blocks.
    #[must_use]
    pub const fn block_side(self) -> u32 {
        match self {
            Self::Rgba8 => 1,
            Self::Bc1 | Self::Bc3 | Self::Bc7 => BLOCK_SIDE,
        }
    }

    /// How many bytes a block has.
    #[must_use]
    pub const fn block_bytes(self) -> u32 {
        match self {
            Self::Rgba8 => 4,
            Self::Bc1 => 8,
            Self::Bc3 | Self::Bc7 => 16,
        }
    }

    /// Whether pixels are packed in blocks, which is lossy.
    #[must_use]
    pub const fn is_compressed(self) -> bool {
        self.block_side() > 1
    }

    /// How many bytes a level of this size takes: blocks at its right and lower edge may reach beyond it.
    ///
    /// ```
    /// use zemtak_core::atlas::PixelKind;
    /// use zemtak_core::geometry::Size;
    ///
    /// assert_eq!(PixelKind::Rgba8.level_bytes(Size::new(5, 4)), 80);
    /// assert_eq!(PixelKind::Bc7.level_bytes(Size::new(5, 4)), 2 * 16);
    /// assert_eq!(PixelKind::Bc1.level_bytes(Size::new(1, 1)), 8);
    /// ```
    #[must_use]
    pub fn level_bytes(self, size: Size) -> u64 {
        let blocks = |side: u32| u64::from(side.div_ceil(self.block_side()));
        blocks(size.w) * blocks(size.h) * u64::from(self.block_bytes())
    }

    /// How many bytes a texture with this many mip levels takes, including the full size.
    #[must_use]
    pub fn texture_bytes(self, size: Size, mips: u32) -> u64 {
        // No side has more than 32 levels.
        (0..mips.min(u32::BITS)).map(|level| self.level_bytes(level_size(size, level))).sum()
    }
}

/// A texture with its levels, in the form a graphics card takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Texture {
    /// How levels store pixels.
    pub kind: PixelKind,
    /// The size of level 0.
    pub size: Size,
    /// What colour under half transparency means.
    pub alpha: Alpha,
    /// What colour numbers mean.
    pub colour: Colour,
    /// The bytes of each level, the full size first: rows of blocks from the top.
    pub levels: Vec<Vec<u8>>,
}

/// How losses are counted: in data each channel on its own, as for colours that are premultiplied.
#[must_use]
pub fn compared(alpha: Alpha, colour: Colour) -> Alpha {
    if colour == Colour::Linear { Alpha::Premultiplied } else { alpha }
}

#[cfg(feature = "encode-ktx2")]
use crate::pixels::Pixels;

#[cfg(feature = "encode-ktx2")]
impl Texture {
    /// A picture with its smaller levels, in blocks if asked for.
    ///
    /// # Errors
    /// The library refuses a level.
    pub fn new(
        pixels: &Pixels,
        smaller: &[Pixels],
        kind: PixelKind,
        (alpha, colour): (Alpha, Colour),
    ) -> Result<Self, BlockError> {
        let mut texture = Self { kind, size: pixels.size(), alpha, colour, levels: Vec::new() };
        for level in std::iter::once(pixels).chain(smaller) {
            texture.add_level(level)?;
        }
        Ok(texture)
    }

    /// Adds the next smaller level.
    ///
    /// # Errors
    /// The library refuses the level.
    pub fn add_level(&mut self, pixels: &Pixels) -> Result<(), BlockError> {
        self.levels.push(blocks::pack(pixels, self.kind, compared(self.alpha, self.colour))?);
        Ok(())
    }
}
