//! What every stage of a build receives.

use crate::allowance::Allowance;
use crate::content::Files;
use crate::failure::Failure;
use crate::journal::Journal;
use crate::observer::{Observer, Phase, Progress, check};
use crate::store::{Hash, Kind, SharedStore, Store, Value};
use crate::timings::Timings;
use crate::work::{Origin, Part};
use crate::write::Writer;
use std::time::Duration;

/// Passed down through all stages of a build.
#[derive(Clone, Copy)]
pub(crate) struct Context<'a> {
    /// What earlier builds have learnt.
    pub store: &'a dyn Store,
    /// What other machines have learnt.
    pub shared: &'a SharedStore,
    /// Where files are written.
    pub writer: &'a Writer,
    /// Where the time goes.
    pub timings: &'a Timings,
    /// Limits on memory and other things.
    pub allowance: &'a Allowance,
    /// What a watcher knows about images that have not changed.
    pub journal: &'a Journal,
    /// Receives news of the build.
    pub observer: &'a dyn Observer,
}

impl<'a> Context<'a> {
    /// Whether the caller wants the build to stop.
    pub fn cancelled(self) -> bool {
        self.observer.cancelled()
    }

    /// Where files are, and what is known about them.
    pub fn files(self) -> Files<'a> {
        Files::of(self.writer, self.store)
    }

    /// What this machine, or another one, knows under a key, and which of them.
    pub fn learnt(self, kind: Kind, key: &Hash) -> Option<(Vec<u8>, Part)> {
        if let Some(value) = self.store.get(key) {
            return Some((value, Part::HERE));
        }
        let Value { bytes, made_in } = self.fetch(kind, key)?;
        self.store.put(*key, bytes.clone());
        Some((bytes, Part { origin: Origin::Fetched, made_in }))
    }

    /// What another machine knows under a key.
    pub fn fetch(self, kind: Kind, key: &Hash) -> Option<Value> {
        self.shared.get(kind, key, || self.cancelled())
    }

    /// What another machine knows under each of many small keys, all asked for at once.
    pub fn fetch_all(self, kind: Kind, keys: &[Hash]) -> Vec<Option<Value>> {
        self.shared.get_all(kind, keys, &|| self.cancelled())
    }

    /// Tells other machines.
    pub fn share(self, kind: Kind, key: &Hash, value: &[u8], made_in: Duration) {
        self.shared.put(kind, key, value, made_in, || self.cancelled());
    }

    /// Keeps what was learnt, for other machines too.
    pub fn learn(self, kind: Kind, key: Hash, value: Vec<u8>, made_in: Duration) {
        self.share(kind, &key, &value, made_in);
        self.store.put(key, value);
    }

    /// A point at which the work can stop.
    pub fn check(self) -> Result<(), Failure> {
        check(self.observer)
    }

    /// Begins a phase.
    pub fn progress(self, phase: Phase, total: Option<usize>) -> Progress<'a> {
        Progress::begin(self.observer, phase, total)
    }
}
