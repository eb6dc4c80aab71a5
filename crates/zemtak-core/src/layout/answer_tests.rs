//! What is answered besides places: the faults of a layout, why pages cannot be, what else could be tried, how far a search is.

use super::*;
use crate::geometry::{Rect, Size};
use std::sync::Mutex;

fn size(w: u32, h: u32) -> Size {
    Size::new(w, h)
}

/// A layout by hand on two pages that are shared and one that is not, with every rule that it follows by a pixel.
fn by_hand() -> ([Item; 5], Spacing, PagePolicy, Layout) {
    let item = |w, h| Item::new(size(w, h));
    let of_group = |w, h| Item { group: Some(1), ..item(w, h) };
    let items = [item(10, 6), item(8, 8), of_group(4, 4), of_group(5, 5), Item { alone: true, ..item(7, 7) }];
    let spacing = Spacing { gutter: 2, margin: 2, extrude: 1, align: 2 };
    let policy = PagePolicy { max: size(64, 64), ..PagePolicy::default() };
    let place = |page, x, y, item: Item| Place { page, rect: Rect::at(x, y, item.size), turned: false };
    let at = [(0, 3, 3), (0, 53, 3), (1, 3, 55), (1, 11, 55), (2, 0, 0)];
    let places = at.iter().zip(items).map(|(&(page, x, y), item)| place(page, x, y, item)).collect();
    (items, spacing, policy, Layout { pages: vec![size(64, 64), size(64, 64), size(7, 7)], places })
}

#[test]
fn every_fault_of_a_layout_is_found() {
    use LayoutFault::{Count, Empty, Misfit, Moved, NotAlone, Outside, Page, Parted, TooNear};
    type Change = fn(&mut Layout);
    let (items, spacing, policy, layout) = by_hand();
    let request = LayoutRequest::new(&items, spacing, &policy);
    assert_eq!(check(&request, &layout), []);
    let changes: &[(Change, &[LayoutFault])] = &[
        (|l| l.places.truncate(4), &[Count]),
        (|l| l.pages.clear(), &[Count]),
        (|l| l.places[1].page = 9, &[Misfit(1)]),
        (|l| l.places[0].rect.w = 11, &[Misfit(0)]),
        (|l| l.places[1].turned = true, &[Misfit(1)]),
        // To the left, above, to the right and below: beyond the margin by two pixels, as cells begin at even ones.
        (|l| l.places[0].rect.x = 1, &[Outside(0)]),
        (|l| l.places[0].rect.y = 1, &[Outside(0)]),
        (|l| l.places[1].rect.x = 55, &[Outside(1)]),
        (|l| l.places[3].rect.y = 57, &[Outside(3)]),
        (|l| l.places[0].rect.x = 0, &[Outside(0)]),
        (|l| l.places[0].rect.x = 4, &[Outside(0)]),
        (|l| l.places[0].rect.y = 4, &[Outside(0)]),
        (|l| l.places[1].rect.x = 15, &[TooNear(0, 1)]),
        (|l| l.pages[1].w = 66, &[Page(1)]),
        (|l| l.pages[1].h = 128, &[Page(1)]),
        (|l| (l.places[3].page, l.places[3].rect.y) = (0, 15), &[Parted(2, 3)]),
        (|l| l.places[4].rect.x = 1, &[NotAlone(4)]),
        (|l| l.pages[2].w = 8, &[NotAlone(4)]),
        (|l| l.places[0] = Place { page: 2, ..l.places[0] }, &[Outside(0)]),
        (
            |l| (l.places[4].page, l.pages[2]) = (0, Size::new(16, 16)),
            &[NotAlone(0), NotAlone(1), NotAlone(4), Empty(2)],
        ),
        (|l| l.pages.push(Size::new(64, 64)), &[Empty(3)]),
    ];
    for (n, (change, faults)) in changes.iter().enumerate() {
        let mut changed = layout.clone();
        change(&mut changed);
        assert_eq!(check(&request, &changed), *faults, "change {n}");
    }
    let counted = PagePolicy { count: Some(2), ..policy.clone() };
    assert_eq!(check(&LayoutRequest { policy: &counted, ..request }, &layout), []);
    let counted = PagePolicy { count: Some(3), ..policy.clone() };
    assert_eq!(check(&LayoutRequest { policy: &counted, ..request }, &layout), [Count]);
    let mut unlike = layout.clone();
    unlike.pages[1].w = 32;
    assert_eq!(check(&request, &unlike), []);
    let same = PagePolicy { same_size: true, ..policy.clone() };
    assert_eq!(check(&LayoutRequest { policy: &same, ..request }, &unlike), [Page(1)]);
    let mut places: Vec<Option<Place>> = layout.places.iter().copied().map(Some).collect();
    places.iter_mut().flatten().for_each(|place| place.rect.x += 2);
    // Groups may move together, and what is alone has no choice.
    let kept = Kept { pages: layout.pages.clone(), places };
    assert_eq!(check(&LayoutRequest { kept: Some(&kept), ..request }, &layout), [Moved(0), Moved(1)]);
}

