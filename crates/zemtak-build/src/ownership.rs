//! Whose file it is that a result would replace: only what this tool wrote is replaced.
//!
//! A file is ours if a descriptor beside it or the folder's store names it, or by its content: pictures have a
//! [mark](zemtak_core::codec::Mark), texts a first line.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::inventory::Written;
use crate::{format, forms};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use zemtak_core::codec::Mark;

/// How much of a file shows whose it is.
const HEAD: u64 = 4096;

/// What the head of a page for a browser contains.
const VIEW: &[u8] = br#"<meta name="generator" content="Zemtak view">"#;

/// The kind of a result, and so what it may replace.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum ResultKind {
    /// A picture.
    Picture(Mark),
    /// A descriptor.
    Descriptor,
    /// A descriptor in another form.
    Form,
    /// A page for a browser.
    View,
}

impl ResultKind {
    /// Whether a file with this beginning is one of these.
    fn is(self, head: &[u8]) -> bool {
        match self {
            Self::Picture(mark) => Mark::of(head) == Some(mark),
            Self::Descriptor => is_descriptor(head),
            Self::Form => forms::is_form(head),
            Self::View => head.windows(VIEW.len()).any(|part| part == VIEW),
        }
    }
}

/// A descriptor's first key is `zemtak`, whatever the white space.
fn is_descriptor(head: &[u8]) -> bool {
    let mut letters = head.iter().filter(|b| !b.is_ascii_whitespace());
    br#"{"zemtak":"#.iter().all(|letter| letters.next() == Some(letter))
}

/// Whether a result may take this path: nothing is there, or a result of the same kind.
///
/// # Errors
/// The file cannot be read.
pub fn may_replace(path: &Path, kind: ResultKind) -> io::Result<bool> {
    match head(path) {
        Ok(head) => Ok(kind.is(&head)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(true),
        Err(error) => Err(error),
    }
}

/// Whether a file is a picture that a build or another command drew, and so never a sprite.
pub(crate) fn is_result(path: &Path) -> bool {
    head(path).ok().and_then(|head| Mark::of(&head)).is_some_and(Mark::is_result)
}

fn head(path: &Path) -> io::Result<Vec<u8>> {
    let mut head = Vec::new();
    zemtak_files::open(path)?.take(HEAD).read_to_end(&mut head)?;
    Ok(head)
}

/// The folder into which a build's results go.
pub(crate) struct Ownership<'a> {
    /// The folder for results.
    pub out: &'a Path,
    /// The files there that are known to be ours.
    pub ours: &'a Written,
    /// What the build reads; it is never overwritten.
    pub inputs: &'a [PathBuf],
    /// Whether to replace other files anyway.
    pub force: bool,
}

impl Ownership<'_> {
    /// Refuses to overwrite what is not ours.
    ///
    /// # Errors
    /// All files that would be lost.
    pub fn check<'o>(&self, results: impl Iterator<Item = (&'o str, ResultKind)>) -> Result<(), Failure> {
        Failure::unless(results.filter_map(|(file, kind)| self.problem(file, kind)).collect(), ())
    }

    fn problem(&self, file: &str, kind: ResultKind) -> Option<Problem> {
        let path = if self.out == Path::new(".") { file.into() } else { self.out.join(file) };
        // A pipe or a folder that has taken the place of one of ours is not.
        if self.ours.contains_key(file) && std::fs::metadata(&path).map_or(true, |meta| meta.is_file()) {
            return None;
        }
        match may_replace(&path, kind) {
            Ok(true) => None,
            Err(error) => Some(Problem::io(&format::path(&path), &error)),
            // By location: the folder for results may be a link to that of the sources.
            Ok(false) => match path.canonicalize().ok().and_then(|real| self.input(&real)) {
                Some(input) => {
                    let help = "choose another output folder, or another name for the atlas";
                    let why = match format::path(input) {
                        same if same == format::path(&path) => "this build reads it".to_owned(),
                        other => format!("this build reads it as {other}"),
                    };
                    Some(would_be_lost(&path, why, help))
                }
                None if self.force => None,
                None => {
                    let help = "move it away, choose another output folder, or replace it with --force";
                    Some(would_be_lost(&path, "it was not written by zemtak, and a result would take its place", help))
                }
            },
        }
    }

    fn input(&self, real: &Path) -> Option<&Path> {
        self.inputs.iter().find(|input| input.canonicalize().is_ok_and(|input| input == real)).map(PathBuf::as_path)
    }
}

fn would_be_lost(path: &Path, why: impl Into<String>, help: &'static str) -> Problem {
    Problem::usage(ProblemKind::WouldOverwrite, &format::path(path), why, help)
}
