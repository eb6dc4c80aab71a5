//! Each kind of difference between two atlases is told as what it is, alone and beside every other one.

#![allow(missing_docs, clippy::unwrap_used, reason = "a test may fail loudly")]

use zemtak_core::atlas::{
    Alpha, Atlas, Built, Clip, Colour, Filter, Layer, Mode, Page, PixelKind, Rate, Sprite, Step, Wrap,
};
use zemtak_core::diff::{AtlasDiff, PageState, Side, Spot, SpriteChange, ValueChange, compare};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_core::pixels::Pixels;

/// Two rows of boxes of 8 x 8; the second one is empty.
const PAGE: Size = Size { w: 96, h: 16 };
const SIDE: u32 = 8;

/// An atlas with its pages, in which each edit finds a sprite or clip of its own.
#[derive(Clone)]
struct Packed {
    atlas: Atlas,
    pages: Vec<Pixels>,
}

fn name(name: &str) -> SpriteName {
    SpriteName::new(name)
}

fn clip(name: &str) -> ClipName {
    ClipName::new(name)
}

impl Packed {
    fn new() -> Self {
        let mut page = Pixels::transparent(PAGE).unwrap();
        let mut atlas = Atlas::new("night", Built::default());
        let names =
            ["gone", "hidden", "moth", "moved", "named", "painted", "resized", "tagged", "turned", "west", "east"];
        for (x, sprite) in (0..).step_by(SIDE as usize).zip(names) {
            paint(&mut page, Rect::new(x, 0, SIDE, SIDE), u8::try_from(x).unwrap() + 1);
            atlas.sprites.insert(name(sprite), Sprite::new(0, Rect::new(x, 0, SIDE, SIDE), PAGE));
        }
        atlas.sprites.get_mut(&name("hidden")).unwrap().canvas.w = SIDE + 1;
        for moving in ["mode", "rate", "steps", "calls", "over"] {
            atlas.clips.insert(clip(moving), Clip::new(vec![Step::new(name("moth")), Step::new(name("turned"))]));
        }
        let second = Pixels::transparent(Size::new(4, 4)).unwrap();
        atlas.pages =
            vec![Page::new("night-0.png", PAGE, String::new()), Page::new("night-1.png", second.size(), String::new())];
        atlas.pages[1].layers.insert("normal".into(), Layer::new("night-1.normal.png", "blake3:of the layer".into()));
        let mut packed = Self { atlas, pages: vec![page, second] };
        packed.seal();
        packed
    }

    /// Says of each page what its bytes are.
    fn seal(&mut self) {
        for (page, pixels) in self.atlas.pages.iter_mut().zip(&self.pages) {
            page.hash = format!("{:?} {:?}", pixels.size(), pixels.as_bytes());
        }
    }

    fn side(&self) -> Side<'_> {
        Side { atlas: &self.atlas, pages: &self.pages }
    }

    fn sprite(&mut self, of: &str) -> &mut Sprite {
        self.atlas.sprites.get_mut(&name(of)).unwrap()
    }

    fn clip(&mut self, of: &str) -> &mut Clip {
        self.atlas.clips.get_mut(&clip(of)).unwrap()
    }
}

fn paint(page: &mut Pixels, rect: Rect, grey: u8) {
    for y in rect.y..rect.y + rect.h {
        let row = &mut page.row_mut(y)[rect.x as usize * 4..(rect.x + rect.w) as usize * 4];
        row.chunks_exact_mut(4).for_each(|pixel| pixel.copy_from_slice(&[grey, grey, grey, 255]));
    }
}

/// Something that happens to an atlas, and what is to be told of it.
type Edit = fn(&mut Packed, &mut AtlasDiff);

