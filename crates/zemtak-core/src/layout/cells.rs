//! Items as cells, which is what the searches place, and the way back to boxes.

use super::beam::{BeamParams, Task, fit_all};
use super::effort::Effort;
use super::error::LayoutError;
use super::exact::{self, Verdict};
use super::fill::{Orientation, Placed, Weights, fill};
use super::policy::{PagePolicy, largest_of};
use super::request::{Item, Layout, LayoutRequest, Place, ProgressSink, StopSignal};
use super::sampler::Load;
use super::spacing::Spacing;
use crate::geometry::{Rect, Size};
use crate::par;
use std::ops::Range;

/// How many attempts run side by side before their results are compared. Fixed, so that the result does not depend on
/// the number of threads.
pub(super) const BATCH: usize = 8;

/// The items as cells, equal ones together. A cell here is a box with its ring and, to the right and below, the gutter:
/// a room that is larger by one gutter then holds them edge to edge, and no gutter is wasted along the page's edge.
pub(super) struct Cells<'a> {
    items: &'a [Item],
    spacing: Spacing,
    stop: Option<StopSignal<'a>>,
    progress: Option<ProgressSink<'a>>,
    classes: Vec<Class>,
    /// The items of all classes, one class after another.
    members: Vec<usize>,
    orientations: Vec<Orientation>,
    /// The same with width and height exchanged, for filling a page along its height.
    flipped: Vec<Orientation>,
}

/// Interchangeable cells.
struct Class {
    size: Size,
    /// The largest box with its ring among them.
    content: Size,
    may_turn: bool,
    group: Option<usize>,
    /// Where its items are among those of all classes.
    members: Range<usize>,
}

/// A page and what was placed on it.
#[derive(Debug, Clone)]
pub(super) struct Filled {
    pub(super) size: Size,
    pub(super) puts: Vec<Placed>,
    /// Whether it is proved that no smaller page holds the same cells.
    pub(super) smallest: bool,
}

impl Filled {
    /// A page for which it is unknown whether a smaller one would do.
    pub(super) fn new(size: Size, puts: Vec<Placed>) -> Self {
        Self { size, puts, smallest: false }
    }
}

/// What a set of cells requires of a page: the number of pixels, and the least width and height that hold every cell.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Need {
    pub(super) area: u64,
    pub(super) cells: usize,
    pub(super) widest: u32,
    pub(super) tallest: u32,
}

impl Need {
    pub(super) fn load(self) -> Load {
        Load { area: self.area, cells: self.cells }
    }
}

/// A page for a beam to try, and how.
#[derive(Debug, Clone, Copy)]
pub(super) struct Try {
    pub(super) size: Size,
    /// Whether cells are placed along the page's height.
    pub(super) flipped: bool,
    pub(super) weights: Weights,
    pub(super) params: BeamParams,
}

impl<'a> Cells<'a> {
    /// The items of `which`. Refuses those that fit on no allowed page.
    pub(super) fn new(request: &LayoutRequest<'a>, policy: &PagePolicy, which: &[usize]) -> Result<Self, LayoutError> {
        let LayoutRequest { items, spacing, stop, progress, .. } = *request;
        let mut sized = Vec::with_capacity(which.len());
        let mut unfit = Vec::new();
        let rooms: Vec<Size> = policy.largest_pages().into_iter().filter_map(|page| spacing.room(page)).collect();
        let fits = |cell: Size, may_turn| {
            rooms.iter().any(|&room| cell.fits_in(room) || (may_turn && cell.swapped().fits_in(room)))
        };
        let cell_of = spacing.cells(policy.largest());
        for &i in which {
            let Item { size, may_turn, group, .. } = items[i];
            match cell_of(size).filter(|&cell| fits(cell, may_turn)) {
                Some(cell) => sized.push(((cell, may_turn, group), i)),
                None => unfit.push(i),
            }
        }
        if !unfit.is_empty() {
            return Err(policy.refuse(unfit, |i| items[i].size, spacing));
        }
        // A stable sort: members stay in their order.
        sized.sort_by_key(|(key, _)| *key);
        let mut end = 0;
        let classes = sized.chunk_by(|(a, _), (b, _)| a == b).map(|members| {
            let ((size, may_turn, group), _) = members[0];
            let ringed = |(_, i): &(_, usize)| spacing.ringed(items[*i].size).unwrap_or(size);
            let content = largest_of(members.iter().map(ringed)).unwrap_or(size);
            let start = end;
            end += members.len();
            Class { size, content, may_turn, group, members: start..end }
        });
        let classes: Vec<Class> = classes.collect();
        let members = sized.into_iter().map(|(_, i)| i).collect();
        let mut orientations = Vec::new();
        for (class, &Class { size, may_turn, .. }) in classes.iter().enumerate() {
            orientations.push(Orientation { size, class, turned: false });
            if may_turn && size.w != size.h {
                orientations.push(Orientation { size: size.swapped(), class, turned: true });
            }
        }
        orientations.sort_by_key(|l| (std::cmp::Reverse(l.size), l.class));
        let mut flipped: Vec<Orientation> =
            orientations.iter().map(|l| Orientation { size: l.size.swapped(), ..*l }).collect();
        flipped.sort_by_key(|l| (std::cmp::Reverse(l.size), l.class));
        Ok(Self { items, spacing, stop, progress, classes, members, orientations, flipped })
    }

