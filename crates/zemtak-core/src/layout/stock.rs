//! What a beam chooses from, arranged so that the best cell for a gap is found without looking at all of them.
//!
//! Cells are in the order of their widths, in blocks of 64; within a block the one with the highest score comes first.
//! A state of the search keeps one bit for each place, so the best remaining cell of a block is its lowest bit.

use super::fill::{Orientation, Weights};
use super::skyline::Gap;
use crate::geometry::Size;

/// The most choices for a gap that are passed on.
const CHOICES: usize = 12;

/// Cells in a block: the bits of a word.
const BLOCK: usize = 64;

/// The bits of a block.
pub(super) type Word = u64;

/// One orientation of one cell.
#[derive(Debug, Clone, Copy)]
pub(super) struct Offer {
    pub(super) orientation: Orientation,
    /// Which of the orientations it is: offers of equal cells have the same.
    kind: usize,
    /// Which cell it is; its other orientation disappears when it is taken.
    cell: usize,
}

/// The properties of an offer that matter: its size, and the score of that alone.
#[derive(Debug, Clone, Copy)]
struct Look {
    size: Size,
    worth: i64,
}

#[derive(Debug, Clone, Copy)]
struct Block {
    widest: u32,
    narrowest: u32,
}

#[derive(Debug)]
pub(super) struct Stock {
    weights: Weights,
    offers: Vec<Offer>,
    looks: Vec<Look>,
    blocks: Vec<Block>,
    /// The places of each cell's offers.
    places: Vec<Vec<usize>>,
    /// The places by height, then width descending.
    by_height: Vec<(u32, std::cmp::Reverse<u32>, usize)>,
}

impl Stock {
    /// `lyings` is sorted by width, then height, both descending; `left` is the number of cells in each class.
    pub(super) fn new(orientations: &[Orientation], left: &[u32], weights: Weights) -> Self {
        let mut first_cell = Vec::with_capacity(left.len());
        let mut cells = 0;
        for &n in left {
            first_cell.push(cells);
            cells += n as usize;
        }
        let mut offers: Vec<Offer> = Vec::with_capacity(cells);
        for (kind, &orientation) in orientations.iter().enumerate() {
            let first = first_cell[orientation.class];
            offers.extend((first..first + left[orientation.class] as usize).map(|cell| Offer {
                orientation,
                kind,
                cell,
            }));
        }
        let mut blocks = Vec::with_capacity(offers.len().div_ceil(BLOCK));
        for block in offers.chunks_mut(BLOCK) {
            let width = |o: Option<&Offer>| o.map_or(0, |o| o.orientation.size.w);
            blocks.push(Block { widest: width(block.first()), narrowest: width(block.last()) });
            block.sort_by_key(|o| std::cmp::Reverse(weights.of_size(o.orientation.size)));
        }
        let mut places = vec![Vec::new(); cells];
        offers.iter().enumerate().for_each(|(place, offer)| places[offer.cell].push(place));
        let look = |o: &Offer| Look { size: o.orientation.size, worth: weights.of_size(o.orientation.size) };
        let looks = offers.iter().map(look).collect();
        let by_height = offers
            .iter()
            .enumerate()
            .map(|(at, o)| (o.orientation.size.h, std::cmp::Reverse(o.orientation.size.w), at));
        let mut by_height: Vec<_> = by_height.collect();
        by_height.sort_unstable();
        Self { weights, offers, looks, blocks, places, by_height }
    }

    /// How many cells there are.
    pub(super) fn cells(&self) -> usize {
        self.places.len()
    }

    /// How much work a choice takes, in the unit of the search's budget.
    pub(super) fn work(&self) -> u64 {
        8 + self.blocks.len() as u64
    }

    pub(super) fn offer(&self, place: usize) -> &Offer {
        &self.offers[place]
    }

    /// The bits of a state in which nothing has been taken.
    pub(super) fn all(&self) -> Vec<Word> {
        self.offers.chunks(BLOCK).map(|block| Word::MAX >> (BLOCK - block.len())).collect()
    }

    /// Takes the cell of an offer, in all its orientations.
    pub(super) fn take(&self, there: &mut [Word], place: usize) {
        for &place in &self.places[self.offers[place].cell] {
            there[place / BLOCK] &= !(1 << (place % BLOCK));
        }
    }

