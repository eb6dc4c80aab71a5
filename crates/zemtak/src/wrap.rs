//! Lines for a terminal: wrapped between words where it would break them anywhere, and printed beside an answer.

use std::io::{IsTerminal, Write};
use terminal_size::{Width, terminal_size_of};
use textwrap::Options;

/// Lines for standard error, as wide as its terminal; unchanged if it is not one.
#[must_use]
pub fn for_stderr(text: &str) -> String {
    let stderr = std::io::stderr();
    match terminal_size_of(&stderr).filter(|_| stderr.is_terminal()) {
        Some((Width(width), _)) => to_width(text, width.into()),
        None => text.to_owned(),
    }
}

/// The same for standard output.
#[must_use]
pub fn for_stdout(text: &str) -> String {
    let stdout = std::io::stdout();
    match terminal_size_of(&stdout).filter(|_| stdout.is_terminal()) {
        Some((Width(width), _)) => to_width(text, width.into()),
        None => text.to_owned(),
    }
}

/// Lines at most this wide, where words allow it; continued lines are indented by two more. Lines that quote a file
/// stay as they are, because of the marks below them.
fn to_width(text: &str, width: usize) -> String {
    let wrap = |line: &str| {
        let shows_text = line.trim_start().trim_start_matches(|c: char| c.is_ascii_digit()).starts_with(" | ");
        if shows_text || line.trim_start().starts_with('|') {
            return line.to_owned();
        }
        let lead = line.len() - line.trim_start_matches(' ').len();
        let (first, next) = (" ".repeat(lead), " ".repeat(lead + 2));
        let options = Options::new(width.max(20)).initial_indent(&first).subsequent_indent(&next).break_words(false);
        textwrap::fill(&line[lead..], options.word_splitter(textwrap::WordSplitter::NoHyphenation))
    };
    let lines: Vec<String> = text.split('\n').map(wrap).collect();
    lines.join("\n")
}

/// Prints a line to standard error. If nobody reads it any more, it is lost, and nothing else.
pub fn print_note(line: &str) {
    let _ = writeln!(anstream::stderr(), "{line}");
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_break_between_words_and_never_within_what_a_file_says() {
        let text = "warning: one two three four five\n  moth/a-very/long-name/of-a-file.png: why it is so\n    3 | a line of a file that is long\n      | ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^\n";
        let expected = "warning: one two\n  three four five\n  moth/a-very/long-name/of-a-file.png:\n    why it is so\n    3 | a line of a file that is long\n      | ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^\n";
        assert_eq!(to_width(text, 20), expected);
        assert_eq!(to_width("\u{1b}[1mbold\u{1b}[0m and plain", 20), "\u{1b}[1mbold\u{1b}[0m and plain");
    }
}
