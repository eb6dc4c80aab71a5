//! Islands of visible pixels on a sheet: which pixels belong together, and the reading order of islands.

use crate::geometry::{Rect, Size};
use crate::pixels::{PIXEL, Pixels};

/// The farthest that parts of one island may lie apart.
pub const FARTHEST: u32 = 256;

/// Visible pixels that belong together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Island {
    /// The smallest rectangle that holds them.
    pub rect: Rect,
    /// Its pixels as runs: row, first column, column after the last.
    runs: Vec<[u32; 3]>,
}

impl Island {
    /// The island's own pixels on a transparent canvas of the size of its rectangle, without anything else in that
    /// rectangle. `None` if the picture is not the one that it was found on.
    #[must_use]
    pub fn lift(&self, picture: &Pixels) -> Option<Pixels> {
        if !self.rect.inside(picture.size()) {
            return None;
        }
        let mut out = Pixels::transparent(self.rect.size())?;
        for &[y, start, end] in &self.runs {
            let bytes = &picture.row(y)[start as usize * PIXEL..end as usize * PIXEL];
            out.row_mut(y - self.rect.y)[(start - self.rect.x) as usize * PIXEL..][..bytes.len()]
                .copy_from_slice(bytes);
        }
        Some(out)
    }
}

/// The islands of pixels with alpha at or above `visible_alpha`, in reading order.
///
/// Pixels that touch, including at their corners, belong together, and so do those with fewer than `join` empty pixels
/// between them along both axes; `join` is at most [`FARTHEST`]. Islands whose heights overlap by half of the lower one
/// are in the same row; rows are read from the top, each from the left.
#[must_use]
pub fn islands(picture: &Pixels, visible_alpha: u8, join: u32) -> Vec<Island> {
    let reach = join.clamp(1, FARTHEST);
    let runs = runs(picture, visible_alpha);
    // Row y has the runs first_of[y]..first_of[y + 1].
    let height = picture.size().h as usize;
    let mut first_of = vec![0; height + 1];
    runs.iter().for_each(|run| first_of[run[0] as usize + 1] += 1);
    (0..height).for_each(|y| first_of[y + 1] += first_of[y]);
    let mut sets = Sets((0..runs.len()).collect());
    for y in 0..height {
        let row = first_of[y]..first_of[y + 1];
        for i in row.clone().skip(1).filter(|&i| runs[i][1] - runs[i - 1][2] < reach) {
            sets.unite(i - 1, i);
        }
        for above in y.saturating_sub(reach as usize)..y {
            let mut other = first_of[above];
            for i in row.clone() {
                // Both rows run from left to right; what ends left of this run is also left of the next ones.
                while other < first_of[above + 1] && runs[other][2] + reach <= runs[i][1] {
                    other += 1;
                }
                let touches = |o: &usize| *o < first_of[above + 1] && runs[*o][1] < runs[i][2] + reach;
                (other..).take_while(touches).for_each(|o| sets.unite(o, i));
            }
        }
    }
    in_reading_order(gather(&runs, &mut sets))
}

/// The visible pixels, row by row.
fn runs(picture: &Pixels, visible_alpha: u8) -> Vec<[u32; 3]> {
    let mut runs: Vec<[u32; 3]> = Vec::new();
    for y in 0..picture.size().h {
        let first = runs.len();
        for (x, _) in (0u32..).zip(picture.row(y).chunks_exact(PIXEL)).filter(|(_, p)| p[3] >= visible_alpha) {
            match runs[first..].last_mut() {
                Some(run) if run[2] == x => run[2] = x + 1,
                _ => runs.push([y, x, x + 1]),
            }
        }
    }
    runs
}

/// Sets that merge; each is identified by its lowest member.
struct Sets(Vec<usize>);

impl Sets {
    fn root(&mut self, mut i: usize) -> usize {
        while self.0[i] != i {
            self.0[i] = self.0[self.0[i]];
            i = self.0[i];
        }
        i
    }

    fn unite(&mut self, a: usize, b: usize) {
        let (a, b) = (self.root(a), self.root(b));
        self.0[a.max(b)] = a.min(b);
    }
}

fn gather(runs: &[[u32; 3]], sets: &mut Sets) -> Vec<Island> {
    let mut islands: Vec<Island> = Vec::new();
    let mut number = vec![usize::MAX; runs.len()];
    for (i, &run) in runs.iter().enumerate() {
        let root = sets.root(i);
        let [y, start, end] = run;
        if root == i {
            number[i] = islands.len();
            islands.push(Island { rect: Rect::new(start, y, end - start, 1), runs: vec![run] });
            continue;
        }
        let Island { rect, runs } = &mut islands[number[root]];
        let (left, right) = (rect.x.min(start), (rect.x + rect.w).max(end));
        *rect = Rect::new(left, rect.y, right - left, y + 1 - rect.y);
        runs.push(run);
    }
    islands
}

fn in_reading_order(mut islands: Vec<Island>) -> Vec<Island> {
    islands.sort_by_key(|i| (i.rect.y, i.rect.x, i.rect.size()));
    // Those that are in no row yet, as a chain from the top, so that removing one moves no other.
    let mut next: Vec<usize> = (1..=islands.len()).collect();
    let mut first = 0;
    let mut order = Vec::with_capacity(islands.len());
    while first < islands.len() {
        let mut row = vec![first];
        first = next[first];
        // Others may belong to the row only through a third.
        let mut member = 0;
        while member < row.len() {
            let rect = islands[row[member]].rect;
            let (mut before, mut at) = (None, first);
            // Anything that begins below it is no longer beside it, and neither is anything after that.
            while at < islands.len() && u64::from(islands[at].rect.y) < rect.bottom() {
                if beside(islands[at].rect, rect) {
                    row.push(at);
                    match before {
                        Some(before) => next[before] = next[at],
                        None => first = next[at],
                    }
                } else {
                    before = Some(at);
                }
                at = next[at];
            }
            member += 1;
        }
        row.sort_by_key(|&i| (islands[i].rect.x, islands[i].rect.y, islands[i].rect.size()));
        order.extend(row);
    }
    let mut islands: Vec<Option<Island>> = islands.into_iter().map(Some).collect();
    order.into_iter().filter_map(|i| islands[i].take()).collect()
}

