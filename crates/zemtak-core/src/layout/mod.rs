//! Rectangles to pages. Knows sizes and numbers, no pixels.
//!
//! [`lay_out`] takes a [`LayoutRequest`]: the sizes of boxes, how cells are spaced, and a page policy; it gives every box a
//! place. The result depends on nothing but the request. The method is described in docs/layout.md.

mod beam;
mod blocks;
mod cells;
mod check;
mod effort;
mod families;
mod fill;
mod free;
mod keep;
mod luck;
mod pages;
mod policy;
mod rows;
mod skyline;
mod spacing;
mod stock;
mod sweep;
mod together;
mod why;

pub use check::{Fault, check};
pub(crate) use check::{too_near, within_margin};
pub use effort::Effort;
pub use keep::Kept;
pub use policy::{PagePolicy, Prefer, Shape};
pub use rows::Arrangement;
pub use spacing::Spacing;
pub use why::{Bound, Change, Outlook, Trial, Why, why};

use crate::geometry::{Rect, Size};
use cells::layout_of;
use std::fmt;

/// Changes whenever the same request comes to another layout.
pub const LAYOUT_VERSION: u32 = 2;

/// The longest page side that can be asked for.
pub const LONGEST_SIDE: u32 = 1 << 20;

/// One box to place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Item {
    /// Its size upright, without extruded pixels.
    pub size: Size,
    /// Whether it may be stored turned by 90 degrees.
    pub may_turn: bool,
    /// Items with the same number here go on one page.
    pub group: Option<usize>,
    /// Whether it is all that lies on its page. That page has exactly its size; of the policy only the largest size
    /// applies to it, of the spacing nothing, and it does not count as one of the policy's pages.
    pub alone: bool,
    /// Items with the same number here look alike. They are laid side by side where that costs no page and next to no
    /// area, as their pages then make smaller files.
    pub family: Option<usize>,
}

impl Item {
    /// A box that stays upright and may share a page with any other.
    #[must_use]
    pub const fn new(size: Size) -> Self {
        Self { size, may_turn: false, group: None, alone: false, family: None }
    }
}

/// Where a box lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Place {
    /// The page's number.
    pub page: usize,
    /// The box as stored: sides swapped where it is turned.
    pub rect: Rect,
    /// Whether it is stored turned by 90 degrees clockwise.
    pub turned: bool,
}

impl Place {
    /// The same place on a page that comes so many later.
    fn on_later_page(self, later: usize) -> Self {
        Self { page: self.page + later, ..self }
    }
}

/// A finished layout.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Layout {
    /// The size of each page.
    pub pages: Vec<Size>,
    /// One place for each item, in the order of the items.
    pub places: Vec<Place>,
}

impl Layout {
    /// The pixels of all pages together.
    #[must_use]
    pub fn area(&self) -> u64 {
        self.pages.iter().map(|p| p.area()).sum()
    }
}

/// Tells a search to come to an end. It is asked often, from all threads.
#[derive(Clone, Copy)]
pub struct StopSignal<'a>(&'a (dyn Fn() -> bool + Sync));

impl<'a> StopSignal<'a> {
    /// A signal that is set once `asked` returns true.
    pub fn new(asked: &'a (dyn Fn() -> bool + Sync)) -> Self {
        Self(asked)
    }

    /// Whether to come to an end.
    #[must_use]
    pub fn is_set(self) -> bool {
        (self.0)()
    }
}

impl fmt::Debug for StopSignal<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("StopSignal").field(&self.is_set()).finish()
    }
}

/// What is asked of [`lay_out`].
#[derive(Debug, Clone, Copy)]
pub struct LayoutRequest<'a> {
    /// The boxes.
    pub items: &'a [Item],
    /// What lies around and between them.
    pub spacing: Spacing,
    /// Which pages are allowed.
    pub policy: &'a PagePolicy,
    /// How cells are arranged. Densely by default.
    pub arrangement: Arrangement,
    /// How much work the search may do. Quick by default.
    pub effort: Effort,
    /// Boxes that stay where they are. None by default.
    pub kept: Option<&'a Kept>,
    /// Once this says so the search comes to an end with the best so far. The result then depends on when that was.
    pub stop: Option<StopSignal<'a>>,
}

