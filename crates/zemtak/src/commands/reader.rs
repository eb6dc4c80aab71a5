//! `zemtak reader`: a source file that reads descriptors in the game's own language.

use crate::report::Report;
use serde_json::{Value, json};

/// A reader's source, and how it is named.
#[derive(Debug)]
struct Source {
    /// Its name on the command line.
    language: &'static str,
    /// Other names for it that are easier to type.
    aliases: &'static [&'static str],
    /// The file's name.
    file: &'static str,
    text: &'static str,
}

macro_rules! sources {
    ($($language:literal $(or $alias:literal)?: $file:literal),+ $(,)?) => {
        const ALL: &[Source] = &[$(Source {
            language: $language,
            aliases: &[$($alias)?],
            file: $file,
            text: include_str!(concat!("../../readers/", $file)),
        }),+];
    };
}

sources! {
    "c": "zemtak_reader.h",
    "c++" or "cpp": "zemtak_reader.hpp",
    "c#" or "csharp": "ZemtakReader.cs",
    "java": "ZemtakReader.java",
    "javascript" or "js": "zemtak-reader.js",
    "lua": "zemtak_reader.lua",
    "python": "zemtak_reader.py",
    "typescript" or "ts": "zemtak-reader.ts",
}

/// The languages, and other names of each.
pub fn languages() -> impl Iterator<Item = (&'static str, &'static [&'static str])> {
    ALL.iter().map(|source| (source.language, source.aliases))
}

/// Which language's reader to print.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReaderRequest {
    /// One of [`languages`].
    pub language: String,
}

/// A reader's text.
#[derive(Debug, Clone, Copy)]
pub struct Reader(Option<&'static Source>);

/// Looks a reader up.
#[must_use]
pub fn run(request: &ReaderRequest) -> Reader {
    Reader(
        ALL.iter()
            .find(|source| source.language == request.language || source.aliases.contains(&request.language.as_str())),
    )
}

impl Report for Reader {
    fn text(&self, _: bool) -> String {
        self.0.map_or_else(String::new, |source| source.text.to_owned())
    }

    fn kind(&self) -> &'static str {
        "reader"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn json(&self) -> Value {
        self.0.map_or(
            Value::Null,
            |Source { language, file, text, .. }| json!({ "language": language, "file": file, "text": text }),
        )
    }
}
