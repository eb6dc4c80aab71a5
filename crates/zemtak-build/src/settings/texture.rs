//! How a page that a graphics card reads as it is stores its pixels.

use serde::Serialize;
use zemtak_core::atlas::PixelKind;
use zemtak_core::codec::Supercompression;

/// What is asked of pages in KTX2.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
pub struct TextureSettings {
    /// How pixels are stored. Pixel by pixel by default; with a bound on what is lost, the smallest form that keeps it.
    pub pixels: Option<PixelKind>,
    /// What every sprite must keep at least, in decibels.
    pub least_psnr: Option<f64>,
    /// Whether levels are compressed once more, by Zstandard.
    pub zstd: bool,
    /// Whether files say that their numbers are to be taken as they are, though they are sRGB: for games that blend them so.
    pub unorm: bool,
}

impl TextureSettings {
    /// Whether anything of it was asked, so that pages have to be KTX2.
    #[must_use]
    pub fn asks(&self) -> bool {
        self.pixels.is_some_and(|kind| kind != PixelKind::Rgba8) || self.least_psnr.is_some() || self.zstd || self.unorm
    }

    /// Whether pages may come to be in blocks.
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
