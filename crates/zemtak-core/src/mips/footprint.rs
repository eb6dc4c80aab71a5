//! Which pixels of a page a sample of a sprite takes in, at each level: computed in whole numbers alone.

use super::{Cover, level_size, most_levels};
use crate::atlas::Filter;
use crate::geometry::{Rect, Size};
use std::ops::RangeInclusive;

/// The texels of a level that samples from one edge of a box to the other take in, along one side of a page.
///
/// Between pixels, at `u * width - 1/2`, the two nearest count, including on the edges themselves; with a single
/// nearest pixel, samples start just inside the edges.
#[must_use]
pub fn texels(side: u32, level: u32, edges: [u32; 2], filter: Filter) -> RangeInclusive<u32> {
    let (page, own) = (i64::from(side), i64::from(side.checked_shr(level).unwrap_or(0).max(1)));
    let [from, to] = edges.map(i64::from);
    let (first, last) = match filter {
        Filter::Linear => {
            let doubled = |at: i64| 2 * at * own - page;
            (doubled(from).div_euclid(2 * page), -(-doubled(to)).div_euclid(2 * page))
        }
        Filter::Nearest => ((from * own).div_euclid(page), -(-to * own).div_euclid(page) - 1),
    };
    let on_page = |texel: i64| u32::try_from(texel.clamp(0, own - 1)).unwrap_or(0);
    on_page(first)..=on_page(last)
}

/// The pixels of the previous level that texels of a level cover.
pub(super) fn covered(side: u32, texels: &RangeInclusive<u32>) -> RangeInclusive<u32> {
    Cover::of(side, *texels.start()).first..=Cover::of(side, *texels.end()).last()
}

/// The pixels of the page itself that texels of a level cover.
fn pixels(side: u32, level: u32, texels: RangeInclusive<u32>) -> RangeInclusive<u32> {
    (0..level).rev().fold(texels, |texels, above| covered(side.checked_shr(above).unwrap_or(0).max(1), &texels))
}

/// The part of a page that repeats a box: a ring round it, extended to the right and down to the next multiple of
/// `align`, so that no pixel of smaller levels and no compressed block is shared with another cell.
#[must_use]
pub fn own_cell(rect: Rect, ring: u32, align: u32, page: Size) -> Rect {
    let align = align.max(1);
    let [left, top] = [rect.x.saturating_sub(ring), rect.y.saturating_sub(ring)];
    let end = |start: u32, length: u32, most: u32| {
        start.saturating_add(length).saturating_add(ring).checked_next_multiple_of(align).unwrap_or(most).min(most)
    };
    Rect::new(left, top, end(rect.x, rect.w, page.w) - left, end(rect.y, rect.h, page.h) - top)
}

/// The deepest level down to which no sample of a box takes in a pixel outside its cell; `None` if one does even at
/// full size.
#[must_use]
pub fn safe_level(page: Size, rect: Rect, cell: Rect, filter: Filter) -> Option<u32> {
    let clean = |level: u32| {
        let within = |side: u32, edges: [u32; 2], start: u32, length: u32| {
            let seen = pixels(side, level, texels(side, level, edges, filter));
            *seen.start() >= start && *seen.end() < start + length
        };
        within(page.w, [rect.x, rect.x + rect.w], cell.x, cell.w)
            && within(page.h, [rect.y, rect.y + rect.h], cell.y, cell.h)
    };
    (0..most_levels(page)).take_while(|level| clean(*level)).last()
}

/// The texels of each level, the full size first, that are needed to make and sample all levels down to one.
pub(super) fn needed(page: Size, rect: Rect, levels: u32, filter: Filter) -> Vec<Rect> {
    let along = |side: u32, edges: [u32; 2]| {
        let mut ranges: Vec<RangeInclusive<u32>> =
            (0..=levels).map(|level| texels(side, level, edges, filter)).collect();
        for level in (0..levels).rev() {
            let deeper = covered(level_size(Size::new(side, 1), level).w, &ranges[level as usize + 1]);
            let own = &ranges[level as usize];
            ranges[level as usize] = *own.start().min(deeper.start())..=*own.end().max(deeper.end());
        }
        ranges
    };
    let (columns, rows) = (along(page.w, [rect.x, rect.x + rect.w]), along(page.h, [rect.y, rect.y + rect.h]));
    let length = |range: &RangeInclusive<u32>| range.end() - range.start() + 1;
    columns.iter().zip(&rows).map(|(x, y)| Rect::new(*x.start(), *y.start(), length(x), length(y))).collect()
}
