//! The few colours of text: names, and what is wrong. They are removed where they cannot be shown.

use anstyle::{AnsiColor, Style};

/// The subject of a line.
pub const NAME: Style = Style::new().bold();

/// An error.
pub const WRONG: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Red))).bold();

/// Something to look at.
pub const ODD: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Yellow))).bold();
