//! Many sprites held together.

use super::ready::Ready;
use super::sets::ReadyClip;
use super::shared::Shared;
use super::status::{Progress, Status};
use super::view::{View, view};
use super::views::Views;
use super::wanted::{Awaited, Handle, Wanted};
use crate::failure::Failure;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Sprites held together: a list, everything that a glob matches, or a whole atlas. Clones are cheap and share the same
/// set.
///
/// Dropping the last clone gives all of them back, which cancels what is still loading.
#[derive(Debug, Clone)]
pub struct LeaseSet(Arc<Hold>);

#[derive(Debug)]
struct Hold {
    shared: Arc<Shared>,
    set: u32,
}

impl LeaseSet {
    pub(super) fn new(shared: Arc<Shared>, set: u32) -> Self {
        Self(Arc::new(Hold { shared, set }))
    }

    /// The clip that the set belongs to, once it is known.
    pub(super) fn clip(&self) -> Option<Arc<ReadyClip>> {
        let state = self.0.shared.lock();
        state.sets.get(self.0.set)?.clip.as_ref()?.ready.clone()
    }

    /// The state of the whole set: ready when all of it is; failed when something cannot be loaded and the rest is
    /// ready.
    #[must_use]
    pub fn status(&self) -> Status {
        self.0.shared.lock().set_status(self.0.set)
    }

    /// Its progress in numbers.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let all = cache.lease_all(["moth.png", "title.png", "none.png"]);
    /// assert!(pump.wait(&all).is_err());
    /// let progress = all.progress();
    /// assert_eq!((progress.done, progress.failed, progress.total), (2, 1, 3));
    /// ```
    #[must_use]
    pub fn progress(&self) -> Progress {
        let state = self.0.shared.lock();
        let Some(set) = state.sets.get(self.0.set) else { return Progress::default() };
        let mut progress = Progress { failed: set.failures.len(), complete: set.pending == 0, ..Progress::default() };
        progress.total = set.held.len() + set.failures.len();
        let mut pages = BTreeSet::new();
        for entry in &set.held {
            let status = state.status(*entry);
            progress.done += usize::from(matches!(status, Status::Ready));
            progress.failed += usize::from(matches!(status, Status::Failed(_)));
            if let Some(page) = state.names.get(*entry).page().filter(|page| pages.insert(*page)) {
                let bytes = state.pages.get(page).bytes;
                progress.total_bytes += bytes;
                progress.bytes += if matches!(status, Status::Ready) { bytes } else { 0 };
            }
        }
        progress
    }

    /// What cannot be loaded, each with the reason.
    #[must_use]
    pub fn failures(&self) -> Vec<Failure> {
        let state = self.0.shared.lock();
        let Some(set) = state.sets.get(self.0.set) else { return Vec::new() };
        let held = set.held.iter().filter_map(|entry| match state.status(*entry) {
            Status::Failed(failure) => Some(failure),
            _ => None,
        });
        set.failures.iter().cloned().chain(held).collect()
    }

    /// The full names of its sprites: in the order listed, and within a glob in the order of names.
    #[must_use]
    pub fn names(&self) -> Vec<Arc<str>> {
        let state = self.0.shared.lock();
        let held = state.sets.get(self.0.set).map(|set| set.held.as_slice()).unwrap_or_default();
        held.iter().map(|entry| state.names.get(*entry).name.clone()).collect()
    }

    /// Waits until all of it is ready, in a task of any executor.
    #[must_use = "a future does nothing unless it is awaited"]
    pub fn ready(&self) -> Ready<'_> {
        Ready::new(&self.0.shared, Wanted::Set(self.0.set))
    }

    /// What all its sprites show at one moment, in the order of [`LeaseSet::names`]; whatever is unchanged since the
    /// last frame is not looked up again.
    pub fn views(&self, into: &mut Views) {
        let state = self.0.shared.lock();
        let held = state.sets.get(self.0.set).map(|set| set.held.as_slice()).unwrap_or_default();
        into.ask(held.iter().map(|entry| (Some(*entry), None)));
        into.look(&state, &self.0.shared);
    }

    /// What the sprite at this index of [`LeaseSet::names`] currently shows.
    #[must_use]
    pub fn view(&self, at: usize) -> Option<View> {
        let state = self.0.shared.lock();
        let entry = state.sets.get(self.0.set)?.held.get(at)?;
        view(&state, *entry, &[])
    }

    /// Waits until all of it is ready. On the thread that pumps, wait with [`Pump::wait`](super::Pump::wait) instead.
    ///
    /// # Errors
    /// The first that cannot be loaded, or that this is the thread that pumps.
    pub fn wait(&self) -> Result<(), Failure> {
        self.0.shared.wait(Wanted::Set(self.0.set))
    }
}

impl Drop for Hold {
    fn drop(&mut self) {
        self.shared.lock().drop_set(self.set);
    }
}

impl Awaited for LeaseSet {
    fn awaited(&self) -> Handle {
        Handle(Wanted::Set(self.0.set))
    }
}
