//! From cells to pages: which sizes to try, and how to split over several pages.

use super::cells::{Cells, Filled};
use super::effort::{Budget, Effort};
use super::error::LayoutError;
use super::fill::Placed;
use super::fit::Fit;
use super::policy::{PagePolicy, Prefer, Shape};
use super::{free, together};
use crate::geometry::Size;
use std::cmp::Reverse;

/// What a search over pages works with.
#[derive(Clone, Copy)]
pub(super) struct Search<'a> {
    pub(super) cells: &'a Cells<'a>,
    pub(super) policy: &'a PagePolicy,
    pub(super) effort: Effort,
    /// Among how many searches the work of this effort is shared.
    pub(super) share: usize,
}

impl<'a> Search<'a> {
    fn fit(&self) -> Fit<'a> {
        Fit { cells: self.cells, effort: self.effort }
    }

    fn budget(&self) -> Budget {
        Budget { effort: self.effort, share: self.share }
    }

    /// Splits the cells over as many pages as the policy wants. `known` is the result of less effort.
    pub(super) fn split(&self, known: Option<&[Filled]>) -> Result<Vec<Filled>, LayoutError> {
        let mut pages = self.undivided(known)?;
        if self.policy.prefer == Prefer::Bytes && self.policy.count.is_none() {
            self.spend_a_page(&mut pages);
        }
        let needed = pages.len();
        if let Some(asked) = self.policy.count.filter(|&n| n != needed && needed > 0) {
            return self.divided(pages, asked).ok_or(LayoutError::PageCount { asked, needed });
        }
        Ok(pages)
    }

    /// Pages without regard to how many are asked for; after a short search, if they are going to be divided.
    fn undivided(&self, known: Option<&[Filled]>) -> Result<Vec<Filled>, LayoutError> {
        if let Some(asked) = self.policy.more_pages(self.cells) {
            let pages = Self { effort: Effort::Quick, ..*self }.fewest(None)?;
            if pages.len() < asked {
                return Ok(pages);
            }
        }
        self.fewest(known)
    }

    /// Whether no layout can be better.
    pub(super) fn proven(&self, pages: &[Filled]) -> bool {
        if self.policy.count.is_none_or(|count| count == 1) && matches!(pages, [page] if page.smallest) {
            return true;
        }
        let need = self.cells.need(&self.cells.all());
        let bytes: u64 = pages.iter().map(|p| p.size.area()).sum();
        bytes <= self.policy.least_of_all(self.cells, need)
            && (self.policy.prefer == Prefer::Bytes || pages.len() <= self.policy.least_pages(self.cells, need).max(1))
    }

    /// Full pages of the largest size, and a last one as small as its content allows.
    fn fewest(&self, known: Option<&[Filled]>) -> Result<Vec<Filled>, LayoutError> {
        let mut left = self.cells.all();
        let mut pages = Vec::new();
        let mut known = known.filter(|pages| pages.len() == 1).map(|pages| pages[0].clone());
        while left.iter().any(|&n| n > 0) {
            if let Some(last) = self.smallest(&left, known.take()) {
                pages.push(last);
                break;
            }
            // The largest pages by area; if some sprites fit only on a longer one, that one takes its turn.
            let largest = self.policy.largest_pages();
            let filled = if self.cells.grouped() {
                Some(together::fill(self.fit(), &mut left, &largest)?)
            } else {
                largest.into_iter().find_map(|size| self.cells.fill_most(&mut left, size, self.effort))
            };
            let Some(filled) = filled else { break };
            pages.push(self.cells.tight(self.policy, &filled));
        }
        Ok(pages)
    }

    /// The smallest allowed page found that holds everything in `left`.
    pub(super) fn smallest(&self, left: &[u32], known: Option<Filled>) -> Option<Filled> {
        match (self.policy.fixed, self.policy.shape) {
            (Some(size), _) => known.or_else(|| self.fit().all(left, size)),
            (None, Shape::Free | Shape::Square) => free::smallest(self.cells, self.policy, left, self.budget(), known),
            (None, Shape::Pow2 | Shape::Pow2Square) => {
                let need = self.cells.need(left);
                let smaller = |size: &Size| known.as_ref().is_none_or(|known| size.area() < known.size.area());
                let sizes = self.policy.pow2_pages().into_iter().filter(smaller);
                let mut sizes = sizes.filter(|&size| self.cells.spare(need, size).is_some());
                sizes.find_map(|size| self.fit().all(left, size)).or(known)
            }
        }
    }

    /// Splits the last page in two if that saves a tenth of all bytes. All searches together do the work of one.
    fn spend_a_page(&self, pages: &mut Vec<Filled>) {
        let Some(last) = pages.pop() else { return };
        let bytes = |pages: &[Filled]| pages.iter().map(|p| p.size.area()).sum::<u64>();
        let total = bytes(pages) + last.size.area();
        let is_worth_it = |parts: &Vec<Filled>| {
            let saved = last.size.area().saturating_sub(bytes(parts));
            if parts.len() == 1 { saved > 0 } else { saved * 10 >= total }
        };
        let sizes = self.smaller_pages(last.size);
        let search = Self { share: self.share * sizes.len().max(1), ..*self };
        let parted = sizes.into_iter().filter_map(|size| search.parted(&last, size));
        let best = parted.filter(is_worth_it).min_by_key(|parts| bytes(parts));
        pages.extend(best.unwrap_or_else(|| vec![last]));
    }

    /// The cells of a page on one of this size and another for the rest, the larger one first. All of them may fit on the
    /// one: no search for a smallest page is certain to find it.
    fn parted(&self, page: &Filled, size: Size) -> Option<Vec<Filled>> {
        let mut left = self.cells.counts(&page.puts);
        let first = if self.cells.grouped() {
            together::fill(self.fit(), &mut left, &[size]).ok()?
        } else {
            self.cells.fill_most(&mut left, size, self.effort)?
        };
        let mut parts = vec![self.cells.tight(self.policy, &first)];
        if left.iter().any(|&n| n > 0) {
            parts.push(self.smallest(&left, None)?);
        }
        parts.sort_by_key(|part| Reverse(part.size.area()));
        Some(parts)
    }

    /// Pages that might be the first of two in place of one.
    fn smaller_pages(&self, one: Size) -> Vec<Size> {
        match (self.policy.fixed, self.policy.shape) {
            (Some(_), _) => Vec::new(),
            (None, Shape::Pow2 | Shape::Pow2Square) => {
                self.policy.pow2_pages().into_iter().filter(|s| s.area() < one.area()).collect()
            }
            (None, Shape::Free | Shape::Square) => {
                let part = |k: u32| self.policy.smallest_round(Size::new(one.w.div_ceil(8) * k, one.h.div_ceil(8) * k));
                (4..8).map(part).filter(|&s| self.policy.allows(s) && s.area() < one.area()).collect()
            }
        }
    }

    /// The pages divided into as many as are asked for, always the one with the most cells next; `None` if they are more
    /// already, or cannot be divided so often. All searches for the parts together do the work of one.
    fn divided(&self, pages: Vec<Filled>, asked: usize) -> Option<Vec<Filled>> {
        let mut pages: Vec<(Filled, bool)> = pages.into_iter().map(|page| (page, false)).collect();
        while pages.len() < asked {
            let mut order: Vec<usize> = (0..pages.len()).collect();
            order.sort_by_key(|&at| (Reverse(pages[at].0.puts.len()), at));
            let (at, halves) = order.into_iter().find_map(|at| Some((at, self.halves(&pages[at].0)?)))?;
            let size = pages[at].0.size;
            pages.splice(at..=at, halves.map(|puts| (Filled::new(size, puts), true)));
        }
        let parts = pages.iter().filter(|(_, is_part)| *is_part).count();
        let search = Self { share: parts, ..*self };
        let smallest = |part: &Filled| search.smallest(&self.cells.counts(&part.puts), None);
        let shrunk = |(page, is_part): (Filled, bool)| match is_part {
            true => smallest(&page).unwrap_or(page),
            false => page,
        };
        (pages.len() == asked).then(|| pages.into_iter().map(shrunk).collect())
    }

    /// The cells of a page in two parts that keep together what must be; `None` if there is only one such lot.
    fn halves(&self, page: &Filled) -> Option<[Vec<Placed>; 2]> {
        let group = |put: &Placed| self.cells.group(put.class);
        let mut puts = page.puts.clone();
        puts.sort_by_key(group);
        let apart = |i: &usize| group(&puts[*i]).is_none() || group(&puts[*i - 1]) != group(&puts[*i]);
        let cut = (1..puts.len()).filter(apart).min_by_key(|i| i.abs_diff(puts.len() / 2))?;
        let second = puts.split_off(cut);
        Some([puts, second])
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Item, LayoutRequest, Spacing};
    use super::*;

    /// All that lay on a page happened to fit on the first of two smaller ones, and the second became an empty page.
    #[test]
    fn no_page_is_spent_on_nothing() {
        let items = [Item { group: Some(0), ..Item::new(Size::new(20, 20)) }; 4];
        let policy = PagePolicy { prefer: Prefer::Bytes, ..PagePolicy::default() };
        let request = LayoutRequest::new(&items, Spacing::default(), &policy);
        let cells = Cells::new(&request, &policy, &[0, 1, 2, 3]).unwrap();
        let search = Search { cells: &cells, policy: &policy, effort: request.effort, share: 1 };
        let mut pages = vec![search.fit().all(&cells.all(), Size::new(128, 128)).unwrap()];
        search.spend_a_page(&mut pages);
        let sizes: Vec<Size> = pages.iter().map(|page| page.size).collect();
        assert_eq!((sizes, pages[0].puts.len()), (vec![Size::new(64, 64)], 4));
    }
}
