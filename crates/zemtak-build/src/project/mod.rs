//! The project file `zemtak.toml`: which atlases to build, and how. docs/project.md lists its keys.

mod amend;
mod clips;
mod keys;

pub use amend::{Amended, Placement, amend};

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::limits::{LIMITS, Limits};
use crate::settings::rule::Rules;
use crate::settings::{Also, Keys};
use crate::store::SharedSettings;
use crate::toml_text::{self, FileKind, Table, Text, Value};
use std::path::{Path, PathBuf};
use zemtak_core::atlas::Atlas;
use zemtak_files::{Disk, SystemDisk};

/// The name of a project file.
pub const FILE: &str = "zemtak.toml";

/// The version of the format that is read.
const FORMAT: u32 = 1;

/// The keys of `[limits]`.
const LIMIT_KEYS: &[&str] = &{
    let mut keys = ["memory"; LIMITS.len() + 2];
    keys[1] = "follow_links";
    let mut at = 0;
    while at < LIMITS.len() {
        keys[at + 2] = LIMITS[at].0;
        at += 1;
    }
    keys
};

const KIND: FileKind = FileKind {
    name: "a project file",
    help: "fix the project file; docs/project.md lists all keys",
    tables: &[
        ("at the top of the file", &["format", "out", "also"]),
        ("in [limits]", LIMIT_KEYS),
        ("in [store]", &["url", "access"]),
        (
            "in an atlas, [atlas.NAME], or in [defaults]",
            &[
                "root",
                "take",
                "leave",
                "layout",
                "effort",
                "page",
                "gutter",
                "margin",
                "extrude",
                "trim",
                "visible_alpha",
                "share_twins",
                "together",
                "alpha",
                "fringe",
                "mip_levels",
                "filter",
                "pages_as",
                "png",
                "pixels",
                "least_psnr",
                "zstd",
                "unorm",
                "names",
                "also",
                "sizes",
            ],
        ),
        ("in an atlas's page = { ... }", &["max", "shape", "step", "aspect", "prefer", "size", "count"]),
        ("in an entry of sizes = [{ ... }]", &["suffix", "factor", "resample"]),
        (
            "in a rule, [[atlas.NAME.rule]]",
            &[
                "match", "pivot", "points", "stretch", "tags", "ident", "user", "wrap", "layers", "frame", "fps", "ms",
                "mode", "events",
            ],
        ),
        ("in a clip, [[atlas.NAME.clip]]", &["steps"]),
        ("in a pivot = { ... }", &["px"]),
        ("in a layer of layers = { ... }", &["image", "kind"]),
    ],
};

/// A project file's contents.
#[derive(Debug, Clone, PartialEq)]
pub struct Project {
    /// The file.
    pub path: PathBuf,
    /// The folder that it is in; paths in it are relative to this.
    pub folder: PathBuf,
    /// Where results go, below that folder.
    pub out: PathBuf,
    /// Templates of files that are made from all atlases together.
    pub also: Vec<PathBuf>,
    /// Limits for builds.
    pub limits: Limits,
    /// Where builds share what they learn.
    pub shared: Option<SharedSettings>,
    /// The atlases in the order of the file, with the defaults merged in.
    pub atlases: Vec<(String, Keys)>,
}

impl Project {
    /// The project file that was named, or else the nearest one: in this folder or above it.
    ///
    /// # Errors
    /// There is none, it cannot be read, or something in it is wrong: all of that at once.
    pub fn open(named: Option<&Path>, limits: &Limits) -> Result<Self, Failure> {
        Self::open_on(named, limits, &SystemDisk)
    }

    /// The same with the files of another disk than the machine's.
    ///
    /// # Errors
    /// See [`open`](Self::open).
    pub(crate) fn open_on(named: Option<&Path>, limits: &Limits, disk: &dyn Disk) -> Result<Self, Failure> {
        let path = Self::locate(named)?;
        Self::read(&path, &toml_text::read(&path, limits, disk)?)
    }

    /// The content of a project file's text. Looks for nothing on the disk.
    ///
    /// # Errors
    /// All that is wrong with it, each with its line underlined.
    pub fn read(path: &Path, source: &str) -> Result<Self, Failure> {
        read(path, source)
    }

