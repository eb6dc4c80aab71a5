//! Recognising pictures that a build wrote, so that pages never become sprites.

use crate::inventory::pictures;
use crate::store;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::{Path, PathBuf};
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_files::SystemDisk;

/// Of these files, the pictures of an earlier build: those that a descriptor beside them names, and all in a folder
/// with a build's store.
pub fn of<'f>(files: impl Iterator<Item = &'f Path> + Clone) -> HashSet<PathBuf> {
    // Most folders have nothing of ours.
    let folder = |file: &'f Path| file.parent().unwrap_or(Path::new(""));
    let of_interest: HashSet<&Path> = files.clone().filter(|file| is_ours(file)).map(folder).collect();
    if of_interest.is_empty() {
        return HashSet::new();
    }
    let mut folders: BTreeMap<&Path, Vec<&Path>> = BTreeMap::new();
    for file in files.filter(|file| of_interest.contains(folder(file))) {
        folders.entry(folder(file)).or_default().push(file);
    }
    let mut own = HashSet::new();
    for files in folders.into_values() {
        let named =
            |file: &&&Path, end: &str| file.file_name().and_then(|n| n.to_str()).is_some_and(|n| n.ends_with(end));
        if files.iter().any(|file| file.file_name().is_some_and(|name| name == store::FILE)) {
            own.extend(files.iter().filter(|file| is_picture(file)).map(|file| file.to_path_buf()));
            continue;
        }
        let pages: BTreeSet<String> =
            files.iter().filter(|file| named(file, FILE_SUFFIX)).flat_map(|f| pictures(f, &SystemDisk)).collect();
        let page = |file: &&&Path| file.file_name().and_then(|n| n.to_str()).is_some_and(|n| pages.contains(n));
        own.extend(files.iter().filter(page).map(|file| file.to_path_buf()));
    }
    own
}

/// Whether a file is a store or has the name of a descriptor.
fn is_ours(file: &Path) -> bool {
    let name = file.file_name().and_then(|name| name.to_str());
    name.is_some_and(|name| name == store::FILE || name.ends_with(FILE_SUFFIX))
}

/// Whether a file counts as a picture by its extension.
fn is_picture(file: &Path) -> bool {
    let extension = file.extension().and_then(|e| e.to_str());
    extension.is_some_and(|e| zemtak_core::codec::Format::of_extension(e).is_some())
}
