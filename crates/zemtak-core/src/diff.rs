//! How two atlases differ: what was added, removed or moved, or changed its size, its pixels or its values.

use crate::atlas::{Atlas, Clip, Page, Sprite};
use crate::geometry::{Rect, Size};
use crate::name::{ClipName, SpriteName};
use crate::pixels::{PIXEL, Pixels};
use std::collections::{BTreeMap, BTreeSet};
use std::hash::{DefaultHasher, Hasher};

/// An atlas and the pixels of its pages, in their order.
#[derive(Debug, Clone, Copy)]
pub struct Side<'a> {
    /// The atlas.
    pub atlas: &'a Atlas,
    /// Its pages.
    pub pages: &'a [Pixels],
}

/// Where a sprite lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Spot {
    /// The page's number.
    pub page: usize,
    /// The box as stored.
    pub rect: Rect,
    /// Whether it is stored turned.
    pub turned: bool,
}

/// A difference in a sprite that both atlases have.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum SpriteChange {
    /// It lies elsewhere.
    Moved {
        /// Its old place.
        from: Spot,
        /// Its new place.
        to: Spot,
    },
    /// Its canvas has another size.
    Resized {
        /// Its old size.
        from: Size,
        /// Its new size.
        to: Size,
    },
    /// It shows other pixels on a canvas of the same size.
    Repainted {
        /// How many differ. Colour under transparent pixels does not count.
        pixels: u64,
        /// The part of the canvas that contains them.
        area: Rect,
    },
    /// Other values: `pivot`, `points`, `stretch`, `tags`, `user`, and the `wrap` of its page.
    Values(Vec<&'static str>),
}

/// A value of the atlas or of its pages that differs. Where the pages of an atlas have several, all of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueChange {
    /// The key in the descriptor: `scale`, `alpha`, `colour`, `pixels`, `filter`, `wrap` or `mips`.
    pub key: &'static str,
    /// The old value, as a word or a number.
    pub from: String,
    /// The new one.
    pub to: String,
}

/// How a page's file changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PageState {
    /// The same, byte for byte, as a page of the old atlas.
    Same,
    /// Different content under the same name.
    Changed,
    /// A new name.
    New,
}

/// All that differs between two atlases.
#[derive(Debug, Clone, Default, PartialEq)]
#[non_exhaustive]
pub struct AtlasDiff {
    /// Sprites that were added.
    pub added: Vec<SpriteName>,
    /// Sprites that were removed.
    pub removed: Vec<SpriteName>,
    /// Sprites with another name and the same canvas and pixels: the former name and the new one.
    pub renamed: Vec<(SpriteName, SpriteName)>,
    /// Sprites that both have, and what differs.
    pub changed: Vec<(SpriteName, Vec<SpriteChange>)>,
    /// Clips that were added.
    pub clips_added: Vec<ClipName>,
    /// Clips that were removed.
    pub clips_removed: Vec<ClipName>,
    /// Clips that both have, and what differs: `mode`, `fps`, `steps`, `events`.
    pub clips_changed: Vec<(ClipName, Vec<&'static str>)>,
    /// Values of the atlas and its pages.
    pub values: Vec<ValueChange>,
    /// The files of the new atlas's pages and their layers.
    pub pages: Vec<(String, PageState)>,
    /// Files of pages and layers that were removed.
    pub pages_removed: Vec<String>,
}

impl AtlasDiff {
    /// Whether there is no difference that a game could see; page files may still have other bytes.
    #[must_use]
    pub fn looks_the_same(&self) -> bool {
        let Self { added, removed, renamed, changed, clips_added, clips_removed, clips_changed, values, .. } = self;
        let sprites = added.is_empty() && removed.is_empty() && renamed.is_empty() && changed.is_empty();
        let clips = clips_added.is_empty() && clips_removed.is_empty() && clips_changed.is_empty();
        sprites && clips && values.is_empty()
    }

    /// Whether nothing differs at all.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        let all_same = self.pages.iter().all(|(_, state)| *state == PageState::Same);
        self.looks_the_same() && all_same && self.pages_removed.is_empty()
    }

    /// How many sprites have this kind of change.
    #[must_use]
    pub fn count(&self, kind: impl Fn(&SpriteChange) -> bool) -> usize {
        self.changed.iter().filter(|(_, changes)| changes.iter().any(&kind)).count()
    }
}

