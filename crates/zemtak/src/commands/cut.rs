//! `zemtak cut`: turns an existing sheet back into sprites: by grid, by islands of visible pixels, or by a descriptor.

use super::grid::{Cut, left_over};
use crate::console::Console;
use crate::descriptor;
use crate::notice::Notice;
use crate::output;
use crate::report::Report;
use rayon::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::settings::Keyword;
use zemtak_build::sources::Source;
use zemtak_build::{Failure, Problem, ProblemKind, decode_source, format, write};
use zemtak_core::atlas::{Alpha, FILE_SUFFIX};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::coords::Sheet;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::islands::{common_canvas, islands};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::straighten;

/// What to cut, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct CutRequest {
    /// The sheet, or a descriptor whose pages are cut.
    pub sheet: PathBuf,
    /// How a sheet is cut.
    pub way: CutBy,
    /// The folder for the sprites.
    pub out: PathBuf,
    /// The pattern of their names, with the placeholders `{sheet}`, `{index}`, `{column}` and `{row}`.
    pub names: String,
    /// Give all sprites the same canvas.
    pub uniform: Option<Stand>,
    /// Write cells without a visible pixel too.
    pub keep_empty: bool,
    /// Replace existing files.
    pub force: bool,
    /// List the sprites without writing them.
    pub dry_run: bool,
}

/// How a sheet is cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CutBy {
    /// Into equal cells.
    Grid {
        /// Which.
        cut: Cut,
        /// Along the edge.
        margin: u32,
        /// Between cells.
        gutter: u32,
    },
    /// Into islands of visible pixels.
    Islands {
        /// Parts separated by fewer empty pixels than this belong together.
        join: u32,
        /// Lowest alpha of a visible pixel.
        visible_alpha: u8,
    },
}

/// Where a sprite is placed on a larger canvas.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stand {
    /// In the middle.
    Centre,
    /// At the bottom, centred.
    Bottom,
}

impl Keyword for Stand {
    const ALL: &'static [(&'static str, &'static str, Self)] =
        &[("centre", "in the middle", Self::Centre), ("bottom", "in the middle of the lower edge", Self::Bottom)];
}

/// The default pattern of names.
pub const NAMES: &str = "{sheet}_{index}";

/// The placeholders that a pattern may use.
const PLACEHOLDERS: [&str; 4] = ["sheet", "index", "column", "row"];

/// A sprite before it is written.
struct Piece {
    name: String,
    /// On the sheet or page; for a sprite of a descriptor, as stored.
    rect: Rect,
    pixels: Pixels,
}

/// What was cut.
#[derive(Debug, Clone)]
pub struct CutUp {
    request: CutRequest,
    /// Names, boxes and canvases.
    sprites: Vec<(String, Rect, Size)>,
    empty: usize,
    warnings: Vec<Notice>,
}

/// Cuts.
///
/// # Errors
/// The sheet or the descriptor cannot be used, names clash or lead out of the folder, or files would be written over.
pub fn run(request: &CutRequest, console: &Console) -> Result<CutUp, Failure> {
    let mut cut = CutUp { request: request.clone(), sprites: Vec::new(), empty: 0, warnings: Vec::new() };
    let by_descriptor = request.sheet.to_string_lossy().ends_with(FILE_SUFFIX);
    let mut pieces =
        if by_descriptor { of_descriptor(request, &mut cut, console)? } else { of_sheet(request, &mut cut, console)? };
    if let Some(stand) = request.uniform {
        let canvas = common_canvas(pieces.iter().map(|p| p.pixels.size()));
        for piece in &mut pieces {
            piece.pixels = on_canvas(&piece.pixels, canvas, stand).ok_or_else(|| too_large(request))?;
        }
    }
    check_names(&pieces)?;
    cut.sprites = pieces.iter().map(|p| (p.name.clone(), p.rect, p.pixels.size())).collect();
    if !request.dry_run {
        put(request, &pieces, console)?;
    }
    Ok(cut)
}

fn too_large(request: &CutRequest) -> Failure {
    Problem::bad_input(ProblemKind::CannotCut, &format::path(&request.sheet), "it is too large", "").into()
}

fn of_descriptor(request: &CutRequest, cut: &mut CutUp, console: &Console) -> Result<Vec<Piece>, Failure> {
    let file = descriptor::open(&request.sheet, console.allowance())?;
    let atlas = file.atlas();
    let (read, _held) = descriptor::read_all_pages(&request.sheet, &file, console.allowance())?.whole()?;
    if !request.dry_run {
        let inputs = output::files_of(&request.sheet, &file);
        let mut targets = atlas.sprites.keys().map(|name| target(request, name.as_str()));
        targets.try_for_each(|target| output::check_input(&target, inputs.iter().map(PathBuf::as_path)))?;
    }
    if atlas.pages.iter().any(|page| page.alpha == Alpha::Premultiplied) {
        let text = "the pages are premultiplied: where alpha is low, colours come back rounded";
        cut.warnings.push(Notice::of_all("premultiplied", text));
    }
    let piece = |(name, sprite): (&SpriteName, &zemtak_core::atlas::Sprite)| {
        console.interrupt.check()?;
        let mut pixels = sprite.restore(&read[sprite.page]).ok_or_else(|| too_large(request))?;
        if atlas.pages[sprite.page].alpha == Alpha::Premultiplied {
            straighten(&mut pixels);
        }
        pixels.clear_hidden_colour();
        Ok(Piece { name: name.to_string(), rect: sprite.rect, pixels })
    };
    let sprites: Vec<_> = atlas.sprites.iter().collect();
    sprites.into_par_iter().map(piece).collect()
}

