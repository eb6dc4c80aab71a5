//! The search for the smallest page whose sides are free or equal: widths and heights are drawn at random, each with
//! less area than the best so far, and kept if everything fits.

use super::cells::{BATCH, Cells, Filled, Need, Try};
use super::descent::Descent;
use super::effort::{Budget, Effort};
use super::fill::Weights;
use super::policy::{PagePolicy, Shape};
use super::proof::FEWEST;
use super::rng::Rng;
use super::sampler::Sampler;
use crate::geometry::Size;
use crate::par;

/// Up to this many cells, a sweep (see [`super::sweep`]) may replace most beams.
const FEW: usize = 40;

/// The smallest page found that holds everything in `left`, or `None` if no allowed page was found. `known` is the
/// result of less effort.
pub(super) fn smallest(
    cells: &Cells<'_>,
    policy: &PagePolicy,
    left: &[u32],
    budget: Budget,
    known: Option<Filled>,
) -> Option<Filled> {
    let effort = budget.effort;
    let need = cells.need(left);
    let best = known.or_else(|| first(cells, policy, left))?;
    if best.smallest {
        return Some(best);
    }
    let sampler = Sampler::new(need.load(), effort.states(need.cells));
    let (bound, mut work) = (policy.least_area(cells, need), budget.beam_work(need.cells));
    let mut search = Descent { cells, policy, left, need, best, bound, sampler, work, done: 0 };
    search.by_passes(budget.passes(need.cells));
    if need.cells <= FEWEST {
        search.best.smallest = search.by_proof(effort.looks());
        if search.best.smallest {
            return Some(search.best);
        }
        // Half of the allowed work went into the proof.
        work /= 2;
        search.work = work;
    }
    if search.need.cells <= FEW && effort == Effort::High {
        search.by_beams(work / 3);
        if !search.by_sweep(work) {
            search.by_beams(work - work / 3);
        }
    } else {
        search.by_beams(work);
    }
    Some(search.best)
}

impl Descent<'_> {
    fn by_passes(&mut self, passes: usize) {
        let mut rng = Rng::new(self.need.area);
        for start in (0..passes).step_by(BATCH) {
            let slack = self.slack();
            if slack == 0 || self.cells.stopped() {
                break;
            }
            // Bold cuts and small ones: each pass would save between a half and a sixty-fourth of the slack.
            let sizes: Vec<Option<Size>> = (0..BATCH)
                .map(|_| {
                    let cut = (slack >> (1 + rng.below(6))).max(1);
                    pick(self.policy, self.cells, self.need, self.best.size.area() - cut, false, &mut rng)
                })
                .collect();
            let tries =
                par::map_range(BATCH, |n| self.cells.try_all(self.left, self.need, sizes[n]?, Weights::nth(start + n)));
            tries.into_iter().flatten().for_each(|found| {
                self.better(&found);
            });
        }
    }

    /// Beams on pages that would save a part of the slack: a larger part after each success, else a smaller one.
    fn by_beams(&mut self, mut budget: u64) {
        let mut cut = 300;
        while budget > 0 && self.slack() > 0 && !self.cells.stopped() {
            let tries: Vec<Option<Try>> = (0..BATCH).map(|_| self.next_try(cut)).collect();
            let found = par::map_range(BATCH, |n| Some(self.cells.try_beam(self.left, self.need, tries[n]?)));
            let mut spent = 0;
            for (tried, outcome) in tries.into_iter().zip(found) {
                let (Some(tried), Some((filled, work))) = (tried, outcome) else { continue };
                spent += work;
                cut = if filled.is_some() { (cut * 13 / 10).min(600) } else { (cut * 93 / 100).max(20) };
                if filled.is_some_and(|filled| self.better(&filled)) {
                    self.sampler.remember(tried.weights, tried.params);
                }
            }
            // Pages that are not allowed cost a little too, or this might never end.
            budget = budget.saturating_sub(spent + 1000);
            self.did(spent + 1000);
        }
    }

    /// A page smaller by about `cut` thousandths of the slack.
    fn next_try(&mut self, cut: u64) -> Option<Try> {
        let slack = self.slack();
        let Self { sampler, .. } = self;
        let (weights, params) = sampler.next();
        let part = cut * u64::from(300 + sampler.rng.below(1401)) / 1000;
        let less = (slack * part.min(950) / 1000).max(1);
        let flipped = sampler.rng.below(2) == 1;
        let size = pick(self.policy, self.cells, self.need, self.best.size.area() - less, flipped, &mut sampler.rng)?;
        Some(Try { size, flipped, weights, params })
    }
}

