//! `zemtak pack`: builds the atlases of a project, or one of folders and files.

use crate::console::Console;
use crate::difference::Difference;
use crate::exit::Exit;
use crate::notice::Notice;
use crate::opened::Opened;
use crate::origins;
use crate::report::Report;
use crate::summary::{ShownBefore, SummaryReport};
use crate::timings;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_build::{Failure, OutputFile, PackRequest, Packed, ProblemKind, State, Summary, format};
use zemtak_core::atlas::FILE_SUFFIX;

/// What to pack, and what to report.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PackCommand {
    /// What, where to, and how.
    pub pack: PackRequest,
    /// Whether Ctrl-C during the layout search keeps the best layout so far and goes on.
    pub take_best: bool,
    /// Report how the time was spent.
    pub timings: bool,
    /// Whether outdated atlases do not count as a failed check.
    pub dry_run: bool,
    /// Whether warnings count as a failed check.
    pub strict: bool,
    /// Report how each atlas differs from the one it replaces.
    pub diff: bool,
}

/// A finished build.
#[derive(Debug)]
pub struct PackReport {
    packed: Packed,
    request: PackCommand,
    /// How atlases differ from those they replace.
    differences: Vec<Difference>,
}

/// Builds what is out of date. Files are put in place only after everything has succeeded.
///
/// # Errors
/// Anything wrong with project, sources, options or files; what was there before stays.
pub fn run(request: &PackCommand, console: &Console) -> Result<PackReport, Failure> {
    let former = if request.diff { in_place(&request.pack, console)? } else { BTreeMap::new() };
    let packed = request.pack.clone().limits(console.limits).run(&console.watcher().taking_best(request.take_best))?;
    let mut report = PackReport::new(packed, request);
    for summary in report.packed.atlases.iter().filter(|summary| summary.state == State::Built) {
        if let Some(old) = former.get(&summary.descriptor) {
            let new = Opened::read(Path::new(&summary.descriptor), console.allowance())?;
            report.differences.push(Difference::between(old, &new));
        }
    }
    Ok(report)
}

/// The existing atlases that a build may replace, by their descriptors. One that cannot be read is not compared.
///
/// # Errors
/// They take more memory than the run may use.
fn in_place(pack: &PackRequest, console: &Console) -> Result<BTreeMap<String, Opened>, Failure> {
    let out = pack.inputs().out;
    let files = std::fs::read_dir(&out).into_iter().flatten().flatten().map(|entry| out.join(entry.file_name()));
    let descriptors = files.filter(|file| file.to_string_lossy().ends_with(FILE_SUFFIX));
    let mut there = BTreeMap::new();
    for file in descriptors {
        match Opened::read(&file, console.allowance()) {
            Ok(opened) => _ = there.insert(opened.path.clone(), opened),
            Err(failure) if failure.problems().iter().any(|p| p.what == ProblemKind::OverLimit) => return Err(failure),
            Err(_) => {}
        }
    }
    Ok(there)
}

impl PackReport {
    /// A build as an answer.
    #[must_use]
    pub fn new(packed: Packed, request: &PackCommand) -> Self {
        Self { packed, request: request.clone(), differences: Vec::new() }
    }

    /// Whether any atlas was written.
    #[must_use]
    pub fn wrote(&self) -> bool {
        self.packed.wrote()
    }

    /// The same, with one line for each atlas that was built, and without warnings that were shown before.
    #[must_use]
    pub fn in_short(self, told: Vec<Notice>) -> impl Report {
        InShort { report: self, told }
    }
}

impl Report for PackReport {
    fn text(&self, verbose: bool) -> String {
        let Packed { atlases, seconds, spent, .. } = &self.packed;
        let mut told = ShownBefore::new();
        let full = |s: &Summary| verbose || (self.request.dry_run && s.state != State::Unchanged);
        let text = |s: &Summary| SummaryReport(s).text(full(s), &mut told);
        let mut out: String = atlases.iter().map(text).collect();
        for file in self.packed.joint.iter().filter(|file| verbose || file.changed) {
            let state = match (file.changed, self.request.pack.check) {
                (false, _) => "unchanged",
                (true, true) => "out of date",
                (true, false) => "built",
            };
            out.push_str(&format!("{} of all atlases: {state}\n", format::name(&format::path(&file.path))));
        }
        if atlases.len() > 1 || self.request.pack.check {
            let built = atlases.iter().filter(|s| s.state != State::Unchanged).count();
            let word = if self.request.pack.check { "out of date" } else { "built" };
            let unchanged = atlases.len() - built;
            out.push_str(&format!("{built} {word}, {unchanged} unchanged in {seconds:.2} s\n"));
        }
        out.extend(self.packed.shared.as_ref().map(|shared| origins::shared_text(shared, &self.packed.account)));
        self.differences.iter().for_each(|difference| out.push_str(&difference.text(verbose)));
        if self.request.dry_run {
            out.push_str("nothing was written\n");
        }
        if verbose || self.request.timings {
            out.push_str("where parts came from; work is the time of one thread\n");
            out.push_str(&origins::text(&self.packed.account));
        }
        if self.request.timings {
            out.push_str(&timings::text(spent));
        }
        out
    }

    fn json(&self) -> Value {
        let atlases: Vec<Value> = self.packed.atlases.iter().map(|s| SummaryReport(s).json()).collect();
        let mut json = json!({
            "atlases": atlases, "seconds": self.packed.seconds, "origins": origins::json(&self.packed.account),
        });
        if !self.packed.joint.is_empty() {
            let file = |f: &OutputFile| json!({ "file": format::path(&f.path), "changed": f.changed });
            json["of_all_atlases"] = self.packed.joint.iter().map(file).collect();
        }
        if let Some(shared) = &self.packed.shared {
            json["shared_store"] = origins::shared_json(shared);
        }
        if self.request.diff {
            json["differences"] = self.differences.iter().map(Difference::json).collect();
        }
        if self.request.timings {
            json["timings_ms"] = timings::json(&self.packed.spent);
        }
        json
    }

    fn kind(&self) -> &'static str {
        "pack"
    }

    fn warnings(&self) -> Vec<Notice> {
        self.packed.all_warnings().iter().map(Notice::from).collect()
    }

    fn exit(&self) -> Exit {
        let check = self.request.pack.check && !self.request.dry_run;
        let found = check && self.packed.out_of_date();
        if found || (self.request.strict && !self.warnings().is_empty()) { Exit::Found } else { Exit::Done }
    }
}

/// A repack as `zemtak watch` reports it.
struct InShort {
    report: PackReport,
    told: Vec<Notice>,
}

impl Report for InShort {
    fn text(&self, _: bool) -> String {
        let built = self.report.packed.atlases.iter().filter(|s| s.state == State::Built);
        let lines: String = built.map(|s| SummaryReport(s).short() + "\n").collect();
        if lines.is_empty() { "all is well again, and nothing had to be written\n".into() } else { lines }
    }

    fn json(&self) -> Value {
        self.report.json()
    }

    fn kind(&self) -> &'static str {
        self.report.kind()
    }

    fn warnings(&self) -> Vec<Notice> {
        self.report.warnings().into_iter().filter(|warning| !self.told.contains(warning)).collect()
    }
}
