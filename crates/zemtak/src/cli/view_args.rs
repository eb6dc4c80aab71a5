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
    /// Draw a picture
    #[arg(long, value_name = "FILE", group = "what")]
    png: Option<PathBuf>,
    /// Write a page for a browser, in one file: zoom, search, values, clips, pivots set by eye
    #[arg(long, value_name = "FILE", group = "what")]
    html: Option<PathBuf>,
    /// Serve that page to this machine only, print its address, and update it after each build
    #[arg(long, group = "what", conflicts_with = "before")]
    live: bool,
    /// Compare with this descriptor: show on the page what was added, removed, moved or changed
    #[arg(long, value_name = "DESCRIPTOR", requires = "html", add = completions::atlases())]
    before: Option<PathBuf>,
    /// What the picture shows
    #[arg(long = "as", value_parser = word::<Subject>(), default_value = "pages")]
    subject: Subject,
    /// Draw only this page, counted from 0 [default: all]
    #[arg(long, value_name = "N")]
    page: Option<usize>,
    #[arg(long, help = FORCE)]
    force: bool,
}

impl ViewArgs {
    /// Whether it runs until Ctrl-C.
    pub(super) fn is_live(&self) -> bool {
        self.live
    }

    pub(super) fn into_request(self, project: Option<PathBuf>) -> ViewRequest {
        let Self { descriptor, png, html, live, before, subject, page, force } = self;
        ViewRequest { descriptor, subject, page, png, html, before, live, project, force }
    }
}
