//! The search for the smallest page of few cells: every page that would be smaller is tried in turn.

use super::beam::BeamParams;
use super::cells::{BATCH, Try};
use super::descent::Descent;
use crate::geometry::Size;
use crate::par;

/// For each sweep through all smaller pages: the charge for a segment, in hundredths of the mean cell.
const SWEEPS: [u64; 2] = [8, 4];

/// The fewest states with which a sweep finds more than random tries do, and the most that memory is used for.
const LEAST_SWEPT: usize = 1000;
const MOST_SWEPT: usize = 50_000;

/// The largest number of areas for which a sweep looks for pages.
const MOST_AREAS: u64 = 2000;

/// The work of one state in one layer of a beam over few cells, measured.
const STATE_WORK: u64 = 10;

impl Descent<'_> {
    /// Wide beams on every page that would be smaller, the largest first, if there are so few that each can have one:
    /// the best layouts of few cells lie so far apart that random tries find them late. Returns whether this was done.
    pub(super) fn by_sweep(&mut self, budget: u64) -> bool {
        // If each cell fits both ways, a page filled along its height is another page filled along its width.
        let ways: &[bool] = if self.cells.lie_both_ways() { &[false] } else { &[false, true] };
        let mean = self.need.load().mean();
        let mut swept = false;
        for segment in SWEEPS {
            let pages = self.smaller_pages();
            let layers = (SWEEPS.len() * ways.len() * pages.len() * self.need.cells) as u64;
            let states = usize::try_from(budget / (layers * STATE_WORK).max(1)).unwrap_or(usize::MAX).min(MOST_SWEPT);
            if states < LEAST_SWEPT || self.cells.stopped() {
                break;
            }
            swept = true;
            let (weights, _) = self.sampler.next();
            let params =
                BeamParams { states, segment: mean * segment / 100, rank: mean / 20, head: 0, skip: 8, choices: 8 };
            let tries =
                pages.iter().flat_map(|&size| ways.iter().map(move |&flipped| Try { size, flipped, weights, params }));
            let tries: Vec<Try> = tries.collect();
            for batch in tries.chunks(BATCH) {
                self.try_side_by_side(batch);
                self.did(budget / 3 * batch.len() as u64 / tries.len() as u64);
            }
        }
        swept
    }

    /// All allowed pages between the bound and the best, the largest first; none if there are many.
    fn smaller_pages(&self) -> Vec<Size> {
        let room = self.cells.spacing().page_for(self.need.widest, self.need.tallest);
        if self.slack() > MOST_AREAS {
            return Vec::new();
        }
        let areas = (self.bound..self.best.size.area()).rev();
        let pages = areas.flat_map(|area| {
            (1..=area.isqrt()).filter(move |side| area % side == 0).flat_map(move |side| {
                let (a, b) = (u32::try_from(side).unwrap_or(u32::MAX), u32::try_from(area / side).unwrap_or(u32::MAX));
                [Size::new(a, b), Size::new(b, a)].into_iter().take(if a == b { 1 } else { 2 })
            })
        });
        pages.filter(|&size| self.policy.allows(size) && room.fits_in(size)).collect()
    }

    fn try_side_by_side(&mut self, tries: &[Try]) {
        let best = self.best.size.area();
        let found = par::map_range(tries.len(), |n| {
            let worth_it = tries[n].size.area() < best && !self.cells.stopped();
            worth_it.then(|| self.cells.try_beam(self.left, self.need, tries[n]).0)?
        });
        found.into_iter().flatten().for_each(|filled| {
            self.better(&filled);
        });
    }
}
