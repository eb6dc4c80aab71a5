//! Telling answers: a person's text or one JSON document on standard output, everything else on standard error.

use crate::exit::Exit;
use crate::notice::{self, Notice};
use anstream::ColorChoice;
use anstyle::{AnsiColor, Style};
use serde::Serialize;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::io::{self, Write};
use zemtak_build::Failure;

/// What a command found out.
pub trait Report: Send {
    /// For people, with a newline at the end.
    fn text(&self, verbose: bool) -> String;
    /// The documented, stable shape for programs.
    fn json(&self) -> Value;
    /// What kind of document that is.
    fn kind(&self) -> &'static str;
    /// What people should know beside the answer: printed to standard error, and a list in the document.
    fn warnings(&self) -> Vec<Notice> {
        Vec::new()
    }
    /// Whether the text is a JSON document as it stands.
    fn is_document(&self) -> bool {
        false
    }
    /// Whether the text tells the warnings itself, as what a check found.
    fn tells_warnings(&self) -> bool {
        false
    }
    /// How the process ends.
    fn exit(&self) -> Exit {
        Exit::Done
    }
}

/// How answers are told, whatever the command is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct OutputOptions {
    /// One JSON document instead of text.
    pub json: bool,
    /// No progress, no warnings, and no text unless something is wrong.
    pub quiet: bool,
    /// Lists in full.
    pub verbose: bool,
    /// What is logged to standard error: nothing at 0, phases at 1, also each stage of each file above that.
    pub log: u8,
    /// When to colour.
    pub colour: ColorChoice,
}

impl OutputOptions {
    /// Colours, or not, from now on.
    pub fn apply_colour(self) {
        self.colour.write_global();
    }

    /// Prints an answer and says how the process ends.
    #[must_use]
    pub fn print(self, report: &dyn Report) -> Exit {
        if !self.quiet && !self.json {
            let warnings = if report.tells_warnings() { Vec::new() } else { report.warnings() };
            for warning in notice::lines(&warnings, self.verbose) {
                let yellow = Style::new().fg_color(Some(AnsiColor::Yellow.into())).bold();
                let _ = writeln!(anstream::stderr(), "{yellow}warning{yellow:#}: {warning}");
            }
        }
        let written = if self.json && !report.is_document() {
            print_json(&document(report))
        } else if self.quiet && report.exit() == Exit::Done {
            Ok(())
        } else {
            anstream::stdout().write_all(report.text(self.verbose).as_bytes())
        };
        written_or(written, report.exit())
    }

    /// Prints why there is no answer and says how the process ends.
    #[must_use]
    pub fn print_failure(self, failure: &Failure) -> Exit {
        let written = if self.json {
            print_json(&failure_document(failure))
        } else {
            anstream::stderr().write_all(failure_text(failure).as_bytes())
        };
        written_or(written, Exit::of(failure.cause()))
    }
}

/// Problems of a kind under one heading, each with its place and reason.
#[must_use]
pub fn failure_text(failure: &Failure) -> String {
    let (red, bold) = (Style::new().fg_color(Some(AnsiColor::Red.into())).bold(), Style::new().bold());
    let mut out = String::new();
    for (kind, problems) in failure.by_kind() {
        let count = if problems.len() > 1 { format!(" ({})", problems.len()) } else { String::new() };
        let _ = writeln!(out, "{red}error{red:#}{bold}: {kind}{count}{bold:#}");
        for problem in &problems {
            let _ = writeln!(out, "  {}", problem.reason());
        }
        if let Some(help) = problems.first().map(|p| p.help).filter(|h| !h.is_empty()) {
            let _ = writeln!(out, "  {bold}do:{bold:#} {help}");
        }
    }
    out
}

/// A JSON document of any kind: what it is comes first.
#[derive(Debug, Clone, Serialize)]
pub struct Document {
    /// The version of all documents' shapes.
    zemtak: u32,
    kind: &'static str,
    #[serde(flatten)]
    answer: Value,
    #[serde(skip_serializing_if = "Option::is_none")]
    warnings: Option<Vec<Notice>>,
}

/// The version of the documents. It changes when a key goes or means something else, not when one is added.
const VERSION: u32 = 1;

/// An answer as a document.
#[must_use]
pub fn document(report: &dyn Report) -> Document {
    Document { zemtak: VERSION, kind: report.kind(), answer: report.json(), warnings: Some(report.warnings()) }
}

/// Why there is no answer, as a document.
#[must_use]
pub fn failure_document(failure: &Failure) -> Document {
    let answer = json!({ "exit": Exit::of(failure.cause()).code(), "errors": failure.problems() });
    Document { zemtak: VERSION, kind: "errors", answer, warnings: None }
}

/// Prints a JSON document, with a newline at the end.
///
/// # Errors
/// Standard output cannot be written.
fn print_json(value: &Document) -> io::Result<()> {
    let mut out = io::stdout().lock();
    serde_json::to_writer_pretty(&mut out, value)?;
    out.write_all(b"\n")
}

/// A reader that has seen enough and closed the pipe is no error.
pub fn written_or(written: io::Result<()>, exit: Exit) -> Exit {
    match written {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => exit.max(Exit::Io),
        _ => exit,
    }
}
