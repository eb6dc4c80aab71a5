//! `zemtak verify`: proves an atlas against its own promises and its sources.

use crate::console::Console;
use crate::descriptor;
use crate::exit::Exit;
use crate::notice::Notice;
use crate::report::{Report, failure_text};
use crate::style::{NAME, WRONG};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::{Failure, Proof, Verify, format};
use zemtak_runtime::HashCheck;

/// What to verify.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VerifyRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The folder that the sprites' names are relative to.
    pub against: Option<PathBuf>,
    /// The project file, whose rules tell which images layers come from; by default the nearest one.
    pub project: Option<PathBuf>,
    /// The level down to which no sprite may show pixels of others, sampled as its page asks.
    pub mips: Option<u32>,
}

/// What was asked, and what came of it.
#[derive(Debug, Clone)]
pub struct VerifyReport {
    asked: VerifyRequest,
    proof: Proof,
    defects: Vec<Notice>,
}

/// Compares the descriptor, its pages and (if given) its sources.
///
/// # Errors
/// The descriptor cannot be read or trusted. Everything else is a result of the check.
pub fn run(request: &VerifyRequest, console: &Console) -> Result<VerifyReport, Failure> {
    let file = descriptor::open(&request.descriptor, console.allowance())?;
    let proof = Verify {
        descriptor: &request.descriptor,
        atlas: file.atlas(),
        unknown_keys: file.unknown_keys(),
        read: &|page, layer| Ok(file.read_image(page, layer, HashCheck::Yes)?),
        against: request.against.as_deref(),
        project: request.project.as_deref(),
        mips: request.mips,
        allowance: console.allowance(),
    }
    .run(&console.watcher())?;
    let defects = proof.defects.iter().map(Notice::from).collect();
    Ok(VerifyReport { asked: request.clone(), proof, defects })
}

impl VerifyReport {
    /// Against what they were compared.
    fn write_layers(&self, out: &mut String) {
        let list = |names: &BTreeSet<String>| names.iter().map(String::as_str).collect::<Vec<_>>().join(", ");
        let (compared, others) = (list(&self.proof.layers_compared), list(&self.proof.other_layers));
        if !compared.is_empty() {
            let _ = match self.proof.holds() {
                true => writeln!(out, "  so does every value of its layers ({compared})"),
                false => writeln!(out, "  layers ({compared}) were compared with their images too"),
            };
        }
        if !others.is_empty() {
            let _ = writeln!(
                out,
                "  layers ({others}) were compared with the descriptor only; --project tells which images they come from"
            );
        }
    }
}

impl Report for VerifyReport {
    fn text(&self, verbose: bool) -> String {
        let mut out = String::new();
        let sprites = format::count(self.proof.sprites, "sprite", "sprites");
        let pages = format::count(self.proof.pages, "page", "pages");
        let descriptor = format::name(&format::path(&self.asked.descriptor));
        if self.proof.holds() {
            let _ = writeln!(out, "{NAME}{descriptor}{NAME:#}: {sprites} on {pages}, all as promised");
            let _ = writeln!(out, "  files, sizes, hashes, numbers, gutters and rings are as the descriptor says");
            if let Some(level) = self.asked.mips {
                let _ = writeln!(out, "  down to mip level {level} no sprite bleeds: no sample takes in a neighbour");
            }
        } else {
            let count = format::count(self.defects.len(), "defect", "defects");
            let _ = writeln!(out, "{NAME}{descriptor}{NAME:#}: {sprites} on {pages}, {WRONG}{count}{WRONG:#}");
            let most = if verbose { usize::MAX } else { 50 };
            for defect in self.defects.iter().take(most) {
                let _ = writeln!(out, "  {}", format::name(&defect.text));
            }
            if self.defects.len() > most {
                let more = format::number((self.defects.len() - most) as u64);
                let _ = writeln!(out, "  and {more} more (-v lists them)");
            }
        }
        if let Some(root) = &self.asked.against {
            let root = format::name(&format::path(root));
            if self.proof.holds() {
                let as_source = match self.proof.pages_in_blocks {
                    0 => format!("every pixel of every sprite, put back on its canvas, equals its source in {root}"),
                    _ => format!(
                        "every sprite, put back on its canvas, matches its source in {root}: closely on block-compressed pages, \
                         exactly on others"
                    ),
                };
                let _ = writeln!(out, "  {as_source}");
            }
            self.write_layers(&mut out);
            if self.proof.images_not_in_atlas > 0 {
                let images = format::count(self.proof.images_not_in_atlas, "image is", "images are");
                let _ = writeln!(out, "  {images} below {root} but not in this atlas");
            }
        }
        if !self.proof.problems.is_empty() {
            out.push_str(&failure_text(&Failure::all(self.proof.problems.clone())));
        }
        out
    }

    fn kind(&self) -> &'static str {
        "verify"
    }

    fn json(&self) -> Value {
        json!({
            "descriptor": format::path(&self.asked.descriptor),
            "against": self.asked.against.as_deref().map(format::path),
            "mips": self.asked.mips,
            "holds": self.proof.holds(),
            "sprites": self.proof.sprites,
            "pages": self.proof.pages,
            "layers_compared": self.proof.layers_compared,
            "images_not_in_atlas": self.proof.images_not_in_atlas,
            "defects": self.defects,
            "errors": self.proof.problems,
        })
    }

    fn exit(&self) -> Exit {
        let found = if self.defects.is_empty() { Exit::Done } else { Exit::Found };
        self.proof.problems.iter().map(|p| Exit::of(p.cause)).max().unwrap_or(found).max(found)
    }
}
