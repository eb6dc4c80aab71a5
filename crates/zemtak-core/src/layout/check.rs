//! The independent look at a layout: everything that must hold of it, found out without the search's own structures.

use super::{Item, Layout, PagePolicy, Spacing};
use crate::geometry::{Rect, Size};
use std::collections::BTreeMap;

/// Something that does not hold of a layout.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fault {
    /// The layout has another number of places than there are items.
    Count,
    /// A place names a page that is not there, or has not the item's size, or is turned against its will.
    Misfit(usize),
    /// A cell reaches into the margin or over the page's edge.
    Outside(usize),
    /// Two cells overlap or are nearer than the gutter.
    TooNear(usize, usize),
    /// A page that the policy does not allow.
    Page(usize),
}

/// Everything that is wrong with a layout; nothing if it is right.
#[must_use]
pub fn check(items: &[Item], spacing: Spacing, policy: &PagePolicy, layout: &Layout) -> Vec<Fault> {
    if items.len() != layout.places.len() || policy.count.is_some_and(|n| !items.is_empty() && n != layout.pages.len())
    {
        return vec![Fault::Count];
    }
    let mut faults: Vec<Fault> =
        (0..layout.pages.len()).filter(|&p| !policy.allows(layout.pages[p])).map(Fault::Page).collect();
    let mut by_page = vec![Vec::new(); layout.pages.len()];
    for (i, (item, place)) in items.iter().zip(&layout.places).enumerate() {
        let Some(page) = layout.pages.get(place.page) else {
            faults.push(Fault::Misfit(i));
            continue;
        };
        if place.rect.size() != item.size.stored(place.turned) || (place.turned && !item.may_turn) {
            faults.push(Fault::Misfit(i));
        }
        match place.rect.grown(spacing.extrude) {
            Some(cell) if within_margin(cell, *page, spacing.margin) => by_page[place.page].push((i, cell)),
            _ => faults.push(Fault::Outside(i)),
        }
    }
    for cells in &by_page {
        faults.extend(too_near(cells, spacing.gutter).into_iter().map(|(a, b)| Fault::TooNear(a, b)));
    }
    faults
}

/// Whether a cell keeps its distance from the edges of a page.
#[must_use]
pub(crate) fn within_margin(cell: Rect, page: Size, margin: u32) -> bool {
    cell.x >= margin
        && cell.y >= margin
        && cell.right() + u64::from(margin) <= u64::from(page.w)
        && cell.bottom() + u64::from(margin) <= u64::from(page.h)
}

/// All pairs of neighbouring cells that overlap or are less than `gutter` pixels apart on both axes.
///
/// A line sweeps over the page from left to right and keeps the cells that it crosses, sorted by their top. Each new
/// cell is held against its neighbours in that order, so `n` cells that keep their distance take `n log n` steps.
pub(crate) fn too_near(cells: &[(usize, Rect)], gutter: u32) -> Vec<(usize, usize)> {
    let gap = u64::from(gutter);
    // (column, leaves before enters, index into cells)
    let mut events: Vec<(u64, bool, usize)> = Vec::with_capacity(cells.len() * 2);
    for (k, (_, cell)) in cells.iter().enumerate() {
        events.push((u64::from(cell.x), true, k));
        events.push((cell.right() + gap, false, k));
    }
    events.sort_unstable();
    let mut crossed: BTreeMap<(u32, usize), u64> = BTreeMap::new();
    let mut found = Vec::new();
    for (_, enters, k) in events {
        let (id, cell) = cells[k];
        if !enters {
            crossed.remove(&(cell.y, k));
            continue;
        }
        let above = crossed.range(..(cell.y, k)).next_back();
        if let Some((&(_, other), _)) = above.filter(|(_, bottom)| **bottom + gap > u64::from(cell.y)) {
            found.push((cells[other].0, id));
        }
        let below = crossed.range((cell.y, k)..).next();
        if let Some((&(_, other), _)) = below.filter(|(key, _)| u64::from(key.0) < cell.bottom() + gap) {
            found.push((cells[other].0, id));
        }
        crossed.insert((cell.y, k), cell.bottom());
    }
    found
}
