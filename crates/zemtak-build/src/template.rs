//! The one set-up of the template engine: for other forms of the descriptor and for project files.

use minijinja::value::ValueKind;
use minijinja::{AutoEscape, Environment, Error, UndefinedBehavior, escape_formatter, syntax::SyntaxConfig};
use zemtak_core::json::one_line;

/// An engine that refuses unknown names, escapes nothing, prints texts as they are and everything else as JSON, and drops
/// the line break after a block.
pub(crate) fn environment() -> Result<Environment<'static>, Error> {
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    environment.set_auto_escape_callback(|_| AutoEscape::None);
    environment.set_formatter(|out, state, value| match value.kind() {
        ValueKind::Undefined | ValueKind::String => escape_formatter(out, state, value),
        _ => out.write_str(&one_line(value).unwrap_or_default()).map_err(Error::from),
    });
    let syntax = SyntaxConfig::builder().trim_blocks(true).lstrip_blocks(true).keep_trailing_newline(true).build()?;
    environment.set_syntax(syntax);
    Ok(environment)
}
