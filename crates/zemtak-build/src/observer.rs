//! What a build reports while it runs, and how its caller stops it.

use crate::failure::Failure;
use std::path::Path;
use std::time::Instant;

/// A part of a build that can take a while.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Phase {
    /// Looking at the images of a folder for a first project file. Counts images.
    Surveying,
    /// Reading and decoding the images of an atlas. Counts images.
    Reading,
    /// Looking for a layout. How long that takes is not known.
    LayingOut,
    /// Drawing, encoding and proving pages. Counts pages.
    Drawing,
    /// Comparing sprites with their sources. Counts images.
    Comparing,
}

/// Follows a build from outside; called from whichever threads it runs on.
///
/// By default all methods do nothing, so `()` is the observer for those who need none.
pub trait Observer: Sync {
    /// A phase begins. `total` is how often [`advanced`](Self::advanced) will be called, if known.
    ///
    /// Different phases may overlap (the images of one atlas are read while another is drawn); one phase does not overlap
    /// with itself.
    fn began(&self, phase: Phase, total: Option<usize>) {
        let _ = (phase, total);
    }

    /// One more item of a phase is done.
    fn advanced(&self, phase: Phase) {
        let _ = phase;
    }

    /// A phase ends, whether it was completed or not.
    fn ended(&self, phase: Phase) {
        let _ = phase;
    }

    /// The progress of a long search for a layout: the fraction of its work that is done, and the fraction of the
    /// smallest page so far that sprites fill, both 0 to 1. A layout may take several searches, one for each page and
    /// each effort.
    fn searched(&self, done: f64, filled: Option<f64>) {
        let _ = (done, filled);
    }

    /// Another build is running in the folder for results, and this one waits for it: the process, if known. Called
    /// once per wait, after half a second.
    fn waits_for(&self, folder: &Path, process: Option<u32>) {
        let _ = (folder, process);
    }

    /// Whether to stop. Called often; once it is true, the build ends with
    /// [`Cause::Interrupted`](crate::Cause::Interrupted) and leaves everything as it was.
    fn cancelled(&self) -> bool {
        false
    }

    /// Whether the search for a denser layout should end with the best found so far. Called only during that search;
    /// the build continues.
    fn layout_is_good_enough(&self) -> bool {
        false
    }
}

impl Observer for () {}

/// A phase in progress; dropping this ends it.
pub(crate) struct Progress<'a> {
    observer: &'a dyn Observer,
    phase: Phase,
    began: Instant,
}

impl<'a> Progress<'a> {
    pub(crate) fn begin(observer: &'a dyn Observer, phase: Phase, total: Option<usize>) -> Self {
        observer.began(phase, total);
        tracing::debug!(?phase, total, "begins");
        Self { observer, phase, began: Instant::now() }
    }

    /// One more item is done.
    pub(crate) fn advance(&self) {
        self.observer.advanced(self.phase);
    }
}

impl Drop for Progress<'_> {
    fn drop(&mut self) {
        self.observer.ended(self.phase);
        tracing::debug!(phase = ?self.phase, took = ?self.began.elapsed(), "ends");
    }
}

/// A point at which work other than a build can stop.
pub(crate) fn check(observer: &dyn Observer) -> Result<(), Failure> {
    if observer.cancelled() { Err(Failure::interrupted()) } else { Ok(()) }
}
