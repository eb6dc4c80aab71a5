//! The searches' own structures compared with plain second computations: arrays of heights, grids of pixels, exhaustive
//! checks.

use super::cells::{Cells, Filled};
use super::descent::Descent;
use super::fill::{Orientation, Weights};
use super::holes::Holes;
use super::policy::{PagePolicy, Shape};
use super::request::{Item, LayoutRequest};
use super::rng::Rng;
use super::sampler::Sampler;
use super::skyline::{Gap, Skyline};
use super::spacing::Spacing;
use super::stock::Stock;
use crate::geometry::{Rect, Size};
use proptest::prelude::*;

fn sizes(longest: u32, count: impl Into<prop::collection::SizeRange>) -> impl Strategy<Value = Vec<Size>> {
    prop::collection::vec((1..longest, 1..longest).prop_map(|(w, h)| Size::new(w, h)), count)
}

/// The lowest gap in an array of heights: left edge, height, width, and how far its walls rise.
fn lowest_of(heights: &[u32], top: u32) -> Option<(u32, u32, u32, u32, u32)> {
    let low = *heights.iter().min()?;
    let from = heights.iter().position(|&h| h == low)?;
    let width = heights[from..].iter().take_while(|h| **h == low).count();
    let wall = |at: Option<usize>| at.and_then(|at| heights.get(at)).unwrap_or(&top) - low;
    let number = |n: usize| u32::try_from(n).unwrap();
    (low < top).then(|| (number(from), low, number(width), wall(from.checked_sub(1)), wall(Some(from + width))))
}

fn steps_of(heights: &[u32]) -> u64 {
    1 + heights.windows(2).filter(|pair| pair[0] != pair[1]).count() as u64
}

proptest! {
    #[test]
    fn a_skyline_is_an_array_of_heights(cells in sizes(12, 0..60), w in 1u32..40, top in 1u32..60) {
        let mut skyline = Skyline::new(Size::new(w, top));
        let mut heights = vec![0; w as usize];
        for cell in cells {
            let gap = skyline.lowest();
            let seen = gap.map(|g: Gap| (g.x, g.y, g.w, g.left, g.right));
            prop_assert_eq!(seen, lowest_of(&heights, top));
            let Some(gap) = gap else { break };
            let columns = gap.x as usize..(gap.x + gap.w) as usize;
            if cell.w <= gap.w && cell.h <= gap.room {
                let segments = skyline.segments_with(gap, cell);
                let x = skyline.put(gap, cell);
                prop_assert!(x == gap.x || x + cell.w == gap.x + gap.w, "beside a wall");
                heights[x as usize..(x + cell.w) as usize].fill(gap.y + cell.h);
                prop_assert_eq!(segments, steps_of(&heights));
            } else {
                let rise = gap.left.min(gap.right);
                prop_assert_eq!(skyline.give_up(gap), u64::from(rise) * u64::from(gap.w));
                heights[columns].fill(gap.y + rise);
            }
        }
    }

    #[test]
    fn the_first_choice_is_the_best_of_all(
        all in sizes(40, 1..200),
        turning: bool,
        taken in prop::collection::vec(any::<prop::sample::Index>(), 0..150),
        (w, left, right, more) in (1u32..90, 1u32..40, 1u32..40, 0u32..20),
        weights in 0usize..1000,
    ) {
        let weights = Weights::nth(weights);
        let mut orientations: Vec<Orientation> =
            all.iter().enumerate().map(|(class, &size)| Orientation { size, class, turned: false }).collect();
        if turning {
            let turned: Vec<Orientation> =
                orientations.iter().map(|l| Orientation { size: l.size.swapped(), turned: true, ..*l }).collect();
            orientations.extend(turned);
        }
        orientations.sort_by_key(|l| (std::cmp::Reverse(l.size), l.class));
        let stock = Stock::new(&orientations, &vec![1; all.len()], weights);
        let mut there = stock.all();
        let mut left_over: Vec<usize> = (0..orientations.len()).collect();
        for index in taken {
            if left_over.is_empty() {
                break;
            }
            let place = left_over[index.index(left_over.len())];
            stock.take(&mut there, place);
            let class = stock.offer(place).orientation.class;
            left_over.retain(|&place| stock.offer(place).orientation.class != class);
        }
        let size = |place: usize| stock.offer(place).orientation.size;
        let narrowest = left_over.iter().map(|&place| size(place).w).min();
        prop_assert_eq!(stock.narrowest(&there), narrowest);
        let Some(narrowest) = narrowest else { return Ok(()) };

        let gap = Gap::for_test(w, left, right, left.max(right) + more);
        let score = |place: usize| {
            let Size { w, h } = size(place);
            weights.of_size(size(place)) + weights.of_fit(gap.w - w, narrowest) + weights.of_walls(gap, h)
        };
        let fitting = left_over.iter().copied().filter(|&place| size(place).fits_in(Size::new(gap.w, gap.room)));
        let chosen: Vec<usize> = stock.choose(&there, gap, narrowest, 4).places().collect();
        prop_assert_eq!(chosen.first().map(|&place| score(place)), fitting.map(score).max());
        prop_assert!(chosen.iter().all(|place| left_over.contains(place)));
    }

    #[test]
    fn holes_are_all_the_largest_free_rectangles(
        cells in prop::collection::vec((0u32..12, 0u32..12, 1u32..7, 1u32..7), 0..9),
    ) {
        const SIDE: u32 = 13;
        let mut holes = Holes::whole(Size::new(SIDE, SIDE));
        let cells: Vec<Rect> = cells.into_iter().map(|(x, y, w, h)| Rect::new(x, y, w, h)).collect();
        cells.iter().for_each(|cell| holes.take(*cell));
        let free = |r: Rect| r.inside(Size::new(SIDE, SIDE)) && !cells.iter().any(|cell| super::holes::overlap(*cell, r));
        let mut largest = Vec::new();
        for (x, y) in (0..SIDE).flat_map(|x| (0..SIDE).map(move |y| (x, y))) {
            for (w, h) in (1..=SIDE - x).flat_map(|w| (1..=SIDE - y).map(move |h| (w, h))) {
                let wider = [(x, y, w + 1, h), (x, y, w, h + 1)].map(|(x, y, w, h)| Rect::new(x, y, w, h));
                let left = x.checked_sub(1).map(|x| Rect::new(x, y, w + 1, h));
                let up = y.checked_sub(1).map(|y| Rect::new(x, y, w, h + 1));
                let grows = wider.into_iter().chain(left).chain(up).any(free);
                if free(Rect::new(x, y, w, h)) && !grows {
                    largest.push(Rect::new(x, y, w, h));
                }
            }
        }
        let mut found = holes.rects().to_vec();
        found.sort_unstable();
        largest.sort_unstable();
        prop_assert_eq!(found, largest);
    }

    #[test]
    fn no_page_is_smaller_than_its_bound(
        area in 1u64..900, gutter in 0u32..5, margin in 0u32..4, align in 1u32..4, aspect in 1f64..4.0,
    ) {
        let spacing = Spacing { gutter, margin, extrude: 0, align };
        let policy = PagePolicy { aspect, shape: super::Shape::Free, ..PagePolicy::default() };
        let bound = spacing.least_page(area, aspect);
        for page in (1..60).flat_map(|w| (1..60).map(move |h| Size::new(w, h))).filter(|&p| policy.allows(p)) {
            let holds = spacing.room(page).is_some_and(|room| room.area() >= area);
            prop_assert!(!holds || page.area() >= bound, "{page} holds {area}, the bound is {bound}");
        }
    }
}

