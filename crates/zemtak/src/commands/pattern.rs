//! `zemtak pattern`: a test texture.

use crate::output;
use crate::report::Report;
use serde_json::{Value, json};
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_core::codec::{Mark, PngEffort, encode_marked_png};
use zemtak_core::geometry::Size;
use zemtak_core::pattern::{PatternKind, pattern};

/// The longest side of a pattern.
pub const LONGEST_SIDE: u32 = 16384;

/// The pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PatternRequest {
    /// Its size.
    pub size: Size,
    /// Its purpose.
    pub kind: PatternKind,
    /// The file.
    pub out: PathBuf,
    /// Replace an existing file.
    pub force: bool,
}

/// A pattern that was written.
#[derive(Debug, Clone)]
pub struct Written {
    request: PatternRequest,
    bytes: usize,
}

/// Draws it and writes it.
///
/// # Errors
/// The file is there already, or cannot be written.
pub fn run(request: &PatternRequest) -> Result<Written, Failure> {
    let place = format::path(&request.out);
    let help = "ask for a smaller one";
    let too_large = || Problem::bad_input(ProblemKind::CannotDrawPattern, &place, "it is too large", help);
    let picture = pattern(request.kind, request.size).ok_or_else(too_large)?;
    let encoded = encode_marked_png(&picture, PngEffort::Balanced, Mark::Pattern);
    let bytes = encoded.map_err(|error| Problem::not_encoded(&place, &error, help))?;
    output::check(&request.out, ResultKind::Picture(Mark::Pattern), request.force, [])?;
    write::prepare(&request.out, &bytes)?.commit()?;
    Ok(Written { request: request.clone(), bytes: bytes.len() })
}

/// What to look for when the pattern is drawn.
fn about(kind: PatternKind) -> &'static str {
    match kind {
        PatternKind::Checker => "the middle is a checker of single pixels: plain grey there means blur",
        PatternKind::Uv => "red grows with u, green with v downwards; blue is 0",
        PatternKind::Cells => {
            "cells are numbered from the top left; digits read wrong where something is flipped or turned"
        }
        PatternKind::Channels => {
            "bars of red, green, blue and alpha, each with its letter; alpha runs from opaque to clear"
        }
    }
}

/// A pattern by its name on the command line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NamedKind(pub PatternKind);

impl Keyword for NamedKind {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("checker", "squares, single pixels in the middle: blur, scaling", Self(PatternKind::Checker)),
        ("uv", "red is u, green is v: which place is sampled", Self(PatternKind::Uv)),
        ("cells", "numbered cells: which cell, which way up", Self(PatternKind::Cells)),
        ("channels", "bars of red, green, blue and alpha: swapped channels", Self(PatternKind::Channels)),
    ];
}

impl Report for Written {
    fn text(&self, _: bool) -> String {
        let PatternRequest { size, kind, out, .. } = &self.request;
        let edges = match kind {
            PatternKind::Channels => String::new(),
            _ => "  its edges are red at the top, green on the right, blue at the bottom, yellow on the left: one pixel each\n"
                .to_owned(),
        };
        let bytes = format::bytes(self.bytes as u64);
        format!(
            "{}: {} pattern of {size}, {bytes}\n  {}\n{edges}",
            format::name(&format::path(out)),
            NamedKind(*kind).word(),
            about(*kind)
        )
    }

    fn kind(&self) -> &'static str {
        "pattern"
    }

    fn json(&self) -> Value {
        let PatternRequest { size, kind, out, .. } = &self.request;
        json!({ "file": format::path(out), "pattern": NamedKind(*kind).word(), "size": size, "bytes": self.bytes })
    }
}
