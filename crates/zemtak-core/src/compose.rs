//! Pixels onto pages: boxes at their places, turned if the layout says so, with their rings of extruded pixels.

use crate::geometry::{Rect, Size};
use crate::mips::own_cell;
use crate::par;
use crate::pixels::{PIXEL, Pixels};
use serde::Serialize;
use std::borrow::Cow;
use std::ops::Range;

/// Changes whenever the same boxes yield another page.
pub const COMPOSE_VERSION: u32 = 2;

/// How many rows of a page are drawn at a time; all cores share them.
const ROWS: usize = 128;

/// The pixels round each box that repeat its outermost ones.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Ring {
    /// The least number of them on each side.
    pub extrude: u32,
    /// To the right and down they extend to the next multiple of this, so that no pixel of smaller mip levels and no
    /// compressed block is shared with anything else.
    pub align: u32,
}

impl From<u32> for Ring {
    /// The same on all sides.
    fn from(extrude: u32) -> Self {
        Self { extrude, align: 1 }
    }
}

/// One box to draw.
#[derive(Debug, Clone, Copy)]
pub struct Stamp<'a> {
    /// The stored pixels, upright.
    pub pixels: &'a Pixels,
    /// The box as stored.
    pub rect: Rect,
    /// Whether to turn the pixels by 90 degrees clockwise.
    pub turned: bool,
}

/// Why a page cannot be drawn.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ComposeError {
    /// The page has more bytes than memory can address.
    #[error("a page of {0} pixels is too large for memory")]
    PageTooLarge(Size),
    /// A box and its ring reach beyond the page's edge, or the pixels do not have the box's size.
    #[error("the box {rect} with its ring does not fit a page of {page} pixels")]
    Misfit {
        /// The box.
        rect: Rect,
        /// The page's size.
        page: Size,
    },
}

/// Draws a page: transparent except for the stamps, each with its ring.
///
/// # Errors
/// [`ComposeError`] if a stamp does not fit; a layout that passed its check always fits.
pub fn compose<'a>(
    size: Size,
    stamps: impl IntoIterator<Item = Stamp<'a>>,
    ring: impl Into<Ring>,
) -> Result<Pixels, ComposeError> {
    let composer = Composer::new(size, stamps, ring)?;
    let mut page = Pixels::transparent(size).ok_or(ComposeError::PageTooLarge(size))?;
    let stride = size.w as usize * PIXEL;
    par::each_chunk(page.as_bytes_mut(), ROWS * stride, |chunk, rows| composer.draw(chunk * ROWS, rows));
    Ok(page)
}

/// Draws a page, some rows at a time.
#[derive(Debug)]
pub struct Composer<'a> {
    size: Size,
    extrude: u32,
    /// The stored pixels of each box, turned if needed, and its cell.
    cells: Vec<(Cow<'a, Pixels>, Rect)>,
}

impl<'a> Composer<'a> {
    /// Prepares everything for drawing.
    ///
    /// # Errors
    /// [`ComposeError`] if a stamp does not fit; a layout that passed its check always fits.
    pub fn new(
        size: Size,
        stamps: impl IntoIterator<Item = Stamp<'a>>,
        ring: impl Into<Ring>,
    ) -> Result<Self, ComposeError> {
        let Ring { extrude, align } = ring.into();
        let mut fitting = Vec::new();
        for stamp in stamps {
            let fits = stamp.pixels.size().stored(stamp.turned) == stamp.rect.size() && stamp.rect.size().area() > 0;
            match stamp.rect.grown(extrude).filter(|cell| fits && cell.inside(size)) {
                Some(_) => fitting.push((stamp, own_cell(stamp.rect, extrude, align, size))),
                None => return Err(ComposeError::Misfit { rect: stamp.rect, page: size }),
            }
        }
        let upright = |stamp: &Stamp<'a>| match stamp.turned {
            true => Cow::Owned(stamp.pixels.turned()),
            false => Cow::Borrowed(stamp.pixels),
        };
        let cells = par::map_range(fitting.len(), |i| (upright(&fitting[i].0), fitting[i].1));
        Ok(Self { size, extrude, cells })
    }

    /// The rows in a range of the page, or `None` if memory cannot address them.
    #[must_use]
    pub fn rows(&self, range: Range<u32>) -> Option<Pixels> {
        let mut part = Pixels::transparent(Size::new(self.size.w, range.end.saturating_sub(range.start)))?;
        self.draw(range.start as usize, part.as_bytes_mut());
        Some(part)
    }

    /// Like [`Composer::rows`], but starting from `rows` of the page, the first of which is row `top`, that show all
    /// other boxes already; their content in the cells of these boxes does not matter. `None` if they are not as wide
    /// as the page.
    #[must_use]
    pub fn over(&self, mut rows: Pixels, top: u32) -> Option<Pixels> {
        if rows.size().w != self.size.w {
            return None;
        }
        self.draw(top as usize, rows.as_bytes_mut());
        Some(rows)
    }

    fn draw(&self, top: usize, rows: &mut [u8]) {
        let stride = self.size.w as usize * PIXEL;
        for (pixels, cell) in &self.cells {
            draw(rows, top, stride, pixels, *cell, self.extrude);
        }
    }
}

