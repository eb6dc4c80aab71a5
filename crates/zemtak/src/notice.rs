//! Notices beside an answer and results of a check: a line of text for people, a stable code for programs.

use serde::Serialize;
use std::fmt;
use zemtak_build::{AtlasDefect, Problem, Warning, format};

/// A warning, a finding or a defect.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Notice {
    /// Its kind; documented, and the same in later versions.
    pub code: &'static str,
    /// The sprite, clip, atlas, scene or file that it is about, if any.
    pub about: Option<String>,
    /// The message.
    pub text: String,
}

impl Notice {
    /// About something with a name.
    #[must_use]
    pub fn about(code: &'static str, about: impl Into<String>, text: impl Into<String>) -> Self {
        Self { code, about: Some(about.into()), text: text.into() }
    }

    /// About the whole.
    #[must_use]
    pub fn of_all(code: &'static str, text: impl Into<String>) -> Self {
        Self { code, about: None, text: text.into() }
    }

    /// A problem that did not prevent an answer.
    #[must_use]
    pub fn of_problem(code: &'static str, lead: &str, problem: &Problem) -> Self {
        Self::about(code, &problem.place, format::name(&format!("{lead}{problem}")))
    }
}

impl From<&Warning> for Notice {
    fn from(warning: &Warning) -> Self {
        Self { code: warning.code(), about: warning.about().map(str::to_owned), text: warning.to_string() }
    }
}

impl From<&AtlasDefect> for Notice {
    fn from(defect: &AtlasDefect) -> Self {
        Self { code: defect.code(), about: defect.about().map(str::to_owned), text: defect.to_string() }
    }
}

impl fmt::Display for Notice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// Notices as lines: the first few of each kind, and how many more there are.
#[must_use]
pub fn lines(notices: &[Notice], verbose: bool) -> Vec<String> {
    const FEW: usize = 3;
    let mut lines = Vec::new();
    let mut told: Vec<&str> = Vec::new();
    for notice in notices {
        if told.contains(&notice.code) {
            continue;
        }
        told.push(notice.code);
        let of_kind: Vec<&Notice> = notices.iter().filter(|other| other.code == notice.code).collect();
        // A single further one takes no more space than saying so.
        let shown = if verbose || of_kind.len() <= FEW + 1 { of_kind.len() } else { FEW };
        lines.extend(of_kind.iter().take(shown).map(ToString::to_string));
        if shown < of_kind.len() {
            let more = format::number((of_kind.len() - shown) as u64);
            lines.push(format!("and {more} more of this kind (-v lists them)"));
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_many_of_a_kind_a_few_are_told_and_how_many_more_there_are() {
        let of = |code, count: usize| (0..count).map(move |n| Notice::of_all(code, format!("{code} {n}")));
        let notices: Vec<Notice> = of("a", 1).chain(of("b", 4)).chain(of("c", 5)).chain(of("a", 1)).collect();
        let told = lines(&notices, false);
        let more = "and 2 more of this kind (-v lists them)";
        assert_eq!(told, ["a 0", "a 0", "b 0", "b 1", "b 2", "b 3", "c 0", "c 1", "c 2", more]);
        assert_eq!(lines(&notices, true).len(), 11);
    }
}
