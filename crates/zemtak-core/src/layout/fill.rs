//! One pass: fills a room with cells from the bottom of a skyline.
//!
//! Best fit on the lowest gap (E. Burke, G. Kendall, G. Whitwell, 2004, with scores in the manner of S. Leung and D.
//! Zhang, 2011): the skyline is the upper edge of everything that is placed. Its lowest segment is the next gap; of a
//! few representatives of each distinct width, the one with the best score goes there. A gap that nothing fits is given
//! up. "Up" and "low" have the same meaning as in the papers; on the page, row 0 is the ground.

use super::rng::Rng;
use super::skyline::{Gap, Skyline};
use crate::geometry::Size;

/// How many distinct widths are considered for a gap, starting with the widest that fits. More of them fill slightly
/// better and take much longer; see docs/layout.md.
const LOOK: usize = 16;

/// One size that `count` cells share, and where its two orientations are in the stock.
#[derive(Debug, Clone, Copy)]
pub(super) struct Orientation {
    pub(super) size: Size,
    pub(super) class: usize,
    pub(super) turned: bool,
}

/// A cell placed by a pass: its class, its top left, and whether it is turned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Placed {
    pub(super) class: usize,
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) turned: bool,
}

/// What a pass weighs when it chooses. Integers, so that every machine chooses alike.
#[derive(Debug, Clone, Copy)]
pub(super) struct Weights {
    /// For a cell exactly as wide as the gap.
    pub(super) exact: i64,
    /// For each wall of the gap with which the cell ends flush.
    pub(super) flush: i64,
    /// For each pixel of width and of height.
    pub(super) width: i64,
    pub(super) height: i64,
    /// Against each pixel of a leftover too narrow for any cell.
    pub(super) sliver: i64,
}

impl Weights {
    /// Weights that each do well on some kind of set; a search begins with these.
    pub(super) const PORTFOLIO: [Self; 6] = [
        Self::new(1600, 1000, 8, 16, 48),
        Self::new(2400, 1600, 4, 24, 80),
        Self::new(800, 1600, 16, 16, 32),
        Self::new(1200, 600, 4, 40, 48),
        Self::new(3200, 800, 24, 8, 64),
        Self::new(1200, 2400, 12, 12, 120),
    ];

    const fn new(exact: i64, flush: i64, width: i64, height: i64, sliver: i64) -> Self {
        Self { exact, flush, width, height, sliver }
    }

    /// The score of a size, independent of its place.
    pub(super) fn of_size(&self, Size { w, h }: Size) -> i64 {
        i64::from(w) * self.width + i64::from(h) * self.height
    }

    /// The score of leaving `rest` pixels of a gap's width.
    pub(super) fn of_fit(&self, rest: u32, narrowest: u32) -> i64 {
        match rest {
            0 => self.exact,
            _ if rest < narrowest => -i64::from(rest) * self.sliver,
            _ => 0,
        }
    }

    /// The score of a cell of height `h` that ends flush with the walls of a gap.
    pub(super) fn of_walls(&self, gap: Gap, h: u32) -> i64 {
        (i64::from(h == gap.left) + i64::from(h == gap.right)) * self.flush
    }

    /// The `n`th weights: first the portfolio, then endless variations of it.
    pub(super) fn nth(n: usize) -> Self {
        let base = Self::PORTFOLIO[n % Self::PORTFOLIO.len()];
        if n < Self::PORTFOLIO.len() {
            return base;
        }
        base.varied(&mut Rng::new(n as u64), 60)
    }

    /// These weights, each changed by up to `percent`.
    pub(super) fn varied(&self, rng: &mut Rng, percent: u32) -> Self {
        let mut vary = |v: i64| v * i64::from(100 - percent + rng.below(2 * percent + 1)) / 100;
        Self::new(vary(self.exact), vary(self.flush), vary(self.width), vary(self.height), vary(self.sliver))
    }
}

/// All orientations of one width, tallest first: a range of those of a pass.
#[derive(Debug)]
struct Column {
    w: u32,
    start: usize,
    end: usize,
}

