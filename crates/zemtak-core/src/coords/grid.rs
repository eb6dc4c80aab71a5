//! Regular sheets: cells of one size in columns and rows.

use super::pixel_at;
use crate::geometry::{Rect, Size};

/// A sheet whose number of cells is not known yet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sheet {
    /// Its size.
    pub size: Size,
    /// Empty pixels along its edge.
    pub margin: u32,
    /// Empty pixels between cells.
    pub gutter: u32,
}

/// A sheet of equal cells, numbered from 0, left to right, then top to bottom. Cell (c, r) begins at
/// `margin + c * (cell_w + gutter)`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Grid {
    sheet: Sheet,
    cell: Size,
    columns: u32,
    rows: u32,
}

/// A cell of a grid.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cell {
    /// Its number.
    pub index: u64,
    /// Its column from the left, from 0.
    pub column: u32,
    /// Its row from the top, from 0.
    pub row: u32,
    /// Its pixels.
    pub rect: Rect,
}

/// Why a sheet cannot have such cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum GridError {
    /// A side or a count is zero.
    #[error("sheet, cells and counts have at least one of each")]
    Zero,
    /// Not one cell fits.
    #[error("no cell fits: the sheet of {sheet} has room for {room} between its margins, {asked}")]
    NoRoom {
        /// The sheet.
        sheet: Size,
        /// The room between its margins.
        room: Size,
        /// What was asked for.
        asked: Division,
    },
}

/// How to divide a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Division {
    /// Into cells of this size.
    Cell(Size),
    /// Into this many columns and rows.
    Counts(u32, u32),
}

impl std::fmt::Display for Division {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Cell(cell) => write!(f, "a cell is {cell}"),
            Self::Counts(columns, rows) => write!(f, "and {columns} columns and {rows} rows were asked for"),
        }
    }
}

impl Sheet {
    /// The grid of as many cells of this size as fit: `cols = (W - 2*margin + gutter) div (cell_w + gutter)`.
    ///
    /// # Errors
    /// A side is zero, or not one cell fits.
    pub fn cells_of(self, cell: Size) -> Result<Grid, GridError> {
        if self.size.area() == 0 || cell.area() == 0 {
            return Err(GridError::Zero);
        }
        let room = self.room();
        let count = |room: u32, cell: u32| {
            let (room, gutter) = (u64::from(room), u64::from(self.gutter));
            u32::try_from((room + gutter) / (u64::from(cell) + gutter)).unwrap_or(u32::MAX)
        };
        let (columns, rows) = (count(room.w, cell.w), count(room.h, cell.h));
        if columns == 0 || rows == 0 {
            return Err(GridError::NoRoom { sheet: self.size, room, asked: Division::Cell(cell) });
        }
        Ok(Grid { sheet: self, cell, columns, rows })
    }

    /// The grid of this many columns and rows, its cells as large as possible.
    ///
    /// # Errors
    /// A count is zero, or the cells would have no pixel.
    pub fn split(self, columns: u32, rows: u32) -> Result<Grid, GridError> {
        if self.size.area() == 0 || columns == 0 || rows == 0 {
            return Err(GridError::Zero);
        }
        let room = self.room();
        let side = |room: u32, count: u32| {
            let gutters = u64::from(count - 1) * u64::from(self.gutter);
            let side = u64::from(room).saturating_sub(gutters) / u64::from(count);
            u32::try_from(side).unwrap_or(u32::MAX)
        };
        let cell = Size::new(side(room.w, columns), side(room.h, rows));
        if cell.area() == 0 {
            return Err(GridError::NoRoom { sheet: self.size, room, asked: Division::Counts(columns, rows) });
        }
        Ok(Grid { sheet: self, cell, columns, rows })
    }

    /// The room between the margins.
    fn room(self) -> Size {
        let inner = |side: u32| side.saturating_sub(self.margin.saturating_mul(2));
        Size::new(inner(self.size.w), inner(self.size.h))
    }
}

impl Grid {
    /// The sheet.
    #[must_use]
    pub const fn sheet(&self) -> Sheet {
        self.sheet
    }

    /// The size of a cell.
    #[must_use]
    pub const fn cell_size(&self) -> Size {
        self.cell
    }

    /// Columns and rows.
    #[must_use]
    pub const fn counts(&self) -> [u32; 2] {
        [self.columns, self.rows]
    }

    /// The number of cells.
    #[must_use]
    pub const fn count(&self) -> u64 {
        self.columns as u64 * self.rows as u64
    }

    /// Columns and rows of pixels at the right and at the bottom that belong to no cell, gutter or margin.
    #[must_use]
    pub fn left_over(&self) -> [u32; 2] {
        let room = self.sheet.room();
        let over = |room: u32, count: u32, cell: u32| {
            let taken = u64::from(count) * (u64::from(cell) + u64::from(self.sheet.gutter));
            u32::try_from((u64::from(room) + u64::from(self.sheet.gutter)).saturating_sub(taken)).unwrap_or(0)
        };
        [over(room.w, self.columns, self.cell.w), over(room.h, self.rows, self.cell.h)]
    }

    /// The cell of this number, or `None` beyond the last one.
    #[must_use]
    pub fn cell(&self, index: u64) -> Option<Cell> {
        if index >= self.count() {
            return None;
        }
        let (column, row) = (index % u64::from(self.columns), index / u64::from(self.columns));
        let (column, row) = (u32::try_from(column).ok()?, u32::try_from(row).ok()?);
        // A pitch beyond the range of numbers is never added: there is only one column then.
        let begin = |at: u32, cell: u32| self.sheet.margin + at * cell.saturating_add(self.sheet.gutter);
        let rect = Rect::at(begin(column, self.cell.w), begin(row, self.cell.h), self.cell);
        Some(Cell { index, column, row, rect })
    }

    /// The cell that a pixel lies in; `None` in margins, gutters, the rest, and outside.
    #[must_use]
    pub fn at_pixel(&self, [x, y]: [u32; 2]) -> Option<Cell> {
        let place = |at: u32, cell: u32, count: u32| {
            let inner = at.checked_sub(self.sheet.margin)?;
            let pitch = cell.saturating_add(self.sheet.gutter);
            (inner / pitch < count && inner % pitch < cell).then_some(inner / pitch)
        };
        let (column, row) = (place(x, self.cell.w, self.columns)?, place(y, self.cell.h, self.rows)?);
        self.cell(u64::from(row) * u64::from(self.columns) + u64::from(column))
    }

    /// The cell that a texture coordinate lies in, V down.
    #[must_use]
    pub fn at_uv(&self, uv: [f64; 2]) -> Option<Cell> {
        self.at_pixel(pixel_at(uv, self.sheet.size)?)
    }
}
