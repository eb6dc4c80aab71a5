//! Rectangles to pages. Knows sizes and numbers, no pixels.
//!
//! [`lay_out`] takes the sizes of boxes, how cells are spaced, and a page policy, and gives every box a place. The
//! result depends on nothing but its arguments. The method is described in docs/layout.md.

mod check;
mod fill;
mod free;
mod pages;
mod policy;
mod skyline;

pub use check::{Fault, check};
pub(crate) use check::{too_near, within_margin};
pub use policy::{PagePolicy, Prefer, Shape, Spacing};

use crate::geometry::{Rect, Size};

/// The longest page side that can be asked for.
pub const LONGEST_SIDE: u32 = 1 << 20;

/// One box to place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Item {
    /// Its size upright, without extruded pixels.
    pub size: Size,
    /// Whether it may be stored turned by 90 degrees.
    pub may_turn: bool,
}

/// Where a box lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Place {
    /// The page's number.
    pub page: usize,
    /// The box as stored: sides swapped where it is turned.
    pub rect: Rect,
    /// Whether it is stored turned by 90 degrees clockwise.
    pub turned: bool,
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
pub fn lay_out(items: &[Item], spacing: Spacing, policy: &PagePolicy) -> Result<Layout, LayoutError> {
    policy.check()?;
    let cells = pages::Cells::new(items, spacing, policy)?;
    let layout = cells.layout(&pages::split(&cells, policy)?);
    debug_assert_eq!(check(items, spacing, policy, &layout), Vec::<Fault>::new());
    Ok(layout)
}

#[cfg(test)]
mod tests;
