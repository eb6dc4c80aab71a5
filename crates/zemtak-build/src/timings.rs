//! Where the time of a build goes, by stage.

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// A stage of a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stage {
    /// Searching folders.
    Find,
    /// Reading files, or finding them unchanged.
    Read,
    /// Bytes to pixels.
    Decode,
    /// Resampling, trimming and other treatment of a sprite.
    Trim,
    /// Distinguishing sprites by what is stored.
    Hash,
    /// Looking for a layout.
    LayOut,
    /// Pixels onto pages.
    Compose,
    /// Pages to bytes.
    Encode,
    /// Decoding what was encoded, and comparing it.
    Prove,
    /// Writing files and putting them in place.
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
pub struct Timings {
    spent: [AtomicU64; Stage::ALL.len()],
    /// Whether only processor time counts, not time spent waiting for a processor.
    work_alone: bool,
}

/// Measures time, or the processor time of the thread that started it.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Stopwatch {
    Time(Instant),
    #[cfg(target_os = "linux")]
    Work(Duration),
}

impl Stopwatch {
    /// Measures time.
    pub fn of_time() -> Self {
        Self::Time(Instant::now())
    }

    /// Measures the processor time of this thread if the system reports it; else time.
    pub fn of_work() -> Self {
        #[cfg(target_os = "linux")]
        return Self::Work(work_of_thread());
        #[cfg(not(target_os = "linux"))]
        Self::of_time()
    }

    /// The elapsed time. For processor time, only on the thread that started it.
    pub fn elapsed(self) -> Duration {
        match self {
            Self::Time(since) => since.elapsed(),
            #[cfg(target_os = "linux")]
            Self::Work(before) => work_of_thread().saturating_sub(before),
        }
    }
}

/// The processor time of this thread.
#[cfg(target_os = "linux")]
fn work_of_thread() -> Duration {
    let now = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
    Duration::new(u64::try_from(now.tv_sec).unwrap_or(0), u32::try_from(now.tv_nsec).unwrap_or(0))
}

impl Timings {
    /// Counts processor time only: the same on a machine that is busy with other things.
    pub fn of_work() -> Self {
        Self { work_alone: true, ..Self::default() }
    }

    /// Runs something that belongs to a stage. Work that it starts on other threads must be counted separately.
    pub fn time<T>(&self, stage: Stage, work: impl FnOnce() -> T) -> T {
        let _stage = tracing::trace_span!("stage", name = stage.name()).entered();
        let started = if self.work_alone { Stopwatch::of_work() } else { Stopwatch::of_time() };
        let done = work();
        self.add(stage, started.elapsed());
        done
    }

    /// Adds time that was measured otherwise.
    pub fn add(&self, stage: Stage, spent: Duration) {
        let spent = u64::try_from(spent.as_nanos()).unwrap_or(u64::MAX);
        self.spent[stage as usize].fetch_add(spent, Ordering::Relaxed);
    }

    /// Adds what was spent elsewhere; returns its sum.
    pub fn add_all(&self, other: &Self) -> Duration {
        let spent = other.spent().0;
        self.spent.iter().zip(spent).for_each(|(all, more)| _ = all.fetch_add(more, Ordering::Relaxed));
        Duration::from_nanos(spent.iter().sum())
    }

    /// What was spent so far.
    #[must_use]
    pub fn spent(&self) -> Spent {
        Spent(std::array::from_fn(|stage| self.spent[stage].load(Ordering::Relaxed)))
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
