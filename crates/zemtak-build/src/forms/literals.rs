//! Texts as literals of other languages.

use crate::format;

/// A text as a literal of Rust, JavaScript and most other languages.
pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if format::disturbs(c) => out.extend(c.escape_unicode()),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// A text as a C literal: bytes other than plain letters as three octal digits.
pub fn c_quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for byte in text.bytes() {
        match byte {
            b'"' | b'\\' => out.extend(['\\', char::from(byte)]),
            // Two question marks could begin a trigraph.
            b'?' => out.push_str("\\?"),
            b' '..=b'~' => out.push(char::from(byte)),
            other => out.push_str(&format!("\\{other:03o}")),
        }
    }
    out.push('"');
    out
}

/// A text within XML, in an element or in an attribute. Characters that XML cannot hold become the replacement character.
pub fn xml(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&apos;"),
            '\t' | '\n' | '\r' => out.push_str(&format!("&#{};", u32::from(c))),
            c if c < ' ' || matches!(c, '\u{fffe}' | '\u{ffff}') => out.push(char::REPLACEMENT_CHARACTER),
            c => out.push(c),
        }
    }
    out
}

/// A text in a cell of a table: if a spreadsheet would take it for a formula, or if it begins with an apostrophe
/// itself, it gets an apostrophe in front.
pub fn cell(text: &str) -> String {
    let begins = text.starts_with(['=', '+', '-', '@', '\t', '\r', '\'']);
    if begins { format!("'{text}") } else { text.to_owned() }
}
