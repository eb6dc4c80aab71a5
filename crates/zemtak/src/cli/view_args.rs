//! The options of `zemtak view`.

use super::completions;
use super::values::word;
use crate::commands::view::{Subject, ViewRequest};
use crate::output::FORCE;
use clap::{ArgGroup, Args};
use std::path::PathBuf;

#[derive(Debug, Args)]
#[command(group(ArgGroup::new("what").required(true).multiple(true)))]
pub(super) struct ViewArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// Draw a picture of it
    #[arg(long, value_name = "FILE", group = "what")]
    png: Option<PathBuf>,
    /// Write a page for a browser, complete in itself: zoom, search, values, clips, pivots set by eye
    #[arg(long, value_name = "FILE", group = "what")]
    html: Option<PathBuf>,
    /// Serve that page on this machine alone, at an address that is told, and keep it current with each build
    #[arg(long, group = "what", conflicts_with = "before")]
    live: bool,
    /// Compare with this descriptor on the page: what moved, came, went, changed
    #[arg(long, value_name = "DESCRIPTOR", requires = "html", add = completions::atlases())]
    before: Option<PathBuf>,
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
    /// Whether it goes on until Ctrl-C.
    pub(super) fn is_live(&self) -> bool {
        self.live
    }

    pub(super) fn into_request(self, project: Option<PathBuf>) -> ViewRequest {
        let Self { descriptor, png, html, live, before, subject, page, force } = self;
        ViewRequest { descriptor, subject, page, png, html, before, live, project, force }
    }
}
