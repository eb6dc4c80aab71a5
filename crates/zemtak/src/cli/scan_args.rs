//! The options of `zemtak scan`.

use crate::commands::scan::ScanCommand;
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;
use zemtak_build::ScanRequest;

#[derive(Debug, Args)]
pub(super) struct ScanArgs {
    /// Folders and image files [default: the roots of the project's atlases, else this folder]
    #[arg(value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// List every sprite, and all cases of each finding
    #[arg(long)]
    all: bool,
    /// Exit with 1 if a build would fail or something needs attention
    #[arg(long)]
    strict: bool,
    /// Also draw a contact sheet: sprites with names and visible boxes, marked where something was found
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
    #[arg(long, requires = "png", help = FORCE)]
    force: bool,
}

impl ScanArgs {
    pub(super) fn into_request(self, project: Option<PathBuf>) -> ScanCommand {
        let Self { paths, all, strict, png, force } = self;
        ScanCommand { scan: ScanRequest { paths, project, ..ScanRequest::default() }, all, strict, png, force }
    }
}
