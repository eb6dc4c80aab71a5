//! How pages that a graphics card reads directly store their pixels.

use serde::Serialize;
use zemtak_core::atlas::PixelKind;
use zemtak_core::codec::Supercompression;

/// Options for pages in KTX2.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
pub struct TextureSettings {
    /// How pixels are stored. Default: pixel by pixel, or with a bound on the loss, in the smallest format that keeps
    /// it.
    pub pixels: Option<PixelKind>,
    /// What every sprite must keep at least, in decibels.
    pub least_psnr: Option<f64>,
    /// Whether levels are compressed once more, by Zstandard.
    pub zstd: bool,
    /// Whether files are marked as linear although they are sRGB: for games that blend them that way.
    pub unorm: bool,
}

impl TextureSettings {
    /// Whether any option was given, so that pages must be KTX2.
    #[must_use]
    pub fn asks(&self) -> bool {
        self.pixels.is_some_and(|kind| kind != PixelKind::Rgba8) || self.least_psnr.is_some() || self.zstd || self.unorm
    }

    /// Whether pages may be in compressed blocks.
    #[must_use]
    pub fn may_compress(&self) -> bool {
        self.pixels.map_or(self.least_psnr.is_some(), PixelKind::is_compressed)
    }

    /// Whether levels are compressed once more.
    #[must_use]
    pub fn supercompression(&self) -> Supercompression {
        if self.zstd { Supercompression::Zstd } else { Supercompression::None }
    }
}
