//! Globs and regular expressions as settings: compared by their text.

use globset::{Glob, GlobBuilder, GlobMatcher, GlobSet, GlobSetBuilder};
use regex::Regex;
use serde::{Serialize, Serializer};
use std::fmt;
use std::str::FromStr;
use std::sync::OnceLock;

/// A glob on paths with `/`: `*` and `?` stay within a folder, `**` goes across.
#[derive(Clone)]
pub struct Pattern {
    glob: Glob,
    /// Made when it is first asked: of thousands most are asked only as [`Patterns`].
    matcher: OnceLock<GlobMatcher>,
}

impl Pattern {
    /// Whether a path or a name is meant.
    #[must_use]
    pub fn matches(&self, path: &str) -> bool {
        self.matcher.get_or_init(|| self.glob.compile_matcher()).is_match(path)
    }

    /// The text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        self.glob.glob()
    }
}

impl FromStr for Pattern {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let glob = GlobBuilder::new(text).literal_separator(true).backslash_escape(true).build();
        glob.map(|glob| Self { glob, matcher: OnceLock::new() })
            .map_err(|error| format!("a glob, but {}", error.kind()))
    }
}

/// Many globs, asked at once.
#[derive(Clone)]
pub struct Patterns(GlobSet);

impl Patterns {
    /// All of these, or `None` where they are too many or too long to be asked at once.
    #[must_use]
    pub fn new<'p>(patterns: impl Iterator<Item = &'p Pattern>) -> Option<Self> {
        let mut builder = GlobSetBuilder::new();
        patterns.for_each(|pattern| _ = builder.add(pattern.glob.clone()));
        builder.build().ok().map(Self)
    }

    /// The numbers of those that mean a path or a name, ascending.
    #[must_use]
    pub fn matching(&self, path: &str) -> Vec<usize> {
        self.0.matches(path)
    }
}

/// A regular expression with the groups `clip` and `frame`.
#[derive(Clone)]
pub struct Expression(Regex);

impl Expression {
    /// The clip and the frame number of a name, where it matches as a whole.
    #[must_use]
    pub fn read<'n>(&self, name: &'n str) -> Option<(&'n str, &'n str)> {
        let found = self.0.captures(name)?;
        Some((found.name("clip")?.as_str(), found.name("frame")?.as_str()))
    }
}

impl FromStr for Expression {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let regex = Regex::new(&format!("^(?:{text})$"));
        let regex = regex.map_err(|error| format!("a regular expression, but {}", last_line(&error.to_string())))?;
        for group in ["clip", "frame"] {
            if !regex.capture_names().any(|name| name == Some(group)) {
                return Err(format!("it has no group (?<{group}>...)"));
            }
        }
        Ok(Self(regex))
    }
}

/// Where the reason stands; the lines before draw the expression.
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
