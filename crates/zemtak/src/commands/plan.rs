//! `zemtak plan`: splits a build into shares before it is made.

use crate::columns::Columns;
use crate::console::Console;
use crate::notice::Notice;
use crate::origins::seconds;
use crate::report::Report;
use serde_json::{Value, json};
use std::time::Duration;
use zemtak_build::store::SharedTally;
use zemtak_build::{Failure, PackRequest, PlannedShare, PlannedUnit, WorkPlan, format};

/// What to split, and into how many shares.
#[derive(Debug, Clone, PartialEq)]
pub struct PlanRequest {
    /// The build.
    pub pack: PackRequest,
    /// How many shares.
    pub shares: u32,
}

/// Splits a build.
///
/// # Errors
/// Anything wrong with project, sources or options.
pub fn run(request: &PlanRequest, console: &Console) -> Result<PlanReport, Failure> {
    let pack = request.pack.clone().limits(console.limits);
    pack.plan(request.shares, &console.watcher()).map(PlanReport)
}

/// A build split into shares.
#[derive(Debug)]
pub struct PlanReport(WorkPlan);

impl Report for PlanReport {
    fn text(&self, verbose: bool) -> String {
        let WorkPlan { shares, total, .. } = &self.0;
        let mut out = if verbose || shares.len() == 1 { units(shares) } else { per_share(shares) };
        let count = shares.iter().map(|share| share.units.len()).sum();
        let units = format::count(count, "unit", "units");
        out.push_str(&format!("{units}, about {} of work for one thread\n", seconds(*total)));
        if shares.len() > 1 {
            let all: Duration = shares.iter().map(PlannedShare::work).sum();
            let largest = shares.iter().map(PlannedShare::work).max().unwrap_or_default();
            let mean = all.as_secs_f64() / shares.len().max(1) as f64;
            out.push_str(&format!(
                "{} shares: together {:.2} times that, the largest {:.2} times the mean\n",
                shares.len(),
                all.as_secs_f64() / total.as_secs_f64().max(1e-9),
                largest.as_secs_f64() / mean.max(1e-9),
            ));
        }
        out
    }

    fn json(&self) -> Value {
        let unit = |unit: &PlannedUnit| {
            let inputs: Vec<String> = unit.inputs.iter().map(|path| format::path(path)).collect();
            json!({
                "atlas": unit.atlas, "size": unit.size, "part": unit.part.map(|(part, of)| json!({ "number": part, "of": of })),
                "work_seconds": unit.work.as_secs_f64(), "key": unit.key, "inputs": inputs, "in_store": unit.in_store,
            })
        };
        let share = |(at, share): (usize, &PlannedShare)| {
            let units: Vec<Value> = share.units.iter().map(unit).collect();
            json!({ "share": at + 1, "work_seconds": share.work().as_secs_f64(), "units": units })
        };
        let shares: Vec<Value> = self.0.shares.iter().enumerate().map(share).collect();
        json!({ "shares": shares, "work_seconds": self.0.total.as_secs_f64(), "store": self.0.shared.as_ref().map(|shared| &shared.store) })
    }

    fn kind(&self) -> &'static str {
        "plan"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        let warning = self.0.shared.as_ref().and_then(SharedTally::warning);
        warning.iter().map(Notice::from).collect()
    }
}

/// One line per unit.
fn units(shares: &[PlannedShare]) -> String {
    let mut table = Columns::new(["share", "atlas", "pages", "images", "work", "in the store"]);
    for (at, share) in shares.iter().enumerate() {
        for unit in &share.units {
            let name = unit.size.as_ref().unwrap_or(&unit.atlas);
            let part = unit.part.map_or_else(|| "all".to_owned(), |(part, of)| format!("part {part} of {of}"));
            let there = unit.in_store.map_or("", |there| if there { "yes" } else { "no" });
            let images = format::number(unit.inputs.len() as u64);
            table.row([&(at + 1), name, &part, &images, &seconds(unit.work), &there]);
        }
    }
    table.lines(&[0, 3, 4])
}

/// One line per share.
fn per_share(shares: &[PlannedShare]) -> String {
    let mut table = Columns::new(["share", "units", "work", "in the store"]);
    for (at, share) in shares.iter().enumerate() {
        let there = share.units.iter().filter(|unit| unit.in_store == Some(true)).count();
        let there =
            if share.units.iter().any(|unit| unit.in_store.is_some()) { there.to_string() } else { String::new() };
        table.row([&(at + 1), &share.units.len(), &seconds(share.work()), &there]);
    }
    table.lines(&[0, 1, 2, 3])
}
