//! Opening descriptors, and choosing sprites from them.

use rayon::prelude::*;
use std::io::Read;
use std::path::Path;
use zemtak_build::format::Lines;
use zemtak_build::settings::Pattern;
use zemtak_build::{Allowance, Failure, HeldPixels, Limits, Problem, ProblemKind, format};
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, ParseError, Sprite};
use zemtak_core::codec::Format;
use zemtak_core::geometry::Size;
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_core::pixels::Pixels;
use zemtak_runtime::{AtlasFile, HashCheck, OpenError};

/// Reads and checks a descriptor.
///
/// # Errors
/// It cannot be read or trusted, and why.
pub fn open(path: &Path, allowance: &Allowance) -> Result<AtlasFile, Failure> {
    let limits = allowance.limits();
    let opened = AtlasFile::open_within(path, limits.descriptor_bytes());
    opened.map_err(|error| match error {
        OpenError::TooLarge { bytes, .. } => limits.refusal("descriptor_bytes", bytes, &format::path(path)).into(),
        error => no_descriptor(path).unwrap_or_else(|| explain(&error)),
    })
}

/// Pages in memory, each with its pixels or its error.
pub struct ReadPages {
    /// In the requested order.
    pub pages: Vec<Result<Pixels, OpenError>>,
    /// Their memory, which counts as long as this value lives.
    pub held: HeldPixels,
}

impl ReadPages {
    /// All pages.
    ///
    /// # Errors
    /// The errors of those that could not be read.
    pub fn whole(self) -> Result<(Vec<Pixels>, HeldPixels), Failure> {
        let (mut pages, mut problems) = (Vec::new(), Vec::new());
        for page in self.pages {
            match page {
                Ok(pixels) => pages.push(pixels),
                Err(error) => problems.extend(explain(&error).problems().iter().cloned()),
            }
        }
        Failure::unless(problems, (pages, self.held))
    }
}

/// Reads pages that must exist, all at once.
///
/// # Errors
/// They take more memory than is available.
pub fn read_pages(
    path: &Path,
    file: &AtlasFile,
    indices: &[usize],
    allowance: &Allowance,
) -> Result<ReadPages, Failure> {
    let sizes: Vec<Size> = indices.iter().map(|&index| file.atlas().pages[index].size()).collect();
    let held = allowance.hold_pages(&format::path(path), &sizes)?;
    let pages = indices.par_iter().map(|&index| file.read_page(index, HashCheck::Yes)).collect();
    Ok(ReadPages { pages, held })
}

/// Reads all pages.
///
/// # Errors
/// As [`read_pages`].
pub fn read_all_pages(path: &Path, file: &AtlasFile, allowance: &Allowance) -> Result<ReadPages, Failure> {
    let all: Vec<usize> = (0..file.atlas().pages.len()).collect();
    read_pages(path, file, &all, allowance)
}

/// A suggestion if a descriptor was named without its ending, or a folder or a picture in place of it.
fn no_descriptor(path: &Path) -> Option<Failure> {
    let problem =
        |why: String, help| Problem::usage(ProblemKind::NotADescriptor, &format::path(path), why, help).into();
    let mut whole = path.as_os_str().to_owned();
    whole.push(FILE_SUFFIX);
    if !path.exists() && Path::new(&whole).is_file() {
        let why = format!("there is no such file; there is {}", format::path(Path::new(&whole)));
        return Some(problem(why, "name the descriptor with its ending, NAME.zemtak.json"));
    }
    if path.is_dir() {
        let there = descriptors(path);
        let why = match there.len() {
            0 => "this is a folder without a descriptor in it".into(),
            _ => format!("this is a folder; in it {}", there.join(", ")),
        };
        return Some(problem(why, "name a descriptor: NAME.zemtak.json"));
    }
    let mut start = [0; Format::SIGNATURE_BYTES];
    let length = zemtak_files::open(path).and_then(|mut file| file.read(&mut start)).ok()?;
    let format = Format::of(&start[..length], None)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let file = path.file_name()?.to_str()?;
    let shows = |name: &&String| {
        AtlasFile::open(&folder.join(name)).is_ok_and(|d| d.atlas().pages.iter().any(|page| page.file == file))
    };
    let why = match descriptors(folder).iter().find(shows) {
        Some(name) => format!("this is a {format} picture; {} describes it", format::path(&folder.join(name))),
        None => format!("this is a {format} picture"),
    };
    Some(problem(why, "name the descriptor, NAME.zemtak.json, that was packed with the page"))
}

/// The names of the descriptors in a folder, sorted.
fn descriptors(folder: &Path) -> Vec<String> {
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let names = entries.filter_map(|entry| entry.file_name().into_string().ok());
    let mut names: Vec<String> = names.filter(|name| name.ends_with(FILE_SUFFIX)).collect();
    names.sort_unstable();
    names
}

/// The JSON parser's message in plain words.
fn reason_of(reason: &str) -> &str {
    match reason {
        "expected value" => "a value is expected here",
        _ if reason.starts_with("EOF while parsing") => "the file ends too early",
        other => other,
    }
}

