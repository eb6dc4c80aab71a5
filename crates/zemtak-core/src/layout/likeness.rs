//! How much of a layout lies within reach of what it looks like.

use super::request::{Item, Layout, Place};
use crate::geometry::Size;
use std::collections::BTreeMap;

/// How far back a deflate stream can look, in pixels of four bytes.
const WINDOW: i64 = 32768 / 4;

/// With how many of those before it, from top to bottom, a box is compared.
const LOOKED_AT: usize = 8;

/// Boxes to compare: the page, the number of the family, the size of the canvas.
type Alike = (usize, usize, Size);

/// A box as a part of its canvas.
#[derive(Clone, Copy)]
struct Part {
    /// Where on the page the first row of the canvas would lie.
    top: i64,
    left: i64,
    /// Pixels of the box.
    area: u64,
}

/// The pixels of all boxes for which the same place of another canvas, of the same family and size, lies no further
/// away than a deflate stream looks back. Turned boxes do not count.
pub(super) fn within_reach(layout: &Layout, items: &[Item], which: &[usize]) -> u64 {
    let mut alike: BTreeMap<Alike, Vec<Part>> = BTreeMap::new();
    for &i in which {
        let Place { page, rect, turned } = layout.places[i];
        let Some(family) = items[i].family.filter(|_| !turned) else { continue };
        let top = i64::from(rect.y) - i64::from(family.above);
        let part = Part { top, left: i64::from(rect.x), area: rect.size().area() };
        alike.entry((page, family.number, family.canvas)).or_default().push(part);
    }
    alike.into_iter().map(|((page, ..), parts)| reached(parts, i64::from(layout.pages[page].w))).sum()
}

/// The pixels of those parts that have another before them within the window, on a page of this width.
fn reached(mut parts: Vec<Part>, width: i64) -> u64 {
    parts.sort_by_key(|part| (part.top, part.left));
    let near = |a: Part, b: Part| ((a.top - b.top) * width + a.left - b.left).abs() <= WINDOW;
    let found = |n: &usize| (n.saturating_sub(LOOKED_AT)..*n).any(|before| near(parts[*n], parts[before]));
    (0..parts.len()).filter(found).map(|n| parts[n].area).sum()
}

#[cfg(test)]
mod tests {
    use super::super::Family;
    use super::*;
    use crate::geometry::Rect;

    /// What is within reach on a page 2048 pixels wide, for boxes of 40 x 30 with the rows of their canvases above
    /// them, their family and their place.
    fn reach(boxes: &[(usize, u32, u32, u32)]) -> u64 {
        let size = Size::new(40, 30);
        let canvas = Size::new(64, 64);
        let item = |&(number, above, ..): &(usize, u32, u32, u32)| Item {
            family: Some(Family { number, canvas, above }),
            ..Item::new(size)
        };
        let place =
            |&(_, _, x, y): &(usize, u32, u32, u32)| Place { page: 0, rect: Rect::at(x, y, size), turned: false };
        let layout = Layout { pages: vec![Size::new(2048, 2048)], places: boxes.iter().map(place).collect() };
        let items: Vec<Item> = boxes.iter().map(item).collect();
        within_reach(&layout, &items, &(0..boxes.len()).collect::<Vec<_>>())
    }

    #[test]
    fn the_rows_of_canvases_count_and_not_those_of_boxes() {
        // The first box of a stream has nothing to look back at.
        assert_eq!(reach(&[(0, 0, 0, 0), (0, 0, 50, 0), (0, 0, 2000, 0)]), 2 * 1200);
        // The window is four rows of the page; rows that begin five further down have nothing within it.
        assert_eq!(reach(&[(0, 0, 100, 0), (0, 0, 100, 4)]), 1200);
        assert_eq!(reach(&[(0, 0, 100, 0), (0, 0, 101, 4)]), 0);
        assert_eq!(reach(&[(0, 0, 0, 0), (0, 5, 50, 0)]), 0);
        assert_eq!(reach(&[(0, 0, 0, 0), (0, 5, 50, 5)]), 1200);
        // Others do not count.
        assert_eq!(reach(&[(0, 0, 0, 0), (1, 0, 50, 0)]), 0);
    }
}
