//! `zemtak schema`: the JSON Schemas of the descriptor and of every answer.

use crate::report::Report;
use serde_json::Value;

macro_rules! schemas {
    ($($name:literal),+ $(,)?) => {
        /// The schemas by name.
        const ALL: &[(&str, &str)] = &[$(($name, include_str!(concat!("../../schemas/", $name, ".schema.json")))),+];
    };
}

schemas! {
    "descriptor",
    "changed",
    "clip-at",
    "clip-list",
    "clip-render",
    "clip-table",
    "cut",
    "demo",
    "describe",
    "diff",
    "errors",
    "export",
    "grid",
    "list",
    "mips",
    "new",
    "pack",
    "pattern",
    "plan",
    "progress",
    "quad",
    "raw-pages",
    "reader",
    "rehearse",
    "scan",
    "serving",
    "setup",
    "share",
    "store-check",
    "store-info",
    "store-trim",
    "uv",
    "uv-points",
    "verify",
    "view",
    "watch",
    "watching",
}

/// The names of all schemas: the descriptor, then the kinds of answers.
pub fn names() -> impl Iterator<Item = &'static str> {
    ALL.iter().map(|(name, _)| *name)
}

/// The schema to print.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SchemaRequest {
    /// Its name, one of [`names`].
    pub name: String,
}

/// A schema's text.
#[derive(Debug, Clone, Copy)]
pub struct Schema(&'static str);

/// Looks a schema up.
#[must_use]
pub fn run(request: &SchemaRequest) -> Schema {
    Schema(ALL.iter().find(|(name, _)| *name == request.name).map_or("", |(_, text)| text))
}

impl Report for Schema {
    fn text(&self, _: bool) -> String {
        self.0.to_owned()
    }

    fn is_document(&self) -> bool {
        true
    }

    fn kind(&self) -> &'static str {
        "schema"
    }

    fn json(&self) -> Value {
        serde_json::from_str(self.0).unwrap_or(Value::Null)
    }
}
