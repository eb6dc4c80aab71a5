//! The smallest page so far of a search that goes down from page to smaller page.

use super::cells::{Cells, Filled, Need};
use super::policy::PagePolicy;
use super::sampler::Sampler;

/// Where such a search stands.
pub(super) struct Descent<'a> {
    pub(super) cells: &'a Cells<'a>,
    pub(super) policy: &'a PagePolicy,
    pub(super) left: &'a [u32],
    pub(super) need: Need,
    pub(super) best: Filled,
    pub(super) bound: u64,
    pub(super) sampler: Sampler,
}

impl Descent<'_> {
    pub(super) fn slack(&self) -> u64 {
        self.best.size.area().saturating_sub(self.bound)
    }

    /// Keeps what is smaller than the best; whether it is.
    pub(super) fn better(&mut self, found: &Filled) -> bool {
        let tight = self.cells.tight(self.policy, found);
        let better = tight.size.area() < self.best.size.area();
        if better {
            self.best = tight;
        }
        better
    }
}
