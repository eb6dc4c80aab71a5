//! The proof that no page is smaller, for so few cells that every layout can be examined.

use super::cells::{BATCH, Filled};
use super::descent::Descent;
use super::exact::Verdict;
use super::policy::Shape;
use crate::geometry::Size;
use crate::par;
use std::collections::VecDeque;

/// Up to this many cells a proof is tried.
pub(super) const FEWEST: usize = 12;

/// Pages of several widths are ruled out at once by one that is as wide as the widest and as high as the highest of
/// them, as long as it has at most this fraction more pixels than the best.
const ROUGHLY: u64 = 200;

/// The widths from `least` to `most`.
#[derive(Debug, Clone, Copy)]
struct Widths {
    least: u32,
    most: u32,
}

impl Widths {
    /// Its two halves, or itself if it is only one width.
    fn parts(self, step: u32) -> Vec<Self> {
        let Self { least, most } = self;
        let middle = least + (most - least) / 2 / step * step;
        if least == most {
            return vec![self];
        }
        vec![Self { least, most: middle }, Self { least: middle + step, most }]
    }
}

impl Descent<'_> {
    /// Examines every page that would be smaller than the best, looking at about `budget` staircases, and takes what
    /// fits. Returns whether the best is proved to be the smallest.
    pub(super) fn by_proof(&mut self, mut budget: u64) -> bool {
        let step = self.policy.step;
        let mut open = VecDeque::from([Widths { least: step, most: self.policy.step_down(self.policy.max.w) }]);
        while !open.is_empty() {
            let batch: Vec<Widths> = open.drain(..BATCH.min(open.len())).collect();
            let looks = budget / BATCH as u64;
            let found = par::map_range(batch.len(), |n| self.rule_out(batch[n], looks));
            for (widths, (outcome, looks)) in batch.into_iter().zip(found).rev() {
                budget = budget.saturating_sub(looks);
                match outcome {
                    Outcome::NoneSmaller => continue,
                    Outcome::Open if widths.least == widths.most => return false,
                    Outcome::Open => {}
                    Outcome::Fits(filled) => {
                        self.better(&filled);
                    }
                }
                widths.parts(step).into_iter().rev().for_each(|part| open.push_front(part));
            }
            if self.cells.stopped() {
                return false;
            }
        }
        true
    }

    /// Whether no page of these widths is smaller than the best and holds all cells.
    fn rule_out(&self, widths: Widths, budget: u64) -> (Outcome, u64) {
        let Some(size) = self.around(widths) else { return (Outcome::NoneSmaller, 0) };
        let most = self.best.size.area();
        if widths.least < widths.most && size.area() > most + most / ROUGHLY {
            return (Outcome::Open, 0);
        }
        let (verdict, looks) = self.cells.try_exactly(self.left, self.need, size, budget);
        let outcome = match verdict {
            Verdict::Cannot => Outcome::NoneSmaller,
            Verdict::Fits(puts) => Outcome::Fits(Filled::new(size, puts)),
            Verdict::Unknown => Outcome::Open,
        };
        (outcome, looks)
    }

    /// A page that contains all pages of these widths that are smaller than the best; for a single width, the highest
    /// of them. `None` if there is none.
    fn around(&self, Widths { least, most }: Widths) -> Option<Size> {
        let smaller = self.best.size.area() - 1;
        let side = |side: u64| u32::try_from(side).unwrap_or(u32::MAX);
        let size = if self.policy.shape == Shape::Square {
            let side = self.policy.step_down(most.min(side(smaller.isqrt())));
            Some(Size::new(side, side)).filter(|size| size.w >= least)?
        } else {
            let h = side(smaller / u64::from(least)).min(self.policy.highest(most));
            Size::new(most, self.policy.step_down(h))
        };
        (least < most || self.policy.allows(size)).then_some(size)
    }
}

/// The result for some widths.
enum Outcome {
    /// None of their smaller pages holds all cells.
    NoneSmaller,
    /// It could not be decided.
    Open,
    /// All cells fit on a page that contains theirs.
    Fits(Filled),
}

#[cfg(test)]
mod tests {
    use crate::geometry::Size;
    use crate::layout::{Effort, Item, LayoutRequest, PagePolicy, Shape, Spacing, lay_out};

    /// The known optima for squares of sides 1 to N (R. Korf, 2003), as area.
    const SQUARES: [u64; 12] = [1, 6, 15, 35, 60, 99, 154, 210, 300, 405, 513, 667];

    #[test]
    fn squares_of_sides_one_to_twelve_lie_on_the_smallest_page_with_any_effort() {
        let policy = PagePolicy { shape: Shape::Free, aspect: 8.0, ..PagePolicy::default() };
        for (n, best) in (1..).zip(SQUARES) {
            let items: Vec<Item> = (1..=n).map(|side| Item::new(Size::new(side, side))).collect();
            let request =
                LayoutRequest { effort: Effort::Quick, ..LayoutRequest::new(&items, Spacing::default(), &policy) };
            assert_eq!(lay_out(&request).map(|layout| layout.area()), Ok(best), "{n} squares");
        }
    }
}
