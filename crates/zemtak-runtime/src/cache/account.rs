//! What a cache counts and tells of what it does.

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
    /// Reports something other than a page that cannot be had.
    pub fn failed(&mut self, failure: Failure) {
        self.counters.other_failures += 1;
        self.events.emit(Event::Failed(failure));
    }

    /// Reports a new version that is broken, so that the old one is still drawn.
    pub fn kept_old(&mut self, failure: Failure) {
        self.counters.other_failures += 1;
        self.counters.kept_old += 1;
        self.events.emit(Event::KeptOld(failure));
    }
}
