//! Boxes that look alike, side by side.
//!
//! A deflate stream finds repetitions only within its last 32 KiB, which is four rows of a page 2048 pixels wide:
//! frames of one animation make a small file if they lie side by side, and a large one if they lie a few hundred pixels
//! apart. So boxes of one family are joined into blocks, which the searches then place as if each were one box. Within
//! a block, the same rows of two canvases lie in the same row, as far as that takes no room: trimmed frames have
//! different heights, and what they have in common begins at different depths.

use super::request::{Family, Item, LayoutRequest, Place};
use super::spacing::Spacing;
use crate::geometry::{Rect, Size};
use std::cmp::Reverse;

/// Limits on the growth of a block.
#[derive(Debug, Clone, Copy)]
pub(super) struct Limits {
    /// The largest page that the policy allows.
    pub(super) page: Size,
    /// Pixels from left to right, with a gutter.
    pub(super) widest: u32,
    /// Pixels in all, with gutters.
    pub(super) area: u64,
    /// By how many thousandths it may be larger than its cells together.
    pub(super) waste: u64,
}

/// Items joined into blocks. A block may have only one member.
#[derive(Default)]
pub(super) struct Blocks {
    /// The blocks as items.
    pub(super) items: Vec<Item>,
    /// The members of all blocks, one block after another: a list for each would take most of the time of joining.
    members: Vec<Member>,
    /// Where the members of each block end.
    ends: Vec<usize>,
}

/// An item in a block.
#[derive(Debug, Clone, Copy)]
struct Member {
    item: usize,
    /// Its distance to the right of the block's left edge and below its top.
    right: u32,
    down: u32,
}

impl Blocks {
    /// Each of these items on its own.
    pub(super) fn of_one(request: &LayoutRequest<'_>, which: impl Iterator<Item = usize>) -> Self {
        let mut blocks = Self::default();
        which.for_each(|i| blocks.push(request.items[i], i));
        blocks
    }

    /// The items in the order in which they are joined: family by family, the tallest first.
    pub(super) fn order(request: &LayoutRequest<'_>, which: &[usize]) -> Vec<usize> {
        let mut order = which.to_vec();
        // A stable sort: items of one height stay in the order of their names, in which neighbours look most alike.
        order.sort_by_key(|&i| request.items[i].family.map(|family| (family.number, Reverse(request.items[i].size.h))));
        order
    }

    /// Joins items, which come in the order of [`order`](Self::order).
    pub(super) fn join(request: &LayoutRequest<'_>, limits: Limits, ordered: impl Iterator<Item = usize>) -> Self {
        let most = ordered.size_hint().0;
        let (items, members, ends) = (Vec::with_capacity(most), Vec::with_capacity(most), Vec::with_capacity(most));
        let mut blocks = Self { items, members, ends };
        let cell_of = request.spacing.cells(limits.page);
        let mut open: Option<Open> = None;
        for i in ordered {
            let item = request.items[i];
            let cell = cell_of(item.size).zip(item.family);
            if let (Some(open), Some((cell, _))) = (&mut open, cell)
                && let Some(member) = open.add(i, item, cell, limits, request.spacing)
            {
                blocks.members.push(member);
                continue;
            }
            blocks.close(open.take());
            blocks.push(item, i);
            open = cell.map(|(cell, family)| Open { family, size: item.size, cells: cell, area: cell.area() });
        }
        blocks.close(open);
        blocks
    }

    /// Those of more than one item.
    pub(super) fn without_single_ones(&self) -> Self {
        let mut some = Self::default();
        for (block, item) in self.items.iter().enumerate() {
            let members = self.members(block);
            if members.len() > 1 {
                some.items.push(*item);
                some.members.extend_from_slice(members);
                some.ends.push(some.members.len());
            }
        }
        some
    }

    /// Ends the last block.
    fn close(&mut self, open: Option<Open>) {
        let Some((open, last)) = open.zip(self.ends.len().checked_sub(1)) else { return };
        self.ends[last] = self.members.len();
        if self.members(last).len() > 1 {
            self.items[last] = Item::new(open.size);
        }
    }

    /// Begins a block.
    fn push(&mut self, item: Item, number: usize) {
        self.items.push(item);
        self.members.push(Member { item: number, right: 0, down: 0 });
        self.ends.push(self.members.len());
    }

    fn members(&self, block: usize) -> &[Member] {
        let start = block.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.members[start..self.ends[block]]
    }

