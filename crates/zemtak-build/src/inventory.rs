//! The results that lie in a folder, as the descriptors there name them.

use crate::store::{self, Hash};
use rayon::prelude::*;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{FILE_SUFFIX, Page, page_path_is_safe};
use zemtak_files::Disk;

/// Files by name, with the hash of what was written there.
pub type Written = BTreeMap<String, Hash>;

/// What of a descriptor says which files belong to it.
#[derive(Deserialize)]
struct Naming {
    pages: Vec<Page>,
    #[serde(default)]
    companions: BTreeMap<String, String>,
}

impl Naming {
    /// What a descriptor says of that. It may be larger than the memory that is left, so it is read as a stream.
    fn read(descriptor: &Path, disk: &dyn Disk) -> Option<Self> {
        serde_json::from_reader(BufReader::new(disk.open(descriptor).ok()?)).ok()
    }
}

/// The results in a folder.
#[derive(Debug, Default)]
pub struct Inventory {
    /// The files that descriptors name: pages, layers and companions.
    pub named: Written,
    /// Whether every descriptor there could be read: where one cannot, it may name files that stand nowhere else.
    pub whole: bool,
}

impl Inventory {
    /// Reads the descriptors in a folder.
    #[must_use]
    pub fn of(folder: &Path, disk: &dyn Disk) -> Self {
        let is_descriptor = |name: &OsStr| name.to_str().is_some_and(|name| name.ends_with(FILE_SUFFIX));
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let descriptors: Vec<PathBuf> =
            entries.filter(|entry| is_descriptor(&entry.file_name())).map(|entry| entry.path()).collect();
        let read: Vec<Option<Written>> = descriptors.par_iter().map(|path| named_by(path, disk)).collect();
        let mut inventory = Self { whole: true, ..Self::default() };
        for named in read {
            inventory.whole &= named.is_some();
            inventory.named.extend(named.into_iter().flatten());
        }
        inventory
    }
}

/// The files that one descriptor names; nothing where it cannot be read.
fn named_by(descriptor: &Path, disk: &dyn Disk) -> Option<Written> {
    let Naming { pages, companions } = Naming::read(descriptor, disk)?;
    let of_page = |page: Page| {
        let layers = page.layers.into_values().map(|layer| (layer.file, layer.hash));
        layers.chain([(page.file, page.hash)]).collect::<Vec<_>>()
    };
    let all = pages.into_iter().flat_map(of_page).chain(companions);
    let safe = all.filter(|(file, _)| page_path_is_safe(file));
    Some(safe.filter_map(|(file, hash)| Some((file, store::of_written(&hash)?))).collect())
}

/// The pictures that a descriptor names; none where it is not one.
pub fn pictures(descriptor: &Path, disk: &dyn Disk) -> Vec<String> {
    let files = |page: Page| page.layers.into_values().map(|layer| layer.file).chain([page.file]).collect::<Vec<_>>();
    Naming::read(descriptor, disk).into_iter().flat_map(|naming| naming.pages).flat_map(files).collect()
}
