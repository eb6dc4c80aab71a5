//! What differs between two atlases, as text and as JSON.

use crate::opened::Opened;
use crate::style::NAME;
use serde_json::{Value, json};
use std::fmt::{Display, Write as _};
use zemtak_build::format;
use zemtak_core::diff::{AtlasDiff, PageState, Spot, SpriteChange, ValueChange, compare};
use zemtak_core::name::SpriteName;

/// What differs between two atlases.
#[derive(Debug, Clone)]
pub struct Difference {
    old: String,
    new: String,
    sprites: [usize; 2],
    /// Sprites, clips and files.
    pub diff: AtlasDiff,
    /// Each page or layer of the new atlas, what happened to it, and its bytes.
    pages: Vec<(String, PageState, u64)>,
    /// Whether the descriptor's bytes differ.
    descriptor_changed: bool,
    /// What a player with the old files downloads, and the size of all new files.
    download: [u64; 2],
}

impl Difference {
    /// Compares two atlases.
    #[must_use]
    pub fn between(old: &Opened, new: &Opened) -> Self {
        let diff = compare(old.side(), new.side());
        let pages: Vec<(String, PageState, u64)> =
            diff.pages.iter().map(|(file, state)| (file.clone(), *state, new.size(file))).collect();
        let descriptor_changed = old.text() != new.text();
        let anew = pages.iter().filter(|(_, state, _)| *state != PageState::Same).map(|(.., bytes)| bytes).sum::<u64>();
        let text = if descriptor_changed { new.text().len() as u64 } else { 0 };
        Self {
            old: old.path.clone(),
            new: new.path.clone(),
            sprites: [old.atlas.sprites.len(), new.atlas.sprites.len()],
            diff,
            pages,
            descriptor_changed,
            download: [anew + text, new.bytes()],
        }
    }

    /// Whether anything differs.
    #[must_use]
    pub fn any(&self) -> bool {
        self.descriptor_changed || !self.diff.is_empty()
    }
}

/// Names shown by default.
const FEW: usize = 4;

/// The first entries of a list and how many more there are, or all of it: a single further entry takes no more space
/// than saying so.
fn some(items: &[String], verbose: bool) -> String {
    let most = if verbose || items.len() <= FEW + 1 { items.len() } else { FEW };
    format::some_of(items, most)
}

fn names<N: Display>(names: &[N]) -> Vec<String> {
    names.iter().map(N::to_string).collect()
}

/// For each changed sprite its changes in words; only its name if no words are needed.
fn told(diff: &AtlasDiff, words: impl Fn(&SpriteChange) -> Option<String>) -> Vec<String> {
    let of = |(name, changes): &(SpriteName, Vec<SpriteChange>)| {
        let words = changes.iter().find_map(&words)?;
        Some(if words.is_empty() { name.to_string() } else { format!("{name} ({words})") })
    };
    diff.changed.iter().filter_map(of).collect()
}

fn state_words(state: PageState) -> &'static str {
    match state {
        PageState::Same => "same",
        PageState::Changed => "changed",
        PageState::New => "new",
    }
}

impl Difference {
    /// As text.
    #[must_use]
    pub fn text(&self, verbose: bool) -> String {
        let [old, new] = [&self.old, &self.new].map(|path| format::name(path));
        let mut out = match old == new {
            true => format!("{NAME}{new}{NAME:#}, before and now\n"),
            false => format!("{NAME}{old}{NAME:#} -> {NAME}{new}{NAME:#}\n"),
        };
        if !self.any() {
            let _ = writeln!(out, "  the same, byte for byte: {}", format::count(self.sprites[1], "sprite", "sprites"));
            return out;
        }
        let mut line = |key: &str, value: &str| _ = writeln!(out, "  {key:<10}{value}");
        let [before, after] = self.sprites.map(|count| format::number(count as u64));
        for ValueChange { key, from, to } in &self.diff.values {
            line(key, &format!("{from} -> {to}"));
        }
        let same = if self.diff.looks_the_same() { ", all as they were" } else { "" };
        line("sprites", &if before == after { after + same } else { format!("{before} -> {after}") });
        for (key, items) in self.lists().iter().filter(|(_, items)| !items.is_empty()) {
            line(key, &format!("{}: {}", format::number(items.len() as u64), some(items, verbose)));
        }
        line("pages", &some(&self.page_words(), verbose));
        let [anew, all] = self.download.map(format::bytes);
        line("download", &format!("{anew} of {all} for a player who has the old files"));
        out
    }

