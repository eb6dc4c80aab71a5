//! Pages on which boxes that look alike lie side by side.
//!
//! Each page first takes blocks (see [`super::blocks`]), and then, in the gaps between them, single boxes from the
//! remaining blocks. The last page is as small as one on which every box is placed on its own.

use super::blocks::{Blocks, Limits};
use super::cells::Cells;
use super::error::LayoutError;
use super::holes::Holes;
use super::likeness::within_reach;
use super::pages::Search;
use super::policy::{PagePolicy, Prefer, largest_of};
use super::request::{Item, Layout, LayoutRequest, Place};
use super::singly::singly;
use crate::geometry::{Rect, Size};
use std::cmp::Reverse;

/// How much more area, in thousandths, a layout with families side by side may take.
const DEARER: u64 = 5;

/// Sizes of blocks, and how much they may waste. The first is taken at once if no layout could be much smaller;
/// otherwise, of those that cost no page and almost no area, the one with the most pixels within reach of what they
/// look like.
const BLOCKS: [Coarseness; 4] = [
    Coarseness { part: 4, waste: 0 },
    Coarseness { part: 16, waste: 20 },
    Coarseness { part: 64, waste: 20 },
    Coarseness { part: 256, waste: 0 },
];

/// Blocks placed between the others take at most this fraction of a page.
const SMALL: u64 = 64;

/// Limits for blocks.
#[derive(Debug, Clone, Copy)]
struct Coarseness {
    /// A block takes at most this fraction of a page.
    part: u64,
    /// How much larger a block may be than its cells together, in thousandths.
    waste: u64,
}

/// The items of `which`, with families side by side if that costs no page and almost no area. The searches for finer
/// blocks together do the work of one.
///
/// # Errors
/// As for a layout in which every box is placed on its own.
pub(super) fn lay_out(
    request: &LayoutRequest<'_>,
    policy: &PagePolicy,
    which: &[usize],
) -> Result<Layout, LayoutError> {
    let grouped = which.iter().any(|&i| request.items[i].group.is_some());
    if grouped || which.iter().all(|&i| request.items[i].family.is_none()) {
        return singly(request, policy, which);
    }
    let cells = Cells::new(request, policy, which)?;
    if policy.more_pages(&cells).is_some() {
        return on_more_pages(request, policy, which);
    }
    let Some(alike) = side_by_side(request, policy, which, BLOCKS[0], 1) else { return singly(request, policy, which) };
    if is_counted(policy, &alike) && cannot_be_much_less(policy, &cells, &alike) {
        return Ok(alike);
    }
    let singly = singly(request, policy, which)?;
    let of_blocks = |policy, blocks: &Coarseness| side_by_side(request, policy, which, *blocks, BLOCKS.len());
    let finer = BLOCKS[1..].iter().filter_map(|blocks| of_blocks(policy, blocks));
    // One more page was worth it: blocks go on pages as small as those.
    let smaller = (singly.pages.len() > alike.pages.len()).then(|| as_small(policy, &singly));
    let smaller = smaller.filter(|smaller| smaller.largest_pages() != policy.largest_pages());
    let on_smaller = |policy| BLOCKS.iter().filter_map(move |blocks| of_blocks(policy, blocks));
    let others = std::iter::once(alike).chain(smaller.iter().flat_map(on_smaller)).chain(finer);
    Ok(most_alike(request, policy, which, others, singly))
}

/// On more pages than may be needed. Blocks would go on as few as they can: they get pages no larger than those of a
/// layout in which every box is placed on its own. All their searches together do the work of one.
fn on_more_pages(request: &LayoutRequest<'_>, policy: &PagePolicy, which: &[usize]) -> Result<Layout, LayoutError> {
    let singly = singly(request, policy, which)?;
    let smaller = as_small(policy, &singly);
    let of_blocks = BLOCKS.iter().filter_map(|&blocks| side_by_side(request, &smaller, which, blocks, BLOCKS.len()));
    Ok(most_alike(request, policy, which, of_blocks, singly))
}

