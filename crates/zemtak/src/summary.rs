//! What is told of a built atlas.

use crate::build::{Plan, Shared};
use crate::explain::Explained;
use crate::show;
use comfy_table::{CellAlignment, Table};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use zemtak_core::atlas::Atlas;
use zemtak_core::name::{ClipName, SpriteName};

/// What became of an atlas.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// Some of its files were written.
    #[default]
    Built,
    /// All of its files were as they are to be.
    Unchanged,
    /// Some of its files would be written, if that were asked for.
    OutOfDate,
}

/// The summary of one built atlas.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Summary {
    /// The atlas's name.
    pub name: String,
    /// What became of it.
    pub state: State,
    /// The descriptor's path.
    pub descriptor: String,
    /// Size in relation to the sources.
    pub scale: f64,
    sprites: usize,
    twins: usize,
    empty: usize,
    clips: usize,
    pages: Vec<PageSummary>,
    filled: f64,
    texture_bytes: u64,
    /// Bytes of the sprites as textures of their own.
    pub loose_bytes: u64,
    binds: Binds,
    /// Files that were written beside the descriptor.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
    /// Files whose colour profile, gamma or the like was left out of account, by what it is.
    pub ignored: BTreeMap<String, Vec<String>>,
    same_frame_number: BTreeMap<String, Vec<String>>,
    /// What is odd about rules and sprites.
    pub warnings: Vec<String>,
    /// Files that are no images.
    pub skipped_files: usize,
    /// Whether the search for a layout was cut short by Ctrl-C.
    pub cut_short: bool,
    /// How many times the pixels mip levels take.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mip_cost: Option<f64>,
    /// What keeping boxes in place came to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<Kept>,
    /// Why the layout is not smaller, where that was asked.
    #[serde(skip_serializing_if = "Option::is_none", skip_deserializing)]
    pub why: Option<Explained>,
    /// How long it took.
    pub seconds: f64,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct PageSummary {
    file: String,
    width: u32,
    height: u32,
    filled_pixels: u64,
    file_bytes: u64,
}

/// Texture binds to draw every sprite once: loose, a texture each; packed, a page each.
#[derive(Debug, Clone, Copy, Default, Serialize, Deserialize)]
struct Binds {
    before: usize,
    after: usize,
}

/// What keeping boxes in place came to.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct Kept {
    /// Sprites that were there before and lie elsewhere now.
    pub moved: usize,
    /// The pixels of all pages.
    pub pixels: u64,
    /// The pixels of all pages of a layout in which nothing has to stay.
    pub full_layout_pixels: u64,
}

impl Kept {
    fn text(self) -> String {
        let moved = show::count(self.moved, "sprite", "sprites");
        match self.pixels.saturating_sub(self.full_layout_pixels) {
            0 => format!("{moved} moved; a full layout would be no smaller"),
            less => format!("{moved} moved; a full layout would be {} smaller", show::percent(less, self.pixels)),
        }
    }
}

impl Summary {
    /// What the plan alone tells.
    #[must_use]
    pub fn of(plan: &Plan<'_>, name: &str) -> Self {
        let Shared { twins, empty } = plan.shared();
        let names = |(clip, sprites): &(ClipName, Vec<SpriteName>)| {
            (clip.to_string(), sprites.iter().map(ToString::to_string).collect())
        };
        Self {
            name: name.to_owned(),
            twins,
            empty,
            same_frame_number: plan.clips().same_number.iter().map(names).collect(),
            cut_short: plan.cut_short,
            ..Self::default()
        }
    }

    /// Adds what the finished atlas tells.
    pub fn finish(&mut self, plan: &Plan<'_>, atlas: &Atlas, file_bytes: &[u64]) {
        let pages = atlas.pages.iter().zip(file_bytes).enumerate().map(|(i, (page, &file_bytes))| PageSummary {
            file: page.file.clone(),
            width: page.width,
            height: page.height,
            filled_pixels: plan.filled(i),
            file_bytes,
        });
        self.pages = pages.collect();
        let area: u64 = atlas.pages.iter().map(|p| p.size().area()).sum();
        let filled: u64 = self.pages.iter().map(|p| p.filled_pixels).sum();
        #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
        let ratio = if area == 0 { 0.0 } else { filled as f64 / area as f64 };
        self.filled = ratio;
        self.scale = atlas.scale;
        self.sprites = atlas.sprites.len();
        self.clips = atlas.clips.len();
        self.binds = Binds { before: atlas.sprites.len(), after: self.pages.len() };
        self.texture_bytes = area * 4;
    }

