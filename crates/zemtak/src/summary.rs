//! What is shown of a built atlas.

use crate::explain;
use crate::style::{NAME, ODD};
use comfy_table::{CellAlignment, Table};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use zemtak_build::{Kept, SpriteLoss, State, Summary, TextureSummary, format};

/// The text and JSON of a built atlas.
pub struct SummaryReport<'a>(pub &'a Summary);

/// Reports of skipped files that were already shown: how many are not images, and how many are pages of earlier builds.
pub type ShownBefore = BTreeSet<(usize, BTreeMap<String, usize>)>;

fn kept_text(kept: Kept) -> String {
    let moved = format::count(kept.moved, "sprite", "sprites");
    match kept.pixels.saturating_sub(kept.full_layout_pixels) {
        0 => format!("{moved} moved; a full layout would be no smaller"),
        less => format!("{moved} moved; a full layout would be {} smaller", format::percent(less, kept.pixels)),
    }
}

/// How a KTX2 page stores its pixels, as text.
fn stored(texture: &TextureSummary) -> String {
    match texture.mips {
        ..=1 => texture.pixels.word().to_owned(),
        mips => format!("{}, {mips} levels", texture.pixels.word()),
    }
}

/// What a page's blocks lose, as text.
#[must_use]
pub fn lost(file: &str, texture: &TextureSummary) -> Option<String> {
    if !texture.pixels.is_compressed() {
        return None;
    }
    let (Some(psnr), Some(worst)) = (texture.psnr, texture.sprites.first()) else {
        return Some(format!("{file}: lossless"));
    };
    let block = texture.worst_block.map(|b| format!(", worst block {:.1} dB at ({}, {})", b.psnr, b.x, b.y));
    let sprite = format::name(&worst.sprite);
    Some(format!("{file}: PSNR {psnr:.1} dB, lowest {:.1} dB for {sprite}{}", worst.psnr, block.unwrap_or_default()))
}

