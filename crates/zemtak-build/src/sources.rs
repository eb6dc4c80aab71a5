//! Finding sprites: walking folders, recognising images, naming them, and refusing names that clash.

pub(crate) mod layers;
mod own;

pub use layers::SourceLayer;

use crate::failure::{Cause, Failure, Problem, ProblemKind};
use crate::format;
use crate::settings::Pattern;
use rayon::prelude::*;
use std::cell::{Cell, RefCell};
use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::io::{self, Read};
use std::ops::Range;
use std::path::{Component, Path, PathBuf};
use unicode_normalization::UnicodeNormalization;
use walkdir::WalkDir;
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_core::codec::Format;
use zemtak_core::name::{SpriteName, natural_cmp};

/// Folders of version control; some keep copies of the very images that lie beside them.
const VERSION_CONTROL: [&str; 5] = [".git", ".svn", ".hg", ".jj", ".bzr"];

/// What macOS writes beside a file on foreign disks: named like it, prefixed with `._`, and not an image.
const APPLE_DOUBLE: [u8; 4] = [0x00, 0x05, 0x16, 0x07];

/// Where to look.
#[derive(Debug, Clone, PartialEq)]
pub struct SourceSearch {
    /// Folders and files.
    pub paths: Vec<PathBuf>,
    /// What names are relative to. Default: the folder if there is only one, else the common parent.
    pub root: Option<PathBuf>,
    /// A folder to skip: where results go.
    pub leave_out: Option<PathBuf>,
    /// Whether links may lead out of all of `paths`.
    pub follow_links: bool,
}

/// An image file and the name of its sprite.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// The sprite's name.
    pub name: SpriteName,
    /// The file.
    pub path: PathBuf,
    /// Its path below the root, for messages.
    pub shown: String,
    /// The layers that rules give it, by name.
    pub layers: Vec<SourceLayer>,
}

impl Source {
    /// Whether a glob matches the sprite's name or the file's path below the root.
    #[must_use]
    pub fn matches(&self, pattern: &Pattern) -> bool {
        pattern.matches(self.name.as_str()) || pattern.matches(&self.shown)
    }

    /// Its file, and those of its layers.
    pub fn paths(&self) -> impl Iterator<Item = &PathBuf> {
        let of_layers = self.layers.iter().filter_map(|layer| Some(&layer.image.as_ref()?.path));
        std::iter::once(&self.path).chain(of_layers)
    }
}

/// All images that were found, whichever atlas takes them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FoundSources {
    /// The image files, sorted by name.
    pub files: Vec<Source>,
    /// How many files are not images and were skipped.
    pub skipped: usize,
    /// How many pictures of an earlier build were skipped, by folder.
    pub own: BTreeMap<String, usize>,
    /// Problems with names and files so far. Those that can be read are in `files` anyway, so that their other problems
    /// can be reported in the same run.
    pub problems: Vec<Problem>,
    /// Whether there was any link.
    pub has_links: bool,
}

/// All sources of an atlas, by name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sources {
    /// The image files, sorted by name.
    pub files: Vec<Source>,
    /// How many files are not images and were skipped.
    pub skipped: usize,
    /// How many pictures of an earlier build were skipped, by folder.
    pub own: BTreeMap<String, usize>,
    /// Problems with names and files.
    pub problems: Vec<Problem>,
}

impl FoundSources {
    /// What an atlas takes of them: everything, or what matches one of `take`, without what matches one of `leave`.
    /// Names that clash among these are reported in the result.
    #[must_use]
    pub fn select(&self, take: Option<&[Pattern]>, leave: &[Pattern]) -> Sources {
        let left_out = |source: &Source| leave.iter().any(|pattern| source.matches(pattern));
        let files: Vec<Source> = match take {
            None => self.files.iter().filter(|source| !left_out(source)).cloned().collect(),
            Some(take) => {
                // If there are many atlases, each takes little: it looks only at that.
                let of = |pattern| self.near_range(pattern).filter(|&at| self.files[at].matches(pattern));
                let taken: BTreeSet<usize> = take.iter().flat_map(of).collect();
                taken.into_iter().map(|at| &self.files[at]).filter(|source| !left_out(source)).cloned().collect()
            }
        };
        let mut problems = self.problems.clone();
        problems.extend(clashes(&files));
        Sources { files, skipped: self.skipped, own: self.own.clone(), problems }
    }
}

