//! Lower bounds for every layout.

use super::cells::{Cells, Need};
use super::policy::{PagePolicy, Prefer, Shape};
use crate::geometry::Size;

impl PagePolicy {
    /// The least number of pixels of an allowed page that holds all of `need`.
    pub(super) fn least_area(&self, cells: &Cells<'_>, need: Need) -> u64 {
        let spacing = cells.spacing();
        let around = spacing.page_for(need.widest, need.tallest);
        let holds = |page: Size| {
            let room = spacing.room(page);
            room.is_some_and(|r| r.area() >= need.area && need.widest <= r.w && need.tallest <= r.h)
        };
        match (self.fixed, self.shape) {
            (Some(size), _) => size.area(),
            (None, Shape::Free) => {
                // With alignment, the last cell may end before the place where the next one could begin.
                let round = if spacing.align > 1 { 1 } else { self.widened(around).area() };
                round.max(spacing.least_page(need.area, self.aspect))
            }
            (None, Shape::Square) => {
                let sides: Vec<u32> = self.square_sides().collect();
                let least = sides.partition_point(|&s| !holds(Size::new(s, s)));
                sides.get(least).map_or(u64::MAX, |&s| Size::new(s, s).area())
            }
            (None, Shape::Pow2 | Shape::Pow2Square) => {
                self.pow2_pages().into_iter().find(|&page| holds(page)).map_or(u64::MAX, Size::area)
            }
        }
    }

    /// The fewest pages that can hold all of `need`.
    pub(super) fn least_pages(&self, cells: &Cells<'_>, need: Need) -> usize {
        let room = cells.spacing().room(self.largest()).map_or(1, Size::area).max(1);
        usize::try_from(need.area.div_ceil(room)).unwrap_or(usize::MAX)
    }

    /// The number of pages that is asked for, if it is more than may be needed.
    pub(super) fn more_pages(&self, cells: &Cells<'_>) -> Option<usize> {
        self.count.filter(|&asked| asked > self.least_pages(cells, cells.need(&cells.all())))
    }

    /// The least number of pixels of allowed pages that hold all of `need`.
    pub(super) fn least_of_all(&self, cells: &Cells<'_>, need: Need) -> u64 {
        // If more pages than the fewest are allowed, smaller ones may have fewer pixels in total.
        let more_pages = self.prefer == Prefer::Bytes || self.count.is_some() || self.same_size;
        let on_more = if more_pages { cells.ringed_area() } else { u64::MAX };
        on_more.min(self.least_on_fewest(cells, need))
    }

    fn least_on_fewest(&self, cells: &Cells<'_>, need: Need) -> u64 {
        let pages = self.least_pages(cells, need) as u64;
        if pages <= 1 {
            return self.least_area(cells, need);
        }
        // All pages but one are as large as possible, and that one holds the rest, whatever the longest cells are.
        let room = cells.spacing().room(self.largest()).map_or(1, Size::area);
        let over = Need { area: need.area - (pages - 1) * room, widest: 1, tallest: 1, ..need };
        (pages - 1) * self.largest().area() + self.least_area(cells, over)
    }
}
