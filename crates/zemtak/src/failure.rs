//! Errors as the user meets them: what, where, why, and what to do; all of one run together.

use crate::exit::Exit;
use crate::show;
use anstyle::{AnsiColor, Style};
use serde::Serialize;
use std::fmt::Write as _;
use zemtak_core::codec::EncodeError;

/// One thing that is wrong.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Problem {
    /// What is wrong, the same words for every problem of a kind.
    pub what: &'static str,
    /// The file or sprite.
    #[serde(rename = "where")]
    pub place: String,
    /// Why.
    pub why: String,
    /// What to do about it.
    pub help: &'static str,
    /// How the process ends for it.
    #[serde(skip)]
    pub exit: Exit,
}

/// Everything that kept a command from its answer; never empty.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failure {
    problems: Vec<Problem>,
}

impl Failure {
    /// Several problems at once; at least one.
    #[must_use]
    pub fn all(problems: Vec<Problem>) -> Self {
        debug_assert!(!problems.is_empty());
        Self { problems }
    }

    /// What `value` holds, unless there are problems.
    ///
    /// # Errors
    /// All problems together.
    pub fn unless<T>(problems: Vec<Problem>, value: T) -> Result<T, Self> {
        if problems.is_empty() { Ok(value) } else { Err(Self::all(problems)) }
    }

    /// Reading or writing failed.
    #[must_use]
    pub fn io(place: &str, why: &dyn std::error::Error) -> Self {
        Problem::io(place, why).into()
    }

    /// The user stopped the command.
    #[must_use]
    pub fn interrupted() -> Self {
        let why = "stopped before anything was written; what was there before is as it was".into();
        Problem { what: "interrupted", place: String::new(), why, help: "", exit: Exit::Interrupted }.into()
    }

    /// The problems.
    #[must_use]
    pub fn problems(&self) -> &[Problem] {
        &self.problems
    }

    /// How the process ends: for the gravest of them.
    #[must_use]
    pub fn exit(&self) -> Exit {
        self.problems.iter().map(|p| p.exit).max().unwrap_or(Exit::Io)
    }

    /// For people: problems of a kind under one heading, each with its place and reason.
    #[must_use]
    pub fn text(&self) -> String {
        let (red, bold) = (Style::new().fg_color(Some(AnsiColor::Red.into())).bold(), Style::new().bold());
        let mut out = String::new();
        let mut kinds: Vec<&str> = Vec::new();
        for problem in &self.problems {
            if !kinds.contains(&problem.what) {
                kinds.push(problem.what);
            }
        }
        for kind in kinds {
            let of_kind: Vec<&Problem> = self.problems.iter().filter(|p| p.what == kind).collect();
            let count = if of_kind.len() > 1 { format!(" ({})", of_kind.len()) } else { String::new() };
            let _ = writeln!(out, "{red}error{red:#}{bold}: {kind}{count}{bold:#}");
            for problem in &of_kind {
                let colon = if problem.place.is_empty() { "" } else { ": " };
                let why = show::lines_indented(&problem.why, 4);
                let _ = writeln!(out, "  {}{colon}{why}", show::name(&problem.place));
            }
            if let Some(help) = of_kind.first().map(|p| p.help).filter(|h| !h.is_empty()) {
                let _ = writeln!(out, "  {bold}do:{bold:#} {help}");
            }
        }
        out
    }

    /// The same as a JSON document.
    #[must_use]
    pub fn json(&self) -> serde_json::Value {
        serde_json::json!({ "errors": self.problems, "exit": self.exit().code() })
    }
}

impl From<Problem> for Failure {
    fn from(problem: Problem) -> Self {
        Self { problems: vec![problem] }
    }
}

impl Problem {
    /// Reading or writing failed.
    #[must_use]
    pub fn io(place: &str, why: &dyn std::error::Error) -> Self {
        let help = "check that the path exists and may be read and written";
        Self { what: "reading or writing failed", place: place.into(), why: why.to_string(), help, exit: Exit::Io }
    }

    /// A picture cannot be encoded, or does not show the same once it is decoded again. `help` is for the former.
    #[must_use]
    pub fn not_encoded(place: &str, error: &EncodeError, help: &'static str) -> Self {
        match error {
            EncodeError::Unproved(why) => Self {
                what: "a picture that does not read back as it was",
                place: place.into(),
                why: format!("{why}; it was not written"),
                help: "this is an error in zemtak itself: please report it with the images",
                exit: Exit::Io,
            },
            error => Self::bad_input("a picture that cannot be encoded", place, error.to_string(), help),
        }
    }

    /// The command line asks for something that cannot be.
    #[must_use]
    pub fn usage(what: &'static str, place: &str, why: impl Into<String>, help: &'static str) -> Self {
        Self { what, place: place.into(), why: why.into(), help, exit: Exit::Usage }
    }

    /// An input is bad.
    #[must_use]
    pub fn bad_input(what: &'static str, place: &str, why: impl Into<String>, help: &'static str) -> Self {
        Self { what, place: place.into(), why: why.into(), help, exit: Exit::BadInput }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use zemtak_core::codec::Unproved;

    #[test]
    fn what_does_not_read_back_is_an_error_of_its_own_that_names_the_file() {
        let unproved = EncodeError::Unproved(Unproved::Pixels { picture: 0, row: 7 });
        let failure = Failure::from(Problem::not_encoded("night-0.png", &unproved, "ask for less"));
        assert_eq!(failure.exit(), Exit::Io);
        let text = anstream::adapter::strip_str(&failure.text()).to_string();
        assert!(text.starts_with("error: a picture that does not read back as it was\n  night-0.png: "), "{text}");
        assert!(text.contains("row 7") && text.contains("not written") && !text.contains("ask for less"), "{text}");
        let large = EncodeError::TooLarge(zemtak_core::geometry::Size::new(1, 1), 1);
        assert_eq!(Problem::not_encoded("night-0.png", &large, "ask for less").exit, Exit::BadInput);
    }
}