impl FoundSources {
    /// The files that a glob may match.
    pub(crate) fn near(&self, pattern: &Pattern) -> &[Source] {
        &self.files[self.near_range(pattern)]
    }

    /// Where the files are that a glob may match: they are sorted by name, which keeps those of one folder together.
    fn near_range(&self, pattern: &Pattern) -> Range<usize> {
        let folder = pattern.start().rfind('/').map_or("", |slash| &pattern.start()[..=slash]);
        let from = self.files.partition_point(|source| natural_cmp(source.name.as_str(), folder) == Ordering::Less);
        let length = self.files[from..].partition_point(|source| source.name.as_str().starts_with(folder));
        from..from + length
    }
}

/// A file that was found: its path, and the same with `.` and `..` resolved.
struct Met {
    path: PathBuf,
    clean: PathBuf,
    /// A file, not a pipe or a device.
    regular: bool,
}

/// The result of a walk.
#[derive(Default)]
struct Walked {
    met: Vec<Met>,
    problems: Vec<Problem>,
    has_links: bool,
}

/// Finds all images. Paths that cannot be read and names that are not UTF-8 are reported in the result.
///
/// # Errors
/// The working folder is unknown.
pub fn find(search: &SourceSearch) -> Result<FoundSources, Failure> {
    let root = root_of(search).map_err(|e| Failure::io("the working folder", &e))?;
    let mut walked = Walked::default();
    let within = Within::of(search);
    for path in &search.paths {
        walk(path, search.leave_out.as_deref(), &within, &mut walked);
    }
    let Walked { mut met, problems, has_links } = walked;
    let mut found = FoundSources { problems, has_links, ..FoundSources::default() };
    if search.paths.len() > 1 {
        let mut seen = HashSet::new();
        met.retain(|file: &Met| seen.insert(file.clean.clone()));
    }
    let own = own::of(met.iter().map(|file| file.path.as_path()));
    // A million files may lie in one folder.
    let judged: Vec<Judged> = met.into_par_iter().map(|file| judge(&file, &root, search, &own)).collect();
    for judged in judged {
        match judged {
            Judged::Image(source) => found.files.push(source),
            Judged::Own(folder) => *found.own.entry(folder).or_default() += 1,
            Judged::Passed => {}
            Judged::Skipped => found.skipped += 1,
            Judged::Bad(problem) => found.problems.push(problem),
        }
    }
    // Folders are listed in no particular order.
    found.problems.sort_by(|a, b| a.place.cmp(&b.place));
    found.files.par_sort_by(|a, b| a.name.cmp(&b.name).then_with(|| a.path.cmp(&b.path)));
    Ok(found)
}

/// What a file means to a build.
enum Judged {
    Image(Source),
    /// A picture of an earlier build, by its folder.
    Own(String),
    /// Not an image, but one of our files.
    Passed,
    Skipped,
    Bad(Problem),
}

fn judge(file: &Met, root: &Path, search: &SourceSearch, own: &HashSet<PathBuf>) -> Judged {
    if own.contains(&file.path) {
        let folder = file.clean.parent().map(|folder| folder.strip_prefix(root).unwrap_or(folder));
        return Judged::Own(folder.map_or_else(String::new, format::path));
    }
    match is_image(file) {
        // A file that was named individually counts whatever it is.
        Ok(image) if image || search.paths.contains(&file.path) => {
            name_of(file, root).map_or_else(Judged::Bad, Judged::Image)
        }
        Ok(_) if is_ours(&file.path) => Judged::Passed,
        Ok(_) => Judged::Skipped,
        Err(error) => Judged::Bad(Problem::io(&format::path(&file.path), &error)),
    }
}

