//! The smallest page so far in a search that goes from page to smaller page.

use super::cells::{Cells, Filled, Need};
use super::policy::PagePolicy;
use super::sampler::Sampler;

/// The state of such a search.
pub(super) struct Descent<'a> {
    pub(super) cells: &'a Cells<'a>,
    pub(super) policy: &'a PagePolicy,
    pub(super) left: &'a [u32],
    pub(super) need: Need,
    pub(super) best: Filled,
    pub(super) bound: u64,
    pub(super) sampler: Sampler,
    /// How much work beams may do in all, and how much has been done.
    pub(super) work: u64,
    pub(super) done: u64,
}

impl Descent<'_> {
    pub(super) fn slack(&self) -> u64 {
        self.best.size.area().saturating_sub(self.bound)
    }

    /// Counts work, and reports progress.
    pub(super) fn did(&mut self, work: u64) {
        self.done += work;
        self.cells.tell(self.done, self.work, Some((self.need.area, self.best.size.area())));
    }

    /// Keeps a page that is smaller than the best and allowed; returns whether it was.
    pub(super) fn better(&mut self, found: &Filled) -> bool {
        let tight = self.cells.tight(self.policy, found);
        let better = tight.size.area() < self.best.size.area() && self.policy.allows(tight.size);
        if better {
            self.best = tight;
        }
        better
    }
}
