//! What a search tries next: tastes and guides picked by chance, half of them near those that did well.

use super::beam::Guide;
use super::fill::{Dice, Taste};

/// How many of the last successes are varied.
const REMEMBERED: u32 = 4;

/// The pixels of the cells to place, and their number.
#[derive(Debug, Clone, Copy)]
pub(super) struct Load {
    pub(super) area: u64,
    pub(super) cells: usize,
}

impl Load {
    /// The pixels of a cell, on the average.
    pub(super) fn mean(self) -> u64 {
        self.area / self.cells.max(1) as u64
    }
}

#[derive(Debug)]
pub(super) struct Luck {
    pub(super) dice: Dice,
    load: Load,
    states: usize,
    good: Vec<(Taste, Guide)>,
}

impl Luck {
    pub(super) fn new(load: Load, states: usize) -> Self {
        Self { dice: Dice::new(load.area), load, states, good: Vec::new() }
    }

    /// A taste and a guide that found something better.
    pub(super) fn remember(&mut self, taste: Taste, guide: Guide) {
        self.good.push((taste, guide));
    }

    /// The next to try.
    pub(super) fn next(&mut self) -> (Taste, Guide) {
        let recent = u32::try_from(self.good.len()).unwrap_or(REMEMBERED).min(REMEMBERED);
        if recent > 0 && self.dice.below(5) < 3 {
            let back = 1 + self.dice.below(recent) as usize;
            let (taste, guide) = self.good[self.good.len() - back];
            return (taste.varied(&mut self.dice, 30), Guide { states: self.some_states(), ..guide });
        }
        let mean = self.load.mean();
        let segment = mean * [0, 1, 2, 4, 8, 16][self.dice.below(6) as usize] / 100;
        let head = self.load.area / 512 * [0, 0, 1, 4][self.dice.below(4) as usize];
        let taste = Taste::nth(self.dice.below(1 << 20) as usize);
        let (skip, choices) = match self.load.cells {
            // Of few cells the right one may look bad at first, and every pixel that is spared counts.
            0..=40 => ([2, 4, 8, 16][self.dice.below(4) as usize], [4, 4, 8, 12][self.dice.below(4) as usize]),
            _ => (16, 4),
        };
        (taste, Guide { states: self.some_states(), segment, rank: mean / 20, head, skip, choices })
    }

    /// From a quarter of the states to twice as many.
    fn some_states(&mut self) -> usize {
        ((self.states << self.dice.below(4)) / 4).max(1)
    }
}
