//! Counters of what a cache has done.

use crate::event::Cause;
use serde::Serialize;
use std::time::Duration;

/// Counters since the cache was made.
#[derive(Debug, Default, Clone)]
pub(super) struct Counters {
    pub requests: u64,
    pub misses: u64,
    pub reuses: u64,
    pub coalesced: u64,
    pub started: u64,
    pub refused: u64,
    pub waiting: u64,
    pub withdrawn: u64,
    pub begun: u64,
    pub loads: u64,
    pub loaded_bytes: u64,
    pub page_failures: u64,
    pub other_failures: u64,
    pub cancelled: u64,
    pub replaced: u64,
    pub kept_old: u64,
    pub evictions: Evictions,
    pub decoding: Duration,
    pub uploading: Duration,
}

/// Textures dropped, by cause.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct Evictions {
    /// The budget needed their room.
    pub budget: u64,
    /// The game asked for a trim.
    pub trim: u64,
    /// The device was out of memory.
    pub device: u64,
    /// A new version took their place.
    pub replaced: u64,
    /// The device was lost.
    pub lost: u64,
    /// The pump was dropped.
    pub closed: u64,
}

impl Evictions {
    pub(super) fn count(&mut self, cause: Cause) {
        let own = match cause {
            Cause::Budget => &mut self.budget,
            Cause::Trim => &mut self.trim,
            Cause::Device => &mut self.device,
            Cause::Replaced => &mut self.replaced,
            Cause::Lost => &mut self.lost,
            Cause::Closed => &mut self.closed,
        };
        *own += 1;
    }

    /// All together.
    #[must_use]
    pub fn all(&self) -> u64 {
        self.budget + self.trim + self.device + self.replaced + self.lost + self.closed
    }
}
