//! `zemtak pack`: builds the atlases of a project, or one of folders and files.

use crate::console::Console;
use crate::exit::Exit;
use crate::notice::Notice;
use crate::report::Report;
use crate::summary::{PassedOver, SummaryReport};
use crate::timings;
use serde_json::{Value, json};
use zemtak_build::{Failure, PackRequest, Packed, State, Summary};

/// What to pack, and what to tell of it.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PackCommand {
    /// What, where to, and how.
    pub pack: PackRequest,
    /// Whether a Ctrl-C during the search for a layout means to go on with the best so far.
    pub take_best: bool,
    /// Tell where the time goes.
    pub timings: bool,
}

/// What was built, ready to be told.
#[derive(Debug)]
pub struct PackReport {
    packed: Packed,
    check: bool,
    timings: bool,
}

/// Builds what is out of date. Files are put in place when everything has succeeded.
///
/// # Errors
/// Anything wrong with project, sources, options or files; what was there before stays.
pub fn run(request: &PackCommand, console: &Console) -> Result<PackReport, Failure> {
    let packed = request.pack.run(&console.watcher().taking_best(request.take_best))?;
    Ok(PackReport::new(packed, request))
}

impl PackReport {
    /// What is to be told of a build.
    #[must_use]
    pub fn new(packed: Packed, request: &PackCommand) -> Self {
        Self { packed, check: request.pack.check, timings: request.timings }
    }

    /// Whether any atlas was written.
    #[must_use]
    pub fn wrote(&self) -> bool {
        self.packed.wrote()
    }

    /// The same, told with a line for each atlas that was built.
    #[must_use]
    pub fn in_short(self) -> impl Report {
        InShort(self)
    }
}

impl Report for PackReport {
    fn text(&self, verbose: bool) -> String {
        let Packed { atlases, seconds, spent, .. } = &self.packed;
        let mut told = PassedOver::new();
        let mut out: String = atlases.iter().map(|s| SummaryReport(s).text(verbose, &mut told)).collect();
        if atlases.len() > 1 || self.check {
            let built = atlases.iter().filter(|s| s.state != State::Unchanged).count();
            let word = if self.check { "out of date" } else { "built" };
            let unchanged = atlases.len() - built;
            out.push_str(&format!("{built} {word}, {unchanged} unchanged in {seconds:.2} s\n"));
        }
        if self.timings {
            out.push_str(&timings::text(spent));
        }
        out
    }

    fn json(&self) -> Value {
        let atlases: Vec<Value> = self.packed.atlases.iter().map(|s| SummaryReport(s).json()).collect();
        let mut json = json!({ "atlases": atlases, "seconds": self.packed.seconds });
        if self.timings {
            json["timings_ms"] = timings::json(&self.packed.spent);
        }
        json
    }

    fn kind(&self) -> &'static str {
        "pack"
    }

    fn warnings(&self) -> Vec<Notice> {
        let of_atlases = self.packed.atlases.iter().flat_map(Summary::all_warnings);
        self.packed.warnings.iter().cloned().chain(of_atlases).map(|warning| Notice::from(&warning)).collect()
    }

    fn exit(&self) -> Exit {
        if self.check && self.packed.out_of_date() { Exit::Found } else { Exit::Done }
    }
}

/// A repack as `zemtak watch` tells it.
struct InShort(PackReport);

impl Report for InShort {
    fn text(&self, _: bool) -> String {
        let Packed { atlases, seconds, .. } = &self.0.packed;
        let built = atlases.iter().filter(|s| s.state == State::Built);
        let lines: String = built.map(|s| format!("{} in {seconds:.2} s\n", SummaryReport(s).line())).collect();
        if lines.is_empty() { "all is well again, and nothing had to be written\n".into() } else { lines }
    }

    fn json(&self) -> Value {
        self.0.json()
    }

    fn kind(&self) -> &'static str {
        self.0.kind()
    }

    fn warnings(&self) -> Vec<Notice> {
        self.0.warnings()
    }
}
