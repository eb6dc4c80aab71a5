//! Names, numbers and sizes as people read them.

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use std::fmt::Write as _;
use std::ops::Range;
use std::path::Path;

/// Whether a character is a control character, or a mark of writing direction.
#[must_use]
pub fn disturbs(c: char) -> bool {
    c.is_control() || matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// A name with control characters and marks of writing direction escaped, so that it cannot disturb a terminal.
#[must_use]
pub fn name(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if disturbs(c) {
            out.extend(c.escape_unicode());
        } else {
            out.push(c);
        }
    }
    out
}

/// A path as text: unchanged, with bytes that are not UTF-8 as `\\xe9`, so that two such names can be told apart.
#[must_use]
pub fn path(path: &Path) -> String {
    let mut out = String::new();
    for chunk in path.as_os_str().as_encoded_bytes().utf8_chunks() {
        out.push_str(chunk.valid());
        chunk.invalid().iter().for_each(|byte| _ = write!(out, "\\x{byte:02x}"));
    }
    out
}

/// The folder of a file; `.` if it is given by name alone.
#[must_use]
pub fn folder_of(file: &Path) -> &Path {
    file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// A text whose lines can be found quickly, however many there are.
#[derive(Debug, Clone)]
pub struct Lines<'t> {
    text: &'t str,
    /// Where each line begins.
    starts: Vec<usize>,
}

impl<'t> Lines<'t> {
    /// Finds the lines of a text.
    #[must_use]
    pub fn new(text: &'t str) -> Self {
        let after_ends = text.match_indices('\n').map(|(at, _)| at + 1);
        Self { text, starts: std::iter::once(0).chain(after_ends).collect() }
    }

    /// The number of the line at a byte, from 0, and where it begins.
    fn line(&self, at: usize) -> (usize, usize) {
        let number = self.starts.partition_point(|start| *start <= at).saturating_sub(1);
        (number, self.starts[number])
    }

    /// Line and column of a byte, both from 1, the column in characters.
    #[must_use]
    pub fn line_and_column(&self, at: usize) -> (usize, usize) {
        let (number, start) = self.line(at);
        let before = self.text.get(start..at).unwrap_or(&self.text[start..]);
        (number + 1, before.chars().count() + 1)
    }

    /// The line in which a part begins, with its number and a mark under the part. Long lines are shortened to the
    /// surroundings.
    #[must_use]
    pub fn marked(&self, part: Range<usize>) -> String {
        const WIDTH: usize = 100;
        let start = (0..=part.start.min(self.text.len())).rev().find(|at| self.text.is_char_boundary(*at)).unwrap_or(0);
        // A part that spans several lines is marked in its first line.
        let length = self.text.get(start..part.end).and_then(|part| part.lines().next()).map_or(0, str::len);
        let (number, line_start) = self.line(start);
        let line = self.text[line_start..].lines().next().unwrap_or_default();
        let from = (start - line_start).min(line.len());
        let mark = AnnotationKind::Primary.span(from..(from + length).min(line.len()));
        let snippet = Snippet::source(line).line_start(number + 1).annotation(mark);
        let group = Group::with_level(Level::ERROR).element(snippet);
        let shown = Renderer::plain().term_width(WIDTH).render(&[group]);
        shown.trim_start_matches([' ', '|', '\n']).to_owned()
    }
}

/// Bytes as lower-case hexadecimal digits.
#[must_use]
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::with_capacity(bytes.len() * 2), |mut out, byte| {
        let _ = write!(out, "{byte:02x}");
        out
    })
}

/// A number of bytes: `640 B`, `1.50 KiB`, `12.00 MiB`.
#[must_use]
pub fn bytes(count: u64) -> String {
    const UNITS: [&str; 6] = ["KiB", "MiB", "GiB", "TiB", "PiB", "EiB"];
    let Some(unit) = (count.checked_ilog2().unwrap_or(0) / 10).checked_sub(1) else { return format!("{count} B") };
    #[expect(clippy::cast_precision_loss, reason = "a size for people")]
    let scaled = count as f64 / (1_u64 << (10 * (unit + 1))) as f64;
    format!("{scaled:.2} {}", UNITS[unit as usize])
}

/// A number of bytes, of `512 B`, `64 KiB`, `1.5 MiB`, `2 GiB`, or a plain number.
#[must_use]
pub fn parse_bytes(text: &str) -> Option<u64> {
    const UNITS: [(&str, u64); 4] = [("KiB", 1 << 10), ("MiB", 1 << 20), ("GiB", 1 << 30), ("B", 1)];
    let text = text.trim();
    let unit = UNITS.iter().find_map(|(unit, size)| Some((text.strip_suffix(unit)?, *size)));
    let (number, size) = unit.unwrap_or((text, 1));
    let (whole, part) = number.trim().split_once('.').unwrap_or((number.trim(), ""));
    let plain = |part: &str| part.bytes().all(|b| b.is_ascii_digit());
    if whole.is_empty() || !plain(whole) || !plain(part) || part.len() > 9 {
        return None;
    }
    let tenths = 10_u128.pow(u32::try_from(part.len()).ok()?);
    let all: u128 = format!("{whole}{part}").parse().ok()?;
    u64::try_from(all.checked_mul(size.into())? / tenths).ok()
}

/// A part of a whole as a percentage with one decimal: `93.4 %`; rounded down, so that only a full page is 100 %.
#[must_use]
pub fn percent(part: u64, whole: u64) -> String {
    let tenths = if whole == 0 { 0 } else { u128::from(part) * 1000 / u128::from(whole) };
    format!("{}.{} %", tenths / 10, tenths % 10)
}

