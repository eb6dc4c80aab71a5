//! A request for a layout, and the result.

use super::effort::Effort;
use super::policy::PagePolicy;
use super::spacing::Spacing;
use crate::geometry::{Rect, Size};
use serde::Serialize;
use std::fmt;

/// One box to place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Item {
    /// Its upright size, without extruded pixels.
    pub size: Size,
    /// Whether it may be stored turned by 90 degrees.
    pub may_turn: bool,
    /// Items with the same number here go on one page.
    pub group: Option<usize>,
    /// Whether it must be alone on its page. That page has exactly its size; of the policy only the largest size
    /// applies to it, the spacing does not, and it does not count as one of the policy's pages.
    pub alone: bool,
    /// What it looks like. Items of one family are placed side by side if that costs no page and almost no area,
    /// because their pages then make smaller files.
    pub family: Option<Family>,
}

/// What a box may look like, as far as a layout can know.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Family {
    /// Items with the same number look alike.
    pub number: usize,
    /// The size of the canvas of which the box is the visible part.
    pub canvas: Size,
    /// How many rows of that canvas lie above the box. Frames of an animation look alike row by row of their canvases,
    /// not of their boxes.
    pub above: u32,
}

impl Family {
    /// Boxes that are compared from their own top.
    #[must_use]
    pub const fn new(number: usize) -> Self {
        Self { number, canvas: Size::new(0, 0), above: 0 }
    }
}

impl Item {
    /// A box that stays upright and may share a page with any other.
    #[must_use]
    pub const fn new(size: Size) -> Self {
        Self { size, may_turn: false, group: None, alone: false, family: None }
    }
}

/// Where a box lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub struct Place {
    /// The page's number.
    pub page: usize,
    /// The box as stored: with its sides swapped if it is turned.
    pub rect: Rect,
    /// Whether it is stored turned by 90 degrees clockwise.
    pub turned: bool,
}

impl Place {
    /// The same place on a page that comes this many pages later.
    pub(super) fn on_later_page(self, later: usize) -> Self {
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

/// Boxes that stay, and the pages they lie on.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct Kept {
    /// The existing pages. A page that the policy does not allow is given up with everything on it.
    pub pages: Vec<Size>,
    /// The place of each item that has one already. The places keep the required spacing.
    pub places: Vec<Option<Place>>,
}

impl Kept {
    /// Where an item stays.
    pub(super) fn place(&self, item: usize, policy: &PagePolicy) -> Option<Place> {
        let place = (*self.places.get(item)?)?;
        self.pages.get(place.page).filter(|page| policy.allows(**page)).map(|_| place)
    }
}

/// How cells are arranged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub enum Arrangement {
    /// As densely as possible, in any order.
    #[default]
    Dense,
    /// Equal cells, row by row.
    Grid,
    /// Equal cells in one row. The policy's aspect does not apply.
    Row,
    /// Equal cells in one column. The policy's aspect does not apply.
    Column,
}

/// Asks a search to stop. It is checked often, from all threads.
#[derive(Clone, Copy)]
pub struct StopSignal<'a>(&'a (dyn Fn() -> bool + Sync));

impl<'a> StopSignal<'a> {
    /// A signal that is set once `asked` returns true.
    pub fn new(asked: &'a (dyn Fn() -> bool + Sync)) -> Self {
        Self(asked)
    }

    /// Whether to stop.
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

/// The progress of a search for a layout. One layout may take several searches: for each page, and with increasing
/// effort.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct SearchProgress {
    /// The fraction of its work that the search has done, 0 to 1.
    pub done: f64,
    /// The fraction of the smallest page so far that cells fill; `None` before there is one.
    pub filled: Option<f64>,
}

/// Where searches tell how far they have come. It is told now and then, from one thread at a time.
#[derive(Clone, Copy)]
pub struct ProgressSink<'a>(&'a (dyn Fn(SearchProgress) + Sync));

impl<'a> ProgressSink<'a> {
    /// One that calls `told`.
    pub fn new(told: &'a (dyn Fn(SearchProgress) + Sync)) -> Self {
        Self(told)
    }

    pub(super) fn tell(self, done: u64, of: u64, filled: Option<(u64, u64)>) {
        #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
        let part = |part: u64, whole: u64| (part as f64 / whole.max(1) as f64).min(1.0);
        (self.0)(SearchProgress { done: part(done, of), filled: filled.map(|(cells, page)| part(cells, page)) });
    }
}

impl fmt::Debug for ProgressSink<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("ProgressSink")
    }
}

/// A request to [`lay_out`](super::lay_out).
#[derive(Debug, Clone, Copy)]
pub struct LayoutRequest<'a> {
    /// The boxes.
    pub items: &'a [Item],
    /// What lies around and between them.
    pub spacing: Spacing,
    /// Which pages are allowed.
    pub policy: &'a PagePolicy,
    /// How cells are arranged. Default: densely.
    pub arrangement: Arrangement,
    /// How much work the search may do. Default: quick.
    pub effort: Effort,
    /// Boxes that stay where they are. Default: none.
    pub kept: Option<&'a Kept>,
    /// Once this signal is set, the search stops with the best so far. The result then depends on when that was.
    pub stop: Option<StopSignal<'a>>,
    /// Where long searches report their progress. Default: nowhere.
    pub progress: Option<ProgressSink<'a>>,
}

impl<'a> LayoutRequest<'a> {
    /// A quick, dense layout.
    #[must_use]
    pub fn new(items: &'a [Item], spacing: Spacing, policy: &'a PagePolicy) -> Self {
        let (arrangement, effort) = (Arrangement::default(), Effort::default());
        Self { items, spacing, policy, arrangement, effort, kept: None, stop: None, progress: None }
    }
}
