//! Where a command may write: never over what it reads.

use std::path::Path;
use zemtak_build::{Failure, Problem, format};
use zemtak_runtime::AtlasFile;

/// Refuses an output that is one of the files that this command reads, by whatever path they are named.
///
/// # Errors
/// It is one of them.
pub fn check<'p>(out: &Path, inputs: impl IntoIterator<Item = &'p Path>) -> Result<(), Failure> {
    let Ok(real) = out.canonicalize() else { return Ok(()) };
    match inputs.into_iter().find(|input| input.canonicalize().is_ok_and(|input| input == real)) {
        Some(input) => {
            let why = format!("this command reads {}", format::path(input));
            let help = "name another file for the output";
            Err(Problem::usage("the output would overwrite an input", &format::path(out), why, help).into())
        }
        None => Ok(()),
    }
}

/// The same for what is made of an atlas: its descriptor and its pages are inputs.
///
/// # Errors
/// It is one of them.
pub fn check_atlas(out: &Path, descriptor: &Path, atlas: &AtlasFile) -> Result<(), Failure> {
    let pages: Vec<_> = (0..atlas.atlas().pages.len()).filter_map(|page| atlas.page_path(page).ok()).collect();
    check(out, pages.iter().map(std::path::PathBuf::as_path).chain([descriptor]))
}
