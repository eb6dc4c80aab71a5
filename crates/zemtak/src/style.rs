//! The few colours of texts for people: names, and what is wrong. They are taken out where they cannot be shown.

use anstyle::{AnsiColor, Style};

/// What a line is about.
pub const NAME: Style = Style::new().bold();

/// What is wrong.
pub const WRONG: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Red))).bold();

/// What should be looked at.
pub const ODD: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Yellow))).bold();