    /// Where the members of placed blocks lie.
    pub(super) fn members_of(&self, placed: Vec<(usize, Place)>, items: &[Item]) -> Vec<(usize, Place)> {
        let of_block = |(block, place): (usize, Place)| {
            let members = self.members(block);
            let member = move |&Member { item, right, down }: &Member| {
                let own = Rect::at(place.rect.x + right, place.rect.y + down, items[item].size);
                (item, Place { rect: if members.len() == 1 { place.rect } else { own }, ..place })
            };
            members.iter().map(member)
        };
        placed.into_iter().flat_map(of_block).collect()
    }
}

/// A block that may still grow.
struct Open {
    /// The family of the first and tallest member.
    family: Family,
    /// The bounding box of all members.
    size: Size,
    /// The cell of that box.
    cells: Size,
    /// The pixels of the members' cells.
    area: u64,
}

impl Open {
    /// Adds one more item, no taller than the others, if it is of the same family and little is wasted.
    fn add(&mut self, number: usize, item: Item, cell: Size, limits: Limits, spacing: Spacing) -> Option<Member> {
        let family = item.family.filter(|family| family.number == self.family.number)?;
        let joined = Size::new(self.cells.w.saturating_add(cell.w), self.cells.h);
        let area = self.area + cell.area();
        let fits = joined.w <= limits.widest && joined.area() <= limits.area;
        if !fits || joined.area() * 1000 > area * (1000 + limits.waste) {
            return None;
        }
        let member = Member { item: number, right: self.cells.w, down: self.down(item, family, spacing) };
        self.size.w = self.cells.w + item.size.w;
        (self.cells, self.area) = (joined, area);
        Some(member)
    }

    /// How far below the top of the block an item lies: so that its rows lie beside the same rows of the first member's
    /// canvas, as far as the height of the block and the alignment of cells allow.
    fn down(&self, item: Item, family: Family, spacing: Spacing) -> u32 {
        if self.family.canvas != family.canvas {
            return 0;
        }
        let down = family.above.saturating_sub(self.family.above).min(self.size.h - item.size.h);
        down - down % spacing.align
    }
}

#[cfg(test)]
mod tests {
    use super::super::PagePolicy;
    use super::*;

    #[test]
    fn the_same_rows_of_canvases_lie_beside_each_other() {
        // Trimmed frames of one canvas: now and then two rows less at the top or at the bottom.
        let frame = |i: u32| {
            let (above, below) = (2 * u32::from(i % 3 == 1), 2 * u32::from(i % 3 == 2));
            let family = Family { number: 0, canvas: Size::new(64, 120), above: 10 + above };
            Item { family: Some(family), ..Item::new(Size::new(40, 100 - above - below)) }
        };
        let items: Vec<Item> = (0..12).map(frame).collect();
        let policy = PagePolicy::default();
        let request = LayoutRequest::new(&items, Spacing::default(), &policy);
        let page = Size::new(1024, 1024);
        let limits = Limits { page, widest: 1024, area: page.area(), waste: 20 };
        let blocks = Blocks::join(&request, limits, 0..items.len());
        assert_eq!(blocks.items, [Item::new(Size::new(12 * 40, 100))]);
        let place = Place { page: 0, rect: Rect::at(7, 30, blocks.items[0].size), turned: false };
        let placed = blocks.members_of(vec![(0, place)], &items);
        assert_eq!(placed.len(), items.len());
        for (item, place) in placed {
            assert_eq!(place.rect.y - items[item].family.unwrap().above, 20, "{item}");
        }
        // If nothing may be wasted, only frames of equal height are joined.
        let order = Blocks::order(&request, &(0..items.len()).collect::<Vec<_>>());
        let blocks = Blocks::join(&request, Limits { waste: 0, ..limits }, order.into_iter());
        assert_eq!(blocks.items, [(4, 100), (8, 98)].map(|(n, h)| Item::new(Size::new(n * 40, h))));
        // One that fits no other is no block: it may turn as before.
        let other = Item { family: Some(Family::new(1)), may_turn: true, ..items[0] };
        let items = [items[0], items[3], other];
        let request = LayoutRequest { items: &items, ..request };
        let blocks = Blocks::join(&request, limits, Blocks::order(&request, &[0, 1, 2]).into_iter());
        let both = Item::new(Size::new(2 * 40, 100));
        assert_eq!(blocks.items, [both, other]);
        assert_eq!(blocks.without_single_ones().items, [both]);
    }
}
