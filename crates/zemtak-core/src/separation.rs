//! Whether rectangles on a page keep their distance from one another and from its edges.

use crate::geometry::{Rect, Size};
use std::collections::BTreeMap;

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
/// cell is compared with its neighbours in that order, so `n` cells that keep their distance take `n log n` steps.
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
