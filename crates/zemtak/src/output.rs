//! Where a command may write: never over its inputs, and only over results of earlier runs.

use std::io::ErrorKind;
use std::path::Path;
use zemtak_build::ownership::{ResultKind, may_replace};
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_runtime::AtlasFile;

/// The help of `--force` is the same for all commands.
pub const FORCE: &str = "Replace the file even if zemtak did not write it";

/// Refuses an output that is one of the command's inputs, whatever path names it; and an existing file that is not such
/// a result, unless forced.
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

/// Whether a file has exactly these bytes. A missing or unreadable file does not.
#[must_use]
pub fn has(path: &Path, bytes: &[u8]) -> Option<bool> {
    match zemtak_files::read(path, bytes.len() as u64) {
        Ok(there) => Some(there == bytes),
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(_) => Some(false),
    }
}

/// An existing file that would be lost.
#[must_use]
pub fn stranger(out: &Path) -> Problem {
    let why = "it already exists and was not written by zemtak";
    Problem::usage(ProblemKind::WouldOverwrite, &format::path(out), why, "name another file, or say --force")
}

/// Refuses an output that is one of the command's inputs.
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
