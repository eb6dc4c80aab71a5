//! What a cache counts and reports of its work.

use super::counters::Counters;
use super::frames::Frames;
use crate::event::{Event, Events};
use crate::failure::Failure;

/// The counts and the events of a cache.
#[derive(Debug, Default)]
pub(super) struct Account {
    pub counters: Counters,
    pub events: Events,
    pub frames: Frames,
}

impl Account {
    /// Reports something other than a page that cannot be loaded.
    pub fn failed(&mut self, failure: Failure) {
        self.counters.other_failures += 1;
        self.events.emit(Event::Failed(failure));
    }

    /// Reports a new version that is broken, so the old one is still drawn.
    pub fn kept_old(&mut self, failure: Failure) {
        self.counters.other_failures += 1;
        self.counters.kept_old += 1;
        self.events.emit(Event::KeptOld(failure));
    }
}
