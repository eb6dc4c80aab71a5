//! The options of `zemtak view`.

use super::completions;
use super::values::word;
use crate::commands::view::{Subject, ViewRequest};
use crate::output::FORCE;
use clap::Args;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(super) struct ViewArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// Draw a picture of it
    #[arg(long, value_name = "FILE", required_unless_present = "html")]
    png: Option<PathBuf>,
    /// Write a page for a browser, complete in itself: zoom, search, values, clips
    #[arg(long, value_name = "FILE")]
    html: Option<PathBuf>,
    /// What to draw on the picture
    #[arg(long = "as", value_parser = word::<Subject>(), default_value = "pages")]
    subject: Subject,
    /// Only this page on the picture, from 0 [default: all]
    #[arg(long, value_name = "N")]
    page: Option<usize>,
    #[arg(long, help = FORCE)]
    force: bool,
}

impl ViewArgs {
    pub(super) fn into_request(self) -> ViewRequest {
        let Self { descriptor, png, html, subject, page, force } = self;
        ViewRequest { descriptor, subject, page, png, html, force }
    }
}
