//! The account over time: what each recent pump did.

use super::counters::Counters;
use serde::Serialize;
use std::collections::VecDeque;
use std::time::Duration;

/// How many frames are kept: four seconds at 60 frames a second.
pub const FRAMES_KEPT: usize = 240;

/// What happened between the end of one pump and the end of the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub struct FrameLine {
    /// The number of the pump, counted from 1.
    pub number: u64,
    /// Leases that were asked for.
    pub requests: u64,
    /// How many of these found no texture.
    pub misses: u64,
    /// Pages and images made.
    pub made: u64,
    /// Their bytes as textures.
    pub made_bytes: u64,
    /// Textures dropped.
    pub dropped: u64,
    /// Pages and images that are decoded and wait for the next pump.
    pub ready: u64,
    /// Bytes of resident textures.
    pub resident_bytes: u64,
    /// Nanoseconds spent making textures.
    pub uploading_ns: u64,
    /// Nanoseconds that other threads spent reading and decoding what they delivered meanwhile.
    pub decoding_ns: u64,
}

/// The last frames, the oldest first.
#[derive(Debug)]
pub(super) struct Frames {
    kept: VecDeque<FrameLine>,
    before: Counters,
    count: u64,
}

impl Default for Frames {
    /// Allocates all the room it will ever need: a frame allocates nothing.
    fn default() -> Self {
        Self { kept: VecDeque::with_capacity(FRAMES_KEPT), before: Counters::default(), count: 0 }
    }
}

impl Frames {
    /// Ends a frame: records what was counted since the previous one, and the current state.
    pub fn end(&mut self, counters: &Counters, dropped: u64, ready: u64, resident_bytes: u64) {
        self.count += 1;
        let before = std::mem::replace(&mut self.before, counters.clone());
        let nanoseconds =
            |now: Duration, before: Duration| u64::try_from((now - before).as_nanos()).unwrap_or(u64::MAX);
        if self.kept.len() == FRAMES_KEPT {
            self.kept.pop_front();
        }
        self.kept.push_back(FrameLine {
            number: self.count,
            requests: counters.requests - before.requests,
            misses: counters.misses - before.misses,
            made: counters.loads - before.loads,
            made_bytes: counters.loaded_bytes - before.loaded_bytes,
            dropped,
            ready,
            resident_bytes,
            uploading_ns: nanoseconds(counters.uploading, before.uploading),
            decoding_ns: nanoseconds(counters.decoding, before.decoding),
        });
    }

    pub fn iter(&self) -> impl Iterator<Item = &FrameLine> {
        self.kept.iter()
    }
}