    pub(super) fn spacing(&self) -> Spacing {
        self.spacing
    }

    /// Whether the search was asked to stop.
    pub(super) fn stopped(&self) -> bool {
        self.stop.is_some_and(StopSignal::is_set)
    }

    /// Reports the progress of a search, the pixels of its cells, and those of the best page so far.
    pub(super) fn tell(&self, done: u64, of: u64, filled: Option<(u64, u64)>) {
        self.progress.into_iter().for_each(|progress| progress.tell(done, of, filled));
    }

    /// Whether some cells must share a page.
    pub(super) fn grouped(&self) -> bool {
        self.classes.iter().any(|c| c.group.is_some())
    }

    /// Whether every cell is a square or may turn.
    pub(super) fn lie_both_ways(&self) -> bool {
        self.classes.iter().all(|c| c.may_turn || c.size.w == c.size.h)
    }

    pub(super) fn group(&self, class: usize) -> Option<usize> {
        self.classes[class].group
    }

    /// The pixels of a cell of a class.
    pub(super) fn area(&self, class: usize) -> u64 {
        self.classes[class].size.area()
    }

    /// The items of a class.
    pub(super) fn members(&self, class: usize) -> &[usize] {
        &self.members[self.classes[class].members.clone()]
    }

    /// How many of each class there are.
    pub(super) fn all(&self) -> Vec<u32> {
        self.classes.iter().map(|c| u32::try_from(c.members.len()).unwrap_or(u32::MAX)).collect()
    }

    pub(super) fn need(&self, left: &[u32]) -> Need {
        let mut need = Need::default();
        for (class, &n) in self.classes.iter().zip(left).filter(|(_, n)| **n > 0) {
            need.area += class.size.area() * u64::from(n);
            need.cells += n as usize;
            let Size { w, h } = class.size;
            let (w, h) = if class.may_turn { (w.min(h), w.min(h)) } else { (w, h) };
            need.widest = need.widest.max(w);
            need.tallest = need.tallest.max(h);
        }
        need
    }

    /// How many pixels of a page the cells in `left` may waste; `None` if it has too few, or is too narrow or too low.
    pub(super) fn spare(&self, need: Need, size: Size) -> Option<(Size, u64)> {
        let room = self.spacing.room(size)?;
        let spare = room.area().checked_sub(need.area)?;
        (need.widest <= room.w && need.tallest <= room.h).then_some((room, spare))
    }

    /// One pass over everything in `left`, which has this `need`; all of it must fit.
    pub(super) fn try_all(&self, left: &[u32], need: Need, size: Size, weights: Weights) -> Option<Filled> {
        let (room, spare) = self.spare(need, size)?;
        let mut rest = left.to_vec();
        let puts = fill(&self.orientations, &mut rest, room, weights, Some(spare))?;
        rest.iter().all(|&n| n == 0).then(|| Filled::new(size, puts))
    }