impl<'a> LayoutRequest<'a> {
    /// A quick, dense layout.
    #[must_use]
    pub fn new(items: &'a [Item], spacing: Spacing, policy: &'a PagePolicy) -> Self {
        let (arrangement, effort) = (Arrangement::default(), Effort::default());
        Self { items, spacing, policy, arrangement, effort, kept: None, stop: None }
    }
}

/// Why there is no layout.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum LayoutError {
    /// The policy allows no page at all.
    #[error("the page options allow no page: {0}")]
    NoPage(String),
    /// Some boxes fit on no allowed page, even alone. The room is that for a box on the largest page.
    #[error("{} sprites do not fit on a page, which has room for {room} pixels", items.len())]
    DoNotFit {
        /// The indices of the items.
        items: Vec<usize>,
        /// What a page has room for inside margin and extrusion.
        room: Size,
    },
    /// Items that must share a page do not fit on one together.
    #[error("{} sprites that must share a page do not fit on one", items.len())]
    GroupTooLarge {
        /// The indices of the items.
        items: Vec<usize>,
    },
    /// The number of pages that was asked for cannot be.
    #[error("{asked} pages were asked for, {needed} are needed")]
    PageCount {
        /// The pages asked for.
        asked: usize,
        /// The pages that the layout needs.
        needed: usize,
    },
}

/// Places every item on a page.
///
/// # Errors
/// [`LayoutError`]: the policy allows no page, items that fit on none, a page count that cannot be kept.
pub fn lay_out(request: &LayoutRequest<'_>) -> Result<Layout, LayoutError> {
    request.policy.check(request.spacing)?;
    let policy = request.policy.aligned(request.spacing);
    let (alone, shared): (Vec<usize>, Vec<usize>) = (0..request.items.len()).partition(|&i| request.items[i].alone);
    let mut layout = match request.arrangement {
        Arrangement::Dense => keep::around(request, &policy, &shared)?,
        rows => rows::arrange(request, &policy, &shared, rows)?,
    };
    let unfit = |i: &usize| !request.items[*i].size.fits_in(policy.fixed.unwrap_or(policy.max));
    let unfit: Vec<usize> = alone.iter().copied().filter(unfit).collect();
    if !unfit.is_empty() {
        return Err(LayoutError::DoNotFit { items: unfit, room: policy.fixed.unwrap_or(policy.max) });
    }
    for i in alone {
        let size = request.items[i].size;
        layout.places[i] = Place { page: layout.pages.len(), rect: Rect::at(0, 0, size), turned: false };
        layout.pages.push(size);
    }
    debug_assert_eq!(check(request, &layout), Vec::<Fault>::new());
    Ok(layout)
}

/// The items of `which` on pages of their own, densely and each for itself: with each effort up to the one asked for, and the best counts.
fn singly(request: &LayoutRequest<'_>, policy: &PagePolicy, which: &[usize]) -> Result<Layout, LayoutError> {
    let cells = cells::Cells::new(request, policy, which)?;
    let mut best: Option<Vec<cells::Filled>> = None;
    for effort in request.effort.stages() {
        let search = pages::Search { cells: &cells, policy, effort };
        let found = match search.split(best.as_deref()) {
            Ok(found) => found,
            // More effort may find what less did not.
            Err(_) if effort < request.effort => continue,
            Err(error) => return best.map_or(Err(error), |best| Ok(layout_of(&cells, &best, request.items.len()))),
        };
        let rank = |pages: &[cells::Filled]| {
            let bytes: u64 = pages.iter().map(|p| p.size.area()).sum();
            if policy.prefer == Prefer::Bytes { (0, bytes) } else { (pages.len(), bytes) }
        };
        if best.as_ref().is_none_or(|best| rank(&found) < rank(best)) {
            best = Some(found);
        }
        if cells.stopped() || best.as_ref().is_some_and(|best| search.proven(best)) {
            break;
        }
    }
    Ok(layout_of(&cells, &best.unwrap_or_default(), request.items.len()))
}

#[cfg(test)]
mod part_tests;
#[cfg(test)]
mod tests;
