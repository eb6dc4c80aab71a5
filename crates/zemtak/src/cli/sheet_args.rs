//! The options of the commands about sheets and about single sprites.

use super::completions;
use super::values::{any_size, counts, pixel, point, word};
use crate::commands::pattern::NamedKind;
use crate::commands::{cut, describe, grid, list, pattern};
use crate::descriptor::Choice;
use crate::output;
use clap::Args;
use std::path::PathBuf;
use zemtak_build::settings::Keyword;
use zemtak_core::coords::{Sampling, Sheet, VAxis};
use zemtak_core::geometry::Size;
use zemtak_core::islands::FARTHEST;

#[derive(Debug, Args)]
pub(super) struct GridArgs {
    /// The size of the sheet
    #[arg(value_name = "WxH", value_parser = any_size)]
    sheet: Size,
    #[command(flatten)]
    cut: GridCutArgs,
    /// A cell by its number, from 0; repeatable
    #[arg(long, value_name = "N")]
    index: Vec<u64>,
    /// The cell that a pixel lies in
    #[arg(long, value_name = "X,Y", value_parser = pixel)]
    pixel: Vec<[u32; 2]>,
    /// The cell that a texture coordinate lies in
    #[arg(long, value_name = "U,V", value_parser = point)]
    uv: Vec<[f64; 2]>,
    /// V goes up: 0 is the bottom row
    #[arg(long)]
    v_up: bool,
}

#[derive(Debug, Args)]
#[group(id = "how", required = false, multiple = false)]
struct HowArgs {
    /// The size of a cell
    #[arg(long, value_name = "WxH", value_parser = any_size)]
    cell: Option<Size>,
    /// Number of columns and rows
    #[arg(long, value_name = "CxR", value_parser = counts)]
    cells: Option<[u32; 2]>,
}

#[derive(Debug, Args)]
struct GridCutArgs {
    #[command(flatten)]
    how: HowArgs,
    /// Empty pixels along the sheet's edge [default: 0]
    #[arg(long, value_name = "PIXELS", default_value_t = 0, hide_default_value = true)]
    margin: u32,
    /// Empty pixels between cells [default: 0]
    #[arg(long, value_name = "PIXELS", default_value_t = 0, hide_default_value = true)]
    gutter: u32,
}

impl HowArgs {
    fn cut(&self) -> Option<grid::Cut> {
        self.cell.map(grid::Cut::Cell).or(self.cells.map(grid::Cut::Counts))
    }
}

impl GridArgs {
    pub(super) fn into_request(self) -> grid::GridRequest {
        let GridCutArgs { how, margin, gutter } = self.cut;
        let v = if self.v_up { VAxis::Up } else { VAxis::Down };
        grid::GridRequest {
            sheet: Sheet { size: self.sheet, margin, gutter },
            // The whole sheet, if nothing is said.
            cut: how.cut().unwrap_or(grid::Cut::Counts([1, 1])),
            indices: self.index,
            pixels: self.pixel,
            uvs: self.uv,
            sampling: Sampling { v, ..Sampling::default() },
        }
    }
}

#[derive(Debug, Args)]
pub(super) struct CutArgs {
    /// An image, or a packed atlas: its descriptor NAME.zemtak.json, or its name in the project
    #[arg(value_name = "SHEET")]
    sheet: PathBuf,
    /// Output folder for the sprites
    #[arg(short, long, value_name = "DIR", default_value = "cut")]
    out: PathBuf,
    #[command(flatten)]
    grid: GridCutArgs,
    /// Without --cell or --cells, cut out islands of visible pixels; parts with fewer than this many empty pixels
    /// between them count as one island [default: 1]
    #[arg(long, value_name = "PIXELS", value_parser = clap::value_parser!(u32).range(1..=i64::from(FARTHEST)), conflicts_with = "how")]
    join: Option<u32>,
    /// Alpha from which a pixel is visible, 1 to 255 [default: 1]
    #[arg(long, value_name = "ALPHA", value_parser = clap::value_parser!(u8).range(1..), conflicts_with = "how")]
    visible_alpha: Option<u8>,
    /// Names of the sprites; {sheet}, {index}, {column} and {row} are filled in
    #[arg(long, value_name = "PATTERN", default_value = cut::NAMES)]
    names: String,
    /// Give all sprites the canvas of the largest, and put them at this place on it
    #[arg(long, value_name = "WHERE", value_parser = word::<cut::Stand>())]
    uniform: Option<cut::Stand>,
    /// Write cells without a visible pixel too
    #[arg(long)]
    keep_empty: bool,
    #[arg(long, help = output::FORCE)]
    force: bool,
    /// Print the boxes; write nothing
    #[arg(long)]
    dry_run: bool,
}

impl CutArgs {
    pub(super) fn into_request(self) -> cut::CutRequest {
        let GridCutArgs { how, margin, gutter } = self.grid;
        let islands =
            cut::CutBy::Islands { join: self.join.unwrap_or(1), visible_alpha: self.visible_alpha.unwrap_or(1) };
        cut::CutRequest {
            sheet: self.sheet,
            way: how.cut().map_or(islands, |cut| cut::CutBy::Grid { cut, margin, gutter }),
            out: self.out,
            names: self.names,
            uniform: self.uniform,
            keep_empty: self.keep_empty,
            force: self.force,
            dry_run: self.dry_run,
        }
    }
}

#[derive(Debug, Args)]
pub(super) struct PatternArgs {
    /// Its size
    #[arg(value_name = "WxH", value_parser = pattern_size)]
    size: Size,
    /// What the texture should reveal
    #[arg(long, value_parser = word::<NamedKind>())]
    kind: NamedKind,
    /// The file [default: KIND-WxH.png]
    #[arg(short, long, value_name = "FILE")]
    out: Option<PathBuf>,
    #[arg(long, help = output::FORCE)]
    force: bool,
}

fn pattern_size(text: &str) -> Result<Size, String> {
    let most = pattern::LONGEST_SIDE;
    let size = any_size(text)?;
    if size.w.max(size.h) > most { Err(format!("each side is at most {most}")) } else { Ok(size) }
}

impl PatternArgs {
    pub(super) fn into_request(self) -> pattern::PatternRequest {
        let Size { w, h } = self.size;
        let name = || PathBuf::from(format!("{}-{w}x{h}.png", self.kind.word()));
        pattern::PatternRequest {
            size: self.size,
            kind: self.kind.0,
            out: self.out.unwrap_or_else(name),
            force: self.force,
        }
    }
}

#[derive(Debug, Args)]
pub(super) struct ListArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// Sprites by name or glob, - for a list on standard input [default: all]
    #[arg(value_name = "NAME", add = completions::sprites())]
    names: Vec<String>,
    /// The sprites of a clip; repeatable
    #[arg(long, value_name = "NAME", add = completions::clips())]
    clip: Vec<String>,
}

impl ListArgs {
    pub(super) fn into_request(self) -> list::ListRequest {
        list::ListRequest { descriptor: self.descriptor, choice: Choice { names: self.names, clips: self.clip } }
    }
}

#[derive(Debug, Args)]
pub(super) struct DescribeArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// The sprite
    #[arg(add = completions::sprites())]
    name: String,
    /// Also show it in the terminal, in 24-bit colour
    #[arg(long)]
    picture: bool,
}

impl DescribeArgs {
    pub(super) fn into_request(self) -> describe::DescribeRequest {
        describe::DescribeRequest { descriptor: self.descriptor, name: self.name, picture: self.picture }
    }
}
