//! One pass: fills a room with cells from the bottom of a skyline.
//!
//! Best fit on the lowest gap (E. Burke, G. Kendall, G. Whitwell, 2004, with scores in the manner of S. Leung and
//! D. Zhang, 2011): the skyline is the upper edge of all that is placed. Its lowest segment is the next gap; among a few
//! representatives of each distinct width the one with the best score goes there. A gap that nothing fits is given up.
//! "Up" and "low" are meant as in the papers; on the page row 0 is the ground.

use super::skyline::{Gap, Skyline};
use crate::geometry::Size;

/// How many distinct widths are looked at for a gap, from the widest that fits down. More fill a little better and take
/// much longer; see docs/layout.md.
const LOOK: usize = 16;

/// One size that `count` cells share, and where in the stock its two ways of lying are found.
#[derive(Debug, Clone, Copy)]
pub(super) struct Lying {
    pub(super) size: Size,
    pub(super) class: usize,
    pub(super) turned: bool,
}

/// A cell put down by a pass: its class, its top left, and whether it is turned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Put {
    pub(super) class: usize,
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) turned: bool,
}

/// What a pass looks at when it chooses. Integers, so that every machine chooses alike.
#[derive(Debug, Clone, Copy)]
pub(super) struct Taste {
    /// For a cell exactly as wide as the gap.
    pub(super) exact: i64,
    /// For each wall of the gap that the cell ends flush with.
    pub(super) flush: i64,
    /// For each pixel of width, of height.
    pub(super) width: i64,
    pub(super) height: i64,
    /// Against each pixel of a leftover too narrow for any cell.
    pub(super) sliver: i64,
}

impl Taste {
    /// Tastes that each do well on some kind of set; a search begins with these.
    pub(super) const PORTFOLIO: [Self; 6] = [
        Self::new(400, 250, 2, 4, 12),
        Self::new(600, 400, 1, 6, 20),
        Self::new(200, 400, 4, 4, 8),
        Self::new(300, 150, 1, 10, 12),
        Self::new(800, 200, 6, 2, 16),
        Self::new(300, 600, 3, 3, 30),
    ];

    const fn new(exact: i64, flush: i64, width: i64, height: i64, sliver: i64) -> Self {
        Self { exact, flush, width, height, sliver }
    }

    /// What a cell of width `w` is worth in a gap before its height is looked at.
    pub(super) fn of_width(&self, gap: Gap, w: u32, narrowest: u32) -> i64 {
        let leftover = gap.w - w;
        let fit = match leftover {
            0 => self.exact,
            _ if leftover < narrowest => -i64::from(leftover) * self.sliver,
            _ => 0,
        };
        fit + i64::from(w) * self.width
    }

    /// What the height `h` adds.
    pub(super) fn of_height(&self, gap: Gap, h: u32) -> i64 {
        let flush = i64::from(h == gap.left) + i64::from(h == gap.right);
        flush * self.flush + i64::from(h) * self.height
    }

    /// The `n`th taste: the portfolio first, then endless variations of it.
    pub(super) fn nth(n: usize) -> Self {
        let base = Self::PORTFOLIO[n % Self::PORTFOLIO.len()];
        if n < Self::PORTFOLIO.len() {
            return base;
        }
        let mut dice = Dice::new(n as u64);
        let mut vary = |v: i64| v * (40 + i64::from(dice.below(121))) / 100;
        Self::new(
            vary(base.exact),
            vary(base.flush),
            vary(base.width * 4) / 4,
            vary(base.height * 4) / 4,
            vary(base.sliver),
        )
    }
}

/// A small stream of numbers that is the same everywhere (SplitMix64; G. Steele, D. Lea, C. Flood, 2014).
#[derive(Debug, Clone)]
pub(super) struct Dice(u64);

impl Dice {
    pub(super) const fn new(seed: u64) -> Self {
        Self(seed)
    }

