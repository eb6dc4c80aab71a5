//! `--why`: what a layout cannot go below, what stands in the way, and what other options would give.

use crate::build::Plan;
use crate::show;
use comfy_table::{CellAlignment, Table};
use serde::Serialize;
use std::fmt::Write as _;
use zemtak_core::layout::{Bound, Change, Outlook, Why};

/// A layout explained.
#[derive(Debug, Clone, Serialize)]
pub struct Explained {
    pages: usize,
    pixels: u64,
    /// The pixels of boxes alone.
    box_pixels: u64,
    /// Boxes with their rings and a gutter each.
    cell_pixels: u64,
    least_pages: usize,
    least_pixels: u64,
    /// The same if pages could have any sides.
    least_free_pixels: u64,
    decided_by: DecidedBy,
    /// Whether the layout is as small as these options allow.
    proved: bool,
    widest: Long,
    tallest: Long,
    tried: Vec<Tried>,
}

/// What the lower bound comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
enum DecidedBy {
    Area,
    Shape,
    LongSprites,
    EqualCells,
}

#[derive(Debug, Clone, Serialize)]
struct Long {
    sprite: String,
    width: u32,
    height: u32,
}

/// Options that were tried, and what came of them.
#[derive(Debug, Clone, Serialize)]
struct Tried {
    options: String,
    pages: Option<usize>,
    pixels: Option<u64>,
    error: Option<String>,
}

impl Explained {
    /// In the words of the command line.
    #[must_use]
    pub fn new(plan: &Plan<'_>, why: &Why) -> Self {
        let Bound { boxes, cells, pages, least, least_free, widest, tallest, .. } = why.bound;
        let long = |item: usize| {
            let size = plan.size_of(item);
            Long { sprite: plan.name_of(item).to_string(), width: size.w, height: size.h }
        };
        let tried = why.tries.iter().map(|trial| {
            let outlook = trial.outlook.as_ref();
            Tried {
                options: options(trial.change),
                pages: outlook.ok().map(|o| o.pages),
                pixels: outlook.ok().map(|o| o.area),
                error: outlook.err().map(ToString::to_string),
            }
        });
        Self {
            pages: why.now.pages,
            pixels: why.now.area,
            box_pixels: boxes,
            cell_pixels: cells,
            least_pages: pages,
            least_pixels: least,
            least_free_pixels: least_free,
            decided_by: if plan.in_rows() { DecidedBy::EqualCells } else { decided_by(&why.bound) },
            proved: why.now == Outlook { pages, area: least },
            widest: long(widest),
            tallest: long(tallest),
            tried: tried.collect(),
        }
    }

    /// For people, below the summary.
    #[must_use]
    pub fn text(&self) -> String {
        let mut out = String::from("why it is that large\n");
        let mut line = |key: &str, value: String| {
            let _ = writeln!(out, "  {key:<9}{value}");
        };
        let pixels = |n: u64| format!("{} pixels", show::number(n));
        let (now, least) = (pixels(self.pixels), show::count(self.least_pages, "page", "pages"));
        line("now", format!("{}, {now}", show::count(self.pages, "page", "pages")));
        let around = self.cell_pixels.saturating_sub(self.box_pixels);
        line(
            "boxes",
            format!("{}, and {} of rings and gutters round them", pixels(self.box_pixels), show::number(around)),
        );
        line("least", format!("{least}, {} by these options: {}", pixels(self.least_pixels), self.verdict()));
        line("decided", self.decision());
        out.push_str("  tried\n");
        let _ = writeln!(out, "{}", self.table().trim_fmt());
        out
    }

    fn verdict(&self) -> String {
        if self.proved {
            return "reached, so no layout is smaller".into();
        }
        let above = self.pixels.saturating_sub(self.least_pixels);
        format!("{} above it", show::percent(above, self.least_pixels.max(1)))
    }

    fn decision(&self) -> String {
        let Long { sprite, width, .. } = &self.widest;
        let (wide, tall) = (show::name(sprite), show::name(&self.tallest.sprite));
        match self.decided_by {
            DecidedBy::Area => "by the area alone".into(),
            DecidedBy::Shape => {
                let free = show::number(self.least_free_pixels);
                format!("by the page's shape: with sides of any length the least is {free} pixels")
            }
            DecidedBy::EqualCells => {
                format!("by equal cells: {wide} is {width} wide, {tall} is {} high", self.tallest.height)
            }
            DecidedBy::LongSprites => {
                format!("by long sprites: {wide} is {width} wide, {tall} is {} high", self.tallest.height)
            }
        }
    }

    fn table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        for tried in &self.tried {
            let options = format!("   {}", tried.options);
            match (tried.pages, tried.pixels) {
                (Some(pages), Some(pixels)) => table.add_row([
                    options,
                    show::count(pages, "page", "pages"),
                    format!("{} pixels", show::number(pixels)),
                    self.compared(pixels),
                ]),
                _ => table.add_row([options, "cannot be".into(), tried.error.clone().unwrap_or_default()]),
            };
        }
        for column in table.column_iter_mut().skip(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table
    }

    fn compared(&self, pixels: u64) -> String {
        match pixels.cmp(&self.pixels) {
            std::cmp::Ordering::Less => format!("{} less", show::percent(self.pixels - pixels, self.pixels)),
            std::cmp::Ordering::Equal => "the same".into(),
            std::cmp::Ordering::Greater => format!("{} more", show::percent(pixels - self.pixels, self.pixels)),
        }
    }
}

fn decided_by(bound: &Bound) -> DecidedBy {
    if bound.pages <= 1 && bound.least <= bound.around.area() && bound.around.area() > bound.cells {
        DecidedBy::LongSprites
    } else if bound.least > bound.least_free {
        DecidedBy::Shape
    } else {
        DecidedBy::Area
    }
}

/// A change as it is typed.
fn options(change: Change) -> String {
    match change {
        Change::Turning => "--turn".into(),
        Change::Gutter(gutter) => format!("--gutter {gutter}"),
        Change::FreeShape => "--page-shape free".into(),
        Change::Aspect(aspect) => format!("--page-aspect {aspect}"),
        Change::Pages(count) => format!("--page-count {count}"),
    }
}
