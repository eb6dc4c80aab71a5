//! The results that lie in a folder, as the descriptors there name them.

use crate::store::{self, Hash};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_core::atlas::{FILE_SUFFIX, Page, page_path_is_safe};

/// Files by name, with the hash of what was written there.
pub type Written = BTreeMap<String, Hash>;

/// What of a descriptor says which files belong to it.
#[derive(Deserialize)]
struct Naming {
    pages: Vec<Page>,
    #[serde(default)]
    companions: BTreeMap<String, String>,
}

/// The files that descriptors in a folder name: pages, layers and companions.
#[must_use]
pub fn named(folder: &Path) -> Written {
    let mut files = Written::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_name().to_str().is_some_and(|name| name.ends_with(FILE_SUFFIX)) {
            let text = std::fs::read(entry.path()).unwrap_or_default();
            files.extend(named_by(&text));
        }
    }
    files
}

/// The files that one descriptor names; none where it is not one.
#[must_use]
pub fn named_by(descriptor: &[u8]) -> Written {
    let Ok(naming) = serde_json::from_slice::<Naming>(descriptor) else { return Written::new() };
    let of_page = |page: Page| {
        let layers = page.layers.into_values().map(|layer| (layer.file, layer.hash));
        layers.chain([(page.file, page.hash)]).collect::<Vec<_>>()
    };
    let all = naming.pages.into_iter().flat_map(of_page).chain(naming.companions);
    let safe = all.filter(|(file, _)| page_path_is_safe(file));
    safe.filter_map(|(file, hash)| Some((file, store::of_written(&hash)?))).collect()
}
