//! The descriptor's text: one line for each sprite and clip, keys in order, so that a repack gives a readable diff.

use super::{Atlas, VERSION};
use crate::json::{self, append};
use serde::{Deserialize, Serialize};

/// A descriptor that was read, and the keys in it that this version does not know.
#[derive(Debug, Clone, PartialEq)]
pub struct Parsed {
    /// The descriptor.
    pub atlas: Atlas,
    /// Paths of unknown keys, such as `pages.0.gamma`: readers ignore them, `verify` reports them.
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
        // serde_json repeats the position in its message; here it is separated from the reason.
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
            // Another version may have another shape, so the version is reported before anything else.
            let head: Head = read_object(text)?;
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
    let mut note = |path: serde_ignored::Path<'_>| unknown.push(path.to_string());
    let atlas = json::object(serde_ignored::Deserializer::new(&mut reader, &mut note))?;
    reader.end()?;
    Ok(Parsed { atlas, unknown })
}

#[cfg(not(feature = "unknown-keys"))]
fn read(text: &str) -> serde_json::Result<Parsed> {
    read_object(text).map(|atlas| Parsed { atlas })
}

fn read_object<T: for<'de> Deserialize<'de>>(text: &str) -> serde_json::Result<T> {
    let mut reader = serde_json::Deserializer::from_str(text);
    let value = json::object(&mut reader)?;
    reader.end().map(|()| value)
}

impl Atlas {
    /// The descriptor as text, with a newline at the end.
    ///
    /// # Errors
    /// Where a number is not finite or data of the project's own cannot be written as JSON.
    pub fn to_text(&self) -> Result<String, serde_json::Error> {
        let mut text = Text(b"{".to_vec());
        text.value("zemtak", &self.zemtak)?;
        text.value("needs", &self.needs)?;
        text.value("name", &self.name)?;
        if let Some(build) = &self.build_id {
            text.value("build_id", build)?;
        }
        text.value("scale", &self.scale)?;
        if let Some(base) = &self.base {
            text.value("base", base)?;
        }
        text.value("built", &self.built)?;
        if !self.companions.is_empty() {
            text.block("companions", b"{}", &self.companions, Text::entry)?;
        }
        text.block("pages", b"[]", &self.pages, append)?;
        text.block("sprites", b"{}", &self.sprites, Text::entry)?;
        text.block("clips", b"{}", &self.clips, Text::entry)?;
        text.0.extend_from_slice(b"\n}\n");
        String::from_utf8(text.0).map_err(serde::ser::Error::custom)
    }
}

/// The text of a descriptor as far as it is written.
struct Text(Vec<u8>);

impl Text {
    fn key(&mut self, key: &str) -> serde_json::Result<()> {
        let first = self.0.len() == 1;
        self.0.extend_from_slice(if first { b"\n  " } else { b",\n  " });
        append(key, &mut self.0)?;
        self.0.extend_from_slice(b": ");
        Ok(())
    }

    fn value(&mut self, key: &str, value: &impl Serialize) -> serde_json::Result<()> {
        self.key(key)?;
        append(value, &mut self.0)
    }

    /// One entry a line between brackets, each as `write` appends it.
    fn block<T>(
        &mut self,
        key: &str,
        [open, close]: &[u8; 2],
        entries: impl IntoIterator<Item = T>,
        write: impl Fn(T, &mut Vec<u8>) -> serde_json::Result<()>,
    ) -> serde_json::Result<()> {
        self.key(key)?;
        self.0.push(*open);
        let start = self.0.len();
        for entry in entries {
            let first = self.0.len() == start;
            self.0.extend_from_slice(if first { b"\n    " } else { b",\n    " });
            write(entry, &mut self.0)?;
        }
        if self.0.len() > start {
            self.0.extend_from_slice(b"\n  ");
        }
        self.0.push(*close);
        Ok(())
    }

    fn entry<K: Serialize, V: Serialize>((name, value): (&K, &V), out: &mut Vec<u8>) -> serde_json::Result<()> {
        append(name, out)?;
        out.extend_from_slice(b": ");
        append(value, out)
    }
}
