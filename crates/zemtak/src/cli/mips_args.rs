//! The options of `zemtak mips`.

use super::completions;
use crate::commands::mips::MipsRequest;
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;
use zemtak_build::settings::MOST_MIP_LEVELS;

#[derive(Debug, Args)]
pub(super) struct MipsArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// The deepest level to sample, 0 for the full size [default: the mip levels the atlas was packed for, else 3]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=i64::from(MOST_MIP_LEVELS)))]
    levels: Option<u32>,
    /// Also draw the levels side by side, with frames round sprites that bleed
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
    #[arg(long, help = FORCE)]
    force: bool,
}

impl MipsArgs {
    pub(super) fn into_request(self) -> MipsRequest {
        let Self { descriptor, levels, png, force } = self;
        MipsRequest { descriptor, levels, png, force }
    }
}