struct Pass<'a> {
    weights: Weights,
    left: &'a mut [u32],
    /// What is left, by width and height; between the columns also what was used up.
    orientations: Vec<Orientation>,
    columns: Vec<Column>,
    skyline: Skyline,
    puts: Vec<Placed>,
}

/// Places whatever fits of the cells in `left` (how many of each class) into `room`, and counts `left` down.
///
/// `lyings` is sorted by width, then height, both descending. With `spare`, the pass gives up and returns `None` once
/// more than that many pixels are lost: the caller wants all cells placed or nothing.
pub(super) fn fill(
    orientations: &[Orientation],
    left: &mut [u32],
    room: Size,
    weights: Weights,
    spare: Option<u64>,
) -> Option<Vec<Placed>> {
    let fits = |orientation: &&Orientation| left[orientation.class] > 0 && orientation.size.fits_in(room);
    let orientations: Vec<Orientation> = orientations.iter().filter(fits).copied().collect();
    let mut end = 0;
    let of_one_width = |column: &[Orientation]| {
        let start = end;
        end += column.len();
        Column { w: column[0].size.w, start, end }
    };
    let columns = orientations.chunk_by(|a, b| a.size.w == b.size.w).map(of_one_width).collect();
    let mut pass = Pass { weights, left, orientations, columns, skyline: Skyline::new(room), puts: Vec::new() };
    pass.run(spare).then_some(pass.puts)
}

impl Pass<'_> {
    /// Runs to the end; `false` if more than `spare` pixels were lost.
    fn run(&mut self, spare: Option<u64>) -> bool {
        let mut lost = 0;
        while !self.columns.is_empty() {
            let Some(gap) = self.skyline.lowest() else { break };
            if let Some(orientation) = self.choose(gap) {
                self.put(gap, orientation);
            } else {
                lost += self.skyline.give_up(gap);
                if spare.is_some_and(|most| lost > most) {
                    return false;
                }
            }
        }
        true
    }

    fn choose(&self, gap: Gap) -> Option<Orientation> {
        let narrowest = self.columns.last()?.w;
        let first = self.columns.partition_point(|c| c.w > gap.w);
        let mut best: Option<(i64, Orientation)> = None;
        for column in self.columns[first..].iter().take(LOOK) {
            let fit = self.weights.of_fit(gap.w - column.w, narrowest);
            let mut offer = |orientation: &Orientation| {
                let score =
                    fit + self.weights.of_size(orientation.size) + self.weights.of_walls(gap, orientation.size.h);
                if best.is_none_or(|(top, _)| score > top) {
                    best = Some((score, *orientation));
                }
            };
            let tall = &self.orientations[column.start..column.end];
            let tallest = tall.partition_point(|l| l.size.h > gap.room);
            tall.get(tallest).iter().for_each(|l| offer(l));
            for wall in [gap.left, gap.right] {
                if let Ok(i) = tall.binary_search_by(|l| wall.cmp(&l.size.h)) {
                    offer(&tall[i]);
                }
            }
        }
        best.map(|(_, orientation)| orientation)
    }

    fn put(&mut self, gap: Gap, orientation: Orientation) {
        let x = self.skyline.put(gap, orientation.size);
        self.puts.push(Placed { class: orientation.class, x, y: gap.y, turned: orientation.turned });
        self.left[orientation.class] -= 1;
        if self.left[orientation.class] == 0 {
            self.forget(orientation);
        }
    }

    /// Removes a class that is used up from the columns, in both orientations.
    fn forget(&mut self, orientation: Orientation) {
        for w in [orientation.size.w, orientation.size.h] {
            let at = self.columns.partition_point(|c| c.w > w);
            let Some(column) = self.columns.get_mut(at).filter(|c| c.w == w) else { continue };
            let tall = &self.orientations[column.start..column.end];
            let Some(found) = tall.iter().position(|l| l.class == orientation.class) else { continue };
            self.orientations.copy_within(column.start + found + 1..column.end, column.start + found);
            column.end -= 1;
            if column.start == column.end {
                self.columns.remove(at);
            }
        }
    }
}
