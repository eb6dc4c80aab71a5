//! A build that is split into shares, one for each of several machines: each puts what it makes into the shared store,
//! and a plain build finds it there.
//!
//! All machines split alike without communicating: by what they build, and by how long that took before, which plain
//! builds record in the store.

mod build;
mod estimate;
mod plan;

pub use build::ShareBuilt;
pub use plan::{PlannedShare, PlannedUnit, WorkPlan};

use crate::allowance::Allowance;
use crate::context::Context;
use crate::failure::Problem;
use crate::journal::Journal;
use crate::limits::Limits;
use crate::observer::Observer;
use crate::store::{FileStore, SharedSettings, SharedStore};
use crate::targets::Target;
use crate::timings::Timings;
use crate::work::{AtlasWork, SizeWork};
use crate::write::Writer;
use std::cmp::Reverse;
use std::collections::HashMap;

/// One of the shares into which a build is split.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Share {
    /// Its number, from 1 on.
    pub number: u32,
    /// How many there are.
    pub of: u32,
}

/// The most shares of a build.
pub const MOST_SHARES: u32 = 65_536;

impl std::str::FromStr for Share {
    type Err = String;

    /// A share such as `3/16`: the third of sixteen.
    fn from_str(text: &str) -> Result<Self, String> {
        let parts = text.split_once('/').and_then(|(number, of)| Some((number.parse().ok()?, of.parse().ok()?)));
        let share = parts.map(|(number, of)| Self { number, of });
        share
            .filter(|share| share.number >= 1 && share.number <= share.of && share.of <= MOST_SHARES)
            .ok_or_else(|| format!("a share is such as 3/16: the third of sixteen, of at most {MOST_SHARES}"))
    }
}

impl std::fmt::Display for Share {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.number, self.of)
    }
}

/// What shares are planned and built with. Nothing of it is kept on this machine.
struct Workplace {
    store: FileStore,
    shared: SharedStore,
    writer: Writer,
    timings: Timings,
    allowance: Allowance,
    journal: Journal,
}

impl Workplace {
    /// With what this machine knows, and a shared store.
    ///
    /// # Errors
    /// Such a shared store is impossible.
    fn open(store: FileStore, shared: Option<&SharedSettings>, limits: Limits) -> Result<Self, Problem> {
        let writer = Writer::default();
        let shared = SharedStore::open(shared, &writer, &limits)?;
        let (timings, allowance, journal) = (Timings::default(), Allowance::new(limits), Journal::default());
        Ok(Self { store, shared, writer, timings, allowance, journal })
    }

    fn context<'a>(&'a self, observer: &'a dyn Observer) -> Context<'a> {
        let Self { store, shared, writer, timings, allowance, journal } = self;
        Context { store, shared, writer, timings, allowance, journal, observer }
    }
}

/// Targets by name.
fn by_name(targets: &[Target]) -> HashMap<&str, &Target> {
    targets.iter().map(|target| (target.name.as_str(), target)).collect()
}

/// A part of an atlas: all its sizes or one, all their pages or every nth.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Unit {
    /// Which atlas, in the order of the project.
    pub target: usize,
    /// One of its sizes, 0 for its own; `None` for all.
    pub size: Option<usize>,
    /// Its pages and layers: one in so many, starting with this one.
    pub pages: Slice,
    /// Roughly how many microseconds of one thread it takes.
    pub work: u64,
}

/// One in so many, starting with this one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Slice {
    pub first: usize,
    pub of: usize,
}

impl Slice {
    pub const ALL: Self = Self { first: 0, of: 1 };

    /// Whether it includes the page of this number.
    pub fn has(self, page: usize) -> bool {
        page % self.of == self.first
    }
}

/// Splits a build into shares of about the same work, one element each.
///
/// An atlas stays whole unless it is more than half of a share: then it is split by its sizes, and those by their
/// pages, if that is worth it; each piece has to load the images and find the layout for itself. The largest piece goes
/// first, to the share with the least work so far.
pub(crate) fn cut(atlases: &[AtlasWork], shares: u32) -> Vec<Vec<Unit>> {
    let mean = atlases.iter().map(AtlasWork::total).sum::<u64>() / u64::from(shares);
    let mut units: Vec<Unit> =
        atlases.iter().enumerate().flat_map(|(target, work)| units_of(target, work, mean / 2)).collect();
    units.sort_by_key(|unit| (Reverse(unit.work), unit.target, unit.size, unit.pages));
    let mut cut: Vec<(u64, Vec<Unit>)> = (0..shares).map(|_| (0, Vec::new())).collect();
    for unit in units {
        if let Some(least) = cut.iter_mut().min_by_key(|(work, _)| *work) {
            least.0 += unit.work;
            least.1.push(unit);
        }
    }
    cut.into_iter().map(|(_, units)| units).collect()
}

