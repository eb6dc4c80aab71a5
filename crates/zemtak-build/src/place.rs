//! Files take their names: all of a build together, once everything has succeeded.

use crate::build_atlas::{BuiltAtlas, Output, OutputKind};
use crate::content;
use crate::context::check;
use crate::failure::Failure;
use crate::format;
use crate::inventory::{self, Written};
use crate::observer::Observer;
use crate::store::{FileStore, Hash, Key, Store};
use crate::warning::Warning;
use std::path::Path;
use zemtak_core::atlas::FILE_SUFFIX;

/// Under which key a store notes the files that builds wrote into its folder.
fn key() -> Hash {
    Key::new("wrote", &[]).finish()
}

/// The files of ours in a folder: those that descriptors there name, and those that the store has noted.
pub(crate) fn ours(out: &Path, store: &dyn Store) -> Written {
    let noted = store.get(&key()).and_then(|bytes| serde_json::from_slice(&bytes).ok());
    let mut ours: Written = noted.unwrap_or_default();
    ours.extend(inventory::named(out));
    ours
}

/// Renames all files into place, pages first, each descriptor after its pages; then removes files of ours that no
/// descriptor names any more. One that was changed since stays, and a warning tells of it.
pub(crate) fn place(
    out: &Path,
    mut made: Vec<BuiltAtlas>,
    store: &FileStore,
    observer: &dyn Observer,
) -> Result<(Vec<BuiltAtlas>, Option<Warning>), Failure> {
    let outputs = || made.iter().flat_map(|m| &m.outputs);
    let new: Written =
        outputs().filter(|o| o.kind != OutputKind::Descriptor).map(|o| (o.file.clone(), o.hash)).collect();
    let remember = |files: &Written| store.put(key(), serde_json::to_vec(files).unwrap_or_default());
    let old = ours(out, store);
    let changes = outputs().any(|o| o.waiting.is_some()) || old.keys().any(|file| !new.contains_key(file));
    let mut left = Vec::new();
    let mut there = old;
    if changes {
        check(observer)?;
        // Noted before it is done: should this build be killed, the next one knows which files are ours.
        let mut all = there.clone();
        all.extend(new.clone());
        remember(&all);
        store.save()?;
        let waiting = |made: &mut Vec<BuiltAtlas>, page: bool| -> Vec<_> {
            let outputs = made.iter_mut().flat_map(|m| &mut m.outputs).filter(|o| (o.kind == OutputKind::Page) == page);
            outputs.filter_map(|o: &mut Output| o.waiting.take()).collect()
        };
        for file in waiting(&mut made, true).into_iter().chain(waiting(&mut made, false)) {
            file.commit()?;
        }
        there = remove_old(out, there, store, &mut left)?;
    }
    there.extend(new);
    remember(&there);
    made.iter().for_each(|m| m.remember(store));
    store.save()?;
    let left = (!left.is_empty()).then_some(Warning::LeftBehind { files: left });
    Ok((made, left))
}

/// Removes files that no descriptor names, if they are byte for byte what we wrote; the others go into `left`. Gives those
/// that are named.
fn remove_old(out: &Path, mut old: Written, store: &FileStore, left: &mut Vec<String>) -> Result<Written, Failure> {
    loop {
        let named = inventory::named(out);
        let unnamed: Written;
        (old, unnamed) = old.into_iter().partition(|(file, _)| named.contains_key(file));
        // With a descriptor go the files that it named.
        let mut again = false;
        for (file, hash) in unnamed {
            let path = out.join(&file);
            let Ok(there) = content::hash(&path, store) else { continue };
            if there == hash {
                std::fs::remove_file(&path).map_err(|e| Failure::io(&format::path(&path), &e))?;
                again |= file.ends_with(FILE_SUFFIX);
            } else {
                left.push(file);
            }
        }
        if !again {
            return Ok(old);
        }
    }
}
