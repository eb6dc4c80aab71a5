//! Where the time of a build goes, by stage.

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// A stage of a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
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

    /// Its name in lower case.
    #[must_use]
    pub const fn name(self) -> &'static str {
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
        let _stage = tracing::trace_span!("stage", name = stage.name()).entered();
        let started = Instant::now();
        let done = work();
        self.add(stage, started.elapsed());
        done
    }

    /// Adds time that was taken otherwise.
    pub fn add(&self, stage: Stage, spent: Duration) {
        let spent = u64::try_from(spent.as_nanos()).unwrap_or(u64::MAX);
        self.0[stage as usize].fetch_add(spent, Ordering::Relaxed);
    }

    /// Adds what was spent elsewhere; gives the sum of it.
    pub fn add_all(&self, other: &Self) -> Duration {
        let spent = other.spent().0;
        self.0.iter().zip(spent).for_each(|(all, more)| _ = all.fetch_add(more, Ordering::Relaxed));
        Duration::from_nanos(spent.iter().sum())
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
    /// Each stage with its nanoseconds, in the order of the work.
    pub fn by_stage(&self) -> impl Iterator<Item = (Stage, u64)> {
        Stage::ALL.into_iter().zip(self.0)
    }
}
