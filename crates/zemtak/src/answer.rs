//! Printing answers: a person's text or one JSON document on standard output, everything else on standard error.

use crate::exit::Exit;
use crate::failure::Failure;
use anstream::ColorChoice;
use serde_json::Value;
use std::io::{self, Write};

/// What a command found out.
pub trait Answer: Send {
    /// For people, with a newline at the end.
    fn text(&self, verbose: bool) -> String;
    /// The documented, stable shape for programs.
    fn json(&self) -> Value;
    /// What people should know beside the answer; one line each, printed to standard error.
    fn warnings(&self) -> Vec<String> {
        Vec::new()
    }
    /// How the process ends.
    fn exit(&self) -> Exit {
        Exit::Done
    }
}

/// How to behave whatever the command is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Manner {
    /// One JSON document instead of text.
    pub json: bool,
    /// No progress, no warnings, and no text unless something is wrong.
    pub quiet: bool,
    /// Lists in full.
    pub verbose: bool,
    /// When to colour.
    pub colour: ColorChoice,
    /// How many threads work; 0 for one a core.
    pub jobs: usize,
}

impl Manner {
    /// Prints an answer and says how the process ends.
    #[must_use]
    pub fn print(self, answer: &dyn Answer) -> Exit {
        if !self.quiet && !self.json {
            for warning in answer.warnings() {
                let yellow = anstyle::Style::new().fg_color(Some(anstyle::AnsiColor::Yellow.into())).bold();
                let _ = writeln!(anstream::stderr(), "{yellow}warning{yellow:#}: {warning}");
            }
        }
        let written = if self.json {
            print_json(&answer.json())
        } else if self.quiet && answer.exit() == Exit::Done {
            Ok(())
        } else {
            anstream::stdout().write_all(answer.text(self.verbose).as_bytes())
        };
        written_or(written, answer.exit())
    }

    /// Prints why there is no answer and says how the process ends.
    #[must_use]
    pub fn print_failure(self, failure: &Failure) -> Exit {
        let written = if self.json {
            print_json(&failure.json())
        } else {
            anstream::stderr().write_all(failure.text().as_bytes())
        };
        written_or(written, failure.exit())
    }
}

fn print_json(value: &Value) -> io::Result<()> {
    let mut out = io::stdout().lock();
    serde_json::to_writer_pretty(&mut out, value)?;
    out.write_all(b"\n")
}

/// A reader that has seen enough and closed the pipe is no error.
fn written_or(written: io::Result<()>, exit: Exit) -> Exit {
    match written {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => exit.max(Exit::Io),
        _ => exit,
    }
}
