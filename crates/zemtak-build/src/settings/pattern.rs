//! Globs and regular expressions as settings: compared by their text.

use regex_lite::Regex;
use serde::{Serialize, Serializer};
use std::fmt;
use std::str::FromStr;
use zemtak_core::glob::Glob;

/// A glob on paths with `/`; see [`zemtak_core::glob`]. Its length is [limited](crate::Limits).
#[derive(Clone)]
pub struct Pattern(Glob);

impl Pattern {
    /// Whether it matches a path or a name.
    #[must_use]
    pub fn matches(&self, path: &str) -> bool {
        self.0.matches(path)
    }

    /// The beginning of every path that it matches.
    #[must_use]
    pub fn start(&self) -> &str {
        self.0.start()
    }

    /// The end of every path that it matches.
    #[must_use]
    pub fn end(&self) -> &str {
        self.0.end()
    }

    /// The text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        self.0.as_str()
    }
}

impl FromStr for Pattern {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Glob::of_any_length(text).map(Self).map_err(|error| format!("a glob: {error}"))
    }
}

/// Anchors an expression to the whole of a name.
const START: &str = "^(?:";
const END: &str = ")$";

/// A regular expression with the groups `clip` and `frame`.
#[derive(Clone)]
pub struct Expression(Regex);

impl Expression {
    /// The text as it was written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        let whole = self.0.as_str();
        whole.strip_prefix(START).and_then(|text| text.strip_suffix(END)).unwrap_or(whole)
    }

    /// The clip and the frame number in a name, if all of it matches.
    #[must_use]
    pub fn read<'n>(&self, name: &'n str) -> Option<(&'n str, &'n str)> {
        let found = self.0.captures(name)?;
        Some((found.name("clip")?.as_str(), found.name("frame")?.as_str()))
    }
}

impl FromStr for Expression {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let regex = Regex::new(&format!("{START}{text}{END}"));
        let regex = regex.map_err(|error| format!("a regular expression, but {}", last_line(&error.to_string())))?;
        for group in ["clip", "frame"] {
            if !regex.capture_names().any(|name| name == Some(group)) {
                let groups = "the groups (?<clip>...) and (?<frame>...)";
                return Err(format!("a regular expression with {groups}; this one lacks (?<{group}>...)"));
            }
        }
        Ok(Self(regex))
    }
}

/// The line with the reason; the lines before it show the expression.
fn last_line(text: &str) -> &str {
    text.lines().last().unwrap_or(text).trim_start_matches("error: ")
}

macro_rules! as_text {
    ($type:ty) => {
        impl PartialEq for $type {
            fn eq(&self, other: &Self) -> bool {
                self.to_string() == other.to_string()
            }
        }

        impl Serialize for $type {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.collect_str(self)
            }
        }

        impl fmt::Debug for $type {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Debug::fmt(&self.to_string(), f)
            }
        }
    };
}

as_text!(Pattern);
as_text!(Expression);

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0.as_str())
    }
}
