//! Long lists in columns: written line by line, however many there are, where a table would hold all of its cells.

use std::fmt::{self, Write};
use unicode_width::UnicodeWidthStr;

/// Which columns are moved to the right.
pub type Right<const N: usize> = [bool; N];

/// Writes rows below a head, each column as wide as its widest cell. `rows` is asked twice and must give the same.
///
/// # Errors
/// Where `out` fails.
pub fn write<const N: usize, R: Iterator<Item = [String; N]>>(
    out: &mut impl Write,
    head: [&str; N],
    right: Right<N>,
    rows: impl Fn() -> R,
) -> fmt::Result {
    let mut widths = head.map(UnicodeWidthStr::width);
    for row in rows() {
        for (width, cell) in widths.iter_mut().zip(&row) {
            *width = (*width).max(cell.width());
        }
    }
    let mut line = String::new();
    for row in std::iter::once(head.map(str::to_owned)).chain(rows()) {
        line.clear();
        for ((cell, width), right) in row.iter().zip(widths).zip(right) {
            let room = width.saturating_sub(cell.width());
            let (before, after) = if right { (room, 0) } else { (0, room) };
            write!(line, " {:before$}{cell}{:after$} ", "", "")?;
        }
        writeln!(out, "{}", line.trim_end())?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    #[test]
    fn columns_are_as_wide_as_their_widest_cell() {
        let rows = || [["moth", "7"], ["\u{6708}\u{5149}", "1200"]].map(|row| row.map(str::to_owned)).into_iter();
        let mut out = String::new();
        super::write(&mut out, ["name", "n"], [false, true], rows).unwrap();
        assert_eq!(out, " name     n\n moth     7\n \u{6708}\u{5149}  1200\n");
    }
}
