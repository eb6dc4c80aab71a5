use super::*;
use proptest::prelude::*;

fn items() -> impl Strategy<Value = Vec<Item>> {
    let item = (1u32..60, 1u32..60, any::<bool>());
    prop::collection::vec(item, 0..70)
        .prop_map(|all| all.into_iter().map(|(w, h, may_turn)| Item { size: Size::new(w, h), may_turn }).collect())
}

fn policies() -> impl Strategy<Value = PagePolicy> {
    let shape = prop_oneof![Just(Shape::Free), Just(Shape::Pow2), Just(Shape::Square), Just(Shape::Pow2Square)];
    let fixed = prop_oneof![4 => Just(None), 1 => (70u32..200, 70u32..200).prop_map(|(w, h)| Some(Size::new(w, h)))];
    let prefer = prop_oneof![Just(Prefer::Pages), Just(Prefer::Bytes)];
    let count = prop_oneof![4 => Just(None), 1 => (1usize..4).prop_map(Some)];
    (shape, 1u32..9, 1f64..4.0, prefer, fixed, count, 70u32..300, 70u32..300).prop_map(
        |(shape, step, aspect, prefer, fixed, count, w, h)| PagePolicy {
            max: Size::new(w, h),
            shape,
            step,
            aspect,
            prefer,
            fixed,
            count,
        },
    )
}

fn spacings() -> impl Strategy<Value = Spacing> {
    (0u32..4, 0u32..4, 0u32..3).prop_map(|(gutter, margin, extrude)| Spacing { gutter, margin, extrude })
}

/// Every pair held against every other: slow, and nothing to get wrong.
fn too_near_by_pairs(cells: &[(usize, Rect)], gutter: u32) -> bool {
    let gap = u64::from(gutter);
    let apart = |a: Rect, b: Rect| {
        a.right() + gap <= u64::from(b.x)
            || b.right() + gap <= u64::from(a.x)
            || a.bottom() + gap <= u64::from(b.y)
            || b.bottom() + gap <= u64::from(a.y)
    };
    cells.iter().enumerate().any(|(i, (_, a))| cells[..i].iter().any(|(_, b)| !apart(*a, *b)))
}

proptest! {
    #[test]
    fn every_layout_holds_and_comes_out_again(items in items(), policy in policies(), spacing in spacings()) {
        match lay_out(&items, spacing, &policy) {
            Ok(layout) => {
                prop_assert_eq!(check(&items, spacing, &policy, &layout), vec![]);
                prop_assert_eq!(lay_out(&items, spacing, &policy), Ok(layout));
            }
            Err(LayoutError::DoNotFit { items: unfit, .. }) => {
                let alone = PagePolicy { count: None, ..policy };
                for (i, item) in items.iter().enumerate() {
                    prop_assert_eq!(lay_out(&[*item], spacing, &alone).is_err(), unfit.contains(&i));
                }
            }
            Err(LayoutError::PageCount { asked, needed }) => {
                prop_assert_eq!(policy.count, Some(asked));
                prop_assert!(needed > asked || items.len() < asked);
            }
            Err(LayoutError::NoPage(_)) => prop_assert!(policy.fixed.is_none()),
        }
    }

    #[test]
    fn the_sweep_finds_what_looking_at_all_pairs_finds(
        cells in prop::collection::vec((0u32..40, 0u32..40, 1u32..9, 1u32..9), 0..14),
        gutter in 0u32..4,
    ) {
        let cells: Vec<_> = cells.into_iter().map(|(x, y, w, h)| Rect::new(x, y, w, h)).enumerate().collect();
        prop_assert_eq!(!check::too_near(&cells, gutter).is_empty(), too_near_by_pairs(&cells, gutter));
    }
}

fn squares(n: u32, side: u32) -> Vec<Item> {
    vec![Item { size: Size::new(side, side), may_turn: false }; n as usize]
}

#[test]
fn no_gutter_is_spent_along_the_edge() {
    // Four squares of 15 with a gutter of 2 need exactly 32 pixels a side.
    let policy = PagePolicy { shape: Shape::Free, ..PagePolicy::default() };
    let tight = Spacing { gutter: 2, margin: 0, extrude: 0 };
    assert_eq!(lay_out(&squares(4, 15), tight, &policy).unwrap().pages, [Size::new(32, 32)]);
    let framed = Spacing { gutter: 2, margin: 3, extrude: 1 };
    assert_eq!(lay_out(&squares(4, 15), framed, &policy).unwrap().pages, [Size::new(42, 42)]);
}

#[test]
fn a_power_of_two_page_is_filled_to_the_last_pixel() {
    let none = Spacing { gutter: 0, margin: 0, extrude: 0 };
    let layout = lay_out(&squares(64, 32), none, &PagePolicy::default()).unwrap();
    assert_eq!(layout.pages, [Size::new(256, 256)]);
}

#[test]
fn several_pages_are_full_but_for_a_small_last_one() {
    let policy = PagePolicy { max: Size::new(256, 256), ..PagePolicy::default() };
    let none = Spacing { gutter: 0, margin: 0, extrude: 0 };
    let layout = lay_out(&squares(64 * 2 + 3, 32), none, &policy).unwrap();
    assert_eq!(layout.pages, [Size::new(256, 256), Size::new(256, 256), Size::new(64, 64)]);
    // Asked for bytes, the three left over go on two pages: 64 x 32 and 32 x 32 instead of 64 x 64, if that is a tenth.
    let bytes = PagePolicy { prefer: Prefer::Bytes, ..policy };
    let three = lay_out(&squares(3, 32), none, &bytes).unwrap();
    assert_eq!(three.pages, [Size::new(64, 32), Size::new(32, 32)]);
}

#[test]
fn all_that_do_not_fit_are_named_together() {
    let mut items = squares(3, 10);
    items[0].size = Size::new(3000, 10);
    items[2].size = Size::new(10, 2047);
    let spacing = Spacing { gutter: 2, margin: 0, extrude: 1 };
    let Err(LayoutError::DoNotFit { items, room }) = lay_out(&items, spacing, &PagePolicy::default()) else {
        panic!("two of them cannot fit")
    };
    assert_eq!((items, room), (vec![0, 2], Size::new(2046, 2046)));
}

#[test]
fn a_largest_page_that_breaks_the_aspect_is_not_used() {
    // Once a 64 x 72 page came out of a limit of 70 x 72 in steps of 8, although both sides had to be equal.
    let policy =
        PagePolicy { max: Size::new(70, 72), shape: Shape::Free, step: 8, aspect: 1.0, ..PagePolicy::default() };
    let none = Spacing { gutter: 0, margin: 0, extrude: 0 };
    let layout = lay_out(&squares(3, 40), none, &policy).unwrap();
    assert_eq!(layout.pages, [Size::new(40, 40); 3]);
}
