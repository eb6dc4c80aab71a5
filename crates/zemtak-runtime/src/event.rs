//! What a cache reports to the game.

use crate::failure::Failure;
use serde::Serialize;
use std::collections::VecDeque;

/// Something that happened in a cache. Paths are below their root.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png.clone());
/// # files.put("title.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// use zemtak_runtime::Event;
///
/// let _ = pump.wait(&cache.lease("none.png"));
/// let events = cache.events();
/// assert!(matches!(&events[..], [Event::Failed(failure)] if failure.name() == "none.png"));
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Event {
    /// A descriptor was read.
    Opened {
        /// The atlas, such as `night`.
        atlas: String,
    },
    /// A texture was made.
    Loaded {
        /// The page or image.
        path: String,
        /// Its texture memory in bytes.
        bytes: u64,
    },
    /// Something cannot be loaded. It stays so until a retry or a reload.
    Failed(Failure),
    /// A new version has replaced the old one. This is not reported if nothing differs.
    Replaced {
        /// The atlas or the image.
        name: String,
    },
    /// A page's file was painted over since it was packed, and is drawn as it is now. Its descriptor is still that of
    /// the packed one. If pages are checked against their hash, it is refused instead.
    Repainted {
        /// The page.
        path: String,
    },
    /// A new version is broken; the old one is still drawn.
    KeptOld(Failure),
    /// A texture was dropped.
    Evicted {
        /// The page or image.
        path: String,
        /// Its texture memory in bytes.
        bytes: u64,
        /// Why.
        cause: Cause,
    },
    /// A texture was given up before it was made, because nobody wants it any more.
    Cancelled {
        /// The page or image.
        path: String,
    },
    /// Leased textures alone take more than the budget.
    OverBudget {
        /// Bytes of textures.
        resident: u64,
        /// The budget.
        budget: u64,
    },
}

/// Why a texture was dropped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Cause {
    /// The budget needed its room.
    Budget,
    /// The game asked for a trim.
    Trim,
    /// The device was out of memory.
    Device,
    /// A new version took its place.
    Replaced,
    /// The device was lost.
    Lost,
    /// The pump was dropped.
    Closed,
}

/// The most events that wait to be fetched; the oldest are discarded first.
pub const EVENTS_KEPT: usize = 4096;

#[derive(Debug, Default)]
pub(crate) struct Events {
    waiting: VecDeque<Event>,
    pub(crate) lost: u64,
}

impl Events {
    pub(crate) fn emit(&mut self, event: Event) {
        tell(&event);
        if self.waiting.len() == EVENTS_KEPT {
            self.waiting.pop_front();
            self.lost += 1;
        }
        self.waiting.push_back(event);
    }

    pub(crate) fn take(&mut self) -> Vec<Event> {
        self.waiting.drain(..).collect()
    }
}

/// Writes an event to the log, with the feature `tracing`: problems as warnings.
fn tell(_event: &Event) {
    #[cfg(feature = "tracing")]
    match _event {
        Event::Failed(failure) => tracing::warn!(target: "zemtak", "{failure}"),
        Event::KeptOld(failure) => tracing::warn!(target: "zemtak", "the old version is still drawn: {failure}"),
        Event::OverBudget { resident, budget } => {
            tracing::warn!(target: "zemtak", "leases alone hold {resident} bytes, the budget is {budget}");
        }
        Event::Opened { atlas } => tracing::debug!(target: "zemtak", "{atlas} was read"),
        Event::Loaded { path, bytes } => tracing::debug!(target: "zemtak", bytes, "{path} was loaded"),
        Event::Replaced { name } => tracing::debug!(target: "zemtak", "a new version of {name} took over"),
        Event::Repainted { path } => tracing::debug!(target: "zemtak", "{path} was painted over"),
        Event::Evicted { path, bytes, cause } => {
            tracing::debug!(target: "zemtak", bytes, ?cause, "{path} was evicted");
        }
        Event::Cancelled { path } => tracing::debug!(target: "zemtak", "{path} was cancelled"),
    }
}
