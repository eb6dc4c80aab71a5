//! The descriptor's text: one sprite and one clip a line, keys in order, so that a repack gives a readable diff.

use super::{Atlas, VERSION};
use crate::json::one_line;
use serde::de::{Error as _, MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::fmt::{self, Display, Write as _};
use std::marker::PhantomData;

/// A descriptor that was read, and the keys in it that this version does not know.
#[derive(Debug, Clone, PartialEq)]
pub struct Parsed {
    /// The descriptor.
    pub atlas: Atlas,
    /// Paths of unknown keys, as `pages.0.gamma`: left unread by readers, a flaw to `verify`.
    #[cfg(feature = "unknown-keys")]
    pub unknown: Vec<String>,
}

/// Why a text is not a descriptor.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ParseError {
    /// Not JSON, or not of the descriptor's shape.
    #[error("{reason}")]
    Json {
        /// The line, from 1.
        line: usize,
        /// The column in bytes, from 1.
        column: usize,
        /// What is wrong there.
        reason: String,
    },
    /// Another version of the format.
    #[error("it has format version {0}, this program reads version {VERSION}")]
    Version(u64),
    /// It needs something that this version does not know.
    #[error("it needs {}, which this version does not know", .0.join(", "))]
    Needs(Vec<String>),
}

impl From<serde_json::Error> for ParseError {
    fn from(error: serde_json::Error) -> Self {
        let (line, column) = (error.line(), error.column());
        let text = error.to_string();
        // serde_json repeats the position in its text; it is told apart from the reason here.
        let reason = text.strip_suffix(&format!(" at line {line} column {column}")).unwrap_or(&text).to_owned();
        Self::Json { line, column, reason }
    }
}

/// Reads a descriptor's text. Its numbers are not checked yet: see [`Atlas::check`].
///
/// # Errors
/// [`ParseError`]: not a descriptor, another version, unknown needs.
pub fn parse(text: &str) -> Result<Parsed, ParseError> {
    #[derive(Deserialize)]
    struct Head {
        zemtak: u64,
        #[serde(default)]
        needs: Vec<String>,
    }
    match read(text) {
        Ok(parsed) if parsed.atlas.zemtak == VERSION && parsed.atlas.needs.is_empty() => Ok(parsed),
        result => {
            // Another version may have another shape, so that is told before what is wrong with this one.
            let head: Head = serde_json::from_str(text)?;
            if head.zemtak != u64::from(VERSION) {
                return Err(ParseError::Version(head.zemtak));
            }
            if !head.needs.is_empty() {
                return Err(ParseError::Needs(head.needs));
            }
            Ok(result?)
        }
    }
}

#[cfg(feature = "unknown-keys")]
fn read(text: &str) -> serde_json::Result<Parsed> {
    let mut unknown = Vec::new();
    let mut reader = serde_json::Deserializer::from_str(text);
    let atlas = serde_ignored::deserialize(&mut reader, |path| unknown.push(path.to_string()))?;
    reader.end()?;
    Ok(Parsed { atlas, unknown })
}

#[cfg(not(feature = "unknown-keys"))]
fn read(text: &str) -> serde_json::Result<Parsed> {
    Ok(Parsed { atlas: serde_json::from_str(text)? })
}

impl Atlas {
    /// The descriptor as text, with a newline at the end.
    ///
    /// # Errors
    /// Where a number is not finite or data of the project's own cannot be written as JSON.
    pub fn to_text(&self) -> Result<String, serde_json::Error> {
        let mut out = String::from("{\n");
        let mut line = |key: &str, value: String| {
            let comma = if key == "clips" { "" } else { "," };
            let _ = writeln!(out, "  \"{key}\": {value}{comma}");
        };
        line("zemtak", one_line(&self.zemtak)?);
        line("needs", one_line(&self.needs)?);
        line("name", one_line(&self.name)?);
        if let Some(build) = &self.build_id {
            line("build_id", one_line(build)?);
        }
        line("scale", one_line(&self.scale)?);
        if let Some(base) = &self.base {
            line("base", one_line(base)?);
        }
        line("built", one_line(&self.built)?);
        if !self.companions.is_empty() {
            line("companions", block(self.companions.iter().map(|(file, hash)| entry(file, hash)), "{}")?);
        }
        line("pages", block(self.pages.iter().map(one_line), "[]")?);
        line("sprites", block(self.sprites.iter().map(|(name, s)| entry(name, s)), "{}")?);
        line("clips", block(self.clips.iter().map(|(name, c)| entry(name, c)), "{}")?);
        out.push_str("}\n");
        Ok(out)
    }
}

fn entry(name: &impl Serialize, value: &impl Serialize) -> Result<String, serde_json::Error> {
    Ok(format!("{}: {}", one_line(name)?, one_line(value)?))
}

/// One entry a line between brackets.
fn block(entries: impl Iterator<Item = serde_json::Result<String>>, brackets: &str) -> serde_json::Result<String> {
    let lines = entries.collect::<Result<Vec<_>, _>>()?;
    let (open, close) = brackets.split_at(1);
    if lines.is_empty() {
        return Ok(brackets.to_owned());
    }
    Ok(format!("{open}\n    {}\n  {close}", lines.join(",\n    ")))
}

/// Reads a map and refuses a key that comes twice.
pub(super) fn unique_keys<'de, D, K, V>(deserializer: D) -> Result<BTreeMap<K, V>, D::Error>
where
    D: Deserializer<'de>,
    K: Deserialize<'de> + Ord + Display,
    V: Deserialize<'de>,
{
    struct Unique<K, V>(PhantomData<(K, V)>);

    impl<'de, K: Deserialize<'de> + Ord + Display, V: Deserialize<'de>> Visitor<'de> for Unique<K, V> {
        type Value = BTreeMap<K, V>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("an object")
        }

        fn visit_map<A: MapAccess<'de>>(self, mut access: A) -> Result<Self::Value, A::Error> {
            let twice = |key: &K| A::Error::custom(format!("\"{key}\" comes twice"));
            // In order, as we write them, each key is compared with the last one only.
            let mut sorted: Vec<(K, V)> = Vec::new();
            while let Some(key) = access.next_key::<K>()? {
                match sorted.last().map(|(last, _)| last.cmp(&key)) {
                    None | Some(Ordering::Less) => sorted.push((key, access.next_value()?)),
                    Some(Ordering::Equal) => return Err(twice(&key)),
                    Some(Ordering::Greater) => {
                        let mut map: BTreeMap<K, V> = sorted.into_iter().collect();
                        let mut next = Some(key);
                        while let Some(key) = next {
                            if map.contains_key(&key) {
                                return Err(twice(&key));
                            }
                            map.insert(key, access.next_value()?);
                            next = access.next_key()?;
                        }
                        return Ok(map);
                    }
                }
            }
            Ok(sorted.into_iter().collect())
        }
    }

    deserializer.deserialize_map(Unique(PhantomData))
}