/// A first page that holds everything: from just above the lower bound, a little larger each time.
fn first(cells: &Cells<'_>, policy: &PagePolicy, left: &[u32]) -> Option<Filled> {
    let need = cells.need(left);
    let mut rng = Rng::new(1);
    let mut target = policy.least_area(cells, need);
    let most = policy.largest().area();
    loop {
        for n in 0..3 {
            let size = match n {
                0 => squarest(policy, cells, need, target),
                _ => pick(policy, cells, need, target, false, &mut rng),
            };
            let filled = size.and_then(|size| cells.try_all(left, need, size, Weights::nth(n)));
            if let Some(found) = filled {
                return Some(cells.tight(policy, &found));
            }
        }
        if target >= most {
            let size = policy.largest();
            return (0..6)
                .find_map(|n| cells.try_all(left, need, size, Weights::nth(n)))
                .map(|f| cells.tight(policy, &f));
        }
        target = (target + target / 40 + 1).min(most);
    }
}

/// An allowed page of about `target` pixels. Cells are placed along its width, or along its height if `flipped`; that
/// side is drawn at random and usually the shorter one, because the loss where the last cells end grows with it.
fn pick(policy: &PagePolicy, cells: &Cells<'_>, need: Need, target: u64, flipped: bool, rng: &mut Rng) -> Option<Size> {
    if policy.shape == Shape::Square {
        return squarest(policy, cells, need, target);
    }
    let turn = |size: Size| size.stored(flipped);
    let needed = turn(cells.spacing().page_for(need.widest, need.tallest)).w;
    let (root, stretch) = (target.isqrt(), policy.aspect.sqrt());
    let longest = scaled(root, stretch);
    let (from, wide) = match rng.below(4) {
        0 => (1.0 / stretch, longest),
        1 => (0.7f64.max(1.0 / stretch), scaled(root, 1.0)),
        _ => (0.5f64.max(1.0 / stretch), scaled(root, 0.8f64.max(1.0 / stretch))),
    };
    let least = scaled(root, from).max(needed);
    let most = wide.max(least.saturating_add(least / 5)).min(longest).min(turn(policy.max).w).max(1);
    let least = least.min(most);
    let along = policy.step_down(least + rng.below(most - least + 1));
    size_along(policy, along, target, flipped)
}

/// The page of about `target` pixels that is as close to a square as its largest cells allow.
fn squarest(policy: &PagePolicy, cells: &Cells<'_>, need: Need, target: u64) -> Option<Size> {
    let room = cells.spacing().page_for(need.widest, need.tallest);
    let root = scaled(target.isqrt(), 1.0);
    if policy.shape == Shape::Square {
        let side = policy.step_down(root);
        return Some(Size::new(side, side)).filter(|&s| policy.allows(s));
    }
    let w = policy.step_down(root.max(room.w).min(policy.max.w));
    size_along(policy, w, target, false)
}

/// The largest page with one side `along` and at most `target` pixels, within aspect and largest size.
fn size_along(policy: &PagePolicy, along: u32, target: u64, flipped: bool) -> Option<Size> {
    let most = policy.max.stored(flipped).h;
    let across = u32::try_from(target / u64::from(along.max(1))).unwrap_or(u32::MAX).min(most);
    Some(Size::new(along, policy.step_down(across)).stored(flipped)).filter(|&s| policy.allows(s))
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_precision_loss,
    reason = "a page side; casts from f64 saturate"
)]
fn scaled(side: u64, by: f64) -> u32 {
    (side as f64 * by).round() as u32
}
