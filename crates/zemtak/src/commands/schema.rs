//! `zemtak schema`: the JSON Schemas of the files that the tool writes.

use crate::report::Report;
use serde_json::Value;

/// The schema of `NAME.zemtak.json`.
pub const DESCRIPTOR: &str = include_str!("../../schemas/descriptor.schema.json");

/// Which schema to print.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SchemaRequest {
    /// That of the descriptor.
    Descriptor,
}

/// A schema's text.
#[derive(Debug, Clone, Copy)]
pub struct Schema(&'static str);

/// Looks a schema up.
#[must_use]
pub fn run(request: SchemaRequest) -> Schema {
    match request {
        SchemaRequest::Descriptor => Schema(DESCRIPTOR),
    }
}

impl Report for Schema {
    fn text(&self, _: bool) -> String {
        self.0.to_owned()
    }

    fn json(&self) -> Value {
        serde_json::from_str(self.0).unwrap_or(Value::Null)
    }
}
