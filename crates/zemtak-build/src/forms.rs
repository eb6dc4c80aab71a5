//! The descriptor in other forms, written beside it: CSV, Rust source, a C header, and templates of the user's own.

mod identifiers;

pub use identifiers::{Idents, is_constant};

use identifiers::{constants, identifier};

use crate::failure::{Failure, Problem, ProblemKind};
use crate::settings::Also;
use crate::{format, template};
use minijinja::{Value, context, value::Serde};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Atlas, Sprite};

/// The forms in Rust and C are templates as anybody could write them.
const RUST: &str = include_str!("forms/rust.jinja");
const C: &str = include_str!("forms/c.jinja");

/// Changes whenever the same descriptor comes to another text in CSV, Rust or C.
pub(crate) const VERSION: u32 = 3;

/// How templates' names end, which their results' names do not.
const TEMPLATE_ENDS: [&str; 3] = [".jinja", ".jinja2", ".j2"];

/// The name of the file that is written.
#[must_use]
pub fn file_name(also: &Also, atlas: &str) -> String {
    match also {
        Also::Csv => format!("{atlas}.csv"),
        Also::Rust => format!("{atlas}.rs"),
        Also::C => format!("{atlas}.h"),
        Also::Template(path) => {
            let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            let plain = TEMPLATE_ENDS.iter().find_map(|end| name.strip_suffix(end)).unwrap_or(&name);
            format!("{atlas}.{plain}")
        }
    }
}

/// How the first line of C and Rust begins, after the comment does.
const MARK: &str = "Zemtak: atlas ";

/// Whether a file that begins so is a form that this tool wrote. Of templates' results that cannot be told.
#[must_use]
pub fn is_form(head: &[u8]) -> bool {
    let line = head.split(|&b| b == b'\n').next().unwrap_or_default();
    let text = line.strip_prefix(b"/* ").or_else(|| line.strip_prefix(b"// ")).unwrap_or_default();
    text.starts_with(MARK.as_bytes()) || line.starts_with(CSV_HEAD.join(",").as_bytes())
}

/// The build that the first line of a form names.
#[must_use]
pub(crate) fn build_of(form: &[u8]) -> Option<String> {
    let line = String::from_utf8_lossy(form.split(|&b| b == b'\n').next()?).into_owned();
    let (_, rest) = line.split_once(", build ")?;
    Some(rest.split('.').next()?.to_owned())
}

/// The columns of the CSV.
const CSV_HEAD: [&str; 20] = [
    "sprite", "page", "x", "y", "w", "h", "turned", "canvas_w", "canvas_h", "inset_x", "inset_y", "pivot_x", "pivot_y",
    "u0", "v0", "u1", "v1", "file", "page_w", "page_h",
];

/// The file's name and its text.
///
/// # Errors
/// What is wrong with a template, and where.
pub fn write(
    also: &Also,
    atlas: &Atlas,
    templates: &BTreeMap<PathBuf, String>,
    idents: &Idents,
) -> Result<(String, String), Failure> {
    let text = match also {
        Also::Csv => csv(atlas).map_err(|e| Failure::io("CSV", e.as_ref()))?,
        Also::Rust => render("rust.jinja", RUST, atlas, idents)?,
        Also::C => render("c.jinja", C, atlas, idents)?,
        Also::Template(path) => {
            render(&format::path(path), templates.get(path).map_or("", String::as_str), atlas, idents)?
        }
    };
    Ok((file_name(also, &atlas.name), text))
}

/// One line a sprite, with a head line. docs/forms.md lists the columns.
fn csv(atlas: &Atlas) -> Result<String, Box<dyn std::error::Error>> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(CSV_HEAD)?;
    for (name, s) in &atlas.sprites {
        let page = &atlas.pages[s.page];
        let [u0, v0, u1, v1] = s.uv.0;
        let whole = |n: u32| n.to_string();
        let turned = u32::from(s.turned);
        writer.write_record([
            name.to_string(),
            s.page.to_string(),
            whole(s.rect.x),
            whole(s.rect.y),
            whole(s.rect.w),
            whole(s.rect.h),
            whole(turned),
            whole(s.canvas.w),
            whole(s.canvas.h),
            whole(s.inset[0]),
            whole(s.inset[1]),
            s.pivot[0].to_string(),
            s.pivot[1].to_string(),
            u0.to_string(),
            v0.to_string(),
            u1.to_string(),
            v1.to_string(),
            page.file.clone(),
            whole(page.width),
            whole(page.height),
        ])?;
    }
    Ok(String::from_utf8(writer.into_inner()?)?)
}

/// A template with the whole descriptor as its data, and beside it `by_bytes`, the pairs of name and sprite sorted by the
/// bytes of the names, and `constants`, the pairs of name and constant in the same order.
fn render(name: &str, template: &str, atlas: &Atlas, idents: &Idents) -> Result<String, Failure> {
    let mut environment = template::environment().map_err(|e| Failure::io(name, &e))?;
    environment.add_filter("quoted", |text: &str| quoted(text));
    environment.add_filter("c_quoted", |text: &str| c_quoted(text));
    environment.add_filter("identifier", |text: &str| identifier(text));
    environment.add_filter("file_stem", |text: &str| {
        Path::new(text).file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default()
    });
    environment.add_filter("comment", |text: &str| format::name(text).replace("*/", "* /"));
    let by_bytes: BTreeMap<&str, &Sprite> = atlas.sprites.iter().map(|(name, s)| (name.as_str(), s)).collect();
    // Names that would share a constant are wrong only where constants are written.
    let constants = if template.contains("constants") {
        constants(&atlas.name, by_bytes.keys().copied(), idents)?
    } else {
        Vec::new()
    };
    let data = context! {
        constants => Value::from(Serde(constants)),
        by_bytes => Value::from(Serde(by_bytes.into_iter().collect::<Vec<_>>())),
        ..Value::from(Serde(atlas))
    };
    let rendered = environment.render_named_str(name, template, data);
    rendered.map_err(|error| {
        let line = error.line().unwrap_or(1);
        let text = template.lines().nth(line - 1).unwrap_or_default();
        let detail = error.detail().map(|d| format!(": {d}")).unwrap_or_default();
        let why = format!("{}{detail}\n{text}", error.kind());
        let help = "mend the template; docs/forms.md says what it can use";
        Problem::usage(ProblemKind::UnusableTemplate, &format!("{name}:{line}"), why, help).into()
    })
}

/// A text as a literal of Rust, JavaScript and most other languages.
fn quoted(text: &str) -> String {
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

/// A text as a literal of C: bytes that are no plain letters as three octal digits.
fn c_quoted(text: &str) -> String {
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
