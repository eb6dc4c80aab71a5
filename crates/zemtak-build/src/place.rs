//! Files take their names: all of a build together, once everything has succeeded.

use crate::build_atlas::{BuiltAtlas, Output};
use crate::context::check;
use crate::failure::Failure;
use crate::observer::Observer;
use crate::store::{self, FileStore, Hash, Key, Store};
use crate::{content, format};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_core::atlas::{FILE_SUFFIX, Page, page_path_is_safe};

/// Page files by name, with the hash of what was written there.
type Pages = BTreeMap<String, Hash>;

/// Renames all files into place, pages first, each descriptor after its pages; then removes pages of ours that no
/// descriptor names any more.
pub(crate) fn place(
    out: &Path,
    mut made: Vec<BuiltAtlas>,
    store: &FileStore,
    observer: &dyn Observer,
) -> Result<Vec<BuiltAtlas>, Failure> {
    let key = Key::new("wrote", &[]).finish();
    let wrote: Pages = store.get(&key).and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    let outputs = || made.iter().flat_map(|m| &m.outputs);
    let new: Pages = outputs().filter(|o| o.page).map(|o| (o.file.clone(), o.hash)).collect();
    let remember = |pages: &Pages| store.put(key, serde_json::to_vec(pages).unwrap_or_default());
    let changes = outputs().any(|o| o.waiting.is_some()) || wrote.keys().any(|file| !new.contains_key(file));
    let mut old = wrote;
    if changes {
        old.extend(named_pages(out));
        check(observer)?;
        // Noted before it is done: should this build be killed, the next one knows which files are ours.
        let mut all = old.clone();
        all.extend(new.clone());
        remember(&all);
        store.save()?;
        let waiting = |made: &mut Vec<BuiltAtlas>, page: bool| -> Vec<_> {
            let outputs = made.iter_mut().flat_map(|m| &mut m.outputs).filter(|o| o.page == page);
            outputs.filter_map(|o: &mut Output| o.waiting.take()).collect()
        };
        for file in waiting(&mut made, true).into_iter().chain(waiting(&mut made, false)) {
            file.commit()?;
        }
        old = remove_old(out, old, store)?;
    }
    old.extend(new);
    remember(&old);
    made.iter().for_each(|m| m.remember(store));
    store.save()?;
    Ok(made)
}

/// Removes pages that no descriptor names, if they are byte for byte what we wrote. Gives those that others name.
fn remove_old(out: &Path, old: Pages, store: &FileStore) -> Result<Pages, Failure> {
    let named = named_pages(out);
    let (named, unnamed): (Pages, Pages) = old.into_iter().partition(|(file, _)| named.contains_key(file));
    for (file, hash) in unnamed {
        let path = out.join(&file);
        if content::hash(&path, store).is_ok_and(|there| there == hash) {
            std::fs::remove_file(&path).map_err(|e| Failure::io(&format::path(&path), &e))?;
        }
    }
    Ok(named)
}

/// The pages that descriptors in a folder name, with their hashes.
fn named_pages(folder: &Path) -> Pages {
    #[derive(Deserialize)]
    struct Named {
        pages: Vec<Page>,
    }
    let mut pages = Pages::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_name().to_str().is_some_and(|name| name.ends_with(FILE_SUFFIX)) {
            let text = std::fs::read(entry.path()).unwrap_or_default();
            let named = serde_json::from_slice(&text).map_or_else(|_| Vec::new(), |named: Named| named.pages);
            let safe = named.into_iter().filter(|page| page_path_is_safe(&page.file));
            pages.extend(safe.filter_map(|page| Some((page.file.clone(), store::of_written(&page.hash)?))));
        }
    }
    pages
}
