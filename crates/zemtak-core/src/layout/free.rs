//! The search for the smallest page whose sides are free or equal: widths and heights are picked by chance, each with
//! less area than the best so far, and kept where everything fits.

use super::fill::{Dice, Taste};
use super::pages::{BATCH, Cells, Filled, Need};
use super::policy::{PagePolicy, Shape};
use crate::geometry::Size;
use crate::par;

/// How many cells a search may put down in all its passes, and the fewest and most passes.
const WORK: usize = 400_000;
const PASSES: (usize, usize) = (12, 2400);

/// The smallest page found that holds everything in `left`, or `None` where no allowed page was found to.
pub(super) fn smallest(cells: &Cells<'_>, policy: &PagePolicy, left: &[u32]) -> Option<Filled> {
    let need = cells.need(left);
    let mut best = first(cells, policy, left)?;
    let mut dice = Dice::new(need.area);
    for start in (0..cells.passes(left, WORK, PASSES)).step_by(BATCH) {
        let slack = best.size.area().saturating_sub(cells.page_area(need.area));
        if slack == 0 {
            break;
        }
        // A bold cut or a small one: each pass would give back between a half and a sixty-fourth of the slack.
        let sizes: Vec<Option<Size>> = (0..BATCH)
            .map(|_| {
                let cut = (slack >> (1 + dice.below(6))).max(1);
                pick(policy, cells, need, best.size.area() - cut, &mut dice)
            })
            .collect();
        let tries = par::map_range(BATCH, |n| {
            let found = cells.try_all(left, need, sizes[n]?, Taste::nth(start + n))?;
            Some(cells.tight(policy, &found))
        });
        for found in tries.into_iter().flatten() {
            if found.size.area() < best.size.area() {
                best = found;
            }
        }
    }
    Some(best)
}

/// A first page that holds everything: from just above the lower bound, a little larger each time.
fn first(cells: &Cells<'_>, policy: &PagePolicy, left: &[u32]) -> Option<Filled> {
    let need = cells.need(left);
    let mut dice = Dice::new(1);
    let mut target = cells.page_area(need.area);
    let most = policy.largest().area();
    loop {
        for n in 0..3 {
            let size = match n {
                0 => squarest(policy, cells, need, target),
                _ => pick(policy, cells, need, target, &mut dice),
            };
            let filled = size.and_then(|size| cells.try_all(left, need, size, Taste::nth(n)));
            if let Some(found) = filled {
                return Some(cells.tight(policy, &found));
            }
        }
        if target >= most {
            let size = policy.largest();
            return (0..6)
                .find_map(|n| cells.try_all(left, need, size, Taste::nth(n)))
                .map(|f| cells.tight(policy, &f));
        }
        target = (target + target / 40 + 1).min(most);
    }
}

/// An allowed page of about `target` pixels, of a width picked by chance.
fn pick(policy: &PagePolicy, cells: &Cells<'_>, need: Need, target: u64, dice: &mut Dice) -> Option<Size> {
    if policy.shape == Shape::Square {
        return squarest(policy, cells, need, target);
    }
    let room = cells.page_for(need.widest, need.tallest);
    let root = target.isqrt();
    let (least, most) = (scaled(root, 1.0 / policy.aspect.sqrt()), scaled(root, policy.aspect.sqrt()));
    let most = most.min(policy.max.w).max(1);
    let least = least.max(room.w).min(most);
    let w = policy.step_down(least + dice.below(most - least + 1));
    size_of_width(policy, w, target)
}

/// The page of about `target` pixels that is as near to a square as its largest cells allow.
fn squarest(policy: &PagePolicy, cells: &Cells<'_>, need: Need, target: u64) -> Option<Size> {
    let room = cells.page_for(need.widest, need.tallest);
    let root = scaled(target.isqrt(), 1.0);
    if policy.shape == Shape::Square {
        let side = policy.step_down(root);
        return Some(Size::new(side, side)).filter(|&s| policy.allows(s));
    }
    let w = policy.step_down(root.max(room.w).min(policy.max.w));
    size_of_width(policy, w, target)
}

/// The highest page of width `w` with at most `target` pixels, kept inside aspect and largest size.
fn size_of_width(policy: &PagePolicy, w: u32, target: u64) -> Option<Size> {
    let h = u32::try_from(target / u64::from(w.max(1))).unwrap_or(u32::MAX).min(policy.max.h);
    Some(Size::new(w, policy.step_down(h))).filter(|&s| policy.allows(s))
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