/// Compares two atlases.
#[must_use]
pub fn compare(old: Side<'_>, new: Side<'_>) -> AtlasDiff {
    let mut diff = AtlasDiff::default();
    let (before, after) = (&old.atlas.sprites, &new.atlas.sprites);
    diff.removed = before.keys().filter(|name| !after.contains_key(*name)).cloned().collect();
    diff.added = after.keys().filter(|name| !before.contains_key(*name)).cloned().collect();
    diff.renamed = renamed(&diff, old, new);
    let known: BTreeSet<&SpriteName> = diff.renamed.iter().flat_map(|(from, to)| [from, to]).collect();
    let (removed, added) = (&mut diff.removed, &mut diff.added);
    [removed, added].into_iter().for_each(|names| names.retain(|name| !known.contains(name)));
    for (name, now) in after {
        let Some(was) = before.get(name) else { continue };
        let changes = changes(old, was, new, now);
        if !changes.is_empty() {
            diff.changed.push((name.clone(), changes));
        }
    }
    clips(&mut diff, &old.atlas.clips, &new.atlas.clips);
    diff.values = values(old.atlas, new.atlas);
    pages(&mut diff, old.atlas, new.atlas);
    diff
}

/// What differs between the values of both atlases and their pages. The order of pages means nothing.
fn values(old: &Atlas, new: &Atlas) -> Vec<ValueChange> {
    let of = |atlas: &Atlas| {
        let all = |value: &dyn Fn(&Page) -> String| {
            atlas.pages.iter().map(value).collect::<BTreeSet<_>>().into_iter().collect::<Vec<_>>().join(", ")
        };
        [
            ("scale", atlas.scale.to_string()),
            ("alpha", all(&|page| page.alpha.word().to_owned())),
            ("colour", all(&|page| page.colour.word().to_owned())),
            ("pixels", all(&|page| page.pixels.word().to_owned())),
            ("filter", all(&|page| page.sampling.filter.word().to_owned())),
            ("wrap", all(&|page| page.sampling.wrap.word().to_owned())),
            ("mips", all(&|page| page.sampling.mips.to_string())),
        ]
    };
    let pairs = of(old).into_iter().zip(of(new)).filter(|((_, from), (_, to))| from != to);
    pairs.map(|((key, from), (_, to))| ValueChange { key, from, to }).collect()
}

fn spot(sprite: &Sprite) -> Spot {
    Spot { page: sprite.page, rect: sprite.rect, turned: sprite.turned }
}

fn changes(old: Side<'_>, was: &Sprite, new: Side<'_>, now: &Sprite) -> Vec<SpriteChange> {
    let mut changes = Vec::new();
    let (from, to) = (spot(was), spot(now));
    if from != to {
        changes.push(SpriteChange::Moved { from, to });
    }
    if was.canvas != now.canvas {
        changes.push(SpriteChange::Resized { from: was.canvas, to: now.canvas });
    } else if !same_place_of_same_page(old, was, new, now)
        && let Some((pixels, area)) = repainted(old, was, new, now)
    {
        changes.push(SpriteChange::Repainted { pixels, area });
    }
    let wrap = |side: Side<'_>, sprite: &Sprite| side.atlas.pages.get(sprite.page).map(|page| page.sampling.wrap);
    let values = [
        ("pivot", was.pivot != now.pivot),
        ("points", was.points != now.points),
        ("stretch", was.stretch != now.stretch),
        ("tags", was.tags != now.tags),
        ("user", was.user != now.user),
        ("wrap", wrap(old, was) != wrap(new, now)),
    ];
    let values: Vec<&str> = values.into_iter().filter(|(_, differs)| *differs).map(|(value, _)| value).collect();
    if !values.is_empty() {
        changes.push(SpriteChange::Values(values));
    }
    changes
}

/// Whether their pixels need not be compared.
fn same_place_of_same_page(old: Side<'_>, was: &Sprite, new: Side<'_>, now: &Sprite) -> bool {
    let hash = |side: Side<'_>, sprite: &Sprite| side.atlas.pages.get(sprite.page).map(|page| page.hash.clone());
    spot(was) == spot(now) && was.inset == now.inset && hash(old, was) == hash(new, now)
}

/// A sprite's pixels on its canvas, without colour under transparent pixels.
fn restored(side: Side<'_>, sprite: &Sprite) -> Option<Pixels> {
    let mut pixels = sprite.restore(side.pages.get(sprite.page)?)?;
    pixels.clear_hidden_colour();
    Some(pixels)
}

