//! The descriptor in other forms, written beside it: CSV, Rust source, a C header, and your own templates.

mod csv;
mod data;
mod identifiers;
mod literals;

pub use identifiers::{Idents, is_constant};

use crate::limits::{self, Limits};
use identifiers::{constants, identifier};
use literals::{c_quoted, cell, quoted, xml};

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format::Lines;
use crate::settings::Also;
use crate::{format, template};
use minijinja::{ErrorKind, Value, context, value::Serde};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::Atlas;
use zemtak_core::json::one_line;

/// The forms in Rust and C are templates that anybody could write.
const RUST: &str = include_str!("rust.jinja");
const C: &str = include_str!("c.jinja");
const C_SOURCE: &str = include_str!("c-source.jinja");

/// Changes whenever the same descriptor yields another text in CSV, Rust or C.
pub(crate) const VERSION: u32 = 4;

/// Suffixes of templates, which the names of their results do not have.
const TEMPLATE_ENDS: [&str; 3] = [".jinja", ".jinja2", ".j2"];

/// The names of the files that are written.
#[must_use]
pub fn file_names(also: &Also, atlas: &str) -> Vec<String> {
    match also {
        Also::Csv => vec![format!("{atlas}.csv"), format!("{atlas}.clips.csv")],
        Also::Rust => vec![format!("{atlas}.rs")],
        Also::C => vec![format!("{atlas}.h")],
        Also::CSource => vec![format!("{atlas}.c")],
        Also::Template(path) => vec![format!("{atlas}.{}", name_of_template(path))],
    }
}

/// A template's name without the suffix that makes it one.
pub(crate) fn name_of_template(path: &Path) -> String {
    let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    TEMPLATE_ENDS.iter().find_map(|end| name.strip_suffix(end)).map(str::to_owned).unwrap_or(name)
}

/// Whether a file with this name is a form of an atlas, other than one made from a template.
pub(crate) fn is_name_of_form(file: &str, atlas: &str) -> bool {
    let forms = [Also::Csv, Also::Rust, Also::C, Also::CSource];
    forms.iter().flat_map(|form| file_names(form, atlas)).any(|name| name == file)
}

/// How the first line of C and Rust forms begins, after the comment mark.
const MARK: &str = "Zemtak: atlas ";

/// Whether a file with this beginning is a form that this tool wrote. This is unknown for results of templates.
#[must_use]
pub fn is_form(head: &[u8]) -> bool {
    let line = head.split(|&b| b == b'\n').next().unwrap_or_default();
    let text = line.strip_prefix(b"/* ").or_else(|| line.strip_prefix(b"// ")).unwrap_or_default();
    text.starts_with(MARK.as_bytes()) || csv::is_head(line.strip_suffix(b"\r").unwrap_or(line))
}

/// The build that the first line of a form names.
#[must_use]
pub(crate) fn build_of(form: &[u8]) -> Option<String> {
    let line = String::from_utf8_lossy(form.split(|&b| b == b'\n').next()?).into_owned();
    let (_, rest) = line.split_once(", build ")?;
    Some(rest.split('.').next()?.to_owned())
}

/// What forms are made with.
#[derive(Debug, Clone, Copy)]
pub struct Means<'a> {
    /// The texts of templates, by what asks for them.
    pub templates: &'a BTreeMap<PathBuf, String>,
    /// The constants that rules give to sprites.
    pub idents: &'a Idents,
    /// How long templates may run.
    pub limits: &'a Limits,
}

/// The files' names and texts.
///
/// # Errors
/// What is wrong with a template, and where.
pub fn write(also: &Also, atlas: &Atlas, means: Means<'_>) -> Result<Vec<(String, String)>, Failure> {
    let texts = match also {
        Also::Csv => vec![csv::sprites(atlas)?, csv::steps(atlas)?],
        Also::Rust => vec![render("rust.jinja", RUST, atlas, means)?],
        Also::C => vec![render("c.jinja", C, atlas, means)?],
        Also::CSource => vec![render("c-source.jinja", C_SOURCE, atlas, means)?],
        Also::Template(path) => {
            let template = means.templates.get(path).map_or("", String::as_str);
            vec![render(&format::path(path), template, atlas, means)?]
        }
    };
    Ok(file_names(also, &atlas.name).into_iter().zip(texts).collect())
}

/// Renders a template with the whole descriptor as its data, and everything else that docs/forms.md lists.
fn render(name: &str, template: &str, atlas: &Atlas, means: Means<'_>) -> Result<String, Failure> {
    fill_in(name, template, data_of(atlas, means.idents, &|word| template.contains(word))?, means.limits)
}

/// Renders a template with all atlases of a project as its data.
///
/// # Errors
/// What is wrong with the template, and where.
pub fn joint(name: &str, template: &str, atlases: &[Atlas], limits: &Limits) -> Result<String, Failure> {
    // Constants belong to the rules of an atlas, which its descriptor does not contain.
    let of_each = atlases.iter().map(|atlas| data_of(atlas, &Idents::new(), &|_| false));
    fill_in(name, template, context! { atlases => of_each.collect::<Result<Vec<Value>, Failure>>()? }, limits)
}

