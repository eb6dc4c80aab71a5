//! Why an atlas is out of date: how it differs from the one in place.

use super::{Output, OutputKind};
use crate::format;
use crate::former::Former;
use crate::plan::Plan;
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_core::atlas::{Atlas, Page, Sprite};
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::Rect;
use zemtak_core::name::SpriteName;

/// The differences in words: first settings, then sprites, clips, pages and files.
pub(super) fn between(
    old: Option<&Atlas>,
    new: &Atlas,
    plan: &Plan<'_>,
    former: &Former,
    outputs: &[Output],
    out: &Path,
) -> Vec<String> {
    let Some(old) = old else { return vec!["not built yet".into()] };
    let mut all = settings(old, new);
    all.extend(sprites(old, new, plan, former));
    all.extend(told("clip", "clips", &old.clips, &new.clips, |_, before, now| before != now));
    if old.pages.len() != new.pages.len() {
        all.push(format!("{} -> {}", format::count(old.pages.len(), "page", "pages"), new.pages.len()));
    }
    // Follows from other differences, if there are any.
    if all.is_empty() {
        all.extend(page_sizes(&old.pages, &new.pages));
    }
    if all.is_empty() {
        all.extend(files(outputs, out));
    }
    all
}

/// Keys that differ between the descriptors.
fn settings(old: &Atlas, new: &Atlas) -> Vec<String> {
    let of_built = |atlas: &Atlas| {
        let built = &atlas.built;
        [
            ("gutter", built.gutter.to_string()),
            ("margin", built.margin.to_string()),
            ("extrude", built.extrude.to_string()),
            ("trim", built.trim.to_string()),
            ("visible_alpha", built.visible_alpha.to_string()),
            ("mip_levels", built.mip_levels.to_string()),
            ("resample", built.resample.clone().unwrap_or_default()),
            ("factor", atlas.scale.to_string()),
        ]
    };
    let of_page = |page: &Page| {
        let ending = Path::new(&page.file).extension().map(|e| e.to_string_lossy().into_owned());
        [
            ("alpha", page.alpha.word().to_owned()),
            ("filter", page.sampling.filter.word().to_owned()),
            ("pages_as", ending.unwrap_or_default()),
        ]
    };
    let pairs = of_built(old).into_iter().zip(of_built(new));
    let pages = old.pages.first().zip(new.pages.first());
    let pages = pages.into_iter().flat_map(|(a, b)| of_page(a).into_iter().zip(of_page(b)));
    let differ = pairs.chain(pages).filter(|((_, a), (_, b))| a != b);
    differ.map(|((key, a), (_, b))| format!("{key} {a} -> {b}")).collect()
}

/// Sprites that were added or removed, or that look or are placed differently. Their place on a page does not count.
fn sprites(old: &Atlas, new: &Atlas, plan: &Plan<'_>, former: &Former) -> Option<String> {
    let placed = |sprite: &Sprite| {
        let mut placed = sprite.clone();
        (placed.page, placed.rect, placed.turned) = (0, Rect::at(0, 0, sprite.upright()), false);
        placed.uv = UvRect([0.0; 4]);
        placed
    };
    let stored = former.hashes();
    let otherwise = |name: &SpriteName, before: &Sprite, now: &Sprite| {
        let stored = stored.get(&(before.page, before.rect)).copied();
        stored.is_some_and(|stored| plan.hash_of(name) != Some(stored))
            || (before != now && placed(before) != placed(now))
    };
    told("sprite", "sprites", &old.sprites, &new.sprites, otherwise)
}

/// What was added, changed and removed: `1 sprite added (moth/9), 2 changed (lamp, reed)`. `None` if nothing was.
fn told<K: Ord + ToString, V>(
    one: &str,
    many: &str,
    old: &BTreeMap<K, V>,
    new: &BTreeMap<K, V>,
    otherwise: impl Fn(&K, &V, &V) -> bool,
) -> Option<String> {
    let lacking = |of: &BTreeMap<K, V>, other: &BTreeMap<K, V>| -> Vec<String> {
        of.keys().filter(|name| !other.contains_key(*name)).map(ToString::to_string).collect()
    };
    let changed = new.iter().filter(|(name, now)| old.get(*name).is_some_and(|before| otherwise(name, before, now)));
    let changed = changed.map(|(name, _)| name.to_string()).collect();
    let mut told = Vec::new();
    for (what, names) in [("added", lacking(new, old)), ("changed", changed), ("removed", lacking(old, new))] {
        let count = match names.len() {
            0 => continue,
            // The first count says of what.
            count if told.is_empty() => format::count(count, one, many),
            count => format::number(count as u64),
        };
        told.push(format!("{count} {what} ({})", format::first_of(&names)));
    }
    (!told.is_empty()).then(|| told.join(", "))
}

/// The pages that have another size.
fn page_sizes(old: &[Page], new: &[Page]) -> Option<String> {
    let pairs = old.iter().zip(new).filter(|(old, new)| old.size() != new.size());
    let sizes: Vec<String> = pairs.map(|(old, new)| format!("{} {} -> {}", new.file, old.size(), new.size())).collect();
    (!sizes.is_empty()).then(|| format::first_of(&sizes))
}

/// Files that are missing or differ from what was written, if nothing else differs. The descriptor names the others, so
/// it is mentioned only when it is the only one.
fn files(outputs: &[Output], out: &Path) -> Vec<String> {
    let told = |output: &Output| {
        let there = out.join(&output.file).exists();
        format!("{} {}", output.file, if there { "is not as this build writes it" } else { "is missing" })
    };
    let (descriptors, others): (Vec<&Output>, Vec<&Output>) =
        outputs.iter().filter(|output| output.changed).partition(|output| output.kind == OutputKind::Descriptor);
    let news = if others.is_empty() { descriptors } else { others };
    news.into_iter().map(told).collect()
}
