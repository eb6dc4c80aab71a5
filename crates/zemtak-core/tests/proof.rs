//! The proof must pass for every right atlas and fail for every change that a player could see.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    reason = "a test may fail loudly, and its numbers are small"
)]

use proptest::prelude::*;
use zemtak_core::atlas::{Alpha, Atlas, Built, Page, Sprite};
use zemtak_core::compose::{Stamp, compose};
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{Item, LayoutRequest, PagePolicy, Shape, Spacing, StopSignal, lay_out};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::{Prepared, Treatment};
use zemtak_core::verify;

/// Small pictures, many of them with transparent borders.
fn pictures() -> impl Strategy<Value = Vec<Pixels>> {
    let pixel = prop_oneof![2 => Just([9, 9, 9, 0]), 1 => any::<[u8; 4]>()];
    let picture = (1u32..12, 1u32..12).prop_flat_map(move |(w, h)| {
        prop::collection::vec(pixel.clone(), (w * h) as usize)
            .prop_map(move |p| Pixels::from_rgba(Size::new(w, h), p.concat()).unwrap())
    });
    prop::collection::vec(picture, 1..9)
}

#[derive(Debug, Clone)]
struct Options {
    spacing: Spacing,
    treatment: Treatment,
    may_turn: bool,
    shape: Shape,
}

fn options() -> impl Strategy<Value = Options> {
    let shape = prop_oneof![Just(Shape::Free), Just(Shape::Pow2)];
    let treatment =
        (any::<bool>(), 1u8..40, 0u32..3, any::<bool>()).prop_map(|(trim, visible_alpha, fringe, premultiply)| {
            Treatment { scale: None, trim, visible_alpha, fringe, premultiply }
        });
    (0u32..4, 0u32..3, 0u32..3, treatment, any::<bool>(), shape).prop_map(
        |(gutter, margin, extrude, treatment, may_turn, shape)| Options {
            spacing: Spacing { gutter, margin, extrude, align: 1 },
            treatment,
            may_turn,
            shape,
        },
    )
}

fn page_entry(index: usize, size: Size, alpha: Alpha) -> Page {
    let mut page = Page::new(format!("p-{index}.png"), size, format!("blake3:{}", "0".repeat(64)));
    page.alpha = alpha;
    page
}

/// The shortest way to an atlas and its pages.
fn build(sources: &[Pixels], options: &Options) -> (Atlas, Vec<Pixels>) {
    let Options { spacing, treatment, may_turn, shape } = options.clone();
    let ready: Vec<Prepared> = sources.iter().map(|s| Prepared::new(s.clone(), treatment)).collect();
    let items: Vec<Item> = ready.iter().map(|r| Item { may_turn, ..Item::new(r.stored.size()) }).collect();
    let policy = PagePolicy { shape, max: Size::new(48, 48), ..PagePolicy::default() };
    // These pages are a few sprites large; what a long search finds is the same to what is proved here.
    let stop = || true;
    let request = LayoutRequest { stop: Some(StopSignal::new(&stop)), ..LayoutRequest::new(&items, spacing, &policy) };
    let layout = lay_out(&request).unwrap();
    let pages = (0..layout.pages.len())
        .map(|page| {
            let on_page = layout.places.iter().zip(&ready).filter(|(place, _)| place.page == page);
            let stamps = on_page.map(|(p, r)| Stamp { pixels: &r.stored, rect: p.rect, turned: p.turned });
            compose(layout.pages[page], stamps, spacing.extrude).unwrap()
        })
        .collect();
    let sprite = |(place, ready): (&zemtak_core::layout::Place, &Prepared)| {
        let mut sprite = Sprite::new(place.page, place.rect, layout.pages[place.page]);
        (sprite.turned, sprite.canvas, sprite.inset) = (place.turned, ready.canvas, ready.inset);
        sprite.pivot = [0.0, 0.0];
        sprite
    };
    let mut built = Built::default();
    (built.gutter, built.margin, built.extrude) = (spacing.gutter, spacing.margin, spacing.extrude);
    (built.trim, built.visible_alpha) = (treatment.trim, treatment.visible_alpha);
    let alpha = if treatment.premultiply { Alpha::Premultiplied } else { Alpha::Straight };
    let names = (0..).map(|i| SpriteName::new(&format!("s{i}")));
    let mut atlas = Atlas::new("p", built);
    atlas.pages = layout.pages.iter().enumerate().map(|(i, size)| page_entry(i, *size, alpha)).collect();
    atlas.sprites = names.zip(layout.places.iter().zip(&ready).map(sprite)).collect();
    (atlas, pages)
}