    /// A number from 0 to `n - 1`.
    pub(super) fn below(&mut self, n: u32) -> u32 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        #[expect(clippy::cast_possible_truncation, reason = "the remainder is below n")]
        let number = ((z ^ (z >> 31)) % u64::from(n.max(1))) as u32;
        number
    }
}

/// All lyings of one width, tallest first.
#[derive(Debug)]
struct Column {
    w: u32,
    tall: Vec<Lying>,
}

struct Pass<'a> {
    taste: Taste,
    left: &'a mut [u32],
    columns: Vec<Column>,
    skyline: Skyline,
    puts: Vec<Put>,
}

/// Places what fits of the cells in `left` (how many of each class) into `room` and counts `left` down.
///
/// `lyings` is sorted by width, then height, both descending. With `spare` the pass gives up and returns `None` once
/// more than that many pixels are lost: the caller wants all cells placed or nothing.
pub(super) fn fill(
    lyings: &[Lying],
    left: &mut [u32],
    room: Size,
    taste: Taste,
    spare: Option<u64>,
) -> Option<Vec<Put>> {
    let mut columns: Vec<Column> = Vec::new();
    for lying in lyings.iter().filter(|l| left[l.class] > 0 && l.size.fits_in(room)) {
        match columns.last_mut() {
            Some(column) if column.w == lying.size.w => column.tall.push(*lying),
            _ => columns.push(Column { w: lying.size.w, tall: vec![*lying] }),
        }
    }
    let mut pass = Pass { taste, left, columns, skyline: Skyline::new(room), puts: Vec::new() };
    pass.run(spare).then_some(pass.puts)
}

impl Pass<'_> {
    /// Runs to the end; `false` if more than `spare` pixels were lost.
    fn run(&mut self, spare: Option<u64>) -> bool {
        let mut lost = 0;
        while !self.columns.is_empty() {
            let Some(gap) = self.skyline.lowest() else { break };
            if let Some(lying) = self.choose(gap) {
                self.put(gap, lying);
            } else {
                lost += self.skyline.give_up(gap);
                if spare.is_some_and(|most| lost > most) {
                    return false;
                }
            }
        }
        true
    }

    fn choose(&self, gap: Gap) -> Option<Lying> {
        let narrowest = self.columns.last()?.w;
        let first = self.columns.partition_point(|c| c.w > gap.w);
        let mut best: Option<(i64, Lying)> = None;
        for column in self.columns[first..].iter().take(LOOK) {
            let base = self.taste.of_width(gap, column.w, narrowest);
            let mut offer = |lying: &Lying| {
                let score = base + self.taste.of_height(gap, lying.size.h);
                if best.is_none_or(|(top, _)| score > top) {
                    best = Some((score, *lying));
                }
            };
            let tallest = column.tall.partition_point(|l| l.size.h > gap.room);
            column.tall.get(tallest).iter().for_each(|l| offer(l));
            for wall in [gap.left, gap.right] {
                if let Ok(i) = column.tall.binary_search_by(|l| wall.cmp(&l.size.h)) {
                    offer(&column.tall[i]);
                }
            }
        }
        best.map(|(_, lying)| lying)
    }

    fn put(&mut self, gap: Gap, lying: Lying) {
        let x = self.skyline.put(gap, lying.size);
        self.puts.push(Put { class: lying.class, x, y: gap.y, turned: lying.turned });
        self.left[lying.class] -= 1;
        if self.left[lying.class] == 0 {
            self.forget(lying);
        }
    }

    /// Takes a class that is used up out of the columns, both ways of lying.
    fn forget(&mut self, lying: Lying) {
        for w in [lying.size.w, lying.size.h] {
            let at = self.columns.partition_point(|c| c.w > w);
            if let Some(column) = self.columns.get_mut(at).filter(|c| c.w == w) {
                column.tall.retain(|l| l.class != lying.class);
                if column.tall.is_empty() {
                    self.columns.remove(at);
                }
            }
        }
    }
}
