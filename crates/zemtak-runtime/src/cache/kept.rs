//! Leases that the cache keeps under plain numbers.

use super::Cache;
use super::asked::Asked;
use super::entries::Kept;
use super::lease::Lease;
use super::state::State;
use super::view::{View, view};
use super::views::Views;

/// A lease as a plain number, kept in the cache until it is given back: for interfaces to other languages, and for data
/// that is copied freely. Its owner must give it back; a [`Lease`] does that by itself. Keys of one cache mean nothing
/// to another.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// let moth = cache.lease_key("moth.png").unwrap();
/// pump.wait(&cache.kept(moth).unwrap())?;
/// let view = cache.view_of(moth).unwrap(); // None where it was given back already
/// assert_eq!(view.unwrap().canvas.w, 32);
/// assert!(cache.give_back(moth));
/// assert!(!cache.give_back(moth) && cache.view_of(moth).is_none());
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct LeaseKey(pub u64);

impl Cache {
    /// Leases a sprite by name or id, and keeps the lease under a number. `None` if there are no numbers left.
    #[track_caller]
    pub fn lease_key<'n>(&self, what: impl Into<Asked<'n>>) -> Option<LeaseKey> {
        let (who, what) = (self.who(), what.into());
        self.shared.ask(|state| {
            let entry = state.take_asked(what, self.shared.number, who);
            state.keep(Kept { entry, who, parts: None })
        })
    }

    /// Keeps another lease on the same sprite under a number, counted for the same holder. The lease must be of this
    /// cache.
    pub fn keep(&self, lease: &Lease) -> Option<LeaseKey> {
        let held = lease.held(&self.shared)?;
        let mut state = self.shared.lock();
        state.share(held.entry, held.who);
        state.keep(held)
    }

    /// Another lease on what is kept under this number. `None` if it was given back already.
    #[must_use]
    pub fn kept(&self, key: LeaseKey) -> Option<Lease> {
        let mut state = self.shared.lock();
        let kept = state.kept.get(key.0)?.clone();
        state.share(kept.entry, kept.who);
        drop(state);
        Some(Lease::of(self.shared.clone(), kept))
    }

    /// What it shows: [`Lease::view`]. `None` if it was given back already.
    #[must_use]
    pub fn view_of(&self, key: LeaseKey) -> Option<Option<View>> {
        self.shared.lock().view_of(key)
    }

    /// What many leases show at one moment, in order; whatever is unchanged since the last frame is not looked up
    /// again. Returns whether all of them are kept: one that was given back shows nothing.
    pub fn views_of(&self, keys: impl IntoIterator<Item = LeaseKey>, into: &mut Views) -> bool {
        let state = self.shared.lock();
        let mut all = true;
        into.ask(keys.into_iter().map(|key| match state.kept.get(key.0) {
            Some(kept) => (Some(kept.entry), kept.parts.as_ref()),
            None => {
                all = false;
                (None, None)
            }
        }));
        if !into.are_up_to_date(&self.shared) {
            into.look(&state, &self.shared);
        }
        all
    }

    /// Gives a lease back. Returns whether it was kept.
    pub fn give_back(&self, key: LeaseKey) -> bool {
        let mut state = self.shared.lock();
        let Some(Kept { entry, who, .. }) = state.kept.take(key.0) else { return false };
        state.release(entry, who);
        true
    }

    /// How many are kept.
    #[must_use]
    pub fn kept_count(&self) -> u64 {
        self.shared.lock().kept.len() as u64
    }

    /// Gives back all that are kept.
    pub fn give_all_back(&self) {
        let mut state = self.shared.lock();
        for Kept { entry, who, .. } in state.kept.take_all() {
            state.release(entry, who);
        }
    }
}

impl State {
    fn view_of(&self, key: LeaseKey) -> Option<Option<View>> {
        let Kept { entry, parts, .. } = self.kept.get(key.0)?;
        Some(view(self, *entry, parts.as_deref().unwrap_or_default()))
    }

    fn keep(&mut self, kept: Kept) -> Option<LeaseKey> {
        let (entry, who) = (kept.entry, kept.who);
        let key = self.kept.put(kept);
        if key.is_none() {
            self.release(entry, who);
        }
        key.map(LeaseKey)
    }
}
