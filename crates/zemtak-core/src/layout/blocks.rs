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
use std::collections::BTreeMap;

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
pub(super) struct Blocks {
    /// The blocks as items.
    pub(super) items: Vec<Item>,
    /// The members of each block.
    members: Vec<Vec<Member>>,
}

/// An item in a block.
#[derive(Debug, Clone, Copy)]
struct Member {
    item: usize,
    /// Its distance to the right of the block's left edge and below its top.
    right: u32,
    down: u32,
}

impl Member {
    const fn first(item: usize) -> Self {
        Self { item, right: 0, down: 0 }
    }
}

impl Blocks {
    /// Each item of `which` on its own.
    pub(super) fn of_one(request: &LayoutRequest<'_>, which: &[usize]) -> Self {
        let mut blocks = Self { items: Vec::new(), members: Vec::new() };
        which.iter().for_each(|&i| blocks.push(request.items[i], vec![Member::first(i)]));
        blocks
    }

    /// Joins the items of `which` family by family, the tallest first.
    pub(super) fn join(request: &LayoutRequest<'_>, limits: Limits, which: &[usize]) -> Self {
        let mut families: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        let mut blocks = Self { items: Vec::new(), members: Vec::new() };
        for &i in which {
            match request.items[i].family {
                Some(family) => families.entry(family.number).or_default().push(i),
                None => blocks.push(request.items[i], vec![Member::first(i)]),
            }
        }
        for mut family in families.into_values() {
            // A stable sort: items of one height stay in the order of their names, in which neighbours look most alike.
            family.sort_by_key(|&i| Reverse(request.items[i].size.h));
            blocks.join_family(request, limits, &family);
        }
        blocks
    }

    /// The blocks of more than one item.
    pub(super) fn without_single_ones(self) -> Self {
        let blocks = self.items.into_iter().zip(self.members).filter(|(_, members)| members.len() > 1);
        let (items, members) = blocks.unzip();
        Self { items, members }
    }

    fn join_family(&mut self, request: &LayoutRequest<'_>, limits: Limits, family: &[usize]) {
        let mut open: Option<Open> = None;
        for &i in family {
            let item = request.items[i];
            let Some(cell) = request.spacing.cell(item.size, limits.page) else {
                self.push(item, vec![Member::first(i)]);
                continue;
            };
            if open.as_mut().is_some_and(|open| open.add(i, item, cell, limits, request.spacing)) {
                continue;
            }
            self.close(open.take(), request);
            let Item { size, family, .. } = item;
            open = Some(Open { members: vec![Member::first(i)], family, size, cells: cell, area: cell.area() });
        }
        self.close(open, request);
    }

    fn close(&mut self, open: Option<Open>, request: &LayoutRequest<'_>) {
        if let Some(Open { members, size, .. }) = open {
            let item = if let [Member { item, .. }] = members[..] { request.items[item] } else { Item::new(size) };
            self.push(item, members);
        }
    }

    fn push(&mut self, item: Item, members: Vec<Member>) {
        self.items.push(item);
        self.members.push(members);
    }

    /// Where the members of placed blocks lie.
    pub(super) fn members_of(&self, placed: Vec<(usize, Place)>, items: &[Item]) -> Vec<(usize, Place)> {
        let of_block = |(block, place): (usize, Place)| {
            let members = &self.members[block];
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
    members: Vec<Member>,
    /// The family of the first and tallest member.
    family: Option<Family>,
    /// The bounding box of all members.
    size: Size,
    /// The cell of that box.
    cells: Size,
    /// The pixels of the members' cells.
    area: u64,
}

impl Open {
    /// Adds one more item, no taller than the others, if little is wasted.
    fn add(&mut self, number: usize, item: Item, cell: Size, limits: Limits, spacing: Spacing) -> bool {
        let joined = Size::new(self.cells.w.saturating_add(cell.w), self.cells.h);
        let area = self.area + cell.area();
        let fits = joined.w <= limits.widest && joined.area() <= limits.area;
        if !fits || joined.area() * 1000 > area * (1000 + limits.waste) {
            return false;
        }
        self.members.push(Member { item: number, right: self.cells.w, down: self.down(item, spacing) });
        self.size.w = self.cells.w + item.size.w;
        (self.cells, self.area) = (joined, area);
        true
    }

    /// How far below the top of the block an item lies: so that its rows lie beside the same rows of the first member's
    /// canvas, as far as the height of the block and the alignment of cells allow.
    fn down(&self, item: Item, spacing: Spacing) -> u32 {
        match (self.family, item.family) {
            (Some(first), Some(own)) if first.canvas == own.canvas => {
                let down = own.above.saturating_sub(first.above).min(self.size.h - item.size.h);
                down - down % spacing.align
            }
            _ => 0,
        }
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
        let blocks = Blocks::join(&request, limits, &(0..items.len()).collect::<Vec<_>>());
        assert_eq!(blocks.items, [Item::new(Size::new(12 * 40, 100))]);
        let place = Place { page: 0, rect: Rect::at(7, 30, blocks.items[0].size), turned: false };
        let placed = blocks.members_of(vec![(0, place)], &items);
        assert_eq!(placed.len(), items.len());
        for (item, place) in placed {
            assert_eq!(place.rect.y - items[item].family.unwrap().above, 20, "{item}");
        }
        // If nothing may be wasted, only frames of equal height are joined.
        let blocks = Blocks::join(&request, Limits { waste: 0, ..limits }, &(0..items.len()).collect::<Vec<_>>());
        assert_eq!(blocks.items, [(4, 100), (8, 98)].map(|(n, h)| Item::new(Size::new(n * 40, h))));
        // One that fits no other is no block.
        let items = [&items[..3], &[Item { family: Some(Family::new(1)), ..items[0] }]].concat();
        let request = LayoutRequest { items: &items, ..request };
        let blocks = Blocks::join(&request, limits, &[0, 1, 2, 3]);
        assert_eq!(blocks.items.len(), 2);
        assert_eq!(blocks.without_single_ones().items, [Item::new(Size::new(3 * 40, 100))]);
    }
}
