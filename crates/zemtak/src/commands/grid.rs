//! `zemtak grid`: the cells of a regular sheet.

use crate::notice::Notice;
use crate::report::Report;
use serde_json::{Value, json};
use std::fmt::Write as _;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::coords::{Area, Cell, Grid, OffsetScale, Sampling, Sheet, UvRect, VAxis};
use zemtak_core::geometry::Size;

/// The sheet, and what to look up on it.
#[derive(Debug, Clone, PartialEq)]
pub struct GridRequest {
    /// The sheet.
    pub sheet: Sheet,
    /// How it is cut.
    pub cut: Cut,
    /// Cells by number.
    pub indices: Vec<u64>,
    /// Cells by a pixel in them.
    pub pixels: Vec<[u32; 2]>,
    /// Cells by a texture coordinate in them.
    pub uvs: Vec<[f64; 2]>,
    /// The convention of texture coordinates, both given and returned.
    pub sampling: Sampling,
}

/// How a sheet is cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cut {
    /// Into cells of a size.
    Cell(Size),
    /// Into columns and rows.
    Counts([u32; 2]),
}

impl Cut {
    /// The grid of a sheet.
    ///
    /// # Errors
    /// No cell fits.
    pub fn grid(self, sheet: Sheet) -> Result<Grid, Failure> {
        let grid = match self {
            Self::Cell(cell) => sheet.cells_of(cell),
            Self::Counts([columns, rows]) => sheet.split(columns, rows),
        };
        grid.map_err(|error| {
            let help = "give smaller cells, margins or gutters, or fewer columns and rows";
            Problem::usage(ProblemKind::CannotCut, &sheet.size.to_string(), error.to_string(), help).into()
        })
    }
}

/// The pixels that belong to no cell, in words.
#[must_use]
pub fn left_over(grid: &Grid) -> Option<Notice> {
    let columns = |n: u32| format!("{} of pixels on the right", format::count(n as usize, "column", "columns"));
    let rows = |n: u32| format!("{} of pixels at the bottom", format::count(n as usize, "row", "rows"));
    let told = match grid.left_over() {
        [0, 0] => return None,
        [right, 0] => columns(right),
        [0, bottom] => rows(bottom),
        [right, bottom] => format!("{} and {}", columns(right), rows(bottom)),
    };
    Some(Notice::of_all("left_over", format!("the cells do not divide the sheet: {told} are left over")))
}

/// A grid, and the requested cells.
#[derive(Debug, Clone)]
pub struct Cells {
    grid: Grid,
    sampling: Sampling,
    /// A question, and the cell that answers it.
    cells: Vec<(String, Cell)>,
}

/// Looks cells up.
///
/// # Errors
/// No cell fits; or numbers out of range and places outside of all cells, all of them listed.
pub fn run(request: &GridRequest) -> Result<Cells, Failure> {
    let grid = request.cut.grid(request.sheet)?;
    let (mut cells, mut problems) = (Vec::new(), Vec::new());
    let range = format!("cells are numbered from 0 to {}", grid.count() - 1);
    let mut take = |asked: String, found: Option<Cell>, option: &str, why: String| match found {
        Some(cell) => cells.push((asked, cell)),
        None => problems.push(Problem::usage(
            ProblemKind::NoSuchCell,
            option,
            why,
            "'zemtak grid' without it tells the grid",
        )),
    };
    for &index in &request.indices {
        let why = format!("{index} is out of range: {range}");
        take(format!("index {index}"), grid.cell(index), "--index", why);
    }
    for &[x, y] in &request.pixels {
        let why = format!("{x},{y} is in a margin, a gutter, what is left over, or outside of {}", request.sheet.size);
        take(format!("pixel {x},{y}"), grid.at_pixel([x, y]), "--pixel", why);
    }
    for &[u, v] in &request.uvs {
        let down = if request.sampling.v == VAxis::Up { 1.0 - v } else { v };
        let why = format!("{u},{v} is in a margin, a gutter, what is left over, or outside of 0 to 1");
        take(format!("uv {u},{v}"), grid.at_uv([u, down]), "--uv", why);
    }
    Failure::unless(problems, ())?;
    Ok(Cells { grid, sampling: request.sampling, cells })
}

impl Cells {
    fn area(&self, cell: &Cell) -> Option<Area> {
        Area::new(self.grid.sheet().size, cell.rect, false).ok()
    }
}

impl Report for Cells {
    fn text(&self, _: bool) -> String {
        let [columns, rows] = self.grid.counts();
        let counts = [("column", "columns", columns), ("row", "rows", rows)];
        let [columns, rows] = counts.map(|(one, many, n)| format::count(n as usize, one, many));
        let cells = format::count(usize::try_from(self.grid.count()).unwrap_or(usize::MAX), "cell", "cells");
        let mut out = format!("{}: {columns}, {rows}, {cells} of {}\n", self.grid.sheet().size, self.grid.cell_size());
        for (asked, cell) in &self.cells {
            let Cell { index, column, row, rect } = cell;
            let _ = writeln!(out, "{asked}: cell {index}, column {column}, row {row}, box {rect}");
            let Some(area) = self.area(cell) else { continue };
            let UvRect([u0, v0, u1, v1]) = area.rect(&self.sampling);
            let _ = writeln!(out, "  u0 {u0}  v0 {v0}  u1 {u1}  v1 {v1}");
            if let Ok(OffsetScale { offset: [u, v], scale: [su, sv] }) = area.offset_scale(&self.sampling) {
                let _ = writeln!(out, "  offset ({u}, {v})  scale ({su}, {sv})");
            }
        }
        out
    }

    fn json(&self) -> Value {
        let cell = |(_, cell): &(String, Cell)| {
            let uv = self.area(cell).map(|area| area.rect(&self.sampling));
            let affine = self.area(cell).and_then(|area| area.offset_scale(&self.sampling).ok());
            json!({
                "index": cell.index,
                "column": cell.column,
                "row": cell.row,
                "box": cell.rect,
                "uv": uv,
                "offset": affine.map(|a| a.offset),
                "scale": affine.map(|a| a.scale),
            })
        };
        let [columns, rows] = self.grid.counts();
        json!({
            "sheet": self.grid.sheet().size,
            "cell": self.grid.cell_size(),
            "columns": columns,
            "rows": rows,
            "cells": self.grid.count(),
            "left_over": self.grid.left_over(),
            "v": if self.sampling.v == VAxis::Up { "up" } else { "down" },
            "asked_for": self.cells.iter().map(cell).collect::<Vec<_>>(),
        })
    }

    fn kind(&self) -> &'static str {
        "grid"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        left_over(&self.grid).into_iter().collect()
    }
}