fn of_sheet(request: &CutRequest, cut: &mut CutUp, console: &Console) -> Result<Vec<Piece>, Failure> {
    let stem = request.sheet.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let shown = format::path(&request.sheet);
    let source = Source { name: SpriteName::new(&stem), path: request.sheet.clone(), shown, layers: Vec::new() };
    let decoded = decode_source(&source, console.allowance())?;
    if decoded.frames.len() > 1 {
        let text = format!("{}: only the first of its frames is cut", source.shown);
        cut.warnings.push(Notice::about("first_frame_only", &source.shown, text));
    }
    let Some(sheet) = decoded.frames.into_iter().next().map(|frame| frame.pixels) else {
        return Err(too_large(request));
    };
    // What is shown for a piece besides its number, and its pixels.
    let found: Vec<(u64, [u64; 2], Rect, Pixels)> = match request.way {
        CutBy::Grid { cut: way, margin, gutter } => {
            let grid = way.grid(Sheet { size: sheet.size(), margin, gutter })?;
            cut.warnings.extend(left_over(&grid));
            let cells: Option<Vec<_>> = (0..grid.count())
                .map(|index| {
                    let cell = grid.cell(index)?;
                    Some((index, [cell.column.into(), cell.row.into()], cell.rect, sheet.crop(cell.rect)?))
                })
                .collect();
            cells.ok_or_else(|| too_large(request))?
        }
        CutBy::Islands { join, visible_alpha } => {
            let lifted = islands(&sheet, visible_alpha, join).into_iter().zip(0..);
            let lifted: Option<Vec<_>> =
                lifted.map(|(island, index)| Some((index, [0, 0], island.rect, island.lift(&sheet)?))).collect();
            lifted.ok_or_else(|| too_large(request))?
        }
    };
    let most = found.iter().fold([0; 3], |most, (index, [column, row], ..)| {
        [most[0].max(*index), most[1].max(*column), most[2].max(*row)]
    });
    let names = Names { pattern: &request.names, sheet: &stem, most, grid: matches!(request.way, CutBy::Grid { .. }) };
    let mut pieces = Vec::new();
    for (index, [column, row], rect, mut pixels) in found {
        pixels.clear_hidden_colour();
        if !request.keep_empty && pixels.visible_box(1).is_none() {
            cut.empty += 1;
            continue;
        }
        pieces.push(Piece { name: names.of([index, column, row])?, rect, pixels });
    }
    Ok(pieces)
}

/// A pattern of names, and the largest numbers that it is filled with: all numbers get as many digits.
struct Names<'a> {
    pattern: &'a str,
    sheet: &'a str,
    most: [u64; 3],
    grid: bool,
}

impl Names<'_> {
    fn of(&self, numbers: [u64; 3]) -> Result<String, Failure> {
        let mut out = String::new();
        let mut rest = self.pattern;
        while let Some((before, after)) = rest.split_once('{') {
            let (key, after) = after.split_once('}').ok_or_else(|| self.wrong("unclosed '{'".into()))?;
            out.push_str(before);
            let number = match PLACEHOLDERS.iter().position(|p| *p == key) {
                Some(0) => None,
                Some(at) if at == 1 || self.grid => Some(at - 1),
                Some(_) => return Err(self.wrong(format!("{{{key}}} is there for grids only"))),
                None => return Err(self.wrong(format!("{{{key}}} is unknown; there are {}", known()))),
            };
            match number {
                None => out.push_str(self.sheet),
                Some(at) => {
                    let digits = self.most[at].to_string().len();
                    let _ = write!(out, "{:0digits$}", numbers[at]);
                }
            }
            rest = after;
        }
        Ok(out + rest)
    }

    fn wrong(&self, why: String) -> Failure {
        Problem::usage(ProblemKind::InvalidNamePattern, &format::name(self.pattern), why, "as in --names walk_{index}")
            .into()
    }
}

fn known() -> String {
    PLACEHOLDERS.map(|p| format!("{{{p}}}")).join(", ")
}