    /// The differences, by kind.
    fn lists(&self) -> [(&'static str, Vec<String>); 8] {
        let diff = &self.diff;
        let pixels = |n: u64| format::count(usize::try_from(n).unwrap_or(usize::MAX), "pixel", "pixels");
        [
            ("added", names(&diff.added)),
            ("removed", names(&diff.removed)),
            ("renamed", diff.renamed.iter().map(|(from, to)| format!("{from} -> {to}")).collect()),
            (
                "repainted",
                told(diff, |change| match change {
                    SpriteChange::Repainted { pixels: count, .. } => Some(pixels(*count)),
                    _ => None,
                }),
            ),
            (
                "resized",
                told(diff, |change| match change {
                    SpriteChange::Resized { from, to } => Some(format!("{from} -> {to}")),
                    _ => None,
                }),
            ),
            (
                "values",
                told(diff, |change| match change {
                    SpriteChange::Values(values) => Some(values.join(", ")),
                    _ => None,
                }),
            ),
            ("moved", told(diff, |change| matches!(change, SpriteChange::Moved { .. }).then(String::new))),
            ("clips", self.clip_words()),
        ]
    }

    fn clip_words(&self) -> Vec<String> {
        let AtlasDiff { clips_added, clips_removed, clips_changed, .. } = &self.diff;
        let added = clips_added.iter().map(|name| format!("{name} added"));
        let removed = clips_removed.iter().map(|name| format!("{name} removed"));
        added
            .chain(removed)
            .chain(clips_changed.iter().map(|(name, values)| format!("{name} ({})", values.join(", "))))
            .collect()
    }

    fn page_words(&self) -> Vec<String> {
        let pages = self
            .pages
            .iter()
            .map(|(file, state, bytes)| format!("{file} {}, {}", state_words(*state), format::bytes(*bytes)));
        pages.chain(self.diff.pages_removed.iter().map(|file| format!("{file} removed"))).collect()
    }

    /// As JSON.
    #[must_use]
    pub fn json(&self) -> Value {
        let diff = &self.diff;
        let spot = |spot: &Spot| json!({ "page": spot.page, "box": spot.rect, "turned": spot.turned });
        let sprite = |(name, changes): &(SpriteName, Vec<SpriteChange>)| {
            let mut told = json!({ "sprite": name });
            for change in changes {
                match change {
                    SpriteChange::Moved { from, to } => told["moved"] = json!({ "from": spot(from), "to": spot(to) }),
                    SpriteChange::Resized { from, to } => told["resized"] = json!({ "from": from, "to": to }),
                    SpriteChange::Repainted { pixels, area } => {
                        told["repainted"] = json!({ "pixels": pixels, "area": area });
                    }
                    SpriteChange::Values(values) => told["values"] = json!(values),
                    _ => {}
                }
            }
            told
        };
        let page = |(file, state, bytes): &(String, PageState, u64)| json!({ "file": file, "state": state_words(*state), "bytes": bytes });
        let clip =
            |(name, values): &(zemtak_core::name::ClipName, Vec<&str>)| json!({ "clip": name, "values": values });
        let renamed = |(from, to): &(SpriteName, SpriteName)| json!({ "from": from, "to": to });
        let value = |ValueChange { key, from, to }: &ValueChange| json!({ "key": key, "from": from, "to": to });
        json!({
            "old": self.old, "new": self.new, "same": !self.any(),
            "added": diff.added, "removed": diff.removed, "renamed": diff.renamed.iter().map(renamed).collect::<Vec<_>>(),
            "changed": diff.changed.iter().map(sprite).collect::<Vec<_>>(),
            "clips_added": diff.clips_added, "clips_removed": diff.clips_removed,
            "clips_changed": diff.clips_changed.iter().map(clip).collect::<Vec<_>>(),
            "values": diff.values.iter().map(value).collect::<Vec<_>>(),
            "pages": self.pages.iter().map(page).collect::<Vec<_>>(), "pages_removed": diff.pages_removed,
            "download_bytes": self.download[0], "all_bytes": self.download[1],
        })
    }
}
