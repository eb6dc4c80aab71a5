//! From cells to pages: which sizes to try, how to split over several pages, and back to places.

use super::fill::{Lying, Put, Taste, fill};
use super::policy::{PagePolicy, Prefer, Shape, Spacing};
use super::{Item, Layout, LayoutError, Place, free};
use crate::geometry::{Rect, Size};
use crate::par;
use std::collections::BTreeMap;

/// How many cells the tries of one power-of-two page may put down, and the fewest and most tries.
const FIT_WORK: usize = 60_000;
const FIT_TRIES: (usize, usize) = (4, 48);

/// The same for filling a page as full as can be.
const FULL_WORK: usize = 20_000;
const FULL_TRIES: (usize, usize) = (2, 8);

/// How many passes are made side by side before their results are looked at. Fixed, so that the result does not depend
/// on the number of threads.
pub(super) const BATCH: usize = 8;

/// The items as cells, equal ones together. A cell here is a box with its ring and, to the right and below, the gutter:
/// a room as much larger by one gutter then holds them edge to edge, and no gutter is spent along the page's edge.
pub(super) struct Cells<'a> {
    items: &'a [Item],
    spacing: Spacing,
    classes: Vec<Class>,
    lyings: Vec<Lying>,
}

struct Class {
    size: Size,
    members: Vec<usize>,
}

/// A page and what was put on it.
#[derive(Debug, Clone)]
pub(super) struct Filled {
    pub(super) size: Size,
    puts: Vec<Put>,
}

/// What a set of cells asks of a page at least: the pixels, and the least width and height that hold every cell.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Need {
    pub(super) area: u64,
    pub(super) widest: u32,
    pub(super) tallest: u32,
}

impl<'a> Cells<'a> {
    /// Refuses items that fit on no allowed page.
    pub(super) fn new(items: &'a [Item], spacing: Spacing, policy: &PagePolicy) -> Result<Self, LayoutError> {
        let mut by_size: BTreeMap<(Size, bool), Vec<usize>> = BTreeMap::new();
        let mut unfit = Vec::new();
        let none = Self { items: &[], spacing, classes: Vec::new(), lyings: Vec::new() };
        for (i, item) in items.iter().enumerate() {
            match none.cell(item.size).filter(|&cell| none.fits_some_page(cell, item.may_turn, policy)) {
                Some(cell) => by_size.entry((cell, item.may_turn)).or_default().push(i),
                None => unfit.push(i),
            }
        }
        if !unfit.is_empty() {
            let room = none.room(policy.largest()).unwrap_or(Size::new(0, 0));
            let less = 2 * spacing.extrude + spacing.gutter;
            let room = Size::new(room.w.saturating_sub(less), room.h.saturating_sub(less));
            return Err(LayoutError::DoNotFit { items: unfit, room });
        }
        let mut lyings = Vec::new();
        for (class, &(size, may_turn)) in by_size.keys().enumerate() {
            lyings.push(Lying { size, class, turned: false });
            if may_turn && size.w != size.h {
                lyings.push(Lying { size: size.swapped(), class, turned: true });
            }
        }
        lyings.sort_by_key(|l| (std::cmp::Reverse(l.size), l.class));
        let classes = by_size.into_iter().map(|((size, _), members)| Class { size, members }).collect();
        Ok(Self { items, spacing, classes, lyings })
    }

    fn cell(&self, size: Size) -> Option<Size> {
        let more = self.spacing.extrude.checked_mul(2)?.checked_add(self.spacing.gutter)?;
        Some(Size::new(size.w.checked_add(more)?, size.h.checked_add(more)?))
    }

    /// What a page holds of cells with their gutters, or `None` where the margin leaves nothing.
    fn room(&self, page: Size) -> Option<Size> {
        let inner = |side: u32| {
            let inner = side.checked_sub(self.spacing.margin.checked_mul(2)?).filter(|&s| s > 0)?;
            inner.checked_add(self.spacing.gutter)
        };
        Some(Size::new(inner(page.w)?, inner(page.h)?))
    }

    /// The smallest page whose room is `w` by `h`.
    pub(super) fn page_for(&self, w: u32, h: u32) -> Size {
        let outer = |side: u32| (side + 2 * self.spacing.margin).saturating_sub(self.spacing.gutter);
        Size::new(outer(w), outer(h))
    }

    /// The least pixels of a page whose room has `room` pixels: that of a square.
    pub(super) fn page_area(&self, room: u64) -> u64 {
        let side = u32::try_from(room.isqrt()).unwrap_or(u32::MAX / 2).min(u32::MAX / 2);
        let square = self.page_for(side, side).area();
        if self.spacing.margin * 2 == self.spacing.gutter { room } else { square }
    }