    /// The rules for the sprites of an atlas; `None` if the project has no atlas of that name.
    #[must_use]
    pub fn rules_of(&self, atlas: &str) -> Option<Rules> {
        let (_, keys) = self.atlases.iter().find(|(name, _)| name == atlas)?;
        Some(Rules::new(keys.rules.clone().unwrap_or_default()))
    }

    /// The location of the project file that was named, or else of the nearest one.
    ///
    /// # Errors
    /// None was named, and there is none in the working folder or above it.
    pub fn locate(named: Option<&Path>) -> Result<PathBuf, Failure> {
        match named {
            Some(path) if path.is_dir() => Ok(path.join(FILE)),
            Some(path) => Ok(path.to_owned()),
            None => nearest(),
        }
    }
}

fn nearest() -> Result<PathBuf, Failure> {
    let here = std::env::current_dir().map_err(|e| Failure::io("the working folder", &e))?;
    let found = here.ancestors().map(|folder| folder.join(FILE)).find(|path| path.is_file());
    // Shown the way it would be typed.
    let typed = |path: PathBuf| path.strip_prefix(&here).map(Path::to_owned).unwrap_or(path);
    found.map(typed).ok_or_else(|| {
        let why = format!("there is no {FILE} here or in a folder above");
        let help = "name folders to pack, or write a project file with 'zemtak new'";
        Problem::usage(ProblemKind::NothingToPack, &format::path(&here), why, help).into()
    })
}

fn read(path: &Path, source: &str) -> Result<Project, Failure> {
    let text = Text::new(path, source, KIND);
    let whole = text.parse();
    // Empty for this folder: joined paths then read the way they would be typed.
    let folder = path.parent().unwrap_or(Path::new("")).to_owned();
    let mut table = text.outermost(whole.get_ref());
    let format = table.read("format", |v| text.whole(v, FORMAT..FORMAT + 1).or(Some(FORMAT)));
    if format.is_none() {
        text.wrong(ProblemKind::MissingKey, 0..0, &format!("the first line must be 'format = {FORMAT}'"));
    }
    let out = table.read("out", |v| text.path(v)).unwrap_or_else(|| "build".into());
    let also = table.read("also", |v| text.list(v, |v| template(&text, v))).unwrap_or_default();
    let limits = table.read("limits", |v| Some(keys::limits(&text, v))).unwrap_or_default();
    let shared = table.read("store", |v| keys::store(&text, v));
    let defaults = table.read("defaults", |v| Some(keys::atlas(&text, v, "[defaults]"))).unwrap_or_default();
    let mut atlases = Vec::new();
    let all = table.read("atlas", |v| text.table(v, "the atlases"));
    if all.as_ref().map_or(!table.has("atlas"), Table::is_empty) {
        text.wrong(ProblemKind::NothingToPack, 0..0, "there is no [atlas.NAME] in it");
    }
    if let Some(all) = all {
        for (name, span, value) in all.all() {
            if !Atlas::is_name(name) {
                text.wrong(ProblemKind::InvalidName, span.clone(), "an atlas name may only contain a-z, 0-9, _ and -");
            }
            atlases.push((span.start, name.to_owned(), keys::atlas(&text, value, "an atlas").over(defaults.clone())));
        }
    }
    table.end();
    atlases.sort_by_key(|(at, ..)| *at);
    let atlases = atlases.into_iter().map(|(_, name, keys)| (name, keys)).collect();
    text.finish(Project { path: path.to_owned(), out: folder.join(out), folder, also, limits, shared, atlases })
}

/// A form of all atlases together: a template of your own.
fn template(text: &Text<'_>, value: &Value<'_>) -> Option<PathBuf> {
    match text.parsed::<Also>(value, "a text")? {
        Also::Template(path) => Some(path),
        other => {
            let why = format!(
                "{other} is a form of one atlas: name it in [atlas.NAME] or [defaults]; here only template:FILE can stand"
            );
            text.wrong(ProblemKind::InvalidValue, value.span(), &why);
            None
        }
    }
}

#[cfg(test)]
mod tests;
