//! The results that lie in a folder, as the descriptors there name them.

use crate::store::{self, Hash};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_core::atlas::{DESCRIPTOR_BYTES, FILE_SUFFIX, Page, page_path_is_safe};
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
        let mut inventory = Self { whole: true, ..Self::default() };
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            if entry.file_name().to_str().is_some_and(|name| name.ends_with(FILE_SUFFIX)) {
                match disk
                    .read(&entry.path(), DESCRIPTOR_BYTES)
                    .ok()
                    .and_then(|text| serde_json::from_slice(&text).ok())
                {
                    Some(naming) => inventory.named.extend(named_by(naming)),
                    None => inventory.whole = false,
                }
            }
        }
        inventory
    }
}

/// The files that one descriptor names.
fn named_by(naming: Naming) -> Written {
    let of_page = |page: Page| {
        let layers = page.layers.into_values().map(|layer| (layer.file, layer.hash));
        layers.chain([(page.file, page.hash)]).collect::<Vec<_>>()
    };
    let all = naming.pages.into_iter().flat_map(of_page).chain(naming.companions);
    let safe = all.filter(|(file, _)| page_path_is_safe(file));
    safe.filter_map(|(file, hash)| Some((file, store::of_written(&hash)?))).collect()
}
