//! What a search tries next: weights and beams drawn at random, half of them near those that did well.

use super::beam::BeamParams;
use super::fill::Weights;
use super::rng::Rng;

/// How many of the last successes are varied.
const REMEMBERED: u32 = 4;

/// The pixels of the cells to place, and their number.
#[derive(Debug, Clone, Copy)]
pub(super) struct Load {
    pub(super) area: u64,
    pub(super) cells: usize,
}

impl Load {
    /// The average number of pixels of a cell.
    pub(super) fn mean(self) -> u64 {
        self.area / self.cells.max(1) as u64
    }
}

#[derive(Debug)]
pub(super) struct Sampler {
    pub(super) rng: Rng,
    load: Load,
    states: usize,
    good: Vec<(Weights, BeamParams)>,
}

impl Sampler {
    pub(super) fn new(load: Load, states: usize) -> Self {
        Self { rng: Rng::new(load.area), load, states, good: Vec::new() }
    }

    /// Remembers weights and a beam that found something better.
    pub(super) fn remember(&mut self, weights: Weights, params: BeamParams) {
        self.good.push((weights, params));
    }

    /// The next ones to try.
    pub(super) fn next(&mut self) -> (Weights, BeamParams) {
        let recent = u32::try_from(self.good.len()).unwrap_or(REMEMBERED).min(REMEMBERED);
        if recent > 0 && self.rng.below(5) < 3 {
            let back = 1 + self.rng.below(recent) as usize;
            let (weights, params) = self.good[self.good.len() - back];
            return (weights.varied(&mut self.rng, 30), BeamParams { states: self.some_states(), ..params });
        }
        let mean = self.load.mean();
        let segment = mean * [0, 1, 2, 4, 8, 16][self.rng.below(6) as usize] / 100;
        let head = self.load.area / 512 * [0, 0, 1, 4][self.rng.below(4) as usize];
        let weights = Weights::nth(self.rng.below(1 << 20) as usize);
        let (skip, choices) = match self.load.cells {
            // With few cells, the right state may look bad at first, and every spare pixel counts.
            0..=40 => ([2, 4, 8, 16][self.rng.below(4) as usize], [4, 4, 8, 12][self.rng.below(4) as usize]),
            _ => (16, 4),
        };
        (weights, BeamParams { states: self.some_states(), segment, rank: mean / 20, head, skip, choices })
    }

    /// From a quarter of the states to twice as many.
    fn some_states(&mut self) -> usize {
        ((self.states << self.rng.below(4)) / 4).max(1)
    }
}