    fn fits_some_page(&self, cell: Size, may_turn: bool, policy: &PagePolicy) -> bool {
        let fits = |page: Size| {
            self.room(page).is_some_and(|room| cell.fits_in(room) || (may_turn && cell.swapped().fits_in(room)))
        };
        policy.largest_pages().into_iter().any(fits)
    }

    /// How many of each class there are.
    fn all(&self) -> Vec<u32> {
        self.classes.iter().map(|c| u32::try_from(c.members.len()).unwrap_or(u32::MAX)).collect()
    }

    /// How often a search may go over the cells in `left` for `work` placements.
    pub(super) fn passes(&self, left: &[u32], work: usize, (fewest, most): (usize, usize)) -> usize {
        let cells: usize = left.iter().map(|&n| n as usize).sum();
        (work / cells.max(1)).clamp(fewest, most)
    }

    pub(super) fn need(&self, left: &[u32]) -> Need {
        let mut need = Need::default();
        for lying in self.lyings.iter().filter(|l| !l.turned && left[l.class] > 0) {
            need.area += lying.size.area() * u64::from(left[lying.class]);
            let may_turn = self.items[self.classes[lying.class].members[0]].may_turn;
            let Size { w, h } = lying.size;
            let (w, h) = if may_turn { (w.min(h), w.min(h)) } else { (w, h) };
            need.widest = need.widest.max(w);
            need.tallest = need.tallest.max(h);
        }
        need
    }

    /// One pass over everything in `left`, which has this `need`; it must all fit.
    pub(super) fn try_all(&self, left: &[u32], need: Need, size: Size, taste: Taste) -> Option<Filled> {
        let room = self.room(size)?;
        let spare = room.area().checked_sub(need.area)?;
        if need.widest > room.w || need.tallest > room.h {
            return None;
        }
        let mut rest = left.to_vec();
        let puts = fill(&self.lyings, &mut rest, room, taste, Some(spare))?;
        rest.iter().all(|&n| n == 0).then_some(Filled { size, puts })
    }

    /// The smallest allowed page round what was put down.
    pub(super) fn tight(&self, policy: &PagePolicy, filled: &Filled) -> Filled {
        let far = |put: &Put| {
            let size = self.classes[put.class].size.stored(put.turned);
            (put.x + size.w, put.y + size.h)
        };
        let (w, h) = filled.puts.iter().map(far).fold((0, 0), |a, b| (a.0.max(b.0), a.1.max(b.1)));
        let mut size = self.page_for(w, h);
        size = Size::new(policy.step_up(size.w), policy.step_up(size.h));
        if policy.shape == Shape::Square {
            size = Size::new(size.w.max(size.h), size.w.max(size.h));
        }
        let size = policy.widened(size);
        let smaller = policy.allows(size) && size.area() < filled.size.area();
        Filled { size: if smaller { size } else { filled.size }, puts: filled.puts.clone() }
    }

    /// As many pixels of `left` as a page of `size` takes, over several tastes; `left` is counted down.
    fn fill_most(&self, left: &mut [u32], size: Size) -> Option<Filled> {
        let room = self.room(size)?;
        let tries = par::map_range(self.passes(left, FULL_WORK, FULL_TRIES), |n| {
            let mut rest = left.to_vec();
            let puts = fill(&self.lyings, &mut rest, room, Taste::nth(n), None).unwrap_or_default();
            let placed: u64 = puts.iter().map(|p| self.classes[p.class].size.area()).sum();
            (placed, rest, puts)
        });
        // Of equal ones the first, whichever thread was ready first.
        let best = tries.into_iter().reduce(|best, next| if next.0 > best.0 { next } else { best });
        let (_, rest, puts) = best.filter(|(placed, ..)| *placed > 0)?;
        left.copy_from_slice(&rest);
        Some(Filled { size, puts })
    }

    /// The smallest allowed page found that holds everything in `left`.
    fn smallest(&self, policy: &PagePolicy, left: &[u32]) -> Option<Filled> {
        let tries = self.passes(left, FIT_WORK, FIT_TRIES);
        let need = self.need(left);
        let first_fit = |size: &Size| {
            (0..tries).step_by(BATCH).find_map(|start| {
                let batch = par::map_range(BATCH.min(tries - start), |n| {
                    self.try_all(left, need, *size, Taste::nth(start + n))
                });
                batch.into_iter().flatten().next()
            })
        };
        match (policy.fixed, policy.shape) {
            (Some(size), _) => first_fit(&size),
            (None, Shape::Free | Shape::Square) => free::smallest(self, policy, left),
            (None, Shape::Pow2 | Shape::Pow2Square) => policy.pow2_pages().iter().find_map(first_fit),
        }
    }

