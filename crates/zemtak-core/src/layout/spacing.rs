//! How cells are spaced on a page.

use crate::geometry::Size;
use serde::Serialize;

/// What lies around and between boxes, in pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Spacing {
    /// Empty pixels between neighbouring cells.
    pub gutter: u32,
    /// Empty pixels along the page's edge.
    pub margin: u32,
    /// The width of the ring that makes a box a cell.
    pub extrude: u32,
    /// Cells begin at multiples of this, and page sides are multiples of it. 1 means anywhere.
    pub align: u32,
}

impl Default for Spacing {
    /// Nothing at all: boxes may lie edge to edge.
    fn default() -> Self {
        Self { gutter: 0, margin: 0, extrude: 0, align: 1 }
    }
}

impl Spacing {
    /// Where the first cell begins on both axes.
    pub(super) fn lead(self) -> u32 {
        self.margin.next_multiple_of(self.align)
    }

    /// A box with its ring.
    pub(super) fn ringed(self, size: Size) -> Option<Size> {
        let more = self.extrude.checked_mul(2)?;
        Some(Size::new(size.w.checked_add(more)?, size.h.checked_add(more)?))
    }

    /// A box with its ring and one gutter to the right and below, extended to the next place where a cell may begin.
    pub(super) fn cell(self, size: Size, largest: Size) -> Option<Size> {
        self.cells(largest)(size)
    }

    /// The same for many boxes.
    pub(super) fn cells(self, largest: Size) -> impl Fn(Size) -> Option<Size> {
        let room = self.room(largest);
        let side = move |ringed: u32, page: u32, room: u32| {
            let side = ringed.checked_add(self.gutter)?.checked_next_multiple_of(self.align)?;
            // A cell that takes all of the largest page needs no further place beside it.
            let alone = side > room && ringed.checked_add(self.lead())?.checked_add(self.margin)? <= page;
            Some(if alone { room } else { side })
        };
        move |size| {
            let (ringed, room) = self.ringed(size).zip(room)?;
            Some(Size::new(side(ringed.w, largest.w, room.w)?, side(ringed.h, largest.h, room.h)?))
        }
    }

    /// The room that a page has for cells with their gutters, or `None` if the margin leaves nothing.
    pub(super) fn room(self, page: Size) -> Option<Size> {
        let inner = |side: u32| {
            let inner = side.checked_sub(self.lead().checked_add(self.margin)?).filter(|&s| s > 0)?;
            let inner = inner.checked_add(self.gutter)?;
            Some(inner - inner % self.align)
        };
        Some(Size::new(inner(page.w)?, inner(page.h)?))
    }

    /// The largest box that a page has room for.
    pub(super) fn box_room(self, page: Size) -> Size {
        let inner = |side: u32| side.saturating_sub(self.lead() + self.margin + 2 * self.extrude);
        Size::new(inner(page.w), inner(page.h))
    }

    /// The smallest page whose room is `w` by `h`.
    pub(super) fn page_for(self, w: u32, h: u32) -> Size {
        let outer = |side: u32| (side + self.lead() + self.margin).saturating_sub(self.gutter);
        Size::new(outer(w), outer(h))
    }

    /// The smallest page round cells that reach to `far`, without their gutters.
    pub(super) fn page_round(self, far: Size) -> Size {
        Size::new(far.w + self.lead() + self.margin, far.h + self.lead() + self.margin)
    }

    /// The least number of pixels of a page with `room` pixels of room, if its longer side is at most `aspect` times
    /// the shorter.
    ///
    /// A page with sides W and H has the room (W + d)(H + d), where d = gutter - 2 margin. What a side saves without
    /// its gutter is largest for the longest page, what a margin costs is least for the square.
    pub(super) fn least_page(self, room: u64, aspect: f64) -> u64 {
        let more = f64::from(self.gutter) - f64::from(self.lead()) - f64::from(self.margin);
        let stretch = if more > 0.0 { aspect.sqrt() + 1.0 / aspect.sqrt() } else { 2.0 };
        #[expect(clippy::cast_precision_loss, reason = "a bound may be a little low")]
        let area = room as f64;
        // Pages with more room may have fewer pixels by this formula, as long as the room is small beside the gutter.
        let side = area.sqrt().max(more * stretch / 2.0);
        // One pixel less, so that rounding cannot raise the bound.
        let page = side * side - more * stretch * side + more * more - 1.0;
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "casts from f64 saturate")]
        let page = page.ceil().max(1.0) as u64;
        if more == 0.0 { room } else { page }
    }
}
