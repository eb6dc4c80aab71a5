//! Why there is no layout.

use crate::geometry::Size;

/// Why there is no layout.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum LayoutError {
    /// The policy allows no page at all.
    #[error("the page options allow no page: {0}")]
    NoPage(String),
    /// Some boxes fit on no allowed page, even alone.
    #[error("{} sprites do not fit on a page, which has room for {room} pixels", items.len())]
    DoNotFit {
        /// The indices of the items.
        items: Vec<usize>,
        /// The largest page.
        page: Size,
        /// What that page has room for inside margin and extrusion.
        room: Size,
        /// The smallest page on which each of them would fit, if any page can be that large.
        needed: Option<Size>,
    },
    /// Items that must share a page do not fit on one.
    #[error("{} groups of sprites that must share a page do not fit on one", groups.len())]
    GroupTooLarge {
        /// The indices of the items of each such group, the largest first.
        groups: Vec<Vec<usize>>,
    },
    /// The requested number of pages is impossible.
    #[error("{asked} pages were asked for, {needed} are needed")]
    PageCount {
        /// The requested number of pages.
        asked: usize,
        /// The pages that the layout needs.
        needed: usize,
    },
}
