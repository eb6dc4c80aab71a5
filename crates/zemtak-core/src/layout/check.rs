//! An independent check of a layout: every rule, tested without the search's own structures.

use super::policy::PagePolicy;
use super::request::Arrangement;
use super::request::{Item, Layout, LayoutRequest, Place};
use crate::geometry::{Rect, Size};
use crate::separation::{too_near, within_margin};
use std::collections::{BTreeMap, BTreeSet};

/// A rule that a layout breaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum LayoutFault {
    /// The number of places differs from the number of items, or the number of pages from what was asked for.
    Count,
    /// A place names a page that does not exist, or does not have the item's size, or is turned although it must not
    /// be.
    Misfit(usize),
    /// A cell reaches into the margin or beyond the page's edge, or begins where none may.
    Outside(usize),
    /// Two cells overlap or are nearer than the gutter.
    TooNear(usize, usize),
    /// A page that the policy does not allow.
    Page(usize),
    /// A page without anything on it.
    Empty(usize),
    /// Two items that must share a page but do not.
    Parted(usize, usize),
    /// An item that is not alone on its page although it should be.
    NotAlone(usize),
    /// An item that should have stayed in its place but did not.
    Moved(usize),
}

/// Everything that is wrong with a layout; empty if it is correct.
#[must_use]
pub fn check(request: &LayoutRequest<'_>, layout: &Layout) -> Vec<LayoutFault> {
    let LayoutRequest { items, spacing, policy, .. } = *request;
    let alone = items.iter().filter(|i| i.alone).count();
    let shared_pages = layout.pages.len().checked_sub(alone);
    let other_count = |n: usize| alone < items.len() && Some(n) != shared_pages;
    if items.len() != layout.places.len() || shared_pages.is_none() || policy.count.is_some_and(other_count) {
        return vec![LayoutFault::Count];
    }
    let mut faults = Vec::new();
    let mut by_page: Vec<Vec<(usize, Rect)>> = vec![Vec::new(); layout.pages.len()];
    let mut lone_pages = BTreeSet::new();
    for (i, (item, place)) in items.iter().zip(&layout.places).enumerate() {
        let Some(page) = layout.pages.get(place.page) else {
            faults.push(LayoutFault::Misfit(i));
            continue;
        };
        if place.rect.size() != item.size.stored(place.turned) || (place.turned && !item.may_turn) {
            faults.push(LayoutFault::Misfit(i));
        }
        if item.alone {
            lone_pages.insert(place.page);
            by_page[place.page].push((i, place.rect));
            continue;
        }
        let aligned = |cell: &Rect| cell.x.is_multiple_of(spacing.align) && cell.y.is_multiple_of(spacing.align);
        match place.rect.grown(spacing.extrude).filter(aligned) {
            Some(cell) if within_margin(cell, *page, spacing.margin) => by_page[place.page].push((i, cell)),
            _ => faults.push(LayoutFault::Outside(i)),
        }
    }
    for (page, cells) in by_page.iter().enumerate() {
        match cells[..] {
            [] => faults.push(LayoutFault::Empty(page)),
            [(i, rect)] if lone_pages.contains(&page) && rect == Rect::at(0, 0, layout.pages[page]) => {
                faults.extend((!items[i].alone).then_some(LayoutFault::NotAlone(i)));
            }
            _ if lone_pages.contains(&page) => faults.extend(cells.iter().map(|(i, _)| LayoutFault::NotAlone(*i))),
            _ => faults.extend(too_near(cells, spacing.gutter).into_iter().map(|(a, b)| LayoutFault::TooNear(a, b))),
        }
    }
    faults.extend(wrong_pages(request, layout, &lone_pages).into_iter().map(LayoutFault::Page));
    faults.extend(parted(items, &layout.places));
    faults.extend(moved(request, layout));
    faults
}

/// Shared pages that the policy does not allow, or that differ in size from the first although all must be equal.
fn wrong_pages(request: &LayoutRequest<'_>, layout: &Layout, lone: &BTreeSet<usize>) -> Vec<usize> {
    let align = request.spacing.align;
    let policy = match request.arrangement {
        Arrangement::Row | Arrangement::Column => &PagePolicy { aspect: f64::MAX, ..request.policy.clone() },
        _ => request.policy,
    };
    let shared = || (0..layout.pages.len()).filter(|page| !lone.contains(page));
    let first = shared().next().map(|page| layout.pages[page]).filter(|_| policy.same_size);
    let right = |page: Size| {
        first.is_none_or(|first| page == first)
            && policy.allows(page)
            && page.w.is_multiple_of(align)
            && page.h.is_multiple_of(align)
    };
    shared().filter(|page| !right(layout.pages[*page])).collect()
}

/// Items of one group on two pages.
fn parted(items: &[Item], places: &[Place]) -> Vec<LayoutFault> {
    let mut first: BTreeMap<usize, usize> = BTreeMap::new();
    let mut faults = Vec::new();
    for (i, item) in items.iter().enumerate().filter(|(_, item)| !item.alone) {
        let Some(group) = item.group else { continue };
        let leader = *first.entry(group).or_insert(i);
        if places[leader].page != places[i].page {
            faults.push(LayoutFault::Parted(leader, i));
        }
    }
    faults
}

/// Kept items that are elsewhere. Items of a group may have moved with it; pages may have other numbers.
fn moved(request: &LayoutRequest<'_>, layout: &Layout) -> Vec<LayoutFault> {
    let Some(kept) = request.kept.filter(|_| request.arrangement == Arrangement::Dense) else { return Vec::new() };
    let policy = request.policy.aligned(request.spacing);
    let stays = |i: &usize| {
        let place = kept.place(*i, &policy)?;
        (!request.items[*i].alone && request.items[*i].group.is_none()).then_some((*i, place))
    };
    let moved = |(i, place): &(usize, Place)| {
        let now = layout.places[*i];
        (now.rect, now.turned) != (place.rect, place.turned)
    };
    (0..request.items.len()).filter_map(|i| stays(&i)).filter(moved).map(|(i, _)| LayoutFault::Moved(i)).collect()
}
