//! The free space of a page.

use crate::geometry::{Rect, Size};

/// The free space of a page, as all maximal rectangles that hold no cell. They may overlap.
#[derive(Debug, Clone)]
pub(super) struct Holes(Vec<Rect>);

impl Holes {
    /// A page without free space.
    pub(super) const fn none() -> Self {
        Self(Vec::new())
    }

    /// A page with nothing on it.
    pub(super) fn whole(room: Size) -> Self {
        Self(vec![Rect::at(0, 0, room)])
    }

    /// The rectangles.
    #[cfg(test)]
    pub(super) fn rects(&self) -> &[Rect] {
        &self.0
    }

    /// Marks `cell` as taken.
    pub(super) fn take(&mut self, cell: Rect) {
        let (touched, mut free): (Vec<Rect>, Vec<Rect>) = self.0.iter().partition(|hole| overlap(**hole, cell));
        let untouched = free.len();
        free.extend(touched.into_iter().flat_map(|hole| around_cell(hole, cell)));
        // Untouched rectangles contain no others; new ones that lie within another are removed.
        let whole = free.clone();
        let mut at = 0;
        free.retain(|hole| {
            at += 1;
            let me = at - 1;
            me < untouched
                || !whole.iter().enumerate().any(|(i, o)| i != me && holds(*o, *hole) && (*o != *hole || i < me))
        });
        self.0 = free;
    }

    /// Whether a cell of this size has room anywhere.
    pub(super) fn hold(&self, size: Size) -> bool {
        self.0.iter().any(|hole| size.fits_in(hole.size()))
    }

    /// Where a cell of this size leaves the least space beside it.
    pub(super) fn best(&self, size: Size) -> Option<Rect> {
        let fits = self.0.iter().filter(|hole| size.fits_in(hole.size()));
        let best = fits.min_by_key(|hole| {
            let (w, h) = (hole.w - size.w, hole.h - size.h);
            (w.min(h), w.max(h), hole.y, hole.x)
        });
        best.map(|hole| Rect::at(hole.x, hole.y, size))
    }
}

pub(super) fn overlap(a: Rect, b: Rect) -> bool {
    u64::from(a.x) < b.right()
        && u64::from(b.x) < a.right()
        && u64::from(a.y) < b.bottom()
        && u64::from(b.y) < a.bottom()
}

fn holds(outer: Rect, inner: Rect) -> bool {
    outer.x <= inner.x && outer.y <= inner.y && inner.right() <= outer.right() && inner.bottom() <= outer.bottom()
}

/// The parts of a hole beside, above and below a cell that lies in it or across its edge.
fn around_cell(hole: Rect, cell: Rect) -> impl Iterator<Item = Rect> {
    let far = |end: u64| u32::try_from(end).unwrap_or(u32::MAX);
    let (right, bottom) = (far(hole.right()), far(hole.bottom()));
    let (cell_right, cell_bottom) = (far(cell.right()), far(cell.bottom()));
    let sides = [
        (hole.x, hole.y, cell.x.min(right), bottom),
        (cell_right.max(hole.x), hole.y, right, bottom),
        (hole.x, hole.y, right, cell.y.min(bottom)),
        (hole.x, cell_bottom.max(hole.y), right, bottom),
    ];
    let some = sides.into_iter().filter(|(x, y, right, bottom)| x < right && y < bottom);
    some.map(|(x, y, right, bottom)| Rect::new(x, y, right - x, bottom - y))
}