/// The policy with pages no larger than those of a layout.
fn as_small(policy: &PagePolicy, layout: &Layout) -> PagePolicy {
    PagePolicy { max: largest_of(layout.pages.iter().copied()).unwrap_or(policy.max), ..policy.clone() }
}

/// Of those that cost no page and almost no area more than `singly`, the one with the most within reach.
fn most_alike(
    request: &LayoutRequest<'_>,
    policy: &PagePolicy,
    which: &[usize],
    others: impl Iterator<Item = Layout>,
    singly: Layout,
) -> Layout {
    let (pages, area) = (singly.pages.len(), singly.area());
    let no_dearer = |layout: &Layout| layout.pages.len() <= pages && layout.area() * 1000 <= area * (1000 + DEARER);
    let cheap = others.filter(|layout| is_counted(policy, layout) && no_dearer(layout));
    furthest(cheap, singly, |layout| within_reach(layout, request.items, which))
}

/// Whether it has as many pages as are asked for.
fn is_counted(policy: &PagePolicy, layout: &Layout) -> bool {
    policy.count.is_none_or(|count| count == layout.pages.len())
}

/// The one with the most within reach; the first of equal ones, or `plain` if none exceeds it.
fn furthest<T>(others: impl Iterator<Item = T>, plain: T, reach: impl Fn(&T) -> u64) -> T {
    let measured = |one: T| (reach(&one), one);
    let further = |best: (u64, T), other: (u64, T)| if other.0 > best.0 { other } else { best };
    others.map(measured).fold(measured(plain), further).1
}

/// Whether no layout can have fewer pages or much less area.
fn cannot_be_much_less(policy: &PagePolicy, cells: &Cells<'_>, layout: &Layout) -> bool {
    // The last page is no larger than one on which every box is placed on its own.
    if layout.pages.len() == 1 && policy.prefer == Prefer::Pages {
        return true;
    }
    let need = cells.need(&cells.all());
    layout.pages.len() <= policy.least_pages(cells, need)
        && layout.area() * 1000 <= policy.least_of_all(cells, need) * (1000 + DEARER)
}

/// The items of `which` in such blocks, where the work of a search is shared among so many. `None` if some fit on no page.
fn side_by_side(
    request: &LayoutRequest<'_>,
    policy: &PagePolicy,
    which: &[usize],
    coarseness: Coarseness,
    share: usize,
) -> Option<Layout> {
    let mut layout = Layout { pages: Vec::new(), places: vec![Place::default(); request.items.len()] };
    let largest = policy.largest();
    let mut left = which.to_vec();
    let mut order = Blocks::order(request, which);
    let mut gone = vec![false; request.items.len()];
    while !left.is_empty() {
        let filling = Filling { request, policy, largest, coarseness, share, left: &left, order: &order };
        let (size, placed) = filling.last_page().or_else(|| filling.full_page())?;
        placed.iter().for_each(|(item, _)| gone[*item] = true);
        left.retain(|&item| !gone[item]);
        order.retain(|&item| !gone[item]);
        placed.iter().for_each(|(item, place)| layout.places[*item] = place.on_later_page(layout.pages.len()));
        layout.pages.push(size);
    }
    Some(layout)
}

/// A page's size and what lies on it.
type Page = (Size, Vec<(usize, Place)>);

/// The filling of one page.
struct Filling<'a> {
    request: &'a LayoutRequest<'a>,
    policy: &'a PagePolicy,
    /// The largest page that the policy allows.
    largest: Size,
    /// What blocks may be.
    coarseness: Coarseness,
    /// Among how many searches the work of one is shared.
    share: usize,
    /// What has not been placed yet.
    left: &'a [usize],
    /// The same in the order in which blocks are joined.
    order: &'a [usize],
}

