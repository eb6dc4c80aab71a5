//! Putting files in place: all of a build together, once everything has succeeded.

use crate::build_atlas::{BuiltAtlas, Output, OutputKind};
use crate::content::{self, Files};
use crate::failure::Failure;
use crate::format;
use crate::inventory::{Inventory, Written};
use crate::observer::Observer;
use crate::observer::check;
use crate::store::{FileStore, Hash, Key, Store};
use crate::warning::Warning;
use crate::write::Writer;
use std::collections::{BTreeMap, BTreeSet};
use std::io::ErrorKind;
use std::path::Path;
use zemtak_core::atlas::FILE_SUFFIX;

/// The key under which a store records the files that builds wrote into its folder.
fn key() -> Hash {
    Key::new("wrote", &[]).finish()
}

/// Our files in a folder, if there is anything to do there: those that descriptors name, and those that the store has
/// recorded.
pub(crate) fn ours(out: &Path, made: &[BuiltAtlas], files: Files<'_>) -> Option<Written> {
    let mut noted: Written =
        files.store.get(&key()).and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    let outputs = || made.iter().flat_map(|m| &m.outputs);
    let new: BTreeSet<&String> = outputs().map(|output| &output.file).collect();
    if outputs().all(|output| !output.changed) && noted.keys().all(|file| new.contains(file)) {
        return None;
    }
    let replaced = made.iter().flat_map(|m| m.replaced.clone()).collect();
    noted.extend(Inventory::of(out, &replaced, files.disk).named);
    Some(noted)
}

/// Renames all files into place, pages first, each descriptor after its pages; then removes files of ours that no
/// descriptor names any more. Files that were changed since stay, with a warning.
pub(crate) fn place(
    out: &Path,
    mut made: Vec<BuiltAtlas>,
    ours: Option<Written>,
    store: &FileStore,
    writer: &Writer,
    observer: &dyn Observer,
) -> Result<(Vec<BuiltAtlas>, Option<Warning>), Failure> {
    let mut left = Vec::new();
    // Before the files are in place: a build that finds these records looks at the files before it believes them.
    made.iter().for_each(|m| m.remember(store));
    if let Some(mut ours) = ours {
        check(observer)?;
        let outputs = made.iter().flat_map(|m| &m.outputs).filter(|o| o.kind != OutputKind::Descriptor);
        let new: Written = outputs.map(|o| (o.file.clone(), o.hash)).collect();
        let remember = |files: &Written| store.put(key(), serde_json::to_vec(files).unwrap_or_default());
        // Recorded before it is done: if this build is killed, the next one knows which files are ours.
        let mut all = ours.clone();
        all.extend(new.clone());
        remember(&all);
        let _held = store.save()?;
        writer.sync_folder(out)?;
        commit(out, &mut made, writer)?;
        let files = Files::of(writer, store);
        remove_old(out, &mut ours, &new, &named_by(&made), files, &mut left)?;
        // Before forgetting whose they were.
        writer.sync_folder(out)?;
        ours.extend(new);
        remember(&ours);
    }
    // Usually nothing is new since it was last saved.
    store.save()?;
    let left = (!left.is_empty()).then_some(Warning::LeftBehind { files: left });
    Ok((made, left))
}

/// The descriptors of built atlases, with the files of their atlas: those that they name are among them.
fn named_by(made: &[BuiltAtlas]) -> BTreeMap<String, Written> {
    let of_atlas = |atlas: &BuiltAtlas| {
        let all: Written = atlas.outputs.iter().map(|o| (o.file.clone(), o.hash)).collect();
        let descriptors = atlas.outputs.iter().filter(|o| o.kind == OutputKind::Descriptor);
        descriptors.map(|o| (o.file.clone(), all.clone())).collect::<Vec<_>>()
    };
    made.iter().flat_map(of_atlas).collect()
}

/// How many replaced pages are held at most: a process may have only so many files open.
const MOST_HELD: usize = 32;

/// Puts all waiting files in place, pages first. Even after a power failure there is no descriptor without its pages,
/// and none has replaced one whose pages are gone.
fn commit(out: &Path, made: &mut [BuiltAtlas], writer: &Writer) -> Result<(), Failure> {
    // Pages that lose their names are freed when this ends: by then the new descriptors are in place.
    let mut held = Vec::new();
    for pages in [true, false] {
        let outputs = made.iter_mut().flat_map(|m| &mut m.outputs).filter(|o| (o.kind == OutputKind::Page) == pages);
        for file in outputs.filter_map(|output: &mut Output| output.waiting.take()) {
            if held.len() < MOST_HELD {
                held.extend(file.hold_replaced());
            }
            file.commit()?;
        }
        writer.sync_folder(out)?;
    }
    Ok(())
}

/// Removes files that are neither `new` nor named by a descriptor, if they are byte for byte what we wrote; the others
/// go into `left`. If a descriptor cannot be read, all stay.
fn remove_old(
    out: &Path,
    ours: &mut Written,
    new: &Written,
    in_place: &BTreeMap<String, Written>,
    files: Files<'_>,
    left: &mut Vec<String>,
) -> Result<(), Failure> {
    let mut unread = Written::new();
    loop {
        let Inventory { named, whole } = Inventory::of(out, in_place, files.disk);
        if !whole {
            return Ok(());
        }
        let wanted = |file: &String| named.contains_key(file) || new.contains_key(file);
        let unnamed: Written;
        (*ours, unnamed) = std::mem::take(ours).into_iter().partition(|(file, _)| wanted(file));
        // The files that a descriptor named are removed with it.
        let mut again = false;
        for (file, hash) in unnamed {
            let path = out.join(&file);
            let there = match content::hash(&path, files) {
                Ok(there) => there,
                Err(error) if error.kind() == ErrorKind::NotFound => continue,
                // The next build tries again.
                Err(_) => {
                    unread.insert(file, hash);
                    continue;
                }
            };
            if there == hash {
                files.disk.remove(&path).map_err(|e| Failure::io(&format::path(&path), &e))?;
                again |= file.ends_with(FILE_SUFFIX);
            } else {
                left.push(file);
            }
        }
        if !again {
            ours.extend(unread);
            return Ok(());
        }
    }
}