    /// The least width among the remaining cells, `None` if there are none.
    pub(super) fn narrowest(&self, there: &[Word]) -> Option<u32> {
        let block = there.iter().rposition(|&bits| bits != 0)?;
        Bits(there[block]).map(|bit| self.looks[block * BLOCK + bit].size.w).min()
    }

    /// The best `most` choices for a gap, best first, each of a different kind.
    pub(super) fn choose(&self, there: &[Word], gap: Gap, narrowest: u32, most: usize) -> Choices {
        let mut choices = Choices { most: most.clamp(1, CHOICES), ..Choices::default() };
        let first = self.blocks.partition_point(|b| b.narrowest > gap.w);
        let mut roomy = false;
        for (at, block) in self.blocks.iter().enumerate().skip(first) {
            let places = Bits(there[at]).map(|bit| at * BLOCK + bit);
            if block.widest.saturating_add(narrowest) <= gap.w {
                roomy = true;
                self.offer_best(places, gap, &mut choices);
            } else {
                places.for_each(|place| self.consider(place, gap, narrowest, &mut choices));
            }
        }
        if !roomy {
            return choices;
        }
        // Blocks that were not searched may hold cells that end flush with a wall; wider ones were searched.
        let most = gap.w.saturating_sub(narrowest);
        for wall in [gap.left, gap.right] {
            let from =
                self.by_height.partition_point(|&(h, std::cmp::Reverse(w), _)| h < wall || (h == wall && w > most));
            let level = self.by_height[from..].iter().take_while(|(h, ..)| *h == wall).map(|(.., place)| *place);
            if let Some(place) = level.into_iter().find(|&place| there[place / BLOCK] >> (place % BLOCK) & 1 == 1) {
                self.consider(place, gap, narrowest, &mut choices);
            }
        }
        choices
    }

    /// Offers that all leave room beside them: only their score counts, and they come in its order.
    fn offer_best(&self, places: impl Iterator<Item = usize>, gap: Gap, choices: &mut Choices) {
        for place in places {
            let look = self.looks[place];
            if !choices.beats_last(look.worth) {
                break;
            }
            if look.size.h <= gap.room {
                choices.add(look.worth, self.offers[place].kind, place);
            }
        }
    }

    fn consider(&self, place: usize, gap: Gap, narrowest: u32, choices: &mut Choices) {
        let Look { size: Size { w, h }, worth } = self.looks[place];
        if w <= gap.w && h <= gap.room {
            let score = worth + self.weights.of_fit(gap.w - w, narrowest) + self.weights.of_walls(gap, h);
            if choices.beats_last(score) {
                choices.add(score, self.offers[place].kind, place);
            }
        }
    }
}

/// The indices of the set bits, from the lowest on.
struct Bits(Word);

impl Iterator for Bits {
    type Item = usize;

    fn next(&mut self) -> Option<usize> {
        let bit = (self.0 != 0).then_some(self.0.trailing_zeros() as usize)?;
        self.0 &= self.0 - 1;
        Some(bit)
    }
}

/// A few choices, best first; of equal scores the earlier one.
#[derive(Debug, Default)]
pub(super) struct Choices {
    best: [(i64, usize, usize); CHOICES],
    count: usize,
    most: usize,
}

impl Choices {
    /// The places of the chosen offers.
    pub(super) fn places(&self) -> impl Iterator<Item = usize> {
        self.best[..self.count].iter().map(|&(.., place)| place)
    }

    fn beats_last(&self, score: i64) -> bool {
        self.count < self.most || score > self.best[self.most - 1].0
    }

    fn add(&mut self, score: i64, kind: usize, place: usize) {
        let known = self.best[..self.count].iter().position(|c| c.1 == kind);
        let mut at = match known {
            Some(at) if self.best[at].0 >= score => return,
            Some(at) => at,
            None => {
                self.count = self.most.min(self.count + 1);
                self.count - 1
            }
        };
        while at > 0 && self.best[at - 1].0 < score {
            self.best[at] = self.best[at - 1];
            at -= 1;
        }
        self.best[at] = (score, kind, place);
    }
}
