//! The options of `zemtak diff`.

use super::completions;
use crate::commands::diff::DiffRequest;
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(super) struct DiffArgs {
    /// The old descriptor, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    old: PathBuf,
    /// The new descriptor, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    new: PathBuf,
    /// Also draw the pages of both side by side, with frames round what differs
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
    /// Also write a page for a browser that shows both, with a list of the differences
    #[arg(long, value_name = "FILE")]
    html: Option<PathBuf>,
    #[arg(long, help = FORCE)]
    force: bool,
}

impl DiffArgs {
    pub(super) fn into_request(self) -> DiffRequest {
        let Self { old, new, png, html, force } = self;
        DiffRequest { old, new, png, html, force }
    }
}
