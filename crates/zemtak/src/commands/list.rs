//! `zemtak list`: the sprites and clips of a descriptor.

use crate::descriptor::{self, Choice};
use crate::report::Report;
use comfy_table::{CellAlignment, Table, presets};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::{Failure, format};
use zemtak_core::atlas::{Clip, Rate, Sprite};
use zemtak_core::name::{ClipName, SpriteName};

/// What to list.
#[derive(Debug, Clone, PartialEq)]
pub struct ListRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// Which sprites; all if nothing is said.
    pub choice: Choice,
}

/// Sprites, and the clips that show one of them.
#[derive(Debug, Clone)]
pub struct List {
    name: String,
    pages: usize,
    sprites: Vec<(SpriteName, Sprite)>,
    clips: Vec<(ClipName, Clip)>,
}

/// Looks them up.
///
/// # Errors
/// The descriptor cannot be used, or a name means nothing.
pub fn run(request: &ListRequest) -> Result<List, Failure> {
    let file = descriptor::open(&request.descriptor)?;
    let atlas = file.atlas();
    let mut seen = BTreeSet::new();
    let chosen = descriptor::choose(atlas, &request.choice)?;
    let sprites: Vec<_> = chosen.into_iter().filter(|(name, _)| seen.insert(*name)).collect();
    let shows = |clip: &Clip| clip.steps.iter().any(|step| seen.contains(&step.sprite));
    let clips = atlas.clips.iter().filter(|(_, clip)| shows(clip)).map(|(n, c)| (n.clone(), c.clone())).collect();
    Ok(List {
        name: atlas.name.clone(),
        pages: atlas.pages.len(),
        sprites: sprites.into_iter().map(|(name, sprite)| (name.clone(), sprite.clone())).collect(),
        clips,
    })
}

/// A clip's pace in words.
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
        let sprites = format::count(self.sprites.len(), "sprite", "sprites");
        let mut out = format!("{}: {sprites} on {}\n", self.name, format::count(self.pages, "page", "pages"));
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_header(["sprite", "page", "box", "canvas", "inset", "pivot", ""]);
        for (name, s) in &self.sprites {
            table.add_row([
                format::name(name.as_str()),
                s.page.to_string(),
                s.rect.to_string(),
                s.canvas.to_string(),
                format!("{}, {}", s.inset[0], s.inset[1]),
                format!("{}, {}", s.pivot[0], s.pivot[1]),
                if s.turned { "turned".into() } else { String::new() },
            ]);
        }
        if let Some(column) = table.column_mut(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table.lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
        if !self.clips.is_empty() {
            let mut table = Table::new();
            table.load_style(presets::NOTHING).set_header(["clip", "steps", "plays"]);
            for (name, clip) in &self.clips {
                table.add_row([format::name(name.as_str()), clip.steps.len().to_string(), pace(clip)]);
            }
            out.push('\n');
            table.lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
        }
        out
    }

    fn kind(&self) -> &'static str {
        "list"
    }

    fn json(&self) -> Value {
        let sprite = |(name, sprite): &(SpriteName, Sprite)| {
            let mut value = json!(sprite);
            value["sprite"] = json!(name);
            value
        };
        let clip = |(name, clip): &(ClipName, Clip)| {
            let mut value = json!(clip);
            value["clip"] = json!(name);
            value
        };
        json!({
            "atlas": self.name,
            "sprites": self.sprites.iter().map(sprite).collect::<Vec<_>>(),
            "clips": self.clips.iter().map(clip).collect::<Vec<_>>(),
        })
    }
}
