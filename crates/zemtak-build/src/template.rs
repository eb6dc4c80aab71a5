//! The one set-up of the template engine: for other forms of the descriptor and for project files.

use minijinja::{AutoEscape, Environment, UndefinedBehavior, syntax::SyntaxConfig};

/// An engine that refuses unknown names, escapes nothing, and drops the line break after a block.
pub(crate) fn environment() -> Result<Environment<'static>, minijinja::Error> {
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    environment.set_auto_escape_callback(|_| AutoEscape::None);
    let syntax = SyntaxConfig::builder().trim_blocks(true).lstrip_blocks(true).keep_trailing_newline(true).build()?;
    environment.set_syntax(syntax);
    Ok(environment)
}
