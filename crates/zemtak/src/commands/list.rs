//! `zemtak list`: the sprites and clips of a descriptor.

use crate::columns::Columns;
use crate::console::Console;
use crate::descriptor::{self, Choice};
use crate::document::Entries;
use crate::report::Report;
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::path::PathBuf;
use zemtak_build::{Failure, format};
use zemtak_core::atlas::{Clip, Rate, Sprite};
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_runtime::AtlasFile;

/// What to list.
#[derive(Debug, Clone, PartialEq)]
pub struct ListRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// Which sprites; all by default.
    pub choice: Choice,
}

/// Sprites, and the clips that show one of them. There may be a million sprites, so they are not copied.
#[derive(Debug, Clone)]
pub struct List {
    file: AtlasFile,
    /// The chosen sprites, each once; `None` for all.
    chosen: Option<Vec<SpriteName>>,
    clips: Vec<ClipName>,
}

/// Looks them up.
///
/// # Errors
/// The descriptor cannot be used, or a name matches nothing.
pub fn run(request: &ListRequest, console: &Console) -> Result<List, Failure> {
    let file = descriptor::open(&request.descriptor, console.allowance())?;
    let (chosen, clips) = {
        let atlas = file.atlas();
        if request.choice == Choice::default() {
            let clips = atlas.clips.keys().cloned().collect();
            return Ok(List { file, chosen: None, clips });
        }
        let mut seen = BTreeSet::new();
        let chosen = descriptor::choose(atlas, &request.choice, console.allowance().limits())?;
        let chosen: Vec<&SpriteName> =
            chosen.into_iter().map(|(name, _)| name).filter(|name| seen.insert(*name)).collect();
        let shows = |clip: &Clip| clip.steps.iter().any(|step| seen.contains(&step.sprite));
        let clips = atlas.clips.iter().filter(|(_, clip)| shows(clip)).map(|(name, _)| name.clone()).collect();
        (chosen.into_iter().cloned().collect(), clips)
    };
    Ok(List { file, chosen: Some(chosen), clips })
}

impl List {
    fn sprites(&self) -> Box<dyn Iterator<Item = (&SpriteName, &Sprite)> + '_> {
        let sprites = &self.file.atlas().sprites;
        match &self.chosen {
            None => Box::new(sprites.iter()),
            Some(chosen) => Box::new(chosen.iter().filter_map(|name| sprites.get_key_value(name))),
        }
    }

    fn clips(&self) -> impl Iterator<Item = (&ClipName, &Clip)> {
        self.clips.iter().filter_map(|name| self.file.atlas().clips.get_key_value(name))
    }
}

/// The timing of a clip in words.
pub(super) fn pace(clip: &Clip) -> String {
    let mode = clip.mode.word();
    let own = clip.steps.iter().filter(|step| step.ms.is_some()).count();
    let rate = match &clip.fps {
        Some(Rate::Number(fps)) => format!("{fps} fps"),
        Some(Rate::Ratio(fps)) => format!("{fps} fps"),
        None => String::new(),
    };
    match (rate.is_empty(), own) {
        (_, 0) => format!("{mode}, {rate}"),
        (true, _) => format!("{mode}, a duration for each step"),
        (false, _) => format!("{mode}, {rate}, {own} with a duration of their own"),
    }
}

impl Report for List {
    fn text(&self, _: bool) -> String {
        let atlas = self.file.atlas();
        let count = self.chosen.as_ref().map_or(atlas.sprites.len(), Vec::len);
        let (sprites, pages) =
            (format::count(count, "sprite", "sprites"), format::count(atlas.pages.len(), "page", "pages"));
        let mut out = format!("{}: {sprites} on {pages}\n", atlas.name);
        let mut columns = Columns::new(["sprite", "page", "box", "canvas", "inset", "pivot", ""]);
        for (name, s) in self.sprites() {
            let ([x, y], [px, py]) = (s.inset, s.pivot);
            let turned = if s.turned { "turned" } else { "" };
            let (inset, pivot) = (format_args!("{x}, {y}"), format_args!("{px}, {py}"));
            columns.row([&format::name(name.as_str()), &s.page, &s.rect, &s.canvas, &inset, &pivot, &turned]);
        }
        out.push_str(&columns.lines(&[1]));
        if !self.clips.is_empty() {
            let mut columns = Columns::new(["clip", "steps", "plays"]);
            for (name, clip) in self.clips() {
                columns.row([&format::name(name.as_str()), &clip.steps.len(), &pace(clip)]);
            }
            out.push('\n');
            out.push_str(&columns.lines(&[]));
        }
        out
    }

    fn kind(&self) -> &'static str {
        "list"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn json(&self) -> Value {
        json!({ "atlas": self.file.atlas().name, "sprites": [], "clips": [] })
    }

    fn long_list(&self, key: &str) -> Option<Entries<'_>> {
        match key {
            "sprites" => Some(Box::new(self.sprites().map(|(name, sprite)| named("sprite", name.as_str(), sprite)))),
            "clips" => Some(Box::new(self.clips().map(|(name, clip)| named("clip", name.as_str(), clip)))),
            _ => None,
        }
    }
}

/// A value of the descriptor with the name of its object added under `key`.
fn named(key: &str, name: &str, what: &impl Serialize) -> Value {
    let mut value = json!(what);
    value[key] = json!(name);
    value
}
