//! The files of a rehearsal: those of a folder, some of which go missing or change on command, and of which there may
//! be any number of copies.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_runtime::{Files, Folder, Stamp, page_hash};

/// The beginning of a copy's path: `~7/moth/fly/03.png`.
const COPY: char = '~';

/// The path of a copy, which the cache takes for a separate file.
pub fn copy(number: u64, path: &str) -> String {
    format!("{COPY}{number}/{path}")
}

/// A folder whose files go missing or change on command.
#[derive(Clone)]
pub struct FaultyFiles {
    folder: Folder,
    faults: Faults,
}

/// The current faults. Clones share them.
#[derive(Clone, Default)]
pub struct Faults(Arc<Mutex<Now>>);

#[derive(Default)]
struct Now {
    missing: BTreeSet<String>,
    /// How often the pages of an atlas have changed, by the path of the descriptor and of each page.
    changed: BTreeMap<String, usize>,
}

impl Faults {
    fn now(&self) -> MutexGuard<'_, Now> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes a file go missing.
    pub fn lose(&self, path: &str) {
        self.now().missing.insert(path.to_owned());
    }

    /// Brings all files back.
    pub fn bring_back(&self) {
        self.now().missing.clear();
    }

    /// Packs an atlas anew: its PNG pages get other bytes that show the same picture.
    pub fn repack(&self, atlas: &str) {
        *self.now().changed.entry(format!("{atlas}{FILE_SUFFIX}")).or_default() += 1;
    }
}

impl FaultyFiles {
    pub fn new(folder: &Path, faults: Faults) -> Self {
        Self { folder: Folder::new(folder), faults }
    }

    /// A descriptor whose pages have other bytes, with their new hashes.
    fn repacked(&self, path: &str, text: &[u8], times: usize) -> io::Result<Vec<u8>> {
        let mut descriptor: serde_json::Value = serde_json::from_slice(text)?;
        let folder = path.rfind('/').map_or("", |slash| &path[..=slash]);
        let pages = descriptor.get_mut("pages").and_then(serde_json::Value::as_array_mut);
        for page in pages.into_iter().flatten() {
            let Some(file) = page["file"].as_str().filter(|file| is_png(file)).map(|file| format!("{folder}{file}"))
            else {
                continue;
            };
            let bytes = with_tail(self.folder.read(&file, u64::MAX)?, times);
            page["hash"] = page_hash(&bytes).into();
            self.faults.now().changed.insert(file, times);
        }
        Ok(serde_json::to_vec(&descriptor)?)
    }
}

fn is_png(path: &str) -> bool {
    Path::new(path).extension().is_some_and(|e| e.eq_ignore_ascii_case("png"))
}

/// Every reader skips bytes after the end of a PNG.
fn with_tail(mut bytes: Vec<u8>, times: usize) -> Vec<u8> {
    bytes.extend(std::iter::repeat_n(0, times));
    bytes
}

/// The file that a path stands for: for a copy, the original.
fn original(path: &str) -> &str {
    path.strip_prefix(COPY).and_then(|rest| rest.split_once('/')).map_or(path, |(_, path)| path)
}

impl Files for FaultyFiles {
    fn read(&self, path: &str, limit: u64) -> io::Result<Vec<u8>> {
        let path = original(path);
        let (missing, changed) = {
            let now = self.faults.now();
            (now.missing.contains(path), now.changed.get(path).copied().unwrap_or(0))
        };
        if missing {
            return Err(io::Error::new(io::ErrorKind::NotFound, "the scenario has taken it away"));
        }
        let bytes = self.folder.read(path, limit)?;
        match changed {
            0 => Ok(bytes),
            times if path.ends_with(FILE_SUFFIX) => self.repacked(path, &bytes, times),
            times => Ok(with_tail(bytes, times)),
        }
    }

    fn stamp(&self, path: &str) -> io::Result<Stamp> {
        let stamp = self.folder.stamp(original(path))?;
        let changed = self.faults.now().changed.get(original(path)).copied().unwrap_or(0);
        Ok(Stamp { version: stamp.version + changed as u128, ..stamp })
    }

    fn list(&self) -> io::Result<Vec<String>> {
        self.folder.list()
    }

    fn place(&self, path: &str) -> PathBuf {
        self.folder.place(original(path))
    }
}