    /// Back from cells to boxes: every put takes the next member of its class.
    pub(super) fn layout(&self, pages: &[Filled]) -> Layout {
        let mut next = vec![0; self.classes.len()];
        let nowhere = Place { page: 0, rect: Rect::new(0, 0, 0, 0), turned: false };
        let mut places = vec![nowhere; self.items.len()];
        let inset = self.spacing.margin + self.spacing.extrude;
        for (page, filled) in pages.iter().enumerate() {
            for put in &filled.puts {
                let item = self.classes[put.class].members[next[put.class]];
                next[put.class] += 1;
                let size = self.items[item].size.stored(put.turned);
                places[item] = Place { page, rect: Rect::at(put.x + inset, put.y + inset, size), turned: put.turned };
            }
        }
        Layout { pages: pages.iter().map(|p| p.size).collect(), places }
    }

    fn counts(&self, filled: &Filled) -> Vec<u32> {
        let mut counts = vec![0; self.classes.len()];
        filled.puts.iter().for_each(|p| counts[p.class] += 1);
        counts
    }
}

/// Splits the cells over as many pages as the policy wants.
pub(super) fn split(cells: &Cells<'_>, policy: &PagePolicy) -> Result<Vec<Filled>, LayoutError> {
    let mut pages = fewest(cells, policy, cells.all());
    if policy.prefer == Prefer::Bytes && policy.count.is_none() {
        spend_a_page(cells, policy, &mut pages);
    }
    let needed = pages.len();
    if let Some(asked) = policy.count.filter(|&n| n != needed && needed > 0) {
        while pages.len() < asked && part_fullest(cells, policy, &mut pages) {}
        if pages.len() != asked {
            return Err(LayoutError::PageCount { asked, needed });
        }
    }
    Ok(pages)
}

/// Full pages of the largest size, and a last one as small as its content allows.
fn fewest(cells: &Cells<'_>, policy: &PagePolicy, mut left: Vec<u32>) -> Vec<Filled> {
    let mut pages = Vec::new();
    while left.iter().any(|&n| n > 0) {
        if let Some(last) = cells.smallest(policy, &left) {
            pages.push(last);
            break;
        }
        // The largest pages by area; where sprites fit only a longer one, that one takes its turn.
        let filled = policy.largest_pages().into_iter().find_map(|size| cells.fill_most(&mut left, size));
        let Some(filled) = filled else { break };
        pages.push(cells.tight(policy, &filled));
    }
    pages
}

/// Parts the last page in two where that saves a tenth of all bytes. Only power-of-two sides can waste so much.
fn spend_a_page(cells: &Cells<'_>, policy: &PagePolicy, pages: &mut Vec<Filled>) {
    let Some(last) = pages.pop() else { return };
    let total: u64 = pages.iter().map(|p| p.size.area()).sum::<u64>() + last.size.area();
    let smaller = policy.pow2_pages().into_iter().filter(|s| s.area() < last.size.area());
    let pow2 = matches!(policy.shape, Shape::Pow2 | Shape::Pow2Square) && policy.fixed.is_none();
    let best = smaller
        .filter(|_| pow2)
        .filter_map(|size| {
            let mut left = cells.counts(&last);
            let first = cells.fill_most(&mut left, size)?;
            let second = cells.smallest(policy, &left)?;
            Some([first, second])
        })
        .min_by_key(|two| two[0].size.area() + two[1].size.area());
    let saved = |two: &[Filled; 2]| last.size.area().saturating_sub(two[0].size.area() + two[1].size.area());
    match best {
        Some(mut two) if saved(&two) * 10 >= total => {
            two.sort_by_key(|p| std::cmp::Reverse(p.size.area()));
            pages.extend(two);
        }
        _ => pages.push(last),
    }
}

/// Parts the page with the most cells in two; `false` if every page has but one.
fn part_fullest(cells: &Cells<'_>, policy: &PagePolicy, pages: &mut Vec<Filled>) -> bool {
    let Some(at) = (0..pages.len()).max_by_key(|&i| (pages[i].puts.len(), pages.len() - i)) else {
        return false;
    };
    let puts = pages[at].puts.len();
    if puts < 2 {
        return false;
    }
    let halves = [&pages[at].puts[..puts / 2], &pages[at].puts[puts / 2..]].map(|half| {
        let part = Filled { size: pages[at].size, puts: half.to_vec() };
        let smallest = cells.smallest(policy, &cells.counts(&part));
        smallest.unwrap_or(part)
    });
    pages.splice(at..=at, halves);
    true
}
