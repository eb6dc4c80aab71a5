//! The proof must pass for every right atlas and fail for every change that a player could see.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    reason = "a test may fail loudly, and its numbers are small"
)]

use proptest::prelude::*;
use zemtak_core::atlas::{Alpha, Atlas, Built, Layer, Page, PixelKind, Sprite, Wrap};
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

/// An atlas of one page with boxes by hand.
fn by_hand(page: Size, built: &Built, boxes: &[(&str, Rect)]) -> Atlas {
    let mut atlas = Atlas::new("p", built.clone());
    atlas.pages = vec![page_entry(0, page, Alpha::Straight)];
    atlas.sprites = boxes.iter().map(|(name, rect)| (SpriteName::new(name), Sprite::new(0, *rect, page))).collect();
    atlas
}

fn told(defects: &[verify::Defect]) -> Vec<String> {
    let name = |defect: &verify::Defect| defect.sprite().map_or("-", SpriteName::as_str).to_owned();
    defects.iter().map(|defect| format!("{} {} {defect}", defect.code(), name(defect))).collect()
}

#[test]
fn boxes_that_do_not_keep_their_distance_are_named() {
    let mut built = Built::default();
    (built.gutter, built.margin, built.extrude) = (2, 1, 1);
    let page = Size::new(20, 12);
    // With rings, and two pixels between them; the second is as far to the right and below as the margin lets it.
    let (left, right) = (Rect::new(2, 2, 4, 4), Rect::new(10, 2, 8, 8));
    let of = |left: Rect, right: Rect| by_hand(page, &built, &[("a", left), ("b", right), ("twin", left)]);
    assert_eq!(verify::spacing(&of(left, right)), []);
    let near = "too_near a a and b overlap or are less than the gutter of 2 pixels apart";
    assert_eq!(told(&verify::spacing(&of(Rect { w: 5, ..left }, right))), [near]);
    for beyond in [Rect { x: 11, ..right }, Rect { y: 3, ..right }, Rect { y: 1, ..right }] {
        let margin = format!("in_margin b b: its box {beyond} with a ring of 1 reaches into the margin of 1 pixel");
        assert_eq!(told(&verify::spacing(&of(left, beyond))), [margin]);
    }
    let mut inexact = of(left, right);
    inexact.sprites.get_mut(&SpriteName::new("b")).unwrap().uv.0[0] += f32::EPSILON;
    let differs = "inexact_uv b b: its uv differs from that of its box in the last places";
    assert_eq!(told(&verify::spacing(&inexact)), [differs]);
    // What repeats has neither rings nor a margin, but may share its page with nothing.
    let whole = Rect::at(0, 0, page);
    let mut alone = by_hand(page, &built, &[("a", whole), ("twin", whole)]);
    alone.pages[0].sampling.wrap = Wrap::Repeat;
    assert_eq!(verify::spacing(&alone), []);
    let mut two = by_hand(page, &built, &[("a", whole), ("b", left)]);
    two.pages[0].sampling.wrap = Wrap::Repeat;
    assert_eq!(told(&verify::spacing(&two)), [near]);
}

const CANVAS: Size = Size::new(6, 4);
/// What is stored: all but the last column.
const STORED: Rect = Rect::new(0, 0, 5, 4);
const PLACE: Rect = Rect::new(1, 1, 5, 4);

/// Pixels that all differ, and nothing in the last column but one pixel of this alpha.
fn striped(faint: u8) -> Pixels {
    let pixel = |i: u32| if i % 6 < 5 { [i as u8, 9, 9, 255] } else { [7, 7, 7, if i == 11 { faint } else { 0 }] };
    Pixels::from_rgba(CANVAS, (0..24).flat_map(pixel).collect()).unwrap()
}

fn page_of(source: &Pixels) -> Pixels {
    let stored = source.crop(STORED).unwrap();
    compose(Size::new(8, 8), [Stamp { pixels: &stored, rect: PLACE, turned: false }], 0).unwrap()
}

