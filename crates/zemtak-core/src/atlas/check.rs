//! The rules that a descriptor's numbers must follow before a game may trust them.

use super::{Atlas, Clip, Page, Rate, Sprite, Wrap};
use crate::coords::UvRect;
use crate::geometry::LONGEST_SIDE;
use crate::geometry::{Rect, Size};
use crate::name::{ClipName, SpriteName};
use std::collections::BTreeSet;

/// How far a stored UV may be from the computed one: less than a tenth of a texel on the longest page.
const UV_TOLERANCE: f32 = 1.0 / (1 << 20) as f32;

/// Something in a descriptor that cannot be right.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Flaw {
    /// The atlas's name contains other characters than `a-z 0-9 _ -`.
    #[error("the atlas's name \"{0}\" may only have a-z, 0-9, _ and -")]
    AtlasName(String),
    /// A number of the whole atlas is out of range.
    #[error("{key} is {value}, which is out of range")]
    Number {
        /// Its key.
        key: &'static str,
        /// Its value.
        value: String,
    },
    /// A page's file name could lead out of the descriptor's folder, or is not portable.
    #[error("page {page}: the file \"{file}\" is not a plain relative path below the descriptor's folder")]
    PagePath {
        /// The page's index.
        page: usize,
        /// The file.
        file: String,
    },
    /// A companion's name is not the name of a file beside the descriptor.
    #[error("companions: \"{0}\" is not the name of a file beside the descriptor")]
    Companion(String),
    /// Two pages name one file.
    #[error("page {page}: the file \"{file}\" is also that of an earlier page")]
    PageTwice {
        /// The page's index.
        page: usize,
        /// The file.
        file: String,
    },
    /// A page's number is out of range.
    #[error("page {page}: {key} is {value}, which is out of range")]
    PageNumber {
        /// The page's index.
        page: usize,
        /// The key.
        key: &'static str,
        /// The value.
        value: String,
    },
    /// A page has an extrude of its own that it cannot have.
    #[error("page {page}: an extrude of its own can only be 0, on a page whose wrap is \"repeat\" or \"mirror\"")]
    PageExtrude {
        /// The page's index.
        page: usize,
    },
    /// A page's hash is none.
    #[error("page {page}: \"{hash}\" is not a hash; it takes \"blake3:\" and 64 digits from 0-9 and a-f")]
    PageHash {
        /// The page's index.
        page: usize,
        /// The hash.
        hash: String,
    },
    /// A sprite without a name.
    #[error("a sprite has an empty name")]
    NoName,
    /// A sprite refers to a page that does not exist.
    #[error("sprite {sprite}: page {page} is not there; there are {pages}")]
    NoPage {
        /// The sprite.
        sprite: SpriteName,
        /// The page it refers to.
        page: usize,
        /// How many there are.
        pages: usize,
    },
    /// A box without pixels or over the edge of its page.
    #[error("sprite {sprite}: its box {rect} does not lie on its page of {page} pixels")]
    Box {
        /// The sprite.
        sprite: SpriteName,
        /// The box.
        rect: Rect,
        /// The page's size.
        page: Size,
    },
    /// Inset and box reach beyond the canvas.
    #[error("sprite {sprite}: a box of {upright} pixels at inset [{}, {}] does not lie on its canvas of {canvas}", inset[0], inset[1])]
    Inset {
        /// The sprite.
        sprite: SpriteName,
        /// The upright size of its box.
        upright: Size,
        /// The inset.
        inset: [u32; 2],
        /// The canvas.
        canvas: Size,
    },
    /// UVs that do not match the box.
    #[error("sprite {sprite}: its uv {found:?} is not that of its box, {expected:?}")]
    Uv {
        /// The sprite.
        sprite: SpriteName,
        /// As stored.
        found: [f32; 4],
        /// As computed.
        expected: [f32; 4],
    },
    /// A point or a stretch band is out of range.
    #[error("sprite {sprite}: {what} is out of range")]
    SpriteNumber {
        /// The sprite.
        sprite: SpriteName,
        /// Which number.
        what: String,
    },
    /// A clip that cannot be played.
    #[error("clip {clip}: {what}")]
    Clip {
        /// The clip.
        clip: ClipName,
        /// What is wrong with it.
        what: String,
    },
}

