//! The descriptor's text: one sprite and one clip a line, keys in order, so that a repack gives a readable diff.

use super::{Atlas, VERSION};
use serde::de::{Error as _, MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use serde_json::ser::Formatter;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::fmt::{self, Display, LowerExp, Write as _};
use std::io;
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
        line("zemtak", spaced(&self.zemtak)?);
        line("needs", spaced(&self.needs)?);
        line("name", spaced(&self.name)?);
        if let Some(build) = &self.build_id {
            line("build_id", spaced(build)?);
        }
        line("scale", spaced(&self.scale)?);
        if let Some(base) = &self.base {
            line("base", spaced(base)?);
        }
        line("built", spaced(&self.built)?);
        if !self.companions.is_empty() {
            line("companions", block(self.companions.iter().map(|(file, hash)| entry(file, hash)), "{}")?);
        }
        line("pages", block(self.pages.iter().map(spaced), "[]")?);
        line("sprites", block(self.sprites.iter().map(|(name, s)| entry(name, s)), "{}")?);
        line("clips", block(self.clips.iter().map(|(name, c)| entry(name, c)), "{}")?);
        out.push_str("}\n");
        Ok(out)
    }
}

fn entry(name: &impl Serialize, value: &impl Serialize) -> Result<String, serde_json::Error> {
    Ok(format!("{}: {}", spaced(name)?, spaced(value)?))
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

/// A value on one line, with a space after each colon and comma.
fn spaced(value: &(impl Serialize + ?Sized)) -> Result<String, serde_json::Error> {
    let mut out = Vec::new();
    value.serialize(&mut serde_json::Serializer::with_formatter(&mut out, Spaced))?;
    Ok(String::from_utf8_lossy(&out).into_owned())
}

struct Spaced;

impl Formatter for Spaced {
    fn begin_array_value<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        writer.write_all(if first { b"" } else { b", " })
    }

    fn begin_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b"{ ")
    }

    fn end_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b" }")
    }

    fn begin_object_key<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        writer.write_all(if first { b"" } else { b", " })
    }

    fn begin_object_value<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b": ")
    }

    fn write_f32<W: ?Sized + io::Write>(&mut self, writer: &mut W, value: f32) -> io::Result<()> {
        shortest(writer, value)
    }

    fn write_f64<W: ?Sized + io::Write>(&mut self, writer: &mut W, value: f64) -> io::Result<()> {
        shortest(writer, value)
    }
}

/// The shortest decimal text that reads back as the same number: 16, not 16.0. An exponent only where it saves a line of
/// zeros.
fn shortest<W: ?Sized + io::Write>(writer: &mut W, value: impl Display + LowerExp) -> io::Result<()> {
    let plain = value.to_string();
    if plain.len() > 24 { write!(writer, "{value:e}") } else { writer.write_all(plain.as_bytes()) }
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
