//! Long lists in columns. A row takes its own text and little more, where a table would store every cell separately: a
//! list may have a million rows.

use std::fmt::{Display, Write};
use unicode_width::UnicodeWidthStr;

/// Rows of cells, each column as wide as its widest cell.
#[derive(Debug, Clone)]
pub struct Columns<const N: usize> {
    /// All cells, one after another.
    text: String,
    /// Where each cell ends, and how wide it is.
    cells: Vec<(usize, u32)>,
    widths: [u32; N],
}

impl<const N: usize> Columns<N> {
    /// Columns with a head.
    #[must_use]
    pub fn new(head: [&str; N]) -> Self {
        let mut columns = Self { text: String::new(), cells: Vec::new(), widths: [0; N] };
        columns.row(head.each_ref().map(|cell| cell as &dyn Display));
        columns
    }

    /// Adds a row.
    pub fn row(&mut self, cells: [&dyn Display; N]) {
        for (width, cell) in self.widths.iter_mut().zip(cells) {
            let start = self.text.len();
            // Writing to a string never fails.
            let _ = write!(self.text, "{cell}");
            let cell = &self.text[start..];
            let wide = if cell.is_ascii() { cell.len() } else { cell.width() };
            let wide = u32::try_from(wide).unwrap_or(u32::MAX);
            *width = (*width).max(wide);
            self.cells.push((self.text.len(), wide));
        }
    }

    /// All rows, one per line, with a space on both sides of each cell. Columns in `right` are aligned to the right.
    #[must_use]
    pub fn lines(&self, right: &[usize]) -> String {
        let line = self.widths.iter().map(|width| *width as usize + 2).sum::<usize>();
        let mut out = String::with_capacity(line * self.cells.len() / N.max(1));
        let mut start = 0;
        for row in self.cells.chunks(N) {
            for (column, ((end, wide), width)) in row.iter().zip(self.widths).enumerate() {
                let room = width.saturating_sub(*wide) as usize;
                let before = if right.contains(&column) { room } else { 0 };
                out.push(' ');
                out.extend(std::iter::repeat_n(' ', before));
                out.push_str(&self.text[start..*end]);
                out.extend(std::iter::repeat_n(' ', room - before + 1));
                start = *end;
            }
            out.truncate(out.trim_end_matches(' ').len());
            out.push('\n');
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::Columns;

    #[test]
    fn columns_are_as_wide_as_their_widest_cell() {
        let mut columns = Columns::new(["name", "n", ""]);
        columns.row([&"moth", &7, &""]);
        columns.row([&"\u{6708}\u{5149}", &1200, &"turned"]);
        assert_eq!(columns.lines(&[1]), " name     n\n moth     7\n \u{6708}\u{5149}  1200  turned\n");
    }
}