/// How much larger something gets: `7.7 % more pixels`, and from twice as many on `3.2 times the pixels`.
#[must_use]
pub fn growth(times: f64, what: &str) -> String {
    if times < 2.0 {
        format!("{:.1} % more {what}", (times - 1.0) * 100.0)
    } else {
        format!("{times:.1} times the {what}")
    }
}

/// A count and its noun: `1 page`, `3 pages`, `10,000 sprites`.
#[must_use]
pub fn count(n: usize, one: &str, many: &str) -> String {
    format!("{} {}", number(n as u64), if n == 1 { one } else { many })
}

/// A whole number with commas between thousands.
#[must_use]
pub fn number(n: u64) -> String {
    let digits = n.to_string();
    let mut out = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.char_indices() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// The first `most` items of a list, and how many more there are, which the caller lists with `-v`.
#[must_use]
pub fn some_of(names: &[String], most: usize) -> String {
    let mut out = names.iter().take(most).map(|n| name(n)).collect::<Vec<_>>().join(", ");
    if names.len() > most {
        let _ = write!(out, " and {} more (-v lists them)", number((names.len() - most) as u64));
    }
    out
}

/// The first five of a list, and how many more there are.
#[must_use]
pub fn first_of(names: &[String]) -> String {
    let first = names.iter().take(5).map(|n| name(n)).collect::<Vec<_>>().join(", ");
    match names.len().saturating_sub(5) {
        0 => first,
        more => format!("{first} and {} more", number(more as u64)),
    }
}

/// Text of several lines, all but the first indented; control characters except line breaks are escaped.
#[must_use]
pub fn lines_indented(text: &str, by: usize) -> String {
    let lines: Vec<String> = text.lines().map(name).collect();
    lines.join(&format!("\n{:by$}", ""))
}

/// How similar two words must be for one to be suggested for the other.
const ALIKE: f64 = 0.75;

/// `; did you mean lamp?` if a word resembles another, else nothing.
pub fn did_you_mean<'w>(word: &str, words: impl Iterator<Item = &'w str>) -> String {
    nearest(word, words).map_or_else(String::new, |near| format!("; did you mean {}?", name(near)))
}

/// The most similar word.
#[must_use]
pub fn nearest<'w>(word: &str, words: impl Iterator<Item = &'w str>) -> Option<&'w str> {
    let word = word.to_lowercase();
    // The first measure is for words with a wrong ending, the second for two exchanged letters in a short word.
    let likeness = |w: &str| strsim::jaro_winkler(&word, w).max(strsim::normalized_damerau_levenshtein(&word, w) + 0.1);
    let best = words.map(|w| (likeness(w), w)).max_by(|a, b| a.0.total_cmp(&b.0))?;
    (best.0 >= ALIKE).then_some(best.1)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Room for eight levels once took "21500.0 % more pixels".
    #[test]
    fn what_gets_many_times_larger_is_told_in_times() {
        assert_eq!(growth(1.077, "pixels"), "7.7 % more pixels");
        assert_eq!(growth(1.999, "pixels"), "99.9 % more pixels");
        assert_eq!(growth(216.0, "pixels"), "216.0 times the pixels");
    }

    #[test]
    fn a_mark_lies_under_its_part_whatever_the_letters() {
        let text = "a = 1\n\tb = \"\u{65e5}\u{672c}e\u{301}\", \u{1b}c\n";
        let part = text.find("\u{672c}").unwrap();
        // Wide letters take two columns, a combining accent none, a tab four.
        let expected = "2 |     b = \"\u{65e5}\u{672c}e\u{301}\", \u{241b}c\n  |            ^^^";
        assert_eq!(Lines::new(text).marked(part..part + "\u{672c}e\u{301}".len()), expected);
        let far = format!("{}x{}", "\u{65e5}".repeat(500), " y".repeat(500));
        let line = Lines::new(&far).marked(1500..1501);
        assert!(line.contains('x') && line.contains('^') && line.chars().count() < 220, "{line}");
        // A library's position may lie anywhere.
        for start in 0..text.len() + 2 {
            for end in start..text.len() + 2 {
                assert!(Lines::new(text).marked(start..end).contains('^'));
            }
        }
    }

    #[test]
    fn numbers_and_names_read_as_meant() {
        assert_eq!(
            (percent(999_999, 1_000_000), percent(4, 4), percent(1, 0)),
            ("99.9 %".into(), "100.0 %".into(), "0.0 %".into())
        );
        assert_eq!(
            (count(1, "page", "pages"), count(10_000, "page", "pages")),
            ("1 page".into(), "10,000 pages".into())
        );
        assert_eq!(name("a\u{202e}b\n\u{1b}c d\u{e9}"), "a\\u{202e}b\\u{a}\\u{1b}c d\u{e9}");
        let sizes = [0, 1023, 1536, 12 << 20, u64::MAX].map(bytes);
        assert_eq!(
            ["1.123456789 KiB", "1.1234567890", "2 MiB", ".5 B", "7"].map(parse_bytes),
            [Some(1150), None, Some(2 << 20), None, Some(7)]
        );
        assert_eq!(sizes, ["0 B", "1023 B", "1.50 KiB", "12.00 MiB", "16.00 EiB"]);
        assert_eq!([0, 999, 1000, 1_234_567].map(number), ["0", "999", "1,000", "1,234,567"]);
        let names: Vec<String> = ["a", "b", "c"].map(String::from).into();
        assert_eq!(
            (some_of(&names, 2), some_of(&names, 3)),
            ("a, b and 1 more (-v lists them)".into(), "a, b, c".into())
        );
        assert_eq!(lines_indented("one\ntwo", 2), "one\n  two");
    }
}
