//! `--why`: the lower bound of a layout, what stands in the way, and what other options would give.

use comfy_table::{CellAlignment, Table};
use serde_json::{Value, json};
use std::fmt::Write as _;
use zemtak_build::{Alternative, DecidedBy, Explained, LongSprite, Tried, format};
use zemtak_core::layout::Change;

/// As text below the summary.
#[must_use]
pub fn text(explained: &Explained) -> String {
    Explanation(explained).text()
}

/// As JSON.
#[must_use]
pub fn json(explained: &Explained) -> Value {
    let decided_by = match explained.decided_by {
        DecidedBy::Shape => "shape",
        DecidedBy::LongSprites => "long_sprites",
        DecidedBy::EqualCells => "equal_cells",
        _ => "area",
    };
    let long = |of: &LongSprite| json!({ "sprite": of.sprite, "width": of.width, "height": of.height });
    let tried = |of: &Tried| {
        let (pages, pixels) = of.outcome.as_ref().map_or((None, None), |&(pages, pixels)| (Some(pages), Some(pixels)));
        let error = of.outcome.as_ref().err();
        json!({ "options": options(of.option), "pages": pages, "pixels": pixels, "error": error })
    };
    json!({
        "pages": explained.pages,
        "pixels": explained.pixels,
        "box_pixels": explained.box_pixels,
        "cell_pixels": explained.cell_pixels,
        "least_pages": explained.least_pages,
        "least_pixels": explained.least_pixels,
        "least_free_pixels": explained.least_free_pixels,
        "decided_by": decided_by,
        "proved": explained.proved,
        "widest": long(&explained.widest),
        "tallest": long(&explained.tallest),
        "tried": explained.tried.iter().map(tried).collect::<Vec<_>>(),
    })
}

struct Explanation<'a>(&'a Explained);

impl Explanation<'_> {
    fn text(&self) -> String {
        let mut out = String::from("why it is this large\n");
        let mut line = |key: &str, value: String| {
            let _ = writeln!(out, "  {key:<9}{value}");
        };
        let pixels = |n: u64| format!("{} pixels", format::number(n));
        let (now, least) = (pixels(self.0.pixels), format::count(self.0.least_pages, "page", "pages"));
        line("now", format!("{}, {now}", format::count(self.0.pages, "page", "pages")));
        let around = self.0.cell_pixels.saturating_sub(self.0.box_pixels);
        line(
            "boxes",
            format!("{}, and {} of rings and gutters round them", pixels(self.0.box_pixels), format::number(around)),
        );
        line("least", format!("{least}, {} by these options: {}", pixels(self.0.least_pixels), self.verdict()));
        line("decided", self.decision());
        out.push_str("  tried\n");
        let _ = writeln!(out, "{}", self.table().trim_fmt());
        out
    }

    fn verdict(&self) -> String {
        if self.0.proved {
            return "reached, so no layout is smaller".into();
        }
        let above = self.0.pixels.saturating_sub(self.0.least_pixels);
        format!("{} above it", format::percent(above, self.0.least_pixels.max(1)))
    }

    fn decision(&self) -> String {
        let LongSprite { sprite, width, .. } = &self.0.widest;
        let (wide, tall) = (format::name(sprite), format::name(&self.0.tallest.sprite));
        match self.0.decided_by {
            DecidedBy::Shape => {
                let free = format::number(self.0.least_free_pixels);
                format!("by the page's shape: with sides of any length the least is {free} pixels")
            }
            DecidedBy::EqualCells => {
                format!("by equal cells: {wide} is {width} wide, {tall} is {} high", self.0.tallest.height)
            }
            DecidedBy::LongSprites => {
                format!("by long sprites: {wide} is {width} wide, {tall} is {} high", self.0.tallest.height)
            }
            _ => "by the area alone".into(),
        }
    }

    fn table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        for tried in &self.0.tried {
            let options = format!("   {}", options(tried.option));
            match &tried.outcome {
                &Ok((pages, pixels)) => table.add_row([
                    options,
                    format::count(pages, "page", "pages"),
                    format!("{} pixels", format::number(pixels)),
                    self.compared(pixels),
                ]),
                Err(why) => table.add_row([options, "cannot be".into(), why.clone()]),
            };
        }
        for column in table.column_iter_mut().skip(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table
    }

    fn compared(&self, pixels: u64) -> String {
        match pixels.cmp(&self.0.pixels) {
            std::cmp::Ordering::Less => format!("{} less", format::percent(self.0.pixels - pixels, self.0.pixels)),
            std::cmp::Ordering::Equal => "the same".into(),
            std::cmp::Ordering::Greater => format!("{} more", format::percent(pixels - self.0.pixels, self.0.pixels)),
        }
    }
}

/// An option as it is written on the command line.
fn options(option: Alternative) -> String {
    match option {
        Alternative::Dense => "--layout dense".into(),
        Alternative::Changed(Change::Turning) => "--turn".into(),
        Alternative::Changed(Change::Gutter(gutter)) => format!("--gutter {gutter}"),
        Alternative::Changed(Change::FreeShape) => "--page-shape free".into(),
        Alternative::Changed(Change::Aspect(aspect)) => format!("--page-aspect {aspect}"),
        Alternative::Changed(Change::Pages(count)) => format!("--page-count {count}"),
    }
}