    /// A beam over everything in `left`, which has this `need`; all of it must fit. Also returns the work it took.
    pub(super) fn try_beam(&self, left: &[u32], need: Need, tried: Try) -> (Option<Filled>, u64) {
        let Try { size, flipped, weights, params } = tried;
        let Some((room, spare)) = self.spare(need, size) else { return (None, 0) };
        let orientations = if flipped { &self.flipped } else { &self.orientations };
        let outcome = fit_all(Task { orientations, left, room: room.stored(flipped), spare, weights, params });
        let upright = |put: Placed| if flipped { Placed { x: put.y, y: put.x, ..put } } else { put };
        let filled = outcome.puts.map(|puts| Filled::new(size, puts.into_iter().map(upright).collect()));
        (filled, outcome.work)
    }

    /// Whether everything in `left`, which has this `need`, fits on a page at all, and the work it took to find out.
    pub(super) fn try_exactly(&self, left: &[u32], need: Need, size: Size, budget: u64) -> (Verdict, u64) {
        let Some((room, _)) = self.spare(need, size) else { return (Verdict::Cannot, 0) };
        exact::fits(&self.orientations, left, room, budget)
    }

    /// The smallest allowed page round what was placed.
    pub(super) fn tight(&self, policy: &PagePolicy, filled: &Filled) -> Filled {
        let far = |put: &Placed| {
            let size = self.classes[put.class].content.stored(put.turned);
            (put.x + size.w, put.y + size.h)
        };
        let (w, h) = filled.puts.iter().map(far).fold((0, 0), |a, b| (a.0.max(b.0), a.1.max(b.1)));
        let size = policy.smallest_round(self.spacing.page_round(Size::new(w, h)));
        let smaller = policy.allows(size) && size.area() < filled.size.area();
        Filled { size: if smaller { size } else { filled.size }, ..filled.clone() }
    }

    /// As many pixels of `left` as a page of `size` takes, with several weights; `left` is counted down.
    pub(super) fn fill_most(&self, left: &mut [u32], size: Size, effort: Effort) -> Option<Filled> {
        let room = self.spacing.room(size)?;
        let tries = par::map_range(effort.fulls(self.need(left).cells), |n| {
            let mut rest = left.to_vec();
            let puts = fill(&self.orientations, &mut rest, room, Weights::nth(n), None).unwrap_or_default();
            let placed: u64 = puts.iter().map(|p| self.area(p.class)).sum();
            (placed, rest, puts)
        });
        // Of equal results the first, whichever thread finished first.
        let best = tries.into_iter().reduce(|best, next| if next.0 > best.0 { next } else { best });
        let (_, rest, puts) = best.filter(|(placed, ..)| *placed > 0)?;
        left.copy_from_slice(&rest);
        Some(Filled::new(size, puts))
    }

    /// Back from cells to boxes: each placement takes the next member of its class.
    pub(super) fn layout(&self, pages: &[Filled]) -> Vec<(usize, Place)> {
        let mut next = vec![0; self.classes.len()];
        let mut places = Vec::new();
        let inset = self.spacing.lead() + self.spacing.extrude;
        for (page, filled) in pages.iter().enumerate() {
            for put in &filled.puts {
                let item = self.members(put.class)[next[put.class]];
                next[put.class] += 1;
                let size = self.items[item].size.stored(put.turned);
                let rect = Rect::at(put.x + inset, put.y + inset, size);
                places.push((item, Place { page, rect, turned: put.turned }));
            }
        }
        places
    }

    /// The pixels of all boxes with their rings: pages cannot be smaller than their content.
    pub(super) fn ringed_area(&self) -> u64 {
        self.members.iter().filter_map(|&item| self.spacing.ringed(self.items[item].size)).map(Size::area).sum()
    }

    pub(super) fn counts(&self, puts: &[Placed]) -> Vec<u32> {
        let mut counts = vec![0; self.classes.len()];
        puts.iter().for_each(|p| counts[p.class] += 1);
        counts
    }
}

/// The layout with the cells on these pages; items that are not cells get no place.
pub(super) fn layout_of(cells: &Cells<'_>, pages: &[Filled], items: usize) -> Layout {
    let mut places = vec![Place::default(); items];
    cells.layout(pages).into_iter().for_each(|(item, place)| places[item] = place);
    Layout { pages: pages.iter().map(|p| p.size).collect(), places }
}