#[test]
fn options_that_allow_no_page_say_which_and_why() {
    type Change = fn(&mut PagePolicy, &mut Spacing);
    let changes: &[(Change, &str)] = &[
        (|p, _| p.max.w = 0, "sides must be 1 to 1048576, not 0 x 4096"),
        (|p, _| p.max.h = 0, "sides must be 1 to 1048576, not 4096 x 0"),
        (|p, _| p.max.w = (1 << 20) + 1, "sides must be 1 to 1048576, not 1048577 x 4096"),
        (|p, _| p.fixed = Some(Size::new(5, 0)), "sides must be 1 to 1048576, not 5 x 0"),
        (|p, _| p.step = 0, "the step must be at least 1"),
        (|p, _| p.aspect = 0.5, "the aspect must be at least 1, not 0.5"),
        (|p, _| p.aspect = f64::INFINITY, "the aspect must be at least 1, not inf"),
        (|p, _| p.count = Some(0), "the page count must be at least 1"),
        (|_, s| s.gutter = (1 << 20) + 1, "gutter, margin and extrusion go up to 1048576"),
        (|_, s| s.margin = (1 << 20) + 1, "gutter, margin and extrusion go up to 1048576"),
        (|_, s| s.extrude = (1 << 20) + 1, "gutter, margin and extrusion go up to 1048576"),
        (|_, s| s.align = 0, "cells cannot begin at multiples of 0"),
        (|_, s| s.align = (1 << 20) + 1, "cells cannot begin at multiples of 1048577"),
        (
            |p, s| (p.fixed, s.align) = (Some(Size::new(64, 66)), 4),
            "64 x 66 is not a multiple of 4, where cells must begin",
        ),
        (
            |p, s| (p.fixed, s.align) = (Some(Size::new(66, 64)), 4),
            "66 x 64 is not a multiple of 4, where cells must begin",
        ),
        (
            |p, _| (p.max, p.step) = (Size::new(60, 60), 64),
            "no side up to 60 x 60 is of that shape and a multiple of 64",
        ),
    ];
    for (change, why) in changes {
        let (mut policy, mut spacing) =
            (PagePolicy { max: size(4096, 4096), ..PagePolicy::default() }, Spacing::default());
        change(&mut policy, &mut spacing);
        let refused = lay_out(&LayoutRequest::new(&[Item::new(size(1, 1))], spacing, &policy)).unwrap_err();
        assert_eq!(refused, LayoutError::NoPage((*why).into()));
    }
}

/// Only what would be another layout is tried.
#[test]
fn what_else_could_be_tried_depends_on_what_was_chosen() {
    let tall = [Item::new(size(10, 6)), Item::new(size(8, 8)), Item { alone: true, ..Item::new(size(30, 9)) }];
    let square = [Item::new(size(8, 8)), tall[2]];
    let turning = [Item { may_turn: true, ..tall[0] }, tall[1]];
    let (pow2, free) = (PagePolicy::default(), PagePolicy { shape: Shape::Free, aspect: 3.0, ..PagePolicy::default() });
    let fixed = PagePolicy { fixed: Some(size(64, 64)), ..free.clone() };
    let (wide, tight) = (Spacing { gutter: 5, ..Spacing::default() }, Spacing { gutter: 0, ..Spacing::default() });
    let (dense, grid) = (Arrangement::Dense, Arrangement::Grid);
    use Change::{Aspect, FreeShape, Gutter, Pages, Turning};
    let tried = |items: &[Item], spacing, policy: &PagePolicy, arrangement| {
        let request = LayoutRequest { arrangement, ..LayoutRequest::new(items, spacing, policy) };
        let layout = lay_out(&request).unwrap();
        let why = why(&request, &layout).unwrap().unwrap();
        // Pages of what is alone do not count.
        assert_eq!(why.now, Outlook { pages: 1, area: layout.pages[0].area() });
        why.tries.iter().map(|trial| trial.change).collect::<Vec<_>>()
    };
    assert_eq!(tried(&tall, wide, &pow2, dense), [Turning, Gutter(2), FreeShape, Pages(2)]);
    assert_eq!(tried(&tall, wide, &pow2, grid), [Gutter(2), FreeShape, Pages(2)]);
    assert_eq!(tried(&turning, tight, &pow2, dense), [FreeShape, Pages(2)]);
    assert_eq!(tried(&square, tight, &free, dense), [Aspect(6.0)]);
    assert_eq!(tried(&square, tight, &fixed, dense), [FreeShape]);
    let alone = LayoutRequest::new(&tall[2..], wide, &pow2);
    assert_eq!(why(&alone, &lay_out(&alone).unwrap()), Ok(None));
}

#[test]
fn a_search_tells_how_far_it_is_and_how_full_its_page() {
    let items: Vec<Item> = (0..30).map(|i| Item::new(size(5 + i * 7 % 23, 4 + i * 11 % 19))).collect();
    let policy = PagePolicy { shape: Shape::Free, ..PagePolicy::default() };
    let told = Mutex::new(Vec::new());
    let progress = |now: SearchProgress| told.lock().unwrap().push(now);
    let request = LayoutRequest {
        effort: Effort::Normal,
        progress: Some(ProgressSink::new(&progress)),
        ..LayoutRequest::new(&items, Spacing::default(), &policy)
    };
    let layout = lay_out(&request).unwrap();
    let told = told.into_inner().unwrap();
    assert!(told.iter().all(|now| (0.0..=1.0).contains(&now.done)), "{told:?}");
    let filled: Vec<f64> = told.iter().filter_map(|now| now.filled).collect();
    // Pages only get smaller; at the end it is that of the layout.
    assert!(filled.is_sorted() && filled.len() > 5, "{filled:?}");
    let cells: u64 = items.iter().map(|item| item.size.area()).sum();
    let boxes_fill = cells as f64 / layout.area() as f64;
    assert!((boxes_fill - filled.last().unwrap()).abs() < 1e-9, "{boxes_fill} {filled:?}");
    // It comes some way in small steps.
    let far = told.iter().map(|now| now.done).fold(0.0, f64::max);
    assert!(far > 0.5 && told.windows(2).all(|w| w[1].done <= w[0].done || w[1].done - w[0].done < 0.5), "{told:?}");
}
