//! What many leases show, kept from frame to frame.

use super::shared::Shared;
use super::state::State;
use super::view::{View, view};
use std::ops::Deref;
use std::sync::Arc;
use zemtak_core::coords::Part;

/// What many leases show, in order: filled by [`Lease::views`](super::Lease::views) or
/// [`LeaseSet::views`](super::LeaseSet::views) in each frame. For a crowd that stays the same, while no texture is made
/// or dropped, that costs next to nothing.
#[derive(Debug, Default)]
pub struct Views {
    /// The cache, and how many changes it had seen when it was looked at.
    seen: Option<(u32, u64)>,
    of: Vec<Shown>,
    /// Which of them differ from before.
    others: Vec<usize>,
    views: Vec<Option<View>>,
}

/// What was looked at: the sprite, unless it belongs to another cache, and the part of it.
#[derive(Debug)]
struct Shown {
    entry: Option<u32>,
    parts: Option<Arc<[Part]>>,
}

impl Views {
    /// An empty list.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    pub(super) fn clear(&mut self) {
        self.of.clear();
        self.others.clear();
        self.views.clear();
    }

    /// Sets what to look at. Needs no lock.
    pub(super) fn ask<'l>(&mut self, wanted: impl Iterator<Item = (Option<u32>, Option<&'l Arc<[Part]>>)>) {
        let mut count = 0;
        for (entry, parts) in wanted {
            if !self.of.get(count).is_some_and(|own| own.is(entry, parts)) {
                self.others.push(count);
                let own = Shown { entry, parts: parts.cloned() };
                match self.of.get_mut(count) {
                    Some(place) => *place = own,
                    None => self.of.push(own),
                }
            }
            count += 1;
        }
        self.of.truncate(count);
        self.views.resize(count, None);
    }

    /// Whether the same leases are asked for as before, and none of them shows something else.
    pub(super) fn are_up_to_date(&self, shared: &Shared) -> bool {
        self.others.is_empty() && self.seen == Some((shared.number, shared.changes.so_far()))
    }

    /// Looks at what was asked for: at all of it if anything may have changed, else at what is new.
    pub(super) fn look(&mut self, state: &State, shared: &Shared) {
        let now = Some((shared.number, shared.changes.so_far()));
        let look = |own: &Shown| view(state, own.entry?, own.parts.as_deref().unwrap_or_default());
        if self.seen == now {
            self.others.iter().for_each(|at| self.views[*at] = look(&self.of[*at]));
        } else {
            self.views.clear();
            self.views.extend(self.of.iter().map(look));
        }
        self.seen = now;
        self.others.clear();
    }
}

impl Shown {
    fn is(&self, entry: Option<u32>, parts: Option<&Arc<[Part]>>) -> bool {
        let same = match (&self.parts, parts) {
            (None, None) => true,
            (Some(own), Some(parts)) => Arc::ptr_eq(own, parts),
            _ => false,
        };
        same && self.entry == entry
    }
}

impl Deref for Views {
    type Target = [Option<View>];

    fn deref(&self) -> &Self::Target {
        &self.views
    }
}