impl SummaryReport<'_> {
    /// As JSON.
    #[must_use]
    pub fn json(&self) -> Value {
        let mut json = self.0.to_json();
        if !self.0.changes.is_empty() {
            json["changes"] = self.0.changes.as_slice().into();
        }
        if let Some(why) = &self.0.why {
            json["why"] = explain::json(why);
        }
        json
    }

    /// Its first line.
    #[must_use]
    pub fn line(&self) -> String {
        let sprites = format::count(self.0.sprites, "sprite", "sprites");
        let pages = format::count(self.0.pages.len(), "page", "pages");
        let what = match self.0.state {
            State::Unchanged => "unchanged, ".to_owned(),
            State::OutOfDate => format!("{ODD}out of date{ODD:#}, would be "),
            State::Built => String::new(),
        };
        format!("{NAME}{}{NAME:#}: {what}{sprites} on {pages} -> {}", self.0.name, format::name(&self.0.descriptor))
    }

    /// In one line: what changed, the result, and how long it took.
    #[must_use]
    pub fn short(&self) -> String {
        let changes = match &self.0.changes[..] {
            [] => "built".to_owned(),
            changes => format::name(&changes.join("; ")),
        };
        let sprites = format::count(self.0.sprites, "sprite", "sprites");
        let pages = format::count(self.0.pages.len(), "page", "pages");
        let took = match self.0.seconds * 1000.0 {
            ms if ms < 999.5 => format!("{ms:.0} ms"),
            ms => format!("{:.2} s", ms / 1000.0),
        };
        format!("{NAME}{}{NAME:#}: {changes} -> {sprites} on {pages} in {took}", self.0.name)
    }

    /// As text. Files that were skipped beside the sources are reported once, even if several atlases use one folder.
    #[must_use]
    pub fn text(&self, verbose: bool, told: &mut ShownBefore) -> String {
        let mut out = self.line() + "\n";
        if self.0.state == State::OutOfDate && !self.0.changes.is_empty() {
            let _ = writeln!(out, "  changes  {}", format::name(&self.0.changes.join("; ")));
        }
        if self.0.state == State::Built || verbose || self.0.why.is_some() {
            let _ = writeln!(out, "{}", self.page_table().trim_fmt());
            self.write_lines(&mut out, verbose);
            if told.insert((self.0.skipped_files, self.0.own_pictures.clone())) {
                self.write_sources(&mut out);
            }
        } else if let Some(kept) = self.0.kept {
            let _ = writeln!(out, "  kept     {}", kept_text(kept));
        }
        if let Some(why) = &self.0.why {
            self.write_losses(&mut out, if verbose { usize::MAX } else { 10 });
            out.push_str(&explain::text(why));
        }
        out
    }

    /// With `--why`: the sprites that lose most in blocks.
    fn write_losses(&self, out: &mut String, most: usize) {
        let losses = self.0.textures().flat_map(|(_, texture)| &texture.sprites);
        let mut losses: Vec<&SpriteLoss> = losses.collect();
        losses.sort_by(|a, b| a.psnr.total_cmp(&b.psnr).then_with(|| a.sprite.cmp(&b.sprite)));
        if losses.is_empty() {
            return;
        }
        let _ = writeln!(out, "PSNR of sprites in compressed blocks, lowest first");
        for SpriteLoss { sprite, psnr } in losses.iter().take(most) {
            let _ = writeln!(out, "  {psnr:5.1} dB  {}", format::name(sprite));
        }
        if losses.len() > most {
            let _ = writeln!(out, "  and {} more (-v lists them)", format::number((losses.len() - most) as u64));
        }
    }

    fn write_sources(&self, out: &mut String) {
        for (folder, count) in &self.0.own_pictures {
            let count = format::count(*count, "picture", "pictures");
            let folder = if folder.is_empty() { "." } else { folder };
            let _ = writeln!(out, "  skipped  {count} of an earlier build in {}", format::name(folder));
        }
        if self.0.skipped_files > 0 {
            let count = format::count(self.0.skipped_files, "file that is no image", "files that are no images");
            let _ = writeln!(out, "  skipped  {count}");
        }
    }

    fn write_lines(&self, out: &mut String, verbose: bool) {
        let mut line = |key: &str, value: String| {
            let _ = writeln!(out, "  {key:<9}{value}");
        };
        let twins = match self.0.twins {
            0 => "0".into(),
            n => format!("{} drawn from the box of another", format::count(n, "sprite", "sprites")),
        };
        line("twins", twins);
        if self.0.empty > 0 {
            line("empty", format!("{} without a visible pixel", format::count(self.0.empty, "sprite", "sprites")));
        }
        line("clips", format::number(self.0.clips as u64));
        let (texture, loose) = (format::bytes(self.0.texture_bytes), format::bytes(self.0.loose_bytes));
        line("textures", format!("{loose} loose -> {texture} packed"));
        let losses = self.0.textures().filter_map(|(file, texture)| lost(file, texture));
        losses.for_each(|text| line("blocks", text));
        let free = self.0.free_pixels.map(|pixels| (pixels, "--page-shape free"));
        if let Some((pixels, option)) = free.or(self.0.dense_pixels.map(|pixels| (pixels, "--layout dense"))) {
            let now: u64 = self.0.pages.iter().map(|page| u64::from(page.width) * u64::from(page.height)).sum();
            let saved = format::percent(now - pixels, now);
            line("larger", format!("than loose; {option} may save about {saved}, --why tries it"));
        }
        let (before, after) = (format::number(self.0.binds.before as u64), format::number(self.0.binds.after as u64));
        line("binds", format!("{before} loose -> {after} packed"));
        if !self.0.also.is_empty() {
            line("also", self.0.also.join(", "));
        }
        if let Some(cost) = self.0.mip_cost {
            line("mips", format!("room for them takes {}", format::growth(cost, "pixels")));
        }
        if let Some(kept) = self.0.kept {
            line("kept", kept_text(kept));
        }
        let most = if verbose { usize::MAX } else { 3 };
        for (kind, files) in &self.0.ignored {
            let count = format::count(files.len(), "file", "files");
            line("ignored", format!("{kind} in {count}: {}", format::some_of(files, most)));
        }
        if self.0.cut_short {
            line("layout", "cut short by Ctrl-C; the whole search may find a denser one".into());
        }
        line("time", format!("{:.2} s", self.0.seconds));
    }

    fn page_table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        for page in &self.0.pages {
            let area = u64::from(page.width) * u64::from(page.height);
            table.add_row([
                format!(" {}", page.file),
                format!("{} x {}", page.width, page.height),
                format!("{} filled", format::percent(page.filled_pixels, area)),
                format::bytes(page.file_bytes),
                page.texture.as_ref().map(stored).unwrap_or_default(),
            ]);
            for layer in &page.layers {
                let (bytes, texture) = (format::bytes(layer.file_bytes), layer.texture.as_ref());
                let name = format!(" {}", layer.file);
                table.add_row([
                    name,
                    "the same".into(),
                    "boxes".into(),
                    bytes,
                    texture.map(stored).unwrap_or_default(),
                ]);
            }
        }
        for column in table.column_iter_mut().skip(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table
    }
}