impl Atlas {
    /// Everything in the descriptor that cannot be right; empty if a game may trust it.
    #[must_use]
    pub fn check(&self) -> Vec<Flaw> {
        let mut flaws = Vec::new();
        self.check_head(&mut flaws);
        let mut files = BTreeSet::new();
        for (i, page) in self.pages.iter().enumerate() {
            check_page(i, page, &mut flaws);
            for file in std::iter::once(&page.file).chain(page.layers.values().map(|l| &l.file)) {
                if !page_path_is_safe(file) {
                    flaws.push(Flaw::PagePath { page: i, file: file.clone() });
                } else if !files.insert(file) {
                    flaws.push(Flaw::PageTwice { page: i, file: file.clone() });
                }
            }
        }
        let strange = self.companions.keys().filter(|file| file.contains('/') || !page_path_is_safe(file));
        flaws.extend(strange.map(|file| Flaw::Companion(file.clone())));
        for (name, sprite) in &self.sprites {
            self.check_sprite(name, sprite, &mut flaws);
        }
        for (name, clip) in &self.clips {
            let flaw = |what| Flaw::Clip { clip: name.clone(), what };
            flaws.extend(self.clip_flaws(name, clip).into_iter().map(flaw));
        }
        flaws
    }

    fn check_head(&self, flaws: &mut Vec<Flaw>) {
        if !is_atlas_name(&self.name) {
            flaws.push(Flaw::AtlasName(self.name.clone()));
        }
        if !(self.scale.is_finite() && self.scale > 0.0) {
            flaws.push(Flaw::Number { key: "scale", value: self.scale.to_string() });
        }
        let built = &self.built;
        let sides = [("built.gutter", built.gutter), ("built.margin", built.margin), ("built.extrude", built.extrude)];
        let too_long = sides.into_iter().filter(|(_, v)| *v > LONGEST_SIDE);
        flaws.extend(too_long.map(|(key, v)| Flaw::Number { key, value: v.to_string() }));
        if let Some(align) = built.align.filter(|align| !align.is_power_of_two() || *align > LONGEST_SIDE) {
            flaws.push(Flaw::Number { key: "built.align", value: align.to_string() });
        }
        if built.visible_alpha == 0 {
            flaws.push(Flaw::Number { key: "built.visible_alpha", value: "0".into() });
        }
    }

    fn check_sprite(&self, name: &SpriteName, sprite: &Sprite, flaws: &mut Vec<Flaw>) {
        if name.as_str().is_empty() {
            flaws.push(Flaw::NoName);
        }
        let Some(page) = self.pages.get(sprite.page).map(Page::size) else {
            flaws.push(Flaw::NoPage { sprite: name.clone(), page: sprite.page, pages: self.pages.len() });
            return;
        };
        if sprite.rect.w == 0 || sprite.rect.h == 0 || !sprite.rect.inside(page) {
            flaws.push(Flaw::Box { sprite: name.clone(), rect: sprite.rect, page });
        } else {
            let (found, expected) = (sprite.uv.0, UvRect::of(sprite.rect, page).0);
            let near = found.iter().zip(&expected).all(|(a, b)| (a - b).abs() <= UV_TOLERANCE);
            if !near {
                flaws.push(Flaw::Uv { sprite: name.clone(), found, expected });
            }
        }
        let (upright, inset, canvas) = (sprite.upright(), sprite.inset, sprite.canvas);
        if !Rect::at(inset[0], inset[1], upright).inside(canvas) {
            flaws.push(Flaw::Inset { sprite: name.clone(), upright, inset, canvas });
        }
        let finite = |p: &[f64; 2]| p.iter().all(|v| v.is_finite());
        let mut wrong: Vec<String> = Vec::new();
        wrong.extend((!finite(&sprite.pivot)).then(|| "pivot".to_owned()));
        wrong.extend(sprite.points.iter().filter(|(_, p)| !finite(p)).map(|(name, _)| format!("point {name}")));
        let bands_fit = |[left, top, right, bottom]: [u32; 4]| {
            u64::from(left) + u64::from(right) <= u64::from(canvas.w)
                && u64::from(top) + u64::from(bottom) <= u64::from(canvas.h)
        };
        wrong.extend(sprite.stretch.filter(|s| !bands_fit(*s)).map(|_| "stretch".to_owned()));
        flaws.extend(wrong.into_iter().map(|what| Flaw::SpriteNumber { sprite: name.clone(), what }));
    }

