//! The options of `zemtak export`.

use super::completions;
use super::values::{decibels, form_name, word};
use crate::commands::export::{ExportRequest, FormName, FormOptions};
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;
use zemtak_build::settings::{MOST_MIP_LEVELS, TextureSettings};
use zemtak_core::atlas::PixelKind;
use zemtak_core::codec::{Bits, Channels, PngEffort};

#[derive(Debug, Args)]
pub(super) struct ExportArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// Pages as png, qoi, webp, ktx2 or raw; the descriptor as csv, rust, c, c-source or template:FILE
    #[arg(long = "as", value_name = "FORM", value_parser = form_name)]
    form: FormName,
    /// The folder for results
    #[arg(short, long, value_name = "DIR", default_value = "export")]
    out: PathBuf,
    #[arg(long, help = FORCE)]
    force: bool,
    #[command(flatten)]
    png: PngArgs,
    #[command(flatten)]
    ktx2: Ktx2Args,
    #[command(flatten)]
    raw: RawArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "With --as png")]
struct PngArgs {
    /// Compression effort: fast, balanced or small [default: balanced]
    #[arg(long, value_name = "EFFORT", value_parser = word::<PngEffort>(), hide_possible_values = true)]
    png: Option<PngEffort>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "With --as ktx2")]
struct Ktx2Args {
    /// Pixel format: rgba8, or block-compressed bc1, bc3 or bc7 [default: rgba8]
    #[arg(long, value_name = "KIND", value_parser = word::<PixelKind>(), hide_possible_values = true)]
    pixels: Option<PixelKind>,
    /// For each page, use the smallest pixel format in which every sprite reaches this PSNR, such as 40
    #[arg(long, value_name = "DB", value_parser = decibels)]
    least_psnr: Option<f64>,
    /// Compress the levels with Zstandard
    #[arg(long)]
    zstd: bool,
    /// Mark textures as UNORM instead of sRGB, for games that blend without converting to linear light
    #[arg(long)]
    unorm: bool,
    /// Mip levels below the full size [default: as many as the atlas has room for]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=i64::from(MOST_MIP_LEVELS)))]
    mip_levels: Option<u32>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "With --as raw")]
struct RawArgs {
    /// Channel order: rgba, bgra, argb or abgr [default: rgba]
    #[arg(long, value_name = "ORDER", value_parser = word::<Channels>(), hide_possible_values = true)]
    channels: Option<Channels>,
    /// Bits per channel: 8, or 16-bit pixels as 565 (no alpha) or 4444 [default: 8]
    #[arg(long, value_name = "BITS", value_parser = word::<Bits>(), hide_possible_values = true)]
    bits: Option<Bits>,
    /// With 565 and 4444: ordered dithering, 4 x 4 pixels
    #[arg(long)]
    dither: bool,
    /// Pad each row to a multiple of this many bytes, such as 256 [default: 1]
    #[arg(long, value_name = "BYTES", value_parser = clap::value_parser!(u32).range(1..=65_536))]
    row_align: Option<u32>,
    /// Write the bottom row first, for APIs whose V goes up
    #[arg(long)]
    bottom_up: bool,
}

impl ExportArgs {
    pub(super) fn into_request(self) -> ExportRequest {
        let Ktx2Args { pixels, least_psnr, zstd, unorm, mip_levels } = self.ktx2;
        let RawArgs { channels, bits, dither, row_align, bottom_up } = self.raw;
        let texture = TextureSettings { pixels, least_psnr, zstd, unorm };
        let png = self.png.png;
        let options = FormOptions { png, texture, mip_levels, channels, bits, dither, row_align, bottom_up };
        ExportRequest { descriptor: self.descriptor, form: self.form, out: self.out, options, force: self.force }
    }
}