/// Draws the part of a box and its ring that lies in a band of a page: its `rows`, from row `top` on, of `stride` bytes
/// each.
///
/// Rows of the ring repeat the first and the last row of the box. It is `extrude` pixels wide on the left and above.
fn draw(rows: &mut [u8], top: usize, stride: usize, pixels: &Pixels, cell: Rect, extrude: u32) {
    let ring = extrude as usize * PIXEL;
    let (first, bottom) = (cell.y as usize, cell.y as usize + cell.h as usize);
    let last = pixels.size().h - 1;
    for y in first.max(top)..bottom.min(top + rows.len() / stride) {
        #[expect(clippy::cast_possible_truncation, reason = "a row of the cell, whose height is a u32")]
        let j = (y - first) as u32;
        let row = pixels.row(j.saturating_sub(extrude).min(last));
        let line = &mut rows[(y - top) * stride + cell.x as usize * PIXEL..][..cell.w as usize * PIXEL];
        let (left, rest) = line.split_at_mut(ring);
        let (inner, right) = rest.split_at_mut(row.len());
        inner.copy_from_slice(row);
        left.chunks_exact_mut(PIXEL).for_each(|p| p.copy_from_slice(&row[..PIXEL]));
        right.chunks_exact_mut(PIXEL).for_each(|p| p.copy_from_slice(&row[row.len() - PIXEL..]));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::tests::pictures;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn every_pixel_of_a_page_is_the_nearest_of_its_box_or_empty(
            picture in pictures(), turned: bool, extrude in 0u32..4, x in 0u32..5, y in 0u32..5, mip_levels in 0u32..3,
        ) {
            let rect = Rect::at(x + extrude, y + extrude, picture.size().stored(turned));
            let size = Size::new(24, 24);
            let page = compose(size, [Stamp { pixels: &picture, rect, turned }], Ring { extrude, align: 1 << mip_levels }).unwrap();
            let grown = rect.grown(extrude).unwrap();
            let end = |at: u64| at.next_multiple_of(1 << mip_levels).min(24) as u32;
            let cell = Rect::new(grown.x, grown.y, end(grown.right()) - grown.x, end(grown.bottom()) - grown.y);
            for py in 0..size.h {
                for px in 0..size.w {
                    let within = u64::from(px) < cell.right() && px >= cell.x && u64::from(py) < cell.bottom() && py >= cell.y;
                    // Clamp to the box, then undo the turn: stored (h-1-j, i) is upright (i, j).
                    let (sx, sy) = (px.clamp(rect.x, rect.x + rect.w - 1) - rect.x, py.clamp(rect.y, rect.y + rect.h - 1) - rect.y);
                    let source = if turned { (sy, picture.size().h - 1 - sx) } else { (sx, sy) };
                    let expected = if within { picture.get(source.0, source.1).unwrap() } else { [0; 4] };
                    prop_assert_eq!(page.get(px, py).unwrap(), expected);
                }
            }
        }
    }

    #[test]
    fn a_box_drawn_over_leaves_nothing_of_what_was_there() {
        let picture = |value: u8| Pixels::from_rgba(Size::new(3, 2), vec![value; 24]).unwrap();
        let ring = Ring { extrude: 1, align: 4 };
        let stamp = |pixels, x| Stamp { pixels, rect: Rect::new(x, 1, 3, 2), turned: false };
        let (left, before, after) = (picture(5), picture(90), picture(160));
        let page = |right| compose(Size::new(16, 5), [stamp(&left, 1), stamp(right, 9)], ring).unwrap();
        let composer = Composer::new(Size::new(16, 5), [stamp(&after, 9)], ring).unwrap();
        let rows = |page: &Pixels, from: usize| {
            Pixels::from_rgba(Size::new(16, 2), page.as_bytes()[from * 64..(from + 2) * 64].to_vec())
        };
        for top in 0..=3 {
            let over = composer.over(rows(&page(&before), top as usize).unwrap(), top);
            assert_eq!(over, rows(&page(&after), top as usize), "{top}");
        }
        assert_eq!(composer.over(picture(0), 0), None);
    }

    #[test]
    fn a_ring_over_the_edge_is_refused() {
        let picture = Pixels::transparent(Size::new(4, 4)).unwrap();
        let rect = Rect::new(0, 1, 4, 4);
        let stamp = Stamp { pixels: &picture, rect, turned: false };
        let page = Size::new(8, 8);
        assert_eq!(compose(page, [stamp], 1), Err(ComposeError::Misfit { rect, page }));
    }
}