/// The errors of a descriptor or one of its pages.
#[must_use]
pub fn explain(error: &OpenError) -> Failure {
    let what = ProblemKind::UnusableDescriptor;
    let again = "build it again with 'zemtak pack'";
    match error {
        OpenError::Io { path, source } => Failure::io(&format::path(path), source),
        OpenError::Parse { path, text, source: ParseError::Json { line, column, reason } } => {
            let place = format!("{}:{line}:{column}", format::path(path));
            Problem::bad_input(
                what,
                &place,
                format!("{}\n{}", reason_of(reason), Lines::new(text).marked(byte_of(text, *line, *column))),
                again,
            )
            .into()
        }
        OpenError::Parse { path, source, .. } => {
            let help = "use the version of zemtak that wrote it, or build it again with this one";
            Problem::bad_input(what, &format::path(path), source.to_string(), help).into()
        }
        OpenError::Flawed { path, flaws } => {
            let problem = |flaw: &_| Problem::bad_input(what, &format::path(path), format!("{flaw}"), again);
            Failure::all(flaws.iter().map(problem).collect())
        }
        other => Problem::bad_input(what, "", other.to_string(), again).into(),
    }
}

/// The byte offset of a line and a column, the column counted in bytes from 1.
fn byte_of(text: &str, line: usize, column: usize) -> std::ops::Range<usize> {
    let before: usize = text.split_inclusive('\n').take(line.saturating_sub(1)).map(str::len).sum();
    let at = (before + column.saturating_sub(1)).min(text.len());
    at..at
}

/// Selects sprites of an atlas; all of them by default.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Choice {
    /// Names and globs.
    pub names: Vec<String>,
    /// Clips, whose sprites follow in the order of their steps.
    pub clips: Vec<String>,
}

/// The selected sprites: those of names and globs first, then the steps of clips.
///
/// # Errors
/// All names, globs and clips that match nothing, each with what resembles it most.
pub fn choose<'a>(
    atlas: &'a Atlas,
    choice: &Choice,
    limits: &Limits,
) -> Result<Vec<(&'a SpriteName, &'a Sprite)>, Failure> {
    if choice.names.is_empty() && choice.clips.is_empty() {
        return Ok(atlas.sprites.iter().collect());
    }
    let (mut chosen, mut problems) = (Vec::new(), Vec::new());
    for name in &choice.names {
        // A name may contain glob characters.
        if let Some(sprite) = atlas.sprites.get_key_value(&SpriteName::new(name)) {
            chosen.push(sprite);
            continue;
        }
        if let Err(problem) = limits.check("pattern_bytes", name.len(), "a name to look for") {
            problems.push(problem);
            continue;
        }
        let pattern: Result<Pattern, String> = name.parse();
        let matching = pattern.map(|p| atlas.sprites.iter().filter(move |(n, _)| p.matches(n.as_str())));
        let before = chosen.len();
        match matching {
            Ok(matching) => chosen.extend(matching),
            Err(why) => {
                problems.push(unknown(ProblemKind::InvalidGlob, name, format!("expected {why}")));
                continue;
            }
        }
        if chosen.len() == before {
            problems.push(unknown(ProblemKind::UnknownSprite, name, unmatched(atlas, name)));
        }
    }
    for name in &choice.clips {
        let Some(clip) = atlas.clips.get(&ClipName::new(name)) else {
            problems.push(unknown_clip(atlas, name));
            continue;
        };
        for step in &clip.steps {
            match atlas.sprites.get_key_value(&step.sprite) {
                Some(sprite) => chosen.push(sprite),
                None => {
                    let why = format!("its step {} is of another atlas", step.sprite);
                    problems.push(unknown(ProblemKind::ClipOverAtlases, name, why));
                }
            }
        }
    }
    Failure::unless(problems, chosen)
}

/// Why a name or a glob finds no sprite. Most often a `*` is meant to reach into folders.
fn unmatched(atlas: &Atlas, name: &str) -> String {
    let all = atlas.sprites.keys().map(SpriteName::as_str);
    let is_glob = name.contains(['*', '?', '[', '{']);
    let deeper = format!("{name}*");
    let reach = name.ends_with('*') && !name.ends_with("**");
    let found = deeper.parse::<Pattern>().map_or(0, |glob| all.clone().filter(|name| glob.matches(name)).count());
    let atlas = &atlas.name;
    match found {
        1.. if reach => {
            let found = format::count(found, "sprite", "sprites");
            format!("it matches no sprite of atlas {atlas}: * stays within a folder; {deeper} matches {found}")
        }
        _ if is_glob => format!("it matches no sprite of atlas {atlas}{}", most_like(name, all)),
        _ => format!("atlas {atlas} has no sprite of that name{}", most_like(name, all)),
    }
}

/// A clip that an atlas does not have.
#[must_use]
pub fn unknown_clip(atlas: &Atlas, name: &str) -> Problem {
    let all = atlas.clips.keys().map(ClipName::as_str);
    let why = format!("atlas {} has no clip of that name{}", atlas.name, most_like(name, all));
    unknown(ProblemKind::UnknownClip, name, why)
}

fn unknown(what: ProblemKind, name: &str, why: String) -> Problem {
    let name = if name.is_empty() { "''".to_owned() } else { format::name(name) };
    Problem::usage(what, &name, why, "'zemtak list DESCRIPTOR' shows all sprites and clips")
}

/// The names that end like the wanted one, or the one that resembles it most.
fn most_like<'n>(name: &str, all: impl Iterator<Item = &'n str> + Clone) -> String {
    const MOST: usize = 3;
    let end = format!("/{}", name.trim_start_matches('/'));
    let ending: Vec<String> = all.clone().filter(|own| own.ends_with(&end)).take(MOST).map(format::name).collect();
    if !ending.is_empty() {
        return format!("; did you mean {}?", ending.join(", "));
    }
    format::nearest(name, all).map_or(String::new(), |like| format!("; the nearest is {}", format::name(like)))
}
