//! `zemtak diff`: what a repack changed, and what a player has to download.

use crate::console::Console;
use crate::diff_picture;
use crate::difference::Difference;
use crate::exit::Exit;
use crate::html_view;
use crate::opened::Opened;
use crate::output;
use crate::report::Report;
use serde_json::Value;
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::{Failure, format, write};
use zemtak_core::codec::Mark;

/// The two atlases, and how to show the differences.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DiffRequest {
    /// The old descriptor.
    pub old: PathBuf,
    /// The new descriptor.
    pub new: PathBuf,
    /// Where to draw both side by side, page by page.
    pub png: Option<PathBuf>,
    /// Where to write an HTML page that shows both.
    pub html: Option<PathBuf>,
    /// Whether existing files that are not ours may be replaced.
    pub force: bool,
}

/// The answer to the command.
pub struct DiffReport {
    difference: Difference,
    png: Option<PathBuf>,
    html: Option<PathBuf>,
}

/// Compares the atlases, and draws the differences if asked to.
///
/// # Errors
/// A descriptor or a page cannot be used, or an output cannot be written.
pub fn run(request: &DiffRequest, console: &Console) -> Result<DiffReport, Failure> {
    let inputs = [request.old.as_path(), request.new.as_path()];
    let outputs = [(&request.png, ResultKind::Picture(Mark::View)), (&request.html, ResultKind::View)];
    for (out, kind) in outputs {
        out.iter().try_for_each(|out| output::check(out, kind, request.force, inputs))?;
    }
    let (old, new) =
        (Opened::read(&request.old, console.allowance())?, Opened::read(&request.new, console.allowance())?);
    let difference = Difference::between(&old, &new);
    let write = |out: &Option<PathBuf>, bytes: &dyn Fn() -> Result<Vec<u8>, Failure>| {
        let Some(out) = out else { return Ok(()) };
        output::check_input(out, old.inputs().iter().chain(&new.inputs()).map(PathBuf::as_path))?;
        write::prepare(out, &bytes()?)?.commit()
    };
    write(&request.png, &|| diff_picture::draw([&old, &new], &difference.diff))?;
    write(&request.html, &|| html_view::page_of_both(&old, &new, &difference.json()).map(String::into_bytes))?;
    Ok(DiffReport { difference, png: request.png.clone(), html: request.html.clone() })
}

impl Report for DiffReport {
    fn text(&self, verbose: bool) -> String {
        let line = |(verb, file): (&str, &PathBuf)| format!("  {verb:<10}{}\n", format::name(&format::path(file)));
        let files = [self.png.as_ref().map(|png| ("drawn", png)), self.html.as_ref().map(|html| ("written", html))];
        self.difference.text(verbose) + &files.into_iter().flatten().map(line).collect::<String>()
    }

    fn json(&self) -> Value {
        let mut json = self.difference.json();
        for (key, file) in [("png", &self.png), ("html", &self.html)] {
            if let Some(file) = file {
                json[key] = format::path(file).into();
            }
        }
        json
    }

    fn kind(&self) -> &'static str {
        "diff"
    }

    fn exit(&self) -> Exit {
        if self.difference.any() { Exit::Found } else { Exit::Done }
    }
}
