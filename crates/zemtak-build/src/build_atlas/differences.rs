//! Why an atlas is out of date: how it differs from the one that is in place.

use super::Output;
use crate::format;
use crate::former::Former;
use crate::plan::Plan;
use std::path::Path;
use zemtak_core::atlas::{Atlas, Clip, Page, Sprite};
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::Rect;
use zemtak_core::name::{ClipName, SpriteName};

/// What differs, in words; the settings first, then sprites, clips, pages and files.
pub(super) fn between(
    old: Option<&Atlas>,
    new: &Atlas,
    plan: &Plan<'_>,
    former: &Former,
    outputs: &[Output],
    out: &Path,
) -> Vec<String> {
    let Some(old) = old else { return vec!["not built yet".into()] };
    let mut told = settings(old, new);
    told.extend(sprites(old, new, plan, former));
    told.extend(clips(old, new));
    if old.pages.len() != new.pages.len() {
        told.push(format!("{} -> {}", format::count(old.pages.len(), "page", "pages"), new.pages.len()));
    }
    if told.is_empty() {
        told.extend(files(outputs, out));
    }
    told
}

/// Keys that are said to be otherwise, as the descriptors tell.
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

/// Sprites that came, went, or look or are placed otherwise. Where they lie on a page does not count.
fn sprites(old: &Atlas, new: &Atlas, plan: &Plan<'_>, former: &Former) -> Option<String> {
    let names = |names: Vec<&SpriteName>| names.into_iter().map(ToString::to_string).collect::<Vec<_>>();
    let came = names(new.sprites.keys().filter(|name| !old.sprites.contains_key(*name)).collect());
    let went = names(old.sprites.keys().filter(|name| !new.sprites.contains_key(*name)).collect());
    let placed = |sprite: &Sprite| {
        let mut placed = sprite.clone();
        (placed.page, placed.rect, placed.turned) = (0, Rect::at(0, 0, sprite.upright()), false);
        placed.uv = UvRect([0.0; 4]);
        placed
    };
    let stored = former.hashes();
    let otherwise = |(name, sprite): &(&SpriteName, &Sprite)| {
        old.sprites.get(*name).is_some_and(|before| {
            let stored = stored.get(&(before.page, before.rect)).copied();
            let other = stored.is_some_and(|stored| plan.hash_of(name) != Some(stored));
            other || placed(before) != placed(sprite)
        })
    };
    let changed = names(new.sprites.iter().filter(otherwise).map(|(name, _)| name).collect());
    counted("sprite", "sprites", &[("new", &came), ("changed", &changed), ("gone", &went)])
}

/// Clips that came, went, or are played otherwise.
fn clips(old: &Atlas, new: &Atlas) -> Option<String> {
    let names = |names: Vec<&ClipName>| names.into_iter().map(ToString::to_string).collect::<Vec<_>>();
    let came = names(new.clips.keys().filter(|name| !old.clips.contains_key(*name)).collect());
    let went = names(old.clips.keys().filter(|name| !new.clips.contains_key(*name)).collect());
    let otherwise = |(name, clip): &(&ClipName, &Clip)| old.clips.get(*name).is_some_and(|before| before != *clip);
    let changed = names(new.clips.iter().filter(otherwise).map(|(name, _)| name).collect());
    counted("clip", "clips", &[("new", &came), ("changed", &changed), ("gone", &went)])
}

/// `1 sprite new (moth/9), 2 changed (lamp, reed)`; nothing for nothing.
fn counted(one: &str, many: &str, parts: &[(&str, &[String])]) -> Option<String> {
    let mut told = Vec::new();
    for (what, names) in parts.iter().filter(|(_, names)| !names.is_empty()) {
        let count = names.len();
        let counted = if told.is_empty() { format::count(count, one, many) } else { format::number(count as u64) };
        told.push(format!("{counted} {what} ({})", format::first_of(names)));
    }
    (!told.is_empty()).then(|| told.join(", "))
}

/// Files that are missing or not as they were written, where nothing else differs.
fn files(outputs: &[Output], out: &Path) -> Vec<String> {
    let told = |output: &Output| {
        let there = out.join(&output.file).exists();
        format!("{} {}", output.file, if there { "is not as this build writes it" } else { "is missing" })
    };
    outputs.iter().filter(|output| output.changed).map(told).collect()
}