impl Filling<'_> {
    /// A page for everything that is left, no larger than one on which every box is placed on its own.
    fn last_page(&self) -> Option<Page> {
        let area: u64 = self.left.iter().map(|&i| self.request.items[i].size.area()).sum();
        if area > self.largest.area() {
            return None;
        }
        let cells = Cells::new(self.request, self.policy, self.left).ok()?;
        let mut singly = None;
        for effort in self.request.effort.stages() {
            singly =
                Search { cells: &cells, policy: self.policy, effort, share: self.share }.smallest(&cells.all(), singly);
        }
        let singly = singly?;
        let size = singly.size;
        let whole = |page: &Page| page.1.len() == self.left.len();
        let finer = BLOCKS.into_iter().filter(|blocks| blocks.part >= self.coarseness.part);
        let joined = finer.filter_map(|coarseness| Self { coarseness, ..*self }.filled(size)).filter(whole);
        let single = (size, cells.layout(&[singly]));
        Some(furthest(joined, single, |page| within_reach(&self.layout_of(page), self.request.items, self.left)))
    }

    /// A layout of one page.
    fn layout_of(&self, (size, placed): &Page) -> Layout {
        let mut layout = Layout { pages: vec![*size], places: vec![Place::default(); self.request.items.len()] };
        placed.iter().for_each(|(item, place)| layout.places[*item] = *place);
        layout
    }

    /// One of the largest pages, as full as possible.
    fn full_page(&self) -> Option<Page> {
        self.policy.largest_pages().into_iter().find_map(|size| self.filled(size)).map(|page| self.tightened(page))
    }

    /// A page of `size` with blocks and whatever fits between them; `None` if nothing fits.
    fn filled(&self, size: Size) -> Option<Page> {
        let room = self.request.spacing.room(size)?;
        let ordered = self.order.iter().copied();
        let blocks = Blocks::join(self.request, self.limits(room, self.coarseness.part), ordered);
        let of_blocks = LayoutRequest { items: &blocks.items, ..*self.request };
        let all: Vec<usize> = (0..blocks.items.len()).collect();
        let cells = Cells::new(&of_blocks, self.policy, &all).ok()?;
        let filled = cells.fill_most(&mut cells.all(), size, self.request.effort)?;
        let mut placed = blocks.members_of(cells.layout(&[filled]), self.request.items);
        self.fill_holes(room, &mut placed);
        Some((size, placed))
    }

    fn limits(&self, room: Size, part: u64) -> Limits {
        Limits { page: self.largest, widest: room.w, area: room.area() / part, waste: self.coarseness.waste }
    }

    /// Puts small blocks into the gaps, and then single boxes.
    fn fill_holes(&self, room: Size, placed: &mut Vec<(usize, Place)>) {
        let mut holes = self.holes(room, placed);
        let small = self.limits(room, self.coarseness.part.max(SMALL));
        let rest = self.rest_of(self.order, placed);
        let blocks = Blocks::join(self.request, small, rest.into_iter()).without_single_ones();
        self.add_to(placed, &mut holes, &blocks);
        let cell_of = self.request.spacing.cells(self.largest);
        let fits = |&i: &usize| cell_of(self.request.items[i].size).is_some_and(|cell| holes.hold(cell));
        let rest = self.rest_of(self.left, placed).into_iter().filter(fits);
        let singles = Blocks::of_one(self.request, rest);
        self.add_to(placed, &mut holes, &singles);
    }

    /// Those of the items that are not placed.
    fn rest_of(&self, which: &[usize], placed: &[(usize, Place)]) -> Vec<usize> {
        let mut there = vec![false; self.request.items.len()];
        placed.iter().for_each(|(item, _)| there[*item] = true);
        which.iter().copied().filter(|&item| !there[item]).collect()
    }

    /// Adds those blocks that find a place.
    fn add_to(&self, placed: &mut Vec<(usize, Place)>, holes: &mut Holes, blocks: &Blocks) {
        placed.extend(blocks.members_of(self.place_in(holes, &blocks.items), self.request.items));
    }

    /// The free space beside what is placed.
    fn holes(&self, room: Size, placed: &[(usize, Place)]) -> Holes {
        let mut holes = Holes::whole(room);
        let cell_of = self.request.spacing.cells(self.largest);
        for (_, place) in placed {
            let Some(cell) = cell_of(place.rect.size()) else { continue };
            holes.take(Rect::at(place.rect.x - self.inset(), place.rect.y - self.inset(), cell));
        }
        holes
    }

    /// How far inside its cell a box lies.
    fn inset(&self) -> u32 {
        self.request.spacing.lead() + self.request.spacing.extrude
    }

    /// Those of the items that find a place, the largest first.
    fn place_in(&self, holes: &mut Holes, items: &[Item]) -> Vec<(usize, Place)> {
        let cell_of = self.request.spacing.cells(self.largest);
        let cell = |i: usize| cell_of(items[i].size).filter(|&cell| holes.hold(cell));
        let mut order: Vec<(usize, Size)> = (0..items.len()).filter_map(|i| Some((i, cell(i)?))).collect();
        order.sort_by_key(|(i, _)| Reverse(items[*i].size.area()));
        // If one size found no room, a larger one will not either.
        let mut refused: Vec<Size> = Vec::new();
        let mut found = Vec::new();
        for (i, cell) in order {
            if refused.iter().any(|refused| refused.fits_in(cell)) {
                continue;
            }
            let Some(at) = holes.best(cell) else {
                refused.retain(|r| !cell.fits_in(*r));
                refused.push(cell);
                continue;
            };
            holes.take(at);
            let rect = Rect::at(at.x + self.inset(), at.y + self.inset(), items[i].size);
            found.push((i, Place { page: 0, rect, turned: false }));
        }
        found
    }

    /// The smallest allowed page round what lies on it.
    fn tightened(&self, (size, placed): Page) -> Page {
        let ring = self.request.spacing.extrude;
        let far = |rect: Rect| (rect.x + rect.w + ring, rect.y + rect.h + ring);
        let (w, h) = placed.iter().map(|(_, p)| far(p.rect)).fold((0, 0), |a, b| (a.0.max(b.0), a.1.max(b.1)));
        let margin = self.request.spacing.margin;
        let smaller = self.policy.smallest_round(Size::new(w + margin, h + margin));
        let smaller = Some(smaller).filter(|s| self.policy.allows(*s) && s.area() < size.area());
        (smaller.unwrap_or(size), placed)
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Family, Item, Shape, Spacing, check, lay_out};
    use super::*;
    use proptest::prelude::*;

    /// Frames of animations, with sides as in real art: many of a clip alike, some slightly smaller, a few large.
    fn frames() -> impl Strategy<Value = Vec<Item>> {
        let clip = (8u32..90, 8u32..120, 1usize..14, prop::collection::vec(0u32..6, 14), 0usize..9);
        let clip = clip.prop_map(|(w, h, count, less, large)| {
            let grown = if large == 0 { 3 } else { 1 };
            (0..count).map(|i| Size::new(w * grown - less[i], h * grown - less[(i * 5) % 14])).collect::<Vec<_>>()
        });
        prop::collection::vec(clip, 1..40).prop_map(|clips| {
            // After trimming, some begin a few rows further down.
            let of_clip = |(number, sizes): (usize, Vec<Size>)| {
                let family = move |size: Size| Family { number, canvas: Size::new(400, 400), above: size.w % 4 };
                sizes.into_iter().map(move |size| Item { family: Some(family(size)), ..Item::new(size) })
            };
            clips.into_iter().enumerate().flat_map(of_clip).collect()
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn what_looks_alike_takes_no_page_and_next_to_no_area_more(
            items in frames(),
            shape in prop_oneof![Just(Shape::Free), Just(Shape::Pow2), Just(Shape::Square)],
            side in prop_oneof![Just(512u32), Just(1024)],
            prefer in prop_oneof![2 => Just(Prefer::Pages), 1 => Just(Prefer::Bytes)],
            extrude in 0u32..3,
            align in prop_oneof![2 => Just(1u32), 1 => Just(4), 1 => Just(8)],
        ) {
            let policy = PagePolicy { max: Size::new(side, side), shape, prefer, ..PagePolicy::default() };
            let spacing = Spacing { gutter: 2, extrude, align, ..Spacing::default() };
            let strangers: Vec<Item> = items.iter().map(|item| Item { family: None, ..*item }).collect();
            let alike = lay_out(&LayoutRequest::new(&items, spacing, &policy)).unwrap();
            let singly = lay_out(&LayoutRequest::new(&strangers, spacing, &policy)).unwrap();
            prop_assert_eq!(check(&LayoutRequest::new(&items, spacing, &policy), &alike), vec![]);
            prop_assert!(alike.pages.len() <= singly.pages.len());
            prop_assert!(alike.area() * 1000 <= singly.area() * 1005, "{} {}", alike.area(), singly.area());
        }
    }

    /// A game's 3,193 images took one page of 4096 x 4096, half empty, although one more page was to be spent if that
    /// saves a tenth: what would fit on one half and one sixteenth of it went on one page, because nothing on one page
    /// can be smaller.
    #[test]
    fn a_page_more_is_spent_where_it_saves_much_and_still_likes_lie_side_by_side() {
        let item = |i: usize| Item { family: Some(Family::new(i % 3)), ..Item::new(Size::new(30, 40)) };
        let items: Vec<Item> = (0..120).map(item).collect();
        let policy = PagePolicy { max: Size::new(512, 512), prefer: Prefer::Bytes, ..PagePolicy::default() };
        let request = LayoutRequest::new(&items, Spacing::default(), &policy);
        let layout = lay_out(&request).unwrap();
        assert_eq!((layout.pages.len(), layout.pages[0]), (2, Size::new(512, 256)), "{:?}", layout.pages);
        let all: Vec<usize> = (0..items.len()).collect();
        let singly = singly(&request, &policy, &all).unwrap();
        assert!(layout.area() <= singly.area(), "{:?} {:?}", layout.pages, singly.pages);
        let reach = |layout: &Layout| within_reach(layout, &items, &all);
        assert!(reach(&layout) > reach(&singly), "{} {}", reach(&layout), reach(&singly));
    }

    #[test]
    fn the_frames_of_a_clip_lie_side_by_side() {
        // Three clips whose frames have one size, named in turn: placed one by one, none would lie beside its own kind.
        let item = |i: usize| Item { family: Some(Family::new(i % 3)), ..Item::new(Size::new(30, 40)) };
        let items: Vec<Item> = (0..60).map(item).collect();
        let policy = PagePolicy { max: Size::new(512, 512), ..PagePolicy::default() };
        let layout =
            lay_out(&LayoutRequest::new(&items, Spacing { gutter: 2, ..Spacing::default() }, &policy)).unwrap();
        let beside = |a: usize, b: usize| {
            let (a, b) = (layout.places[a].rect, layout.places[b].rect);
            a.y == b.y && a.x + a.w + 2 == b.x
        };
        // All except the ends of blocks.
        let beside = (0..60).filter(|&a| (a % 3..60).step_by(3).any(|b| beside(a, b))).count();
        assert!(beside >= 45, "{beside}");
    }

    #[test]
    fn a_page_number_that_is_asked_for_is_kept() {
        let items: Vec<Item> =
            (0..50).map(|_| Item { family: Some(Family::new(0)), ..Item::new(Size::new(60, 60)) }).collect();
        for count in [1, 2, 3] {
            let policy = PagePolicy { count: Some(count), ..PagePolicy::default() };
            let layout = lay_out(&LayoutRequest::new(&items, Spacing::default(), &policy)).unwrap();
            assert_eq!(layout.pages.len(), count);
        }
    }
}
