//! What a build tells while it is at work, and how its caller stops it.

use crate::failure::Failure;
use std::path::Path;
use std::time::Instant;

/// A part of a build that can take a while.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Phase {
    /// Looking at the images of a folder, for a first project file. Counts images.
    Surveying,
    /// Reading and decoding the images of an atlas. Counts images.
    Reading,
    /// Looking for a layout. It cannot be told how long that takes.
    LayingOut,
    /// Drawing, encoding and proving pages. Counts pages.
    Drawing,
    /// Comparing sprites with their sources. Counts images.
    Comparing,
}

/// Follows a build from outside, from whichever threads it works on.
///
/// All methods do nothing by default, so `()` is the observer of whoever wants to know nothing.
pub trait Observer: Sync {
    /// A phase begins. `total` is how often [`advanced`](Self::advanced) will be called, where that is known.
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

    /// A phase is over, whether it came to its end or not.
    fn ended(&self, phase: Phase) {
        let _ = phase;
    }

    /// How far a long search for a layout has come: the part of its work that is done, and the part of the smallest page so
    /// far that sprites fill, both 0 to 1. A layout may take several searches, one for each page and each effort.
    fn searched(&self, done: f64, filled: Option<f64>) {
        let _ = (done, filled);
    }

    /// Another build is at work in the folder for results, and this one waits for it: that of a process, where it is known.
    /// Told once a wait, after half a second.
    fn waits_for(&self, folder: &Path, process: Option<u32>) {
        let _ = (folder, process);
    }

    /// Whether to stop. Asked often; once it is true, the build ends with [`Cause::Interrupted`](crate::Cause::Interrupted)
    /// and leaves everything as it was.
    fn cancelled(&self) -> bool {
        false
    }

    /// Whether the search for a denser layout should end with the best it has found. Asked only during that search; the
    /// build goes on.
    fn layout_is_good_enough(&self) -> bool {
        false
    }
}

impl Observer for () {}

/// A phase under way; it ends when this is dropped.
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

/// A place where work can stop that is no build.
pub(crate) fn check(observer: &dyn Observer) -> Result<(), Failure> {
    if observer.cancelled() { Err(Failure::interrupted()) } else { Ok(()) }
}
