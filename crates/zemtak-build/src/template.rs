//! The single configuration of the template engine: for other forms of the descriptor and for project files.

use crate::limits::Limits;
use minijinja::value::{Value, ValueKind};
use minijinja::{AutoEscape, Environment, Error, UndefinedBehavior, escape_formatter, syntax::SyntaxConfig};
use std::io;
use zemtak_core::json::one_line;

/// An engine that refuses unknown names, escapes nothing, prints texts as they are and everything else as JSON, and
/// drops the line break after a block.
pub(crate) fn environment(limits: &Limits) -> Result<Environment<'static>, Error> {
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    environment.set_auto_escape_callback(|_| AutoEscape::None);
    environment.set_formatter(|out, state, value| match value.kind() {
        ValueKind::Undefined | ValueKind::String => escape_formatter(out, state, value),
        _ => out.write_str(&one_line(value).unwrap_or_default()).map_err(Error::from),
    });
    let syntax = SyntaxConfig::builder().trim_blocks(true).lstrip_blocks(true).keep_trailing_newline(true).build()?;
    environment.set_syntax(syntax);
    environment.set_fuel(Some(limits.template_steps()));
    Ok(environment)
}

/// Renders a template with its data. One that runs away is stopped.
pub(crate) fn render(
    environment: &Environment<'_>,
    name: &str,
    text: &str,
    data: Value,
    limits: &Limits,
) -> Result<String, Error> {
    let mut made = Limited { text: Vec::new(), room: limits.template_bytes() };
    environment.template_from_named_str(name, text)?.render_captured_to(data, &mut made)?;
    String::from_utf8(made.text).map_err(|error| Error::new(minijinja::ErrorKind::WriteFailure, error.to_string()))
}

/// Text up to a limit.
struct Limited {
    text: Vec<u8>,
    room: u64,
}

impl io::Write for Limited {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let left = self.room.checked_sub(bytes.len() as u64).ok_or(io::ErrorKind::FileTooLarge)?;
        self.text.extend_from_slice(bytes);
        self.room = left;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
