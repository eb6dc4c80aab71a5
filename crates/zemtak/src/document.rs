//! Answers as JSON documents: their kind comes first, and lists have one entry per line.

use crate::exit::Exit;
use crate::notice::Notice;
use serde::Serialize;
use serde_json::{Value, json};
use std::borrow::Borrow;
use std::io::{self, Write};
use zemtak_build::Failure;
use zemtak_core::json::one_line;

/// The version of the documents. It changes when a key is removed or its meaning changes, not when one is added.
const VERSION: u32 = 1;

/// A JSON document of any kind.
#[derive(Debug, Clone, Serialize)]
pub struct Document {
    zemtak: u32,
    kind: &'static str,
    #[serde(flatten)]
    answer: Value,
    #[serde(skip_serializing_if = "Option::is_none")]
    warnings: Option<Vec<Notice>>,
}

impl Document {
    /// An answer of a kind, with its notices.
    #[must_use]
    pub fn new(kind: &'static str, answer: Value, warnings: Vec<Notice>) -> Self {
        Self { zemtak: VERSION, kind, answer, warnings: Some(warnings) }
    }

    /// An event while a command is at work.
    #[must_use]
    pub fn event(kind: &'static str, what: Value) -> Self {
        Self { zemtak: VERSION, kind, answer: what, warnings: None }
    }

    /// Why there is no answer.
    #[must_use]
    pub fn of_failure(failure: &Failure) -> Self {
        let what = json!({ "exit": Exit::of(failure.cause()).code(), "errors": failure.problems() });
        Self::event("errors", what)
    }

    /// On one line, without a newline: for streams of events.
    #[must_use]
    pub fn line(&self) -> String {
        one_line(self).unwrap_or_default()
    }

    /// As text that ends in a newline: one key per line, and one entry of a list per line.
    #[must_use]
    pub fn text(&self) -> String {
        let mut out = Vec::new();
        // Writing to memory never fails.
        let _ = self.write(&mut out, &|_| None);
        String::from_utf8(out).unwrap_or_default()
    }

    /// Writes that text. The entries of a list whose key is in `long` come from there one by one: a list of a million
    /// entries is never in memory as a whole.
    ///
    /// # Errors
    /// Writing failed.
    pub fn write<'a>(&self, out: &mut dyn Write, long: &dyn Fn(&str) -> Option<Entries<'a>>) -> io::Result<()> {
        let whole = serde_json::to_value(self).unwrap_or_default();
        for (nth, (key, value)) in whole.as_object().into_iter().flatten().enumerate() {
            write!(out, "{}\n  {}: ", if nth == 0 { "{" } else { "," }, json!(key))?;
            match (long(key), value.as_array()) {
                (Some(entries), _) => write_entries(out, entries)?,
                (None, Some(list)) if !list.iter().all(Value::is_number) => write_entries(out, list.iter())?,
                _ => out.write_all(one_line(value).unwrap_or_default().as_bytes())?,
            }
        }
        out.write_all(b"\n}\n")
    }
}

/// The entries of a list, each made on demand.
pub type Entries<'a> = Box<dyn Iterator<Item = Value> + 'a>;

/// Writes a list with one entry per line.
fn write_entries(out: &mut dyn Write, entries: impl Iterator<Item = impl Borrow<Value>>) -> io::Result<()> {
    let mut any = false;
    out.write_all(b"[")?;
    for entry in entries {
        let entry = one_line(entry.borrow()).unwrap_or_default();
        write!(out, "{}\n    {entry}", if any { "," } else { "" })?;
        any = true;
    }
    out.write_all(if any { b"\n  ]" } else { b"]" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_document_reads_back_and_has_a_line_for_each_entry() {
        let answer =
            json!({ "uv": [{ "sprite": "a\n", "rect": [0, 0.5] }, { "sprite": "b" }], "size": [3, 4], "no": [] });
        let document = Document::new("uv", answer, vec![Notice::of_all("x", "y")]);
        let text = document.text();
        let lines =
            "\n  \"uv\": [\n    { \"sprite\": \"a\\n\", \"rect\": [0, 0.5] },\n    { \"sprite\": \"b\" }\n  ],\n";
        assert!(text.contains(lines) && text.contains("\n  \"size\": [3, 4],\n"), "{text}");
        let read: Value = serde_json::from_str(&text).unwrap();
        assert_eq!(read, serde_json::to_value(&document).unwrap());
        assert_eq!(serde_json::from_str::<Value>(&document.line()).unwrap(), read);
        assert!(!document.line().contains('\n'));
    }
}
