//! Where a command may write: never over what it reads, and only over what such a command wrote before.

use std::io::ErrorKind;
use std::path::Path;
use zemtak_build::ownership::{ResultKind, may_replace};
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_runtime::AtlasFile;

/// The help of `--force` says the same for all commands.
pub const FORCE: &str = "Replace the file even if zemtak did not write it";

/// Refuses an output that is one of the files that this command reads, by whatever path they are named; and one that is
/// there already and no result of this kind, unless that is forced.
///
/// # Errors
/// The file would be lost, or cannot be read.
pub fn check<'p>(
    out: &Path,
    kind: ResultKind,
    force: bool,
    inputs: impl IntoIterator<Item = &'p Path>,
) -> Result<(), Failure> {
    check_input(out, inputs)?;
    write::sweep_forgotten(format::folder_of(out));
    if force || may_replace(out, kind).map_err(|error| Problem::io(&format::path(out), &error))? {
        return Ok(());
    }
    Err(stranger(out).into())
}

/// Whether a file holds these bytes; nothing where none is there. What cannot be read does not.
#[must_use]
pub fn has(path: &Path, bytes: &[u8]) -> Option<bool> {
    match zemtak_files::read(path, bytes.len() as u64) {
        Ok(there) => Some(there == bytes),
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(_) => Some(false),
    }
}

/// A file that is there and would be lost.
#[must_use]
pub fn stranger(out: &Path) -> Problem {
    let why = "it already exists and was not written by zemtak";
    Problem::usage(ProblemKind::WouldOverwrite, &format::path(out), why, "name another file, or say --force")
}

/// Refuses an output that is one of the files that this command reads.
///
/// # Errors
/// It is one of them.
pub fn check_input<'p>(out: &Path, inputs: impl IntoIterator<Item = &'p Path>) -> Result<(), Failure> {
    let Ok(real) = out.canonicalize() else { return Ok(()) };
    match inputs.into_iter().find(|input| input.canonicalize().is_ok_and(|input| input == real)) {
        Some(input) => {
            let why = format!("this command reads {}", format::path(input));
            let help = "name another file for the output";
            Err(Problem::usage(ProblemKind::OutputIsInput, &format::path(out), why, help).into())
        }
        None => Ok(()),
    }
}

/// The files of an atlas: its descriptor and its pages.
#[must_use]
pub fn files_of(descriptor: &Path, atlas: &AtlasFile) -> Vec<std::path::PathBuf> {
    let pages = (0..atlas.atlas().pages.len()).filter_map(|page| atlas.page_path(page).ok());
    pages.chain([descriptor.to_owned()]).collect()
}