fn fill_in(name: &str, template: &str, data: Value, limits: &Limits) -> Result<String, Failure> {
    let mut environment = template::environment(limits).map_err(|e| Failure::io(name, &e))?;
    environment.add_filter("quoted", |text: &str| quoted(text));
    environment.add_filter("c_quoted", |text: &str| c_quoted(text));
    environment.add_filter("xml", |text: &str| xml(text));
    environment.add_filter("cell", |text: &str| cell(text));
    environment.add_filter("identifier", |text: &str| identifier(text));
    environment.add_filter("file_stem", |text: &str| {
        Path::new(text).file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default()
    });
    environment.add_filter("comment", |text: &str| format::name(text).replace("*/", "* /"));
    environment.add_filter("hex", |text: &str| format::hex(text.as_bytes()));
    environment.add_filter("decimal", decimal);
    environment.add_filter("tojson", |value: &Value| one_line(value).map_err(|error| no_json(&error)));
    template::render(&environment, name, template, data, limits)
        .map_err(|error| unusable(name, template, &error, limits).into())
}

/// What a template can use of an atlas. Names that would share a constant are an error only if constants are `wanted`.
fn data_of(atlas: &Atlas, idents: &Idents, wanted: &dyn Fn(&str) -> bool) -> Result<Value, Failure> {
    let (sprites, clips) = (data::sprites(atlas), data::clips(atlas)?);
    let sprites_by_bytes: BTreeMap<&str, _> = sprites.iter().map(|(name, data)| (name.as_str(), data)).collect();
    let clips_by_bytes: BTreeMap<&str, _> = clips.iter().map(|(name, data)| (name.as_str(), data)).collect();
    let of_sprites = wanted("constants").then(|| constants(&atlas.name, sprites_by_bytes.keys().copied(), idents));
    let none = Idents::new();
    let of_clips = wanted("clip_constants").then(|| constants(&atlas.name, clips_by_bytes.keys().copied(), &none));
    Ok(context! {
        sprites => Value::from(Serde(&sprites)),
        clips => Value::from(Serde(&clips)),
        constants => Value::from(Serde(of_sprites.transpose()?.unwrap_or_default())),
        clip_constants => Value::from(Serde(of_clips.transpose()?.unwrap_or_default())),
        by_bytes => Value::from(Serde(sprites_by_bytes.into_iter().collect::<Vec<_>>())),
        clips_by_bytes => Value::from(Serde(clips_by_bytes.into_iter().collect::<Vec<_>>())),
        ..Value::from(Serde(atlas))
    })
}

/// A number with a decimal point, as C and Rust require for a floating type.
fn decimal(number: f64) -> String {
    let text = one_line(&number).unwrap_or_default();
    if text.contains(['.', 'e']) { text } else { format!("{text}.0") }
}

fn no_json(error: &serde_json::Error) -> minijinja::Error {
    minijinja::Error::new(minijinja::ErrorKind::BadSerialization, error.to_string())
}

/// Where the expression begins whose last part begins at a byte: for `.nobody.box`, before the first point.
fn whole_expression(template: &str, part: usize) -> usize {
    let belongs = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.');
    if template[part..].starts_with('.') { template[..part].trim_end_matches(belongs).len() } else { part }
}

/// What is wrong with a template, with the part of its line underlined.
fn unusable(name: &str, template: &str, error: &minijinja::Error, limits: &Limits) -> Problem {
    let range = error.range().filter(|range| template.get(range.clone()).is_some());
    let range = range.map(|range| whole_expression(template, range.start)..range.end);
    let line = error.line().unwrap_or(1);
    let (place, shown) = match &range {
        Some(range) => {
            let lines = Lines::new(template);
            let (line, column) = lines.line_and_column(range.start);
            (format!("{name}:{line}:{column}"), lines.marked(range.clone()))
        }
        None => (format!("{name}:{line}"), template.lines().nth(line - 1).unwrap_or_default().to_owned()),
    };
    let detail = error.detail().map(|d| format!(": {d}")).unwrap_or_default();
    let undefined = range.and_then(|range| template.get(range)).filter(|_| error.kind() == ErrorKind::UndefinedError);
    let what = match undefined {
        Some(expression) => format!("{} is not there", expression.trim()),
        None if error.kind() == ErrorKind::OutOfFuel => {
            let why = format!("it takes more than {} steps\n{shown}", format::number(limits.template_steps()));
            return Problem::usage(ProblemKind::OverLimit, &place, why, limits::help(&["template_steps"]));
        }
        None if error.kind() == ErrorKind::WriteFailure => {
            let why = format!("it makes more than {} of text\n{shown}", format::bytes(limits.template_bytes()));
            return Problem::usage(ProblemKind::OverLimit, &place, why, limits::help(&["template_bytes"]));
        }
        None => format!("{}{detail}", error.kind()),
    };
    let help = "fix the template; docs/forms.md says what it can use";
    Problem::usage(ProblemKind::UnusableTemplate, &place, format!("{what}\n{shown}"), help)
}
