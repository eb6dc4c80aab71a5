//! Where the time of a build goes, by stage.

use serde_json::{Map, Value, json};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

/// A stage of a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stage {
    /// Looking through folders.
    Find,
    /// Reading files, or finding that they are as they were.
    Read,
    /// Bytes to pixels.
    Decode,
    /// Resampling, trimming and what else is done to a sprite.
    Trim,
    /// Telling sprites apart by what is stored.
    Hash,
    /// Looking for a layout.
    LayOut,
    /// Pixels onto pages.
    Compose,
    /// Pages to bytes.
    Encode,
    /// Decoding what was encoded, and comparing it.
    Prove,
    /// Writing files and putting them in their places.
    Write,
}

impl Stage {
    const ALL: [Self; 10] = [
        Self::Find,
        Self::Read,
        Self::Decode,
        Self::Trim,
        Self::Hash,
        Self::LayOut,
        Self::Compose,
        Self::Encode,
        Self::Prove,
        Self::Write,
    ];

    const fn word(self) -> &'static str {
        match self {
            Self::Find => "find",
            Self::Read => "read",
            Self::Decode => "decode",
            Self::Trim => "trim",
            Self::Hash => "hash",
            Self::LayOut => "lay out",
            Self::Compose => "compose",
            Self::Encode => "encode",
            Self::Prove => "prove",
            Self::Write => "write",
        }
    }
}

/// Nanoseconds spent in each stage, those of all threads together.
#[derive(Debug, Default)]
pub struct Timings([AtomicU64; Stage::ALL.len()]);

impl Timings {
    /// Does something that belongs to a stage. What it does in its turn on other threads must count for itself.
    pub fn time<T>(&self, stage: Stage, work: impl FnOnce() -> T) -> T {
        let started = Instant::now();
        let done = work();
        let spent = u64::try_from(started.elapsed().as_nanos()).unwrap_or(u64::MAX);
        self.0[stage as usize].fetch_add(spent, Ordering::Relaxed);
        done
    }

    /// What was spent so far.
    #[must_use]
    pub fn spent(&self) -> Spent {
        Spent(std::array::from_fn(|stage| self.0[stage].load(Ordering::Relaxed)))
    }
}

/// Nanoseconds spent in each stage.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Spent([u64; Stage::ALL.len()]);

impl Spent {
    /// A line a stage, with its share of them all.
    #[must_use]
    pub fn text(&self) -> String {
        let all: u64 = self.0.iter().sum();
        let line = |stage: Stage| {
            let spent = self.0[stage as usize];
            let share = crate::show::percent(spent, all.max(1));
            format!("  {:<9}{:>9.1} ms {share:>8}\n", stage.word(), milliseconds(spent))
        };
        let lines: String = Stage::ALL.into_iter().map(line).collect();
        format!("time by stage, that of all threads together\n{lines}")
    }

    /// Milliseconds by stage.
    #[must_use]
    pub fn json(&self) -> Value {
        let entry = |stage: Stage| (stage.word().replace(' ', "_"), json!(milliseconds(self.0[stage as usize])));
        Value::Object(Stage::ALL.into_iter().map(entry).collect::<Map<_, _>>())
    }
}

#[expect(clippy::cast_precision_loss, reason = "a time for people")]
fn milliseconds(nanoseconds: u64) -> f64 {
    // Whole microseconds: what is below that is noise.
    (nanoseconds / 1000) as f64 / 1000.0
}