/// How many pixels differ, and the part of the canvas that contains them.
fn repainted(old: Side<'_>, was: &Sprite, new: Side<'_>, now: &Sprite) -> Option<(u64, Rect)> {
    let (before, after) = (restored(old, was)?, restored(new, now)?);
    let (mut pixels, mut left, mut top, mut right, mut bottom) = (0, u32::MAX, u32::MAX, 0, 0);
    for y in 0..after.size().h {
        let rows = before.row(y).chunks_exact(PIXEL).zip(after.row(y).chunks_exact(PIXEL));
        for (x, _) in (0..).zip(rows).filter(|(_, (a, b))| a != b) {
            pixels += 1;
            (left, top, right, bottom) = (left.min(x), top.min(y), right.max(x), bottom.max(y));
        }
    }
    (pixels > 0).then(|| (pixels, Rect::new(left, top, right - left + 1, bottom - top + 1)))
}

/// Pairs of a removed and an added sprite with equal canvases; sprites that look alike are paired in the order of names.
fn renamed(diff: &AtlasDiff, old: Side<'_>, new: Side<'_>) -> Vec<(SpriteName, SpriteName)> {
    let sum = |pixels: &Pixels| {
        let mut hasher = DefaultHasher::new();
        hasher.write(pixels.as_bytes());
        hasher.finish()
    };
    let mut removed: BTreeMap<(Size, u64), Vec<(&SpriteName, Pixels)>> = BTreeMap::new();
    for name in diff.removed.iter().rev() {
        if let Some(pixels) = old.atlas.sprites.get(name).and_then(|sprite| restored(old, sprite)) {
            removed.entry((pixels.size(), sum(&pixels))).or_default().push((name, pixels));
        }
    }
    let mut pairs = Vec::new();
    for name in &diff.added {
        let Some(pixels) = new.atlas.sprites.get(name).and_then(|sprite| restored(new, sprite)) else { continue };
        let alike = removed.get_mut(&(pixels.size(), sum(&pixels)));
        let found = alike.and_then(|alike| alike.pop_if(|(_, was)| *was == pixels));
        pairs.extend(found.map(|(was, _)| (was.clone(), name.clone())));
    }
    pairs.sort();
    pairs
}

fn clips(diff: &mut AtlasDiff, before: &BTreeMap<ClipName, Clip>, after: &BTreeMap<ClipName, Clip>) {
    diff.clips_removed = before.keys().filter(|name| !after.contains_key(*name)).cloned().collect();
    diff.clips_added = after.keys().filter(|name| !before.contains_key(*name)).cloned().collect();
    for (name, now) in after {
        let Some(was) = before.get(name) else { continue };
        let shown = |clip: &Clip| clip.steps.iter().map(|step| (step.sprite.clone(), step.ms)).collect::<Vec<_>>();
        let events = |clip: &Clip| clip.steps.iter().map(|step| step.events.clone()).collect::<Vec<_>>();
        let values = [
            ("mode", was.mode != now.mode),
            ("fps", was.fps != now.fps),
            ("steps", shown(was) != shown(now)),
            ("events", events(was) != events(now) && shown(was) == shown(now)),
        ];
        let values: Vec<&str> = values.into_iter().filter(|(_, differs)| *differs).map(|(value, _)| value).collect();
        if !values.is_empty() {
            diff.clips_changed.push((name.clone(), values));
        }
    }
}

/// The files of pages and layers with their hashes.
fn files(atlas: &Atlas) -> Vec<(&str, &str)> {
    atlas
        .pages
        .iter()
        .flat_map(|page| {
            let layers = page.layers.values().map(|layer| (layer.file.as_str(), layer.hash.as_str()));
            [(page.file.as_str(), page.hash.as_str())].into_iter().chain(layers)
        })
        .collect()
}

fn pages(diff: &mut AtlasDiff, old: &Atlas, new: &Atlas) {
    let (before, after) = (files(old), files(new));
    let state = |(file, hash): &(&str, &str)| {
        if before.iter().any(|(_, was)| was == hash) {
            PageState::Same
        } else if before.iter().any(|(was, _)| was == file) {
            PageState::Changed
        } else {
            PageState::New
        }
    };
    diff.pages = after.iter().map(|page| (page.0.to_owned(), state(page))).collect();
    // A file that was only renamed is not removed.
    let gone = |(file, hash): &&(&str, &str)| !after.iter().any(|(now, there)| now == file || there == hash);
    diff.pages_removed = before.iter().filter(gone).map(|(file, _)| (*file).to_owned()).collect();
}