/// With a room smaller than the gutter the formula gave 8 pixels, and pages of a single sprite were called too small.
#[test]
fn a_bound_does_not_grow_again_below_the_gutter() {
    let spacing = Spacing { gutter: 4, align: 2, ..Spacing::default() };
    assert_eq!([1, 4, 9].map(|room| spacing.least_page(room, 1.5)), [1, 1, 1]);
    assert!(spacing.least_page(10_000, 1.5) > 9_000);
}

#[test]
fn dice_fall_on_every_side_and_alike_for_everyone() {
    let mut rng = Rng::new(7);
    let thrown: Vec<u32> = (0..600).map(|_| rng.below(6)).collect();
    for side in 0..6 {
        let times = thrown.iter().filter(|&&n| n == side).count();
        assert!((60..140).contains(&times), "{side} came {times} times");
    }
    // Layouts depend on these numbers, so they must not change.
    assert_eq!(thrown[..8], [2, 5, 2, 1, 4, 3, 3, 5]);
}

/// The optimum for the squares of sides 1 to 10 is 405 pixels: 15 x 27 (R. Korf, 2003).
#[test]
fn a_sweep_comes_to_the_smallest_page_of_few_cells() {
    let items: Vec<Item> = (1..=10).map(|side| Item::new(Size::new(side, side))).collect();
    let policy = PagePolicy { shape: Shape::Free, ..PagePolicy::default() };
    let request = LayoutRequest::new(&items, Spacing::default(), &policy);
    let cells = Cells::new(&request, &policy, &(0..10).collect::<Vec<_>>()).unwrap();
    let left = cells.all();
    let need = cells.need(&left);
    // To begin with, a page that is known to hold them with room to spare.
    let best = Filled::new(Size::new(20, 23), Vec::new());
    let bound = policy.least_area(&cells, need);
    let sampler = Sampler::new(need.load(), 1);
    let mut search =
        Descent { cells: &cells, policy: &policy, left: &left, need, best, bound, sampler, work: 0, done: 0 };
    assert!(search.by_sweep(20_000_000));
    assert_eq!(search.best.size.area(), 405);
    assert!(!search.by_sweep(1000), "too few states to find anything");
}