fn root_of(search: &SourceSearch) -> io::Result<PathBuf> {
    if let Some(root) = &search.root {
        return clean(root);
    }
    if let [only] = search.paths.as_slice()
        && only.is_dir()
    {
        return clean(only);
    }
    let mut common: Option<PathBuf> = None;
    for path in &search.paths {
        let path = clean(path)?;
        let folder = path.parent().unwrap_or(&path).to_owned();
        common = Some(match common {
            None => folder,
            Some(so_far) => so_far.ancestors().find(|a| folder.starts_with(a)).unwrap_or(Path::new("")).to_owned(),
        });
    }
    Ok(common.unwrap_or_default())
}

/// An absolute path with `.` and `..` resolved. Only for comparing: behind a link, `..` may lead elsewhere.
///
/// # Errors
/// The working folder is unknown.
pub fn clean(path: &Path) -> io::Result<PathBuf> {
    let mut out = PathBuf::new();
    for part in std::path::absolute(path)?.components() {
        match part {
            Component::ParentDir => drop(out.pop()),
            Component::CurDir => {}
            other => out.push(other),
        }
    }
    Ok(out)
}

/// Where links may lead.
struct Within {
    /// The folders and files that were named, without links. `None` if all links may be followed.
    named: Option<Vec<PathBuf>>,
}

impl Within {
    fn of(search: &SourceSearch) -> Self {
        let real = || search.paths.iter().filter_map(|path| path.canonicalize().ok()).collect();
        Self { named: (!search.follow_links).then(real) }
    }

    /// Where a link leads, if it leads outside.
    fn out_by(&self, entry: &walkdir::DirEntry) -> Option<PathBuf> {
        let named = self.named.as_ref().filter(|_| entry.depth() > 0 && entry.path_is_symlink())?;
        let real = entry.path().canonicalize().ok()?;
        (!named.iter().any(|path| real.starts_with(path))).then_some(real)
    }
}

/// A link to an image or a folder that nobody named: a folder that somebody sends must not get others' files packed.
fn stray_link(entry: &walkdir::DirEntry, real: &Path) -> Option<Problem> {
    let extension = entry.path().extension().and_then(|e| e.to_str());
    let matters = entry.file_type().is_dir() || extension.and_then(Format::of_extension).is_some();
    let why = format!("this link leads to {}, out of the folders that were named", format::path(real));
    let help = "name that folder too, or follow such links with --follow-links or follow_links in [limits]";
    matters.then(|| Problem::usage(ProblemKind::OutsideRoot, &format::path(entry.path()), why, help))
}

/// A path that was found below a folder, cleaned as that folder was: what lies below contains neither `.` nor `..`.
fn clean_below(path: &Path, start: &Path, clean_start: &Path) -> PathBuf {
    // Usually as text: going through the components of a million paths takes a second.
    let texts = start.to_str().zip(clean_start.to_str());
    let below = texts.and_then(|(start, clean)| Some((clean, path.to_str()?.strip_prefix(start)?)));
    if let Some((clean, below)) = below.filter(|(clean, below)| below.starts_with('/') && !clean.ends_with('/')) {
        return PathBuf::from([clean, below].concat());
    }
    match path.strip_prefix(start) {
        Ok(below) if !below.as_os_str().is_empty() => clean_start.join(below),
        _ => clean_start.to_owned(),
    }
}

