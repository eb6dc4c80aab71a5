//! Boxes that look alike, side by side.
//!
//! A deflate stream finds what repeats only within its last 32 KiB, which is four rows of a page 2048 pixels wide: frames of
//! one animation make a small file where they lie beside each other, and a large one where they lie a few hundred pixels
//! apart. So boxes of one family are joined into blocks, which the searches then place as if each were one box.

use super::request::{Item, LayoutRequest, Place};
use crate::geometry::{Rect, Size};
use std::cmp::Reverse;
use std::collections::BTreeMap;

/// What a block may grow to.
#[derive(Debug, Clone, Copy)]
pub(super) struct Limits {
    /// The largest page that the policy allows.
    pub(super) page: Size,
    /// Pixels from left to right, with a gutter.
    pub(super) widest: u32,
    /// Pixels in all, with gutters.
    pub(super) area: u64,
    /// How many hundredths larger than its cells together.
    pub(super) waste: u64,
}

/// Items joined to blocks. A block may have but one member.
pub(super) struct Blocks {
    /// The blocks as items.
    pub(super) items: Vec<Item>,
    /// For each block its members: the item, and how far right of the block's left edge it lies.
    members: Vec<Vec<(usize, u32)>>,
}

impl Blocks {
    /// Joins the items of `which` family by family, the tallest first, with their tops aligned.
    pub(super) fn join(request: &LayoutRequest<'_>, limits: Limits, which: &[usize]) -> Self {
        let mut families: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        let mut blocks = Self { items: Vec::new(), members: Vec::new() };
        for &i in which {
            match request.items[i].family {
                Some(family) => families.entry(family).or_default().push(i),
                None => blocks.push(request.items[i], vec![(i, 0)]),
            }
        }
        for mut family in families.into_values() {
            // A stable sort: of one height they stay in the order of their names, in which neighbours look most alike.
            family.sort_by_key(|&i| Reverse(request.items[i].size.h));
            blocks.join_family(request, limits, &family);
        }
        blocks
    }

    fn join_family(&mut self, request: &LayoutRequest<'_>, limits: Limits, family: &[usize]) {
        let mut open: Option<Open> = None;
        for &i in family {
            let item = request.items[i];
            let Some(cell) = request.spacing.cell(item.size, limits.page) else {
                self.push(item, vec![(i, 0)]);
                continue;
            };
            if open.as_mut().is_some_and(|open| open.add(i, item.size, cell, limits)) {
                continue;
            }
            self.close(open.take(), request);
            open = Some(Open { members: vec![(i, 0)], size: item.size, cells: cell, area: cell.area() });
        }
        self.close(open, request);
    }

    fn close(&mut self, open: Option<Open>, request: &LayoutRequest<'_>) {
        if let Some(Open { members, size, .. }) = open {
            let first = request.items[members[0].0];
            let item = if members.len() == 1 { first } else { Item::new(size) };
            self.push(item, members);
        }
    }

    fn push(&mut self, item: Item, members: Vec<(usize, u32)>) {
        self.items.push(item);
        self.members.push(members);
    }

    /// Where the members of placed blocks lie.
    pub(super) fn members_of(&self, placed: Vec<(usize, Place)>, items: &[Item]) -> Vec<(usize, Place)> {
        let of_block = |(block, place): (usize, Place)| {
            let members = &self.members[block];
            let member = move |&(i, right): &(usize, u32)| {
                let own = Rect::at(place.rect.x + right, place.rect.y, items[i].size);
                (i, Place { rect: if members.len() == 1 { place.rect } else { own }, ..place })
            };
            members.iter().map(member)
        };
        placed.into_iter().flat_map(of_block).collect()
    }
}

/// A block that may still grow.
struct Open {
    members: Vec<(usize, u32)>,
    /// The box round all members.
    size: Size,
    /// The cell of that box.
    cells: Size,
    /// The pixels of the members' cells.
    area: u64,
}

impl Open {
    /// Takes one more, no taller than the others, if little is wasted.
    fn add(&mut self, item: usize, size: Size, cell: Size, limits: Limits) -> bool {
        let joined = Size::new(self.cells.w.saturating_add(cell.w), self.cells.h);
        let area = self.area + cell.area();
        let fits = joined.w <= limits.widest && joined.area() <= limits.area;
        if !fits || joined.area() * 100 > area * (100 + limits.waste) {
            return false;
        }
        self.members.push((item, self.cells.w));
        self.size.w = self.cells.w + size.w;
        (self.cells, self.area) = (joined, area);
        true
    }
}