fn on_canvas(pixels: &Pixels, canvas: Size, stand: Stand) -> Option<Pixels> {
    let mut out = Pixels::transparent(canvas)?;
    let size = pixels.size();
    let left = (canvas.w - size.w) / 2;
    let top = match stand {
        Stand::Centre => (canvas.h - size.h) / 2,
        Stand::Bottom => canvas.h - size.h,
    };
    for y in 0..size.h {
        out.row_mut(top + y)[left as usize * PIXEL..][..size.w as usize * PIXEL].copy_from_slice(pixels.row(y));
    }
    Some(out)
}

/// Refuses names that two sprites would share, and names that lead out of the folder.
fn check_names(pieces: &[Piece]) -> Result<(), Failure> {
    let mut problems = Vec::new();
    let mut seen: BTreeMap<&str, usize> = BTreeMap::new();
    for piece in pieces {
        *seen.entry(&piece.name).or_default() += 1;
        let odd = |part: &str| matches!(part, "" | "." | "..") || part.contains(['\\', ':', '\0']);
        if piece.name.split('/').any(odd) {
            let why = "a file of that name might lie outside the folder";
            let help = "choose --names of plain letters, or another descriptor";
            problems.push(Problem::bad_input(ProblemKind::NotAFileName, &format::name(&piece.name), why, help));
        }
    }
    for (name, times) in seen.into_iter().filter(|(_, times)| *times > 1) {
        let why = format!("{times} sprites would have it");
        let help = "let --names hold {index}, or {column} and {row}";
        problems.push(Problem::usage(ProblemKind::SharedCutName, &format::name(name), why, help));
    }
    Failure::unless(problems, ())
}

/// The path of a sprite.
fn target(request: &CutRequest, name: &str) -> PathBuf {
    request.out.join(format!("{name}.png"))
}

/// Writes all sprites, each whole; none if one of them cannot be written.
fn put(request: &CutRequest, pieces: &[Piece], console: &Console) -> Result<(), Failure> {
    let target = |piece: &Piece| target(request, &piece.name);
    let encode = |piece: &Piece| {
        console.interrupt.check()?;
        let encoded = encode_png(&piece.pixels, PngEffort::Balanced);
        encoded.map_err(|error| Problem::not_encoded(&format::path(&target(piece)), &error, "cut it smaller").into())
    };
    let encoded: Vec<Vec<u8>> = pieces.par_iter().map(encode).collect::<Result<_, Failure>>()?;
    let mut problems = Vec::new();
    let mut new = Vec::new();
    for piece in pieces {
        output::check_input(&target(piece), [request.sheet.as_path()])?;
    }
    for (piece, bytes) in pieces.iter().zip(&encoded) {
        let path = target(piece);
        match output::has(&path, bytes) {
            Some(true) => {}
            // Sprites carry no mark of ours: from now on they are somebody's art.
            Some(false) if !request.force => problems.push(output::stranger(&path)),
            _ => new.push((path, bytes)),
        }
    }
    Failure::unless(problems, ())?;
    write::sweep_forgotten(&request.out);
    let mut waiting = Vec::new();
    for (path, bytes) in new {
        write::make_folder(path.parent().unwrap_or(Path::new("")))?;
        waiting.push(write::prepare(&path, bytes)?);
    }
    waiting.into_iter().try_for_each(write::PendingFile::commit)
}

impl Report for CutUp {
    fn text(&self, verbose: bool) -> String {
        let sprites = format::count(self.sprites.len(), "sprite", "sprites");
        let sheet = format::name(&format::path(&self.request.sheet));
        let out = format::name(&format::path(&self.request.out));
        let mut text = if self.request.dry_run {
            format!("{sheet}: {sprites}; nothing was written\n")
        } else {
            format!("{sheet}: {sprites} -> {out}/\n")
        };
        let most = if verbose || self.request.dry_run { usize::MAX } else { 12 };
        for (name, rect, canvas) in self.sprites.iter().take(most) {
            let _ = writeln!(text, "  {}  box {rect}, {canvas} pixels", format::name(name));
        }
        if self.sprites.len() > most {
            let _ = writeln!(text, "  and {} more (-v lists them)", format::number((self.sprites.len() - most) as u64));
        }
        if self.empty > 0 {
            let cells = format::count(self.empty, "cell", "cells");
            let _ = writeln!(text, "  {cells} without a visible pixel left out (--keep-empty writes them)");
        }
        text
    }

    fn json(&self) -> Value {
        let sprite =
            |(name, rect, canvas): &(String, Rect, Size)| json!({ "sprite": name, "box": rect, "canvas": canvas });
        json!({
            "sheet": format::path(&self.request.sheet),
            "out": (!self.request.dry_run).then(|| format::path(&self.request.out)),
            "sprites": self.sprites.iter().map(sprite).collect::<Vec<_>>(),
            "empty_left_out": self.empty,
        })
    }

    fn kind(&self) -> &'static str {
        "cut"
    }

    fn warnings(&self) -> Vec<Notice> {
        self.warnings.clone()
    }
}