    fn clip_flaws(&self, name: &ClipName, clip: &Clip) -> Vec<String> {
        let mut wrong = Vec::new();
        if name.as_str().is_empty() {
            wrong.push("its name is empty".to_owned());
        }
        if clip.steps.is_empty() {
            wrong.push("it has no steps".to_owned());
        }
        if clip.fps.as_ref().is_some_and(|rate| !rate.is_valid()) {
            wrong.push("its fps is neither a number, 0 or more, nor a ratio such as \"60000/1001\"".to_owned());
        }
        for (i, step) in clip.steps.iter().enumerate() {
            if !self.sprites.contains_key(&step.sprite) && !step.sprite.as_str().contains(':') {
                wrong.push(format!("step {i} shows {}, which is not a sprite of this atlas", step.sprite));
            }
            match step.ms {
                Some(ms) if !(ms.is_finite() && ms >= 0.0) => wrong.push(format!("step {i} lasts {ms} ms")),
                None if clip.fps.is_none() => wrong.push(format!("step {i} has no ms and the clip no fps")),
                _ => {}
            }
        }
        wrong
    }
}

fn check_page(i: usize, page: &Page, flaws: &mut Vec<Flaw>) {
    let sampling = &page.sampling;
    let numbers = [
        ("width", i64::from(page.width), 1..=LONGEST_SIDE.into()),
        ("height", page.height.into(), 1..=LONGEST_SIDE.into()),
        ("sampling.mips", sampling.mips.into(), 1..=32),
        ("sampling.safe_mips", sampling.safe_mips.map_or(-1, i64::from), -1..=i64::MAX),
    ];
    let wrong = numbers.into_iter().filter(|(_, value, range)| !range.contains(value));
    flaws.extend(wrong.map(|(key, value, _)| Flaw::PageNumber { page: i, key, value: value.to_string() }));
    // The ring would repeat too on a page that repeats, and without a ring neighbours bleed in elsewhere.
    if page.extrude.is_some_and(|extrude| extrude != 0 || sampling.wrap == Wrap::Clamp) {
        flaws.push(Flaw::PageExtrude { page: i });
    }
    for hash in std::iter::once(&page.hash).chain(page.layers.values().map(|l| &l.hash)) {
        let digits = hash.strip_prefix("blake3:").unwrap_or_default();
        if digits.len() != 64 || !digits.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f')) {
            flaws.push(Flaw::PageHash { page: i, hash: hash.clone() });
        }
    }
}

/// Whether a text may name an atlas: `a-z`, `0-9`, `_` and `-`, at least one.
pub(super) fn is_atlas_name(name: &str) -> bool {
    !name.is_empty() && name.bytes().all(|b| matches!(b, b'a'..=b'z' | b'0'..=b'9' | b'_' | b'-'))
}

/// Whether a page's file is a plain relative path that stays below its descriptor's folder on every system.
#[must_use]
pub fn page_path_is_safe(file: &str) -> bool {
    let plain = |part: &str| !part.is_empty() && part != "." && part != "..";
    !file.contains(['\\', ':', '\0']) && file.split('/').all(plain)
}

impl Rate {
    /// Whether it is a finite number not below 0, or a ratio of two whole numbers, the second of them above 0.
    #[must_use]
    pub fn is_valid(&self) -> bool {
        match self {
            Self::Number(n) => n.is_finite() && *n >= 0.0,
            Self::Ratio(text) => text
                .split_once('/')
                .is_some_and(|(a, b)| a.trim().parse::<u64>().is_ok() && b.trim().parse::<u64>().is_ok_and(|b| b > 0)),
        }
    }
}

impl Atlas {
    /// Whether a text may name an atlas: `a-z`, `0-9`, `_` and `-`, at least one.
    #[must_use]
    pub fn is_name(name: &str) -> bool {
        is_atlas_name(name)
    }
}
