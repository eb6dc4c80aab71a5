//! Shows answers: text or one JSON document on standard output, everything else on standard error.

use crate::document::{Document, Entries};
use crate::exit::Exit;
use crate::notice::{self, Notice};
use crate::progress::ProgressStyle;
use crate::style::{NAME, ODD, WRONG};
use crate::wrap;
use anstream::ColorChoice;
use serde_json::Value;
use std::fmt::Write as _;
use std::io::{self, Write};
use zemtak_build::{Failure, by_help};

/// The result of a command.
pub trait Report: Send {
    /// The text, with a newline at the end.
    fn text(&self, verbose: bool) -> String;
    /// The documented, stable JSON.
    fn json(&self) -> Value;
    /// The entries of a possibly long list of that JSON, by its key; in `json` that list is empty.
    fn long_list(&self, _key: &str) -> Option<Entries<'_>> {
        None
    }
    /// The kind of the document.
    fn kind(&self) -> &'static str;
    /// Warnings beside the answer: printed to standard error, and a list in the document.
    fn warnings(&self) -> Vec<Notice> {
        Vec::new()
    }
    /// Whether the text is itself a JSON document.
    fn is_document(&self) -> bool {
        false
    }
    /// Whether the text is what was asked for, not an account of what was done: then `--quiet` does not withhold it, or
    /// `zemtak reader c -q > zemtak_reader.h` would leave an empty file.
    fn is_answer(&self) -> bool {
        self.is_document()
    }
    /// Whether the text includes the warnings, as results of a check.
    fn tells_warnings(&self) -> bool {
        false
    }
    /// The exit code.
    fn exit(&self) -> Exit {
        Exit::Done
    }
}

/// How answers are shown, for every command.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct OutputOptions {
    /// One JSON document instead of text.
    pub json: bool,
    /// How progress is shown.
    pub progress: ProgressStyle,
    /// Several documents, one per line.
    pub events: bool,
    /// No progress, no warnings, and no account of what was done unless something is wrong.
    pub quiet: bool,
    /// Lists in full.
    pub verbose: bool,
    /// What is logged to standard error: nothing at 0, phases at 1, above that each stage of each file too.
    pub log: u8,
    /// When to use colour.
    pub colour: ColorChoice,
}

impl OutputOptions {
    /// Turns colours on or off from now on.
    pub fn apply_colour(self) {
        self.colour.write_global();
    }

    /// Prints an answer and returns the exit code.
    #[must_use]
    pub fn print(self, report: &dyn Report) -> Exit {
        if !self.quiet && !self.json {
            let warnings = if report.tells_warnings() { Vec::new() } else { report.warnings() };
            for warning in notice::lines(&warnings, self.verbose) {
                print_warning(&warning);
            }
        }
        let written = if self.json && !report.is_document() {
            self.print_document(report)
        } else if self.quiet && report.exit() == Exit::Done && !report.is_answer() {
            Ok(())
        } else {
            anstream::stdout().write_all(report.text(self.verbose).as_bytes())
        };
        written_or(written, report.exit())
    }

    fn print_document(self, report: &dyn Report) -> io::Result<()> {
        if self.events {
            return print_text(&(document(report).line() + "\n"));
        }
        let mut out = io::BufWriter::new(io::stdout().lock());
        let document = Document::new(report.kind(), report.json(), report.warnings());
        document.write(&mut out, &|key| report.long_list(key))?;
        out.flush()
    }

    /// A document as printed: alone, or one of many on a line each.
    fn written(self, document: &Document) -> String {
        if self.events { document.line() + "\n" } else { document.text() }
    }

    /// Prints an event during a command, for programs that follow it.
    pub fn print_event(self, event: &Document) {
        if self.json {
            let _ = print_text(&(event.line() + "\n"));
        }
    }

    /// Prints why there is no answer and returns the exit code.
    #[must_use]
    pub fn print_failure(self, failure: &Failure) -> Exit {
        let written = if self.json {
            print_text(&self.written(&Document::of_failure(failure)))
        } else {
            anstream::stderr().write_all(wrap::for_stderr(&failure_text(failure)).as_bytes())
        };
        written_or(written, Exit::of(failure.cause()))
    }
}

/// An answer as a document, including long lists.
#[must_use]
pub fn document(report: &dyn Report) -> Document {
    let mut answer = report.json();
    for (key, list) in answer.as_object_mut().into_iter().flatten() {
        if let Some(entries) = report.long_list(key) {
            *list = entries.collect();
        }
    }
    Document::new(report.kind(), answer, report.warnings())
}

/// Prints a warning to standard error.
pub fn print_warning(warning: &str) {
    wrap::print_note(&wrap::for_stderr(&format!("{ODD}warning{ODD:#}: {warning}")));
}

/// Writes to standard output.
fn print_text(text: &str) -> io::Result<()> {
    io::stdout().lock().write_all(text.as_bytes())
}

/// Problems of each kind under one heading, each with its place and reason, and below those that it is for what to do.
#[must_use]
pub fn failure_text(failure: &Failure) -> String {
    let mut out = String::new();
    for (kind, problems) in failure.by_kind() {
        let count = if problems.len() > 1 { format!(" ({})", problems.len()) } else { String::new() };
        let _ = writeln!(out, "{WRONG}error{WRONG:#}{NAME}: {kind}{count}{NAME:#}");
        for (help, problems) in by_help(&problems) {
            for problem in problems {
                let _ = writeln!(out, "  {}", problem.reason());
            }
            if !help.is_empty() {
                let _ = writeln!(out, "  {NAME}do:{NAME:#} {help}");
            }
        }
    }
    out
}

/// A reader that has seen enough and closed the pipe is not an error.
pub fn written_or(written: io::Result<()>, exit: Exit) -> Exit {
    match written {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            let failure = Failure::io("standard output", &error);
            // If even that cannot be written, only the exit code is left.
            let _ = anstream::stderr().write_all(wrap::for_stderr(&failure_text(&failure)).as_bytes());
            exit.max(Exit::Io)
        }
        _ => exit,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    struct Long;

    impl Report for Long {
        fn text(&self, _: bool) -> String {
            String::new()
        }

        fn json(&self) -> Value {
            json!({ "sprites": [], "none": [] })
        }

        fn long_list(&self, key: &str) -> Option<Entries<'_>> {
            (key == "sprites").then(|| Box::new((0..3).map(|n| json!({ "n": n }))) as Entries<'_>)
        }

        fn kind(&self) -> &'static str {
            "list"
        }
    }

    /// Printed entry by entry, a list reads as in a document that contains the answer.
    #[test]
    fn a_long_list_is_whole_wherever_it_is_told() {
        let mut printed = Vec::new();
        let head = Document::new(Long.kind(), Long.json(), Vec::new());
        head.write(&mut printed, &|key| Long.long_list(key)).unwrap();
        let printed = String::from_utf8(printed).unwrap();
        assert!(
            printed.contains("\"sprites\": [\n    { \"n\": 0 },\n    { \"n\": 1 },\n    { \"n\": 2 }\n  ]"),
            "{printed}"
        );
        assert_eq!(printed, document(&Long).text());
    }
}
