//! The options of `zemtak diff`.

use super::completions;
use crate::commands::diff::DiffRequest;
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(super) struct DiffArgs {
    /// The descriptor as it was
    #[arg(add = completions::atlases())]
    old: PathBuf,
    /// The descriptor as it is
    #[arg(add = completions::atlases())]
    new: PathBuf,
    /// Also draw the pages of both side by side, with what differs framed
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
    /// Also write a page for a browser that shows both, with a list of what differs
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