fn defects(atlas: &Atlas, pages: &[Pixels], sources: &[Pixels]) -> Vec<verify::Defect> {
    let mut all = verify::spacing(atlas);
    all.extend((0..pages.len()).flat_map(|i| verify::page(atlas, i, &pages[i])));
    for (i, source) in sources.iter().enumerate() {
        let name = SpriteName::new(&format!("s{i}"));
        let sprite = &atlas.sprites[&name];
        all.extend(verify::sprite(atlas, &name, sprite, &pages[sprite.page], source));
    }
    all
}

#[test]
fn a_pixel_that_belongs_to_nothing_is_told_with_its_place() {
    let size = Size::new(8, 4);
    let mut atlas = Atlas::new("p", Built::default());
    atlas.pages = vec![page_entry(0, size, Alpha::Straight)];
    atlas.sprites = [(SpriteName::new("s0"), Sprite::new(0, Rect::new(0, 0, 2, 2), size))].into();
    let mut page = Pixels::transparent(size).unwrap();
    for (x, y) in [(5, 2), (1, 3)] {
        page.row_mut(y)[x * 4 + 3] = 255;
    }
    assert_eq!(verify::page(&atlas, 0, &page), [verify::Defect::Stray { page: 0, x: 5, y: 2 }]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_is_built_right_is_proved(sources in pictures(), options in options()) {
        let (atlas, pages) = build(&sources, &options);
        prop_assert_eq!(atlas.check(), vec![]);
        prop_assert_eq!(defects(&atlas, &pages, &sources), vec![]);
    }

    #[test]
    fn no_pixel_of_a_page_can_change_unnoticed(
        sources in pictures(), options in options(), at: prop::sample::Index, channel in 0usize..4, by in 1u8..=255,
    ) {
        let (atlas, mut pages) = build(&sources, &options);
        let bytes = pages[0].as_bytes_mut();
        let pixel = at.index(bytes.len() / 4) * 4;
        let hidden = bytes[pixel + 3] == 0 && channel != 3;
        bytes[pixel + channel] = bytes[pixel + channel].wrapping_add(by);
        // Colour under alpha 0 is not compared inside a box; everywhere else even that must be empty.
        let (x, y) = ((pixel / 4) as u32 % pages[0].size().w, (pixel / 4) as u32 / pages[0].size().w);
        let inside = atlas.sprites.values().any(|s| {
            s.page == 0 && (s.rect.x..s.rect.x + s.rect.w).contains(&x) && (s.rect.y..s.rect.y + s.rect.h).contains(&y)
        });
        // A trimmed empty sprite stands for nothing visible: its one pixel is compared with no source pixel but (0, 0).
        if !(hidden && inside) {
            prop_assert!(!defects(&atlas, &pages, &sources).is_empty(), "({}, {})", x, y);
        }
    }

    #[test]
    fn no_box_can_move_unnoticed(sources in pictures(), options in options(), dx in 0u32..3, dy in 1u32..3) {
        let (mut atlas, pages) = build(&sources, &options);
        let name = SpriteName::new("s0");
        let page = atlas.pages[0].size();
        let sprite = atlas.sprites.get_mut(&name).unwrap();
        sprite.rect.x += dx;
        sprite.rect.y += dy;
        if sprite.page == 0 && sprite.rect.inside(page) {
            sprite.uv = UvRect::of(sprite.rect, page);
            // Where it was, there are now pixels that belong to nothing, unless there was nothing to see: a trimmed
            // sprite whose every pixel is fainter than `visible_alpha` is stored as nothing.
            let faintest = if options.treatment.trim { options.treatment.visible_alpha } else { 1 };
            let seen = sources[0].visible_box(faintest).is_some();
            prop_assert!(!seen || !defects(&atlas, &pages, &sources).is_empty());
        }
    }
}
