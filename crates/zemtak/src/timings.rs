//! `--timings`: how the time of a build is spent, by stage.

use serde_json::{Map, Value, json};
use zemtak_build::{Spent, format};

/// One line per stage, with its share of the total.
#[must_use]
pub fn text(spent: &Spent) -> String {
    let all: u64 = spent.by_stage().map(|(_, nanoseconds)| nanoseconds).sum();
    let line = |(stage, nanoseconds): (zemtak_build::Stage, u64)| {
        let share = format::percent(nanoseconds, all.max(1));
        format!("  {:<9}{:>9.1} ms {share:>8}\n", stage.name(), milliseconds(nanoseconds))
    };
    let lines: String = spent.by_stage().map(line).collect();
    format!("time by stage, that of all threads together\n{lines}")
}

/// Milliseconds by stage.
#[must_use]
pub fn json(spent: &Spent) -> Value {
    let entries = spent.by_stage().map(|(stage, nanoseconds)| {
        let name = stage.name().replace(' ', "_");
        (name, json!(milliseconds(nanoseconds)))
    });
    Value::Object(entries.collect::<Map<_, _>>())
}

#[expect(clippy::cast_precision_loss, reason = "a time for people")]
fn milliseconds(nanoseconds: u64) -> f64 {
    // Whole microseconds: anything below is noise.
    (nanoseconds / 1000) as f64 / 1000.0
}