const SPRITES: &[Edit] = &[
    |packed, told| {
        packed.atlas.sprites.remove(&name("gone"));
        told.removed.push(name("gone"));
    },
    |packed, told| {
        paint(&mut packed.pages[0], Rect::new(88, 0, SIDE, SIDE), 250);
        packed.atlas.sprites.insert(name("added"), Sprite::new(0, Rect::new(88, 0, SIDE, SIDE), PAGE));
        told.added.push(name("added"));
    },
    |packed, told| {
        let sprite = packed.atlas.sprites.remove(&name("named")).unwrap();
        packed.atlas.sprites.insert(name("otherwise"), sprite);
        told.renamed.push((name("named"), name("otherwise")));
    },
    |packed, told| {
        let at = packed.sprite("painted").rect;
        let area = Rect::new(2, 1, 4, 5);
        paint(&mut packed.pages[0], Rect::new(at.x + area.x, area.y, area.w, area.h), 251);
        told.changed.push((name("painted"), vec![SpriteChange::Repainted { pixels: 20, area }]));
    },
    |packed, told| {
        let (rect, to) = (packed.sprite("moved").rect, Rect::new(16, SIDE, SIDE, SIDE));
        paint(&mut packed.pages[0], to, u8::try_from(rect.x).unwrap() + 1);
        packed.sprite("moved").rect = to;
        let [from, to] = [rect, to].map(|rect| Spot { page: 0, rect, turned: false });
        told.changed.push((name("moved"), vec![SpriteChange::Moved { from, to }]));
    },
    |packed, told| {
        // The same box of a page that is as it was, and yet the sprite shows it one pixel further right.
        packed.sprite("hidden").inset = [1, 0];
        let change = SpriteChange::Repainted { pixels: 16, area: Rect::new(0, 0, SIDE + 1, SIDE) };
        told.changed.push((name("hidden"), vec![change]));
    },
    |packed, told| {
        // One grey all over looks the same turned.
        let rect = packed.sprite("turned").rect;
        packed.sprite("turned").turned = true;
        let [from, to] = [false, true].map(|turned| Spot { page: 0, rect, turned });
        told.changed.push((name("turned"), vec![SpriteChange::Moved { from, to }]));
    },
    |packed, told| {
        // Two change places: the page stays as it is, and yet they show something else.
        let [west, east] = ["west", "east"].map(|of| packed.sprite(of).rect);
        (packed.sprite("west").rect, packed.sprite("east").rect) = (east, west);
        for (of, from, to) in [("west", west, east), ("east", east, west)] {
            let [from, to] = [from, to].map(|rect| Spot { page: 0, rect, turned: false });
            let area = Rect::new(0, 0, SIDE, SIDE);
            let changes = vec![SpriteChange::Moved { from, to }, SpriteChange::Repainted { pixels: 64, area }];
            told.changed.push((name(of), changes));
        }
    },
    |packed, told| {
        packed.sprite("resized").canvas = Size::new(8, 9);
        let (from, to) = (Size::new(8, 8), Size::new(8, 9));
        told.changed.push((name("resized"), vec![SpriteChange::Resized { from, to }]));
    },
    |packed, told| {
        let sprite = packed.sprite("tagged");
        (sprite.pivot, sprite.stretch) = ([0.5, 4.0], Some([1, 1, 1, 1]));
        sprite.points.insert("lamp".into(), [1.0, 2.0]);
        sprite.tags.push("night".into());
        sprite.user = Some(Box::new(7.into()));
        let all = vec!["pivot", "points", "stretch", "tags", "user"];
        told.changed.push((name("tagged"), vec![SpriteChange::Values(all)]));
    },
    |packed, told| {
        packed.sprite("moth").tags.push("moth".into());
        told.changed.push((name("moth"), vec![SpriteChange::Values(vec!["tags"])]));
    },
];

const CLIPS: &[Edit] = &[
    |packed, told| {
        packed.atlas.clips.remove(&clip("over"));
        told.clips_removed.push(clip("over"));
    },
    |packed, told| {
        packed.atlas.clips.insert(clip("begun"), Clip::new(vec![Step::new(name("moth"))]));
        told.clips_added.push(clip("begun"));
    },
    |packed, told| {
        packed.clip("mode").mode = Mode::Bounce;
        told.clips_changed.push((clip("mode"), vec!["mode"]));
    },
    |packed, told| {
        packed.clip("rate").fps = Some(Rate::Number(12.0));
        told.clips_changed.push((clip("rate"), vec!["fps"]));
    },
    |packed, told| {
        // Events of other steps are not told apart.
        packed.clip("steps").steps.pop();
        told.clips_changed.push((clip("steps"), vec!["steps"]));
    },
    |packed, told| {
        packed.clip("calls").steps[0].events.push("flap".into());
        told.clips_changed.push((clip("calls"), vec!["events"]));
    },
];

/// Told by their words, in this order; where pages have several, all of them.
const VALUES: &[Edit] = &[
    |packed, told| {
        packed.atlas.scale = 0.5;
        told.values.push(value("scale", "1", "0.5"));
    },
    |packed, told| {
        packed.atlas.pages.iter_mut().for_each(|page| page.alpha = Alpha::Premultiplied);
        told.values.push(value("alpha", "straight", "premultiplied"));
    },
    |packed, told| {
        packed.atlas.pages[1].colour = Colour::Linear;
        told.values.push(value("colour", "srgb", "linear, srgb"));
    },
    |packed, told| {
        packed.atlas.pages[1].pixels = PixelKind::Bc7;
        told.values.push(value("pixels", "rgba8", "bc7, rgba8"));
    },
    |packed, told| {
        packed.atlas.pages[1].sampling.filter = Filter::Linear;
        told.values.push(value("filter", "nearest", "linear, nearest"));
    },
    |packed, told| {
        packed.atlas.pages[1].sampling.mips = 3;
        told.values.push(value("mips", "1", "1, 3"));
    },
];