    /// What people should know beside the summary.
    #[must_use]
    pub fn all_warnings(&self) -> Vec<String> {
        let same = self.same_frame_number.iter().map(|(clip, sprites)| {
            let sprites: Vec<String> = sprites.iter().map(|s| show::name(s)).collect();
            format!("clip {}: {} have one frame number; all are steps", show::name(clip), sprites.join(" and "))
        });
        same.chain(self.warnings.iter().cloned()).collect()
    }

    /// The first line of it.
    #[must_use]
    pub fn line(&self) -> String {
        let sprites = show::count(self.sprites, "sprite", "sprites");
        let pages = show::count(self.pages.len(), "page", "pages");
        let what = match self.state {
            State::Unchanged => "unchanged, ",
            State::OutOfDate => "out of date, to be ",
            State::Built => "",
        };
        format!("{}: {what}{sprites} on {pages} -> {}", self.name, show::name(&self.descriptor))
    }

    /// For people.
    #[must_use]
    pub fn text(&self, verbose: bool) -> String {
        let mut out = self.line() + "\n";
        if self.state == State::Built || verbose || self.why.is_some() {
            let _ = writeln!(out, "{}", self.page_table().trim_fmt());
            self.write_lines(&mut out, verbose);
        } else if let Some(kept) = self.kept {
            let _ = writeln!(out, "  kept     {}", kept.text());
        }
        out + &self.why.as_ref().map(Explained::text).unwrap_or_default()
    }

    fn write_lines(&self, out: &mut String, verbose: bool) {
        let mut line = |key: &str, value: String| {
            let _ = writeln!(out, "  {key:<9}{value}");
        };
        let twins = match self.twins {
            0 => "none".into(),
            n => format!("{} drawn from the box of another", show::count(n, "sprite", "sprites")),
        };
        line("twins", twins);
        if self.empty > 0 {
            line("empty", format!("{} without a visible pixel", show::count(self.empty, "sprite", "sprites")));
        }
        line("clips", show::number(self.clips as u64));
        let (texture, loose) = (show::bytes(self.texture_bytes), show::bytes(self.loose_bytes));
        line("textures", format!("{loose} loose -> {texture} packed"));
        line("binds", format!("{} loose -> {} packed", show::number(self.binds.before as u64), self.binds.after));
        if !self.also.is_empty() {
            line("also", self.also.join(", "));
        }
        if let Some(cost) = self.mip_cost {
            line("mips", format!("room for them takes {:.1} % more pixels", (cost - 1.0) * 100.0));
        }
        if let Some(kept) = self.kept {
            line("kept", kept.text());
        }
        let most = if verbose { usize::MAX } else { 3 };
        for (kind, files) in &self.ignored {
            let count = show::count(files.len(), "file", "files");
            line("ignored", format!("{kind} in {count}: {}", show::some_of(files, most)));
        }
        if self.skipped_files > 0 {
            line("skipped", format!("{} no image", show::count(self.skipped_files, "file is", "files are")));
        }
        if self.cut_short {
            line("layout", "cut short by Ctrl-C; the whole search may find a denser one".into());
        }
        line("time", format!("{:.2} s", self.seconds));
    }

    fn page_table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        for page in &self.pages {
            let area = u64::from(page.width) * u64::from(page.height);
            table.add_row([
                format!(" {}", page.file),
                format!("{} x {}", page.width, page.height),
                format!("{} filled", show::percent(page.filled_pixels, area)),
                show::bytes(page.file_bytes),
            ]);
        }
        for column in table.column_iter_mut().skip(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table
    }
}