fn walk(start: &Path, leave_out: Option<&Path>, within: &Within, walked: &mut Walked) {
    let Walked { met, problems, has_links } = walked;
    let Ok(clean_start) = clean(start).map_err(|e| problems.push(Problem::io(&format::path(start), &e))) else {
        return;
    };
    let clean_below = |path: &Path| clean_below(path, start, &clean_start);
    let leave_out = leave_out.and_then(|p| clean(p).ok());
    let (stray, links) = (RefCell::new(Vec::new()), Cell::new(false));
    let wanted = |entry: &walkdir::DirEntry| {
        links.set(links.get() || entry.path_is_symlink());
        if entry.depth() > 0 && entry.file_type().is_dir() && leads_back(entry) {
            return false;
        }
        if let Some(real) = within.out_by(entry) {
            stray.borrow_mut().extend(stray_link(entry, &real));
            return false;
        }
        let left_out = || {
            VERSION_CONTROL.iter().any(|v| entry.file_name() == *v)
                || leave_out.as_ref().is_some_and(|out| clean_below(entry.path()) == *out)
        };
        entry.depth() == 0 || !entry.file_type().is_dir() || !left_out()
    };
    for entry in WalkDir::new(start).follow_links(true).into_iter().filter_entry(wanted) {
        match entry {
            Ok(entry) if entry.file_type().is_dir() => {}
            Ok(entry) => {
                let clean = clean_below(entry.path());
                let regular = entry.file_type().is_file();
                met.push(Met { path: entry.into_path(), clean, regular });
            }
            // A link back to a folder above it contains nothing new.
            Err(error) if error.loop_ancestor().is_some() => {}
            Err(error) => {
                let place = error.path().unwrap_or(start).to_owned();
                let why = error.into_io_error().unwrap_or_else(|| io::Error::other("cannot be read"));
                problems.push(Problem::io(&format::path(&place), &why));
            }
        }
    }
    problems.extend(stray.into_inner());
    *has_links |= links.get();
}

/// Whether an entry is a link to a folder that contains it: everything there was seen on the way.
fn leads_back(entry: &walkdir::DirEntry) -> bool {
    let real = |path: &Path| path.canonicalize().ok();
    let beside = || real(entry.path().parent()?);
    entry.path_is_symlink() && beside().zip(real(entry.path())).is_some_and(|(place, target)| place.starts_with(target))
}

/// Whether a file counts as an image: by a known extension or, without an extension, by its signature.
fn is_image(file: &Met) -> io::Result<bool> {
    let path = &file.path;
    let extension = path.extension().and_then(|e| e.to_str());
    let known = extension.and_then(Format::of_extension).is_some();
    if !file.regular {
        // A pipe or a device with the name of an image would block forever.
        return if known { Err(io::Error::other("not a regular file")) } else { Ok(false) };
    }
    let name_leads = |n: &str| n.starts_with("._");
    let double = path.file_name().and_then(|n| n.to_str()).is_some_and(name_leads);
    if known && !double {
        return Ok(true);
    }
    let mut start = Vec::new();
    match zemtak_files::open(path) {
        Ok(file) => file.take(Format::SIGNATURE_BYTES as u64).read_to_end(&mut start)?,
        // What does not look like an image and may not be read is not missed.
        Err(_) if !known => return Ok(false),
        Err(error) => return Err(error),
    };
    if double && start.starts_with(&APPLE_DOUBLE) {
        return Ok(false);
    }
    Ok(known || Format::of(&start, None).is_some())
}

/// Whether a file is not an image, but one of ours that may lie among the sources: nobody expects it to be packed.
fn is_ours(path: &Path) -> bool {
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    [crate::project::FILE, crate::store::FILE, crate::lock::FILE].contains(&name) || name.ends_with(FILE_SUFFIX)
}

fn name_of(file: &Met, root: &Path) -> Result<Source, Problem> {
    let Ok(below) = file.clean.strip_prefix(root) else {
        let why = format!("it is not below the root {}", format::path(root));
        let help = "give a root that all paths lie below, or none";
        return Err(Problem::usage(ProblemKind::OutsideRoot, &format::path(&file.path), why, help));
    };
    let stem = below.with_extension("");
    let parts: Option<Vec<&str>> = stem.iter().map(|part| part.to_str()).collect();
    match parts.filter(|_| below.to_str().is_some()) {
        Some(parts) if parts.iter().any(|part| part.contains(':')) => {
            let why = "'atlas:name' is how a sprite of an atlas is named, so its own name has no colon";
            Err(Problem::bad_input(
                ProblemKind::ColonInName,
                &format::path(&file.path),
                why,
                "rename the file or its folder",
            ))
        }
        Some(parts) => {
            let (name, shown) = (SpriteName::new(&parts.join("/")), format::path(below));
            Ok(Source { name, path: file.path.clone(), shown, layers: Vec::new() })
        }
        None => Err(Problem::bad_input(
            ProblemKind::NotUtf8,
            &format::path(&file.path),
            "sprite names are text",
            "rename the file or its folder",
        )),
    }
}