fn trimmed() -> Atlas {
    let mut built = Built::default();
    (built.trim, built.visible_alpha) = (true, 5);
    let mut atlas = by_hand(Size::new(8, 8), &built, &[("a", PLACE)]);
    atlas.sprites.get_mut(&SpriteName::new("a")).unwrap().canvas = CANVAS;
    atlas
}

fn of_sprite(atlas: &Atlas, page: &Pixels, source: &Pixels) -> Vec<verify::Defect> {
    let name = SpriteName::new("a");
    verify::sprite(atlas, &name, &atlas.sprites[&name], page, source)
}

#[test]
fn what_a_sprite_lost_is_counted_from_its_first_pixel_on() {
    let (atlas, whole) = (trimmed(), page_of(&striped(0)));
    assert_eq!(of_sprite(&atlas, &whole, &striped(4)), []);
    let missing = of_sprite(&atlas, &whole, &striped(5));
    assert!(matches!(missing[..], [verify::Defect::Pixel { x: 5, y: 1, count: 1, .. }]), "{missing:?}");
    let mut changed = whole.clone();
    changed.row_mut(2)[3 * 4] ^= 1;
    changed.row_mut(4)[5 * 4 + 3] = 254;
    match of_sprite(&atlas, &changed, &striped(0))[..] {
        [verify::Defect::Pixel { x: 2, y: 1, count: 2, found, expected, .. }] => {
            assert_eq!((found, expected), ([9, 9, 9, 255], [8, 9, 9, 255]));
        }
        ref other => panic!("{other:?}"),
    }
    // Inside the box even what can hardly be seen is kept.
    let mut faint = striped(0);
    faint.row_mut(0)[..4].copy_from_slice(&[1, 1, 1, 4]);
    let mut lost = page_of(&faint);
    lost.row_mut(1)[4..8].fill(0);
    let lost = of_sprite(&atlas, &lost, &faint);
    assert!(matches!(lost[..], [verify::Defect::Pixel { x: 0, y: 0, count: 1, .. }]), "{lost:?}");
    let other = of_sprite(&atlas, &whole, &Pixels::transparent(Size::new(6, 5)).unwrap());
    assert!(told(&other)[0].starts_with("other_canvas a") && other.len() == 1, "{other:?}");
}

#[test]
fn a_box_that_is_too_large_is_told_unless_it_has_layers_or_repeats() {
    let mut source = striped(0);
    (0..4).for_each(|y| source.row_mut(y)[16..20].fill(0));
    let page = page_of(&source);
    let not_trimmed = "not_trimmed a a: its box [1, 1, 5, 4] is not trimmed to the visible pixels";
    assert_eq!(told(&of_sprite(&trimmed(), &page, &source)), [not_trimmed]);
    let mut layered = trimmed();
    layered.pages[0].layers = [("normal".to_owned(), Layer::new("n.png", String::new()))].into();
    assert_eq!(of_sprite(&layered, &page, &source), []);
    let mut repeating = trimmed();
    repeating.pages[0].sampling.wrap = Wrap::Repeat;
    assert_eq!(of_sprite(&repeating, &page, &source), []);
}

#[test]
fn a_page_in_blocks_resembles_its_source_or_is_told() {
    let source = striped(0);
    let mut in_blocks = trimmed();
    in_blocks.pages[0].pixels = PixelKind::Bc3;
    let mut changed = page_of(&source);
    changed.row_mut(2)[3 * 4] ^= 1;
    assert_eq!(of_sprite(&in_blocks, &changed, &source), []);
    let unlike = told(&of_sprite(&in_blocks, &Pixels::transparent(Size::new(8, 8)).unwrap(), &source));
    assert!(matches!(&unlike[..], [one] if one.starts_with("unlike_source a")), "{unlike:?}");
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