fn units_of(target: usize, work: &AtlasWork, most: u64) -> Vec<Unit> {
    if work.total() <= most {
        return vec![Unit { target, size: None, pages: Slice::ALL, work: work.total() }];
    }
    if let [only] = &work.sizes[..] {
        return pieces(target, None, only, work.loading, most);
    }
    let of_size = |(at, size): (usize, &SizeWork)| pieces(target, Some(at), size, work.loading, most);
    work.sizes.iter().enumerate().flat_map(of_size).collect()
}

/// One size of an atlas, split by its pages if those are most of the work.
fn pieces(target: usize, size: Option<usize>, work: &SizeWork, loading: u64, most: u64) -> Vec<Unit> {
    let (before, pages) = (loading + work.layout, work.pages.iter().sum::<u64>());
    let is_worth_it = before + pages > most && pages >= 2 * before;
    let wanted = usize::try_from(pages / most.max(1) + 1).unwrap_or(usize::MAX);
    let of = if is_worth_it { wanted.clamp(1, work.pages.len().max(1)) } else { 1 };
    let piece = |first: usize| {
        let pages = Slice { first, of };
        let drawing: u64 = work.pages.iter().enumerate().filter(|(at, _)| pages.has(*at)).map(|(_, page)| page).sum();
        Unit { target, size, pages, work: before + drawing }
    };
    (0..of).map(piece).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn atlas(loading: u64, sizes: &[&[u64]]) -> AtlasWork {
        let size = |pages: &&[u64]| SizeWork { layout: 10, pages: pages.to_vec() };
        AtlasWork { images: 1, loading, sizes: sizes.iter().map(size).collect() }
    }

    /// Every page of every size is in exactly one share, however a build is split.
    fn holds_all_once(atlases: &[AtlasWork], cut: &[Vec<Unit>]) {
        for (target, work) in atlases.iter().enumerate() {
            for (at, size) in work.sizes.iter().enumerate() {
                for page in 0..size.pages.len() {
                    let of = |unit: &&Unit| {
                        unit.target == target && unit.size.is_none_or(|size| size == at) && unit.pages.has(page)
                    };
                    assert_eq!(cut.iter().flatten().filter(of).count(), 1, "atlas {target}, size {at}, page {page}");
                }
            }
        }
    }

    #[test]
    fn shares_are_alike_and_miss_nothing() {
        // Small ones, one with many pages, one with sizes, one that is nearly all loading.
        let mut atlases: Vec<AtlasWork> = (0..60).map(|at| atlas(20 + at % 7, &[&[100 + 13 * (at % 11)]])).collect();
        atlases.push(atlas(100, &[&[900; 9]]));
        atlases.push(atlas(200, &[&[700, 600], &[300], &[50]]));
        atlases.push(atlas(900, &[&[20, 20]]));
        for shares in [1, 2, 7, 16, 64, 300] {
            let cut = cut(&atlases, shares);
            assert_eq!(cut.len(), shares as usize);
            holds_all_once(&atlases, &cut);
            let work: Vec<u64> = cut.iter().map(|units| units.iter().map(|unit| unit.work).sum()).collect();
            let (all, alone) = (work.iter().sum::<u64>(), atlases.iter().map(AtlasWork::total).sum::<u64>());
            if shares <= 16 {
                let mean = all / u64::from(shares);
                assert!(work.iter().all(|work| *work * 10 <= mean * 13), "{shares}: {work:?}");
                assert!(all * 10 <= alone * 11, "{shares}: {all} {alone}");
            }
        }
        // What is nearly all loading is not split by its pages: each part would have to load all of it.
        assert!(cut(&atlases, 300).iter().flatten().all(|unit| unit.target != 62 || unit.pages == Slice::ALL));
        // The largest goes first, wherever it is.
        let mut uneven = vec![atlas(0, &[&[0]]); 30];
        uneven.push(atlas(290, &[&[0]]));
        let works = |units: &Vec<Unit>| units.iter().map(|unit| unit.work).sum::<u64>();
        assert_eq!(cut(&uneven, 2).iter().map(works).collect::<Vec<_>>(), [300, 300]);
        // One share is the whole build, and nothing is split.
        assert!(cut(&atlases, 1)[0].iter().all(|unit| unit.pages == Slice::ALL));
        assert_eq!(cut(&[], 3), vec![Vec::new(); 3]);
    }

    #[test]
    fn a_share_is_read_as_it_is_written() {
        let share: Share = "3/16".parse().unwrap();
        assert_eq!((share.number, share.of, share.to_string()), (3, 16, "3/16".to_owned()));
        for wrong in ["", "3", "0/4", "5/4", "-1/4", "1/0", "1/65537", "a/b", "1/2/3"] {
            assert!(wrong.parse::<Share>().is_err(), "{wrong}");
        }
    }
}