/// Names that stand for two files, and names that some file systems or readers treat as the same.
fn clashes(files: &[Source]) -> Vec<Problem> {
    let mut problems = Vec::new();
    for same in files.chunk_by(|a, b| a.name == b.name).filter(|same| same.len() > 1) {
        let shown: Vec<&str> = same.iter().map(|s| s.shown.as_str()).collect();
        problems.push(Problem {
            what: ProblemKind::SharedSpriteName,
            place: same[0].name.to_string(),
            why: shown.join(", "),
            help: "rename all but one: the name is the path without its extension".into(),
            cause: Cause::BadInput,
        });
    }
    let mut folded: BTreeMap<String, BTreeSet<&str>> = BTreeMap::new();
    for file in files {
        folded.entry(fold(file.name.as_str())).or_default().insert(file.name.as_str());
    }
    for alike in folded.into_values().filter(|names| names.len() > 1) {
        let names: Vec<String> = alike.iter().map(|n| spelled(n)).collect();
        problems.push(Problem {
            what: ProblemKind::NamesTooAlike,
            place: names.join(", "),
            why: "on many systems these are one file".into(),
            help: "rename all but one".into(),
            cause: Cause::BadInput,
        });
    }
    problems
}

/// The name of a frame of an animated image: `moth/fly` and 3 give `moth/fly/03`.
pub(crate) fn frame_name(image: &SpriteName, frame: usize) -> SpriteName {
    SpriteName::new(&format!("{image}/{frame:02}"))
}

/// A form in which names that are easily confused are equal.
pub(crate) fn fold(name: &str) -> String {
    if name.is_ascii() {
        return name.to_ascii_lowercase();
    }
    let upper: String = name.nfc().flat_map(char::to_uppercase).collect();
    upper.to_lowercase().nfc().collect()
}

/// A name with its combining marks spelled out, for names that look the same on a screen.
fn spelled(name: &str) -> String {
    let composed = |c: char| unicode_normalization::char::is_combining_mark(c);
    if !name.contains(composed) {
        return name.to_owned();
    }
    name.chars().map(|c| if composed(c) { c.escape_unicode().to_string() } else { c.to_string() }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_glob_finds_among_many_files_what_it_finds_among_all() {
        let names = ["a/1", "a/1/b", "a/02", "a/2/c", "a/10", "a2/x", "a02/x", "a02/y/z", "b", "b/c", "bc/d", "é/1"];
        let source = |name: &str| Source {
            name: SpriteName::new(name),
            path: name.into(),
            shown: format!("{name}.png"),
            layers: Vec::new(),
        };
        let mut files: Vec<Source> = names.map(source).into();
        files.sort_by(|a, b| a.name.cmp(&b.name));
        let found = FoundSources { files, ..FoundSources::default() };
        let globs =
            "** a/** a/* a/1* a2/** a02/** a02/y/* a02/y.png a/1.png b b/* b/c.p* bc/** {a,b}/* ?/1 é/* z/** a/02.png";
        for glob in globs.split(' ') {
            let pattern: Pattern = glob.parse().unwrap();
            let all: Vec<Source> = found.files.iter().filter(|source| source.matches(&pattern)).cloned().collect();
            assert_eq!(found.select(Some(&[pattern]), &[]).files, all, "{glob}");
        }
        let several = ["a02/**", "a/1*", "a02/x", "**/x"].map(|glob| glob.parse().unwrap());
        let names: Vec<String> = found.select(Some(&several), &[]).files.iter().map(|s| s.name.to_string()).collect();
        assert_eq!(names, ["a/1", "a/10", "a2/x", "a02/x", "a02/y/z"]);
    }

    #[test]
    fn names_that_look_alike_fold_to_one() {
        assert_eq!(fold("Moth/Flügel"), fold("moth/FLU\u{308}GEL"));
        assert_eq!(fold("straße"), fold("STRASSE"));
        assert_ne!(fold("a/b"), fold("a-b"));
        assert_eq!(spelled("u\u{308}"), "u\\u{308}");
    }
}
