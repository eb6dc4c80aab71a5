//! Whether given cells fit on a page of a given size.

use super::cells::{BATCH, Cells, Filled, Try};
use super::effort::Effort;
use super::exact::Verdict;
use super::fill::Weights;
use super::proof::FEWEST;
use super::sampler::Sampler;
use crate::geometry::Size;
use crate::par;

/// What such a search works with.
#[derive(Clone, Copy)]
pub(super) struct Fit<'a> {
    pub(super) cells: &'a Cells<'a>,
    pub(super) effort: Effort,
}

impl Fit<'_> {
    /// Everything in `left` on one page of `size`: by passes; if they find no way, by examining every layout of a few
    /// cells, or by beams.
    pub(super) fn all(&self, left: &[u32], size: Size) -> Option<Filled> {
        let need = self.cells.need(left);
        if let Some(found) = self.by_passes(left, size) {
            return Some(found);
        }
        let (verdict, _) = match need.cells {
            ..=FEWEST => self.cells.try_exactly(left, need, size, self.effort.looks()),
            _ => (Verdict::Unknown, 0),
        };
        match verdict {
            Verdict::Fits(puts) => Some(Filled::new(size, puts)),
            Verdict::Cannot => None,
            Verdict::Unknown => self.by_beams(left, size),
        }
    }

    pub(super) fn by_passes(&self, left: &[u32], size: Size) -> Option<Filled> {
        let need = self.cells.need(left);
        let tries = self.effort.fits(need.cells);
        (0..tries).step_by(BATCH).find_map(|start| {
            let batch = par::map_range(BATCH.min(tries - start), |n| {
                self.cells.try_all(left, need, size, Weights::nth(start + n))
            });
            batch.into_iter().flatten().next()
        })
    }

    pub(super) fn by_beams(&self, left: &[u32], size: Size) -> Option<Filled> {
        let need = self.cells.need(left);
        let work = self.effort.beam_work(need.cells);
        let mut budget = work;
        let mut sampler = Sampler::new(need.load(), self.effort.states(need.cells));
        while budget > 0 && !self.cells.stopped() {
            let tries: Vec<Try> = (0..BATCH)
                .map(|_| {
                    let (weights, params) = sampler.next();
                    // Mostly along the shorter side: the loss where the last cells end grows with it.
                    let flipped = (size.h < size.w) != (sampler.rng.below(4) == 0);
                    Try { size, flipped, weights, params }
                })
                .collect();
            let results = par::map_range(BATCH, |n| self.cells.try_beam(left, need, tries[n]));
            let spent: u64 = results.iter().map(|(_, work)| work).sum();
            if let Some(filled) = results.into_iter().find_map(|(filled, _)| filled) {
                return Some(filled);
            }
            // Nothing was tried at all: the page is too small in any case.
            budget = if spent == 0 { 0 } else { budget.saturating_sub(spent) };
            self.cells.tell(work - budget, work, None);
        }
        None
    }
}