/// Whether the heights of two rectangles overlap by half of the lower one.
fn beside(a: Rect, b: Rect) -> bool {
    let overlap = a.bottom().min(b.bottom()).saturating_sub(u64::from(a.y.max(b.y)));
    overlap * 2 >= u64::from(a.h.min(b.h))
}

/// The smallest size that holds each of several pictures.
#[must_use]
pub fn common_canvas(sizes: impl Iterator<Item = Size>) -> Size {
    sizes.fold(Size::default(), |most, size| Size::new(most.w.max(size.w), most.h.max(size.h)))
}

#[cfg(test)]
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_possible_wrap, reason = "small numbers")]
mod tests {
    use super::*;
    use crate::pixels::tests::pictures;
    use proptest::prelude::*;

    /// By flood filling: a number for each pixel, 0 for those that are not visible.
    fn flooded(picture: &Pixels, least: u8, reach: i64) -> Vec<u32> {
        let (w, h) = (i64::from(picture.size().w), i64::from(picture.size().h));
        let visible: Vec<bool> = picture.as_bytes().chunks_exact(4).map(|p| p[3] >= least).collect();
        let mut numbers = vec![0; visible.len()];
        let mut next = 0;
        for start in 0..visible.len() {
            if !visible[start] || numbers[start] > 0 {
                continue;
            }
            next += 1;
            numbers[start] = next;
            let mut open = vec![start as i64];
            while let Some(at) = open.pop() {
                for y in (at / w - reach).max(0)..(at / w + reach + 1).min(h) {
                    for x in (at % w - reach).max(0)..(at % w + reach + 1).min(w) {
                        let i = (y * w + x) as usize;
                        if visible[i] && numbers[i] == 0 {
                            numbers[i] = next;
                            open.push(i as i64);
                        }
                    }
                }
            }
        }
        numbers
    }

    proptest! {
        #[test]
        fn islands_are_what_flooding_finds(picture in pictures(), least in 1u8..=9, join in 0u32..4) {
            let numbers = flooded(&picture, least, i64::from(join.max(1)));
            let islands = islands(&picture, least, join);
            prop_assert_eq!(islands.len() as u32, numbers.iter().max().copied().unwrap_or(0));
            let mut pixels = 0;
            for island in &islands {
                let lifted = island.lift(&picture).unwrap();
                prop_assert_eq!(lifted.visible_box(least), Some(Rect::at(0, 0, island.rect.size())));
                let mut number = None;
                for y in 0..lifted.size().h {
                    for x in (0..lifted.size().w).filter(|&x| lifted.get(x, y).unwrap()[3] >= least) {
                        let (px, py) = (island.rect.x + x, island.rect.y + y);
                        prop_assert_eq!(lifted.get(x, y), picture.get(px, py));
                        let here = numbers[(py * picture.size().w + px) as usize];
                        prop_assert_eq!(*number.get_or_insert(here), here);
                        pixels += 1;
                    }
                }
            }
            prop_assert_eq!(pixels, numbers.iter().filter(|&&n| n > 0).count());
        }

        /// By definition: the topmost of those that are left, all that are beside it or beside one of those, from the left.
        #[test]
        fn rows_are_all_that_are_beside_one_another(
            boxes in prop::collection::vec((0u32..40, 0u32..40, 1u32..9, 1u32..9), 0..14),
        ) {
            let mut left: Vec<Rect> = boxes.iter().map(|&(x, y, w, h)| Rect::new(x, y, w, h)).collect();
            left.sort_by_key(|r| (r.y, r.x, r.size()));
            left.dedup();
            let shuffled = left.iter().rev().map(|&rect| Island { rect, runs: Vec::new() }).collect();
            let mut expected = Vec::new();
            while !left.is_empty() {
                let mut row = vec![left.remove(0)];
                let overlap = |a: &Rect, b: &Rect| 2 * (a.y + a.h).min(b.y + b.h).saturating_sub(a.y.max(b.y)) >= a.h.min(b.h);
                while let Some(at) = left.iter().position(|a| row.iter().any(|b| overlap(a, b))) {
                    row.push(left.remove(at));
                }
                row.sort_by_key(|r| (r.x, r.y, r.size()));
                expected.extend(row);
            }
            let found: Vec<Rect> = in_reading_order(shuffled).iter().map(|island| island.rect).collect();
            prop_assert_eq!(found, expected);
        }
    }

    #[test]
    fn rows_are_read_from_the_top_each_from_the_left() {
        let boxes = [[20, 0, 6, 3], [1, 2, 8, 8], [12, 1, 5, 9], [14, 14, 4, 4], [2, 13, 4, 6]];
        let mut picture = Pixels::transparent(Size::new(32, 24)).unwrap();
        for [x, y, w, h] in boxes {
            for row in y..y + h {
                picture.row_mut(row)[x as usize * 4..][..w as usize * 4].fill(255);
            }
        }
        let found: Vec<Rect> = islands(&picture, 1, 0).into_iter().map(|i| i.rect).collect();
        assert_eq!(found, [1, 2, 0, 4, 3].map(|i| Rect::from(boxes[i])));
    }
}
