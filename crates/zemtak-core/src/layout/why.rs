//! Why a layout is not smaller: its lower bounds, and what other options would bring, each one tried for real.

use super::arrange::lay_out;
use super::cells::Cells;
use super::error::LayoutError;
use super::policy::{PagePolicy, Shape};
use super::request::Arrangement;
use super::request::{Item, Layout, LayoutRequest};
use super::spacing::Spacing;
use crate::geometry::Size;

/// The lower bounds of any layout of these boxes. Boxes alone on their page are left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bound {
    /// The pixels of all boxes.
    pub boxes: u64,
    /// The pixels of all cells: boxes with their rings and one gutter to the right and below.
    pub cells: u64,
    /// The fewest pages.
    pub pages: usize,
    /// The fewest pixels of all pages together that the policy allows.
    pub least: u64,
    /// The same if pages could have any sides.
    pub least_free: u64,
    /// The smallest page that the widest and the tallest box allow.
    pub around: Size,
    /// The item that requires the widest page.
    pub widest: usize,
    /// The item that requires the tallest page.
    pub tallest: usize,
}

/// An option that the user did not choose.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Change {
    /// Every sprite may be turned.
    Turning,
    /// A gutter of this size.
    Gutter(u32),
    /// Pages of any sides.
    FreeShape,
    /// Pages whose longer side is at most this many times the shorter one.
    Aspect(f64),
    /// This many pages.
    Pages(usize),
}

/// The result of trying a [`Change`].
#[derive(Debug, Clone, PartialEq)]
pub struct Trial {
    /// What was changed.
    pub change: Change,
    /// The result.
    pub outlook: Result<Outlook, LayoutError>,
}

/// The outline of a layout.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Outlook {
    /// The number of pages.
    pub pages: usize,
    /// Their pixels together.
    pub area: u64,
}

/// The whole explanation.
#[derive(Debug, Clone, PartialEq)]
pub struct Why {
    /// The layout in question.
    pub now: Outlook,
    /// Its lower bounds.
    pub bound: Bound,
    /// What else was tried.
    pub tries: Vec<Trial>,
}

impl Outlook {
    /// The pages that boxes share.
    #[must_use]
    pub fn of(items: &[Item], layout: &Layout) -> Self {
        let alone: u64 = items.iter().filter(|i| i.alone).map(|i| i.size.area()).sum();
        let alone_pages = items.iter().filter(|i| i.alone).count();
        Self { pages: layout.pages.len() - alone_pages, area: layout.area() - alone }
    }
}

/// Explains `layout`, the result of `request`. `None` if no box shares a page, because then nothing could be different.
///
/// # Errors
/// As for [`lay_out`].
pub fn why(request: &LayoutRequest<'_>, layout: &Layout) -> Result<Option<Why>, LayoutError> {
    let shared: Vec<usize> = (0..request.items.len()).filter(|&i| !request.items[i].alone).collect();
    if shared.is_empty() {
        return Ok(None);
    }
    let now = Outlook::of(request.items, layout);
    let bound = bound(request, &shared, now)?;
    let tries = changes(request, &now).into_iter().map(|change| Trial { change, outlook: outlook(request, change) });
    Ok(Some(Why { now, bound, tries: tries.collect() }))
}

fn bound(request: &LayoutRequest<'_>, shared: &[usize], now: Outlook) -> Result<Bound, LayoutError> {
    let mut policy = request.policy.aligned(request.spacing);
    if matches!(request.arrangement, Arrangement::Row | Arrangement::Column) {
        policy.aspect = f64::MAX;
    }
    let cells = Cells::new(request, &policy, shared)?;
    let need = cells.need(&cells.all());
    let long = |i: &usize, width: bool| {
        let Item { size: Size { w, h }, may_turn, .. } = request.items[*i];
        if may_turn {
            w.min(h)
        } else if width {
            w
        } else {
            h
        }
    };
    let most = |width: bool| shared.iter().copied().rev().max_by_key(|i| long(i, width)).unwrap_or(0);
    let free = PagePolicy { shape: Shape::Free, step: 1, fixed: None, ..policy.clone() };
    let pages = policy.more_pages(&cells).unwrap_or_else(|| policy.least_pages(&cells, need));
    // In rows, the smallest page is computed, not searched for.
    let in_rows = (request.arrangement != Arrangement::Dense).then_some(now);
    let least = in_rows.map_or_else(|| policy.least_of_all(&cells, need), |now| now.area);
    Ok(Bound {
        boxes: shared.iter().map(|&i| request.items[i].size.area()).sum(),
        cells: need.area,
        pages: in_rows.map_or(pages, |now| now.pages),
        least,
        least_free: free.least_of_all(&cells, need).min(least),
        around: policy.smallest_round(request.spacing.page_for(need.widest, need.tallest)),
        widest: most(true),
        tallest: most(false),
    })
}

/// The changes worth trying.
fn changes(request: &LayoutRequest<'_>, now: &Outlook) -> Vec<Change> {
    let policy = request.policy;
    let dense = request.arrangement == Arrangement::Dense;
    let upright = request.items.iter().any(|i| !i.alone && !i.may_turn && i.size.w != i.size.h);
    let free = policy.shape == Shape::Free && policy.fixed.is_none();
    let several = request.items.iter().filter(|i| !i.alone).count() > now.pages;
    let mut changes = Vec::new();
    changes.extend((dense && upright).then_some(Change::Turning));
    changes.extend((request.spacing.gutter > 0).then_some(Change::Gutter(request.spacing.gutter / 2)));
    changes.push(if free { Change::Aspect(policy.aspect * 2.0) } else { Change::FreeShape });
    changes.extend(several.then_some(Change::Pages(now.pages + 1)));
    changes
}

/// Lays out with a change for real, with the effort of the request.
fn outlook(request: &LayoutRequest<'_>, change: Change) -> Result<Outlook, LayoutError> {
    let mut items = request.items.to_vec();
    let mut policy = request.policy.clone();
    let mut spacing = request.spacing;
    match change {
        Change::Turning => items.iter_mut().filter(|i| !i.alone).for_each(|i| i.may_turn = true),
        Change::Gutter(gutter) => spacing = Spacing { gutter, ..spacing },
        Change::FreeShape => (policy.shape, policy.fixed) = (Shape::Free, None),
        Change::Aspect(aspect) => policy.aspect = aspect,
        Change::Pages(count) => policy.count = Some(count),
    }
    let changed = LayoutRequest { items: &items, spacing, policy: &policy, kept: None, ..*request };
    Ok(Outlook::of(&items, &lay_out(&changed)?))
}
