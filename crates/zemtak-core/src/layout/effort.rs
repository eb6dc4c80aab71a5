//! How much work a search may do.

use serde::Serialize;

/// How much work the search for a denser layout may do: a budget of steps, not of time, so that every machine finds the
/// same. More effort never makes a layout worse: it continues from the best result of less effort.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize)]
#[non_exhaustive]
pub enum Effort {
    /// About a tenth of a second for a thousand sprites.
    #[default]
    Quick,
    /// About ten times as much.
    Normal,
    /// About a hundred times as much.
    High,
}

/// More cells than this are laid out by passes alone: a beam would see too little of what is possible.
const BEAM_CELLS: usize = 5000;

impl Effort {
    /// This effort and all lower ones, the lowest first.
    pub(super) fn stages(self) -> impl Iterator<Item = Self> {
        [Self::Quick, Self::Normal, Self::High].into_iter().filter(move |&e| e <= self)
    }

    fn of(self, quick: u64, normal: u64, high: u64) -> u64 {
        match self {
            Self::Quick => quick,
            Self::Normal => normal,
            Self::High => high,
        }
    }

    /// How many passes over `cells` cells may look for a smaller page.
    pub(super) fn passes(self, cells: usize) -> usize {
        if cells <= BEAM_CELLS {
            // Only for a page to begin with; the beams go on.
            return usize::from(self == Self::Quick) * within(24_000 / cells.max(1), 8, 400);
        }
        let work = usize::try_from(self.of(400_000, 4_000_000, 40_000_000)).unwrap_or(usize::MAX);
        within(work / cells, 12, 4000)
    }

    /// How many passes may try to fit everything on one page of a given size.
    pub(super) fn fits(self, cells: usize) -> usize {
        within(60_000 / cells.max(1), 4, 48)
    }

    /// How many passes may fill a page as full as possible.
    pub(super) fn fulls(self, cells: usize) -> usize {
        let work = usize::try_from(self.of(40_000, 1_000_000, 6_000_000)).unwrap_or(usize::MAX);
        let most = usize::try_from(self.of(16, 160, 640)).unwrap_or(usize::MAX);
        within(work / cells.max(1), 2, most)
    }

    /// How much work beams may do for `cells` cells, in the unit of [`super::stock::Stock::work`].
    pub(super) fn beam_work(self, cells: usize) -> u64 {
        if cells > BEAM_CELLS { 0 } else { self.of(3_600_000, 34_000_000, 300_000_000) }
    }

    /// How many staircases may be examined to prove that no page is smaller.
    pub(super) fn looks(self) -> u64 {
        self.of(20_000, 300_000, 4_000_000)
    }

    /// Roughly how many states a beam over `cells` cells keeps.
    pub(super) fn states(self, cells: usize) -> usize {
        let all = usize::try_from(self.of(2_500, 7_500, 60_000)).unwrap_or(usize::MAX);
        within(all / cells.max(1), 2, 3000)
    }
}

/// What one search may do if an effort is shared among several.
#[derive(Debug, Clone, Copy)]
pub(super) struct Budget {
    pub(super) effort: Effort,
    /// Among how many.
    pub(super) share: usize,
}

impl Budget {
    pub(super) fn passes(self, cells: usize) -> usize {
        self.effort.passes(cells).div_ceil(self.share)
    }

    pub(super) fn beam_work(self, cells: usize) -> u64 {
        self.effort.beam_work(cells) / self.share as u64
    }
}

fn within(n: usize, least: usize, most: usize) -> usize {
    n.clamp(least, most)
}