fn value(key: &'static str, from: &str, to: &str) -> ValueChange {
    ValueChange { key, from: from.to_owned(), to: to.to_owned() }
}

/// What a player does not see.
const FILES: &[Edit] = &[
    // Colour under a pixel that nobody sees.
    |packed, _| {
        let at = packed.sprite("hidden").rect;
        packed.pages[0].row_mut(15)[at.x as usize * 4] = 9;
    },
    |packed, told| {
        packed.atlas.pages[1].layers.clear();
        told.pages_removed.push("night-1.normal.png".into());
    },
    |packed, _| {
        let mut page = packed.atlas.pages[1].clone();
        (page.file, page.width, page.height) = ("night-2.png".into(), 1, 1);
        page.layers.clear();
        packed.atlas.pages.push(page);
        packed.pages.push(Pixels::transparent(Size::new(1, 1)).unwrap());
    },
    // Another name for the same bytes is nothing that changed.
    |packed, _| packed.atlas.pages[1].file = "dusk.png".into(),
];

/// The state of each file, put together from the edits' effects rather than from a comparison of all with all.
fn states(packed: &Packed, base: &Packed) -> Vec<(String, PageState)> {
    let mut states = Vec::new();
    for (at, page) in packed.atlas.pages.iter().enumerate() {
        let state = match base.atlas.pages.get(at) {
            None => PageState::New,
            Some(was) if was.hash == page.hash => PageState::Same,
            Some(_) => PageState::Changed,
        };
        states.push((page.file.clone(), state));
        states.extend(page.layers.values().map(|layer| (layer.file.clone(), PageState::Same)));
    }
    states
}

fn check(base: &Packed, edits: &[&Edit]) {
    let (mut packed, mut told) = (base.clone(), AtlasDiff::default());
    edits.iter().for_each(|edit| edit(&mut packed, &mut told));
    packed.seal();
    let gone = std::mem::take(&mut told.pages_removed);
    let seen = told != AtlasDiff::default();
    told.pages_removed = gone;
    told.changed.sort_by(|(one, _), (other, _)| one.cmp(other));
    told.clips_changed.sort_by(|(one, _), (other, _)| one.cmp(other));
    told.pages = states(&packed, base);
    let diff = compare(base.side(), packed.side());
    assert_eq!(diff, told);
    assert_eq!(diff.looks_the_same(), !seen, "{diff:?}");
    let files = told.pages.iter().any(|(_, state)| *state != PageState::Same) || !told.pages_removed.is_empty();
    assert_eq!(diff.is_empty(), !seen && !files, "{diff:?}");
    let values = |change: &SpriteChange| matches!(change, SpriteChange::Values(_));
    let counted = told.changed.iter().filter(|(of, _)| ["moth", "tagged"].contains(&of.as_str())).count();
    assert_eq!(diff.count(values), counted);
}

#[test]
fn each_difference_is_told_alone_and_beside_each_other_one() {
    let base = Packed::new();
    check(&base, &[]);
    let edits: Vec<&Edit> = SPRITES.iter().chain(CLIPS).chain(VALUES).chain(FILES).collect();
    for (at, one) in edits.iter().enumerate() {
        check(&base, &[one]);
        edits[at + 1..].iter().for_each(|other| check(&base, &[one, other]));
    }
    check(&base, &edits);
}

#[test]
fn a_sprite_on_a_page_that_repeats_now_is_told() {
    let old = Packed::new();
    let mut new = old.clone();
    new.atlas.pages[1].sampling.wrap = Wrap::Repeat;
    // None lies on that page, then one does.
    assert_eq!(compare(old.side(), new.side()).changed, []);
    new.sprite("moth").page = 1;
    let diff = compare(old.side(), new.side());
    assert_eq!(diff.values, [value("wrap", "clamp", "clamp, repeat")]);
    let (of, changes) = &diff.changed[0];
    assert_eq!((of, diff.changed.len()), (&name("moth"), 1));
    assert!(changes.contains(&SpriteChange::Values(vec!["wrap"])), "{changes:?}");
}

#[test]
fn sprites_that_look_alike_keep_their_order_when_they_get_other_names() {
    let mut old = Packed::new();
    let twin = old.sprite("moth").clone();
    ["a", "b", "c"].into_iter().for_each(|of| drop(old.atlas.sprites.insert(name(of), twin.clone())));
    let mut new = old.clone();
    ["a", "b", "c"].into_iter().for_each(|of| drop(new.atlas.sprites.remove(&name(of))));
    ["x", "y"].into_iter().for_each(|of| drop(new.atlas.sprites.insert(name(of), twin.clone())));
    let diff = compare(old.side(), new.side());
    assert_eq!(diff.renamed, [(name("a"), name("x")), (name("b"), name("y"))]);
    assert_eq!((diff.removed, diff.added), (vec![name("c")], vec![]));
}
