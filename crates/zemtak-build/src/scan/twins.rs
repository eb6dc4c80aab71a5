//! Sprites that look the same, or nearly.

use super::finding::{FindingItem, FindingKind, Findings};
use super::image::{BANDS, ScannedSprite};
use crate::allowance::Allowance;
use crate::format;
use crate::observer::Observer;
use crate::store::Hash;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use zemtak_core::geometry::{Rect, Size};

/// Near twins have at least half of their bands in common.
const COMMON_BANDS: usize = BANDS / 2;

/// A band that more sprites share means nothing, such as when figures stand on the same ground.
const MOST_SHARING: usize = 40;

/// At most this many pairs are compared, because both pictures of each are decoded once more.
const MOST_PAIRS: usize = 4000;

/// Near twins may differ in this many pixels, or in a two-hundredth of them if that is less, but always in one.
const MOST_PIXELS: u64 = 12;

pub(super) fn find(sprites: &[ScannedSprite], findings: &mut Findings, allowance: &Allowance, observer: &dyn Observer) {
    let mut sets: BTreeMap<(Size, Hash), Vec<&ScannedSprite>> = BTreeMap::new();
    for sprite in sprites {
        if let Some(part) = sprite.visible {
            sets.entry((part.size(), sprite.content)).or_default().push(sprite);
        }
    }
    for set in sets.values().filter(|set| set.len() > 1) {
        let places: BTreeSet<_> =
            set.iter().map(|sprite| (sprite.canvas, sprite.visible.map(|v| (v.x, v.y)))).collect();
        let kind = if places.len() > 1 { FindingKind::MovedTwins } else { FindingKind::Twins };
        let about = set.iter().map(|sprite| sprite.name.to_string()).collect();
        findings.add(kind, FindingItem { about, detail: None });
    }
    let different: Vec<&ScannedSprite> = sets.values().map(|set| set[0]).collect();
    let mut pairs = alike(&different);
    let too_many = pairs.split_off(pairs.len().min(MOST_PAIRS));
    let near = pairs.par_iter().filter(|_| !observer.cancelled()).filter_map(|[a, b]| compare(a, b, allowance));
    near.collect::<Vec<FindingItem>>().into_iter().for_each(|item| findings.add(FindingKind::NearTwins, item));
    let mut folders: BTreeMap<&str, usize> = BTreeMap::new();
    for [a, _] in too_many {
        *folders.entry(a.name.as_str().rsplit_once('/').map_or(".", |(folder, _)| folder)).or_default() += 1;
    }
    let not_compared = |(folder, count)| FindingItem::with(folder, format::count(count, "pair", "pairs"));
    folders.into_iter().map(not_compared).for_each(|item| findings.add(FindingKind::NotCompared, item));
}

/// Pairs of sprites of the same size that have most of their rows in common.
fn alike<'s>(sprites: &[&'s ScannedSprite]) -> Vec<[&'s ScannedSprite; 2]> {
    let mut by_band: BTreeMap<(Size, usize, u64), Vec<usize>> = BTreeMap::new();
    for (at, sprite) in sprites.iter().enumerate() {
        let size = sprite.visible.map(Rect::size).unwrap_or_default();
        for (n, band) in sprite.bands.iter().enumerate().filter(|(_, band)| **band != 0) {
            by_band.entry((size, n, *band)).or_default().push(at);
        }
    }
    let mut common: HashMap<(usize, usize), usize> = HashMap::new();
    for sharing in by_band.values().filter(|sharing| sharing.len() <= MOST_SHARING) {
        for (i, a) in sharing.iter().enumerate() {
            sharing[i + 1..].iter().for_each(|b| *common.entry((*a, *b)).or_default() += 1);
        }
    }
    let mut pairs: Vec<(usize, usize)> =
        common.into_iter().filter(|(_, bands)| *bands >= COMMON_BANDS).map(|(pair, _)| pair).collect();
    pairs.sort_unstable();
    pairs.into_iter().map(|(a, b)| [sprites[a], sprites[b]]).collect()
}

/// How many pixels differ, if they are few.
fn compare(a: &ScannedSprite, b: &ScannedSprite, allowance: &Allowance) -> Option<FindingItem> {
    let [(part, of_a), (_, of_b)] = [a.pixels(allowance)?.visible_part()?, b.pixels(allowance)?.visible_part()?];
    let size = part.size();
    let pixels = of_a.as_bytes().chunks_exact(4).zip(of_b.as_bytes().chunks_exact(4));
    let mut different = (0_u64..).zip(pixels).filter(|(_, (p, q))| p != q).map(|(at, _)| at);
    let first = different.next()?;
    let count = 1 + different.count() as u64;
    let most = (size.area() / 200).clamp(1, MOST_PIXELS);
    let w = u64::from(size.w);
    (count <= most).then(|| FindingItem {
        about: vec![a.name.to_string(), b.name.to_string()],
        detail: Some(format!(
            "{}, the first at ({}, {}) of the visible box",
            format::count(usize::try_from(count).unwrap_or(usize::MAX), "pixel", "pixels"),
            first % w,
            first / w
        )),
    })
}
