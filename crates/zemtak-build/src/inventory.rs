//! The results in a folder, as named by the descriptors there.

use crate::store::{self, Hash};
use rayon::prelude::*;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::io::{BufReader, ErrorKind, Read};
use std::path::Path;
use zemtak_core::atlas::{FILE_SUFFIX, Page, page_path_is_safe};
use zemtak_files::Disk;

/// Files by name, with the hash of what was written there.
pub type Written = BTreeMap<String, Hash>;

/// How many bytes of a descriptor are read before it counts as a large one.
const READ_AT_ONCE: usize = 4 << 20;

/// The part of a descriptor that tells which files belong to it.
#[derive(Deserialize)]
struct Naming {
    pages: Vec<Page>,
    #[serde(default)]
    companions: BTreeMap<String, String>,
}

impl Naming {
    /// Reads that part. A large descriptor is read as a stream, because it may be larger than the remaining memory; all
    /// others at once, which is half the work.
    fn read(descriptor: &Path, disk: &dyn Disk) -> Option<Self> {
        let mut file = disk.open(descriptor).ok()?;
        let mut start = Vec::new();
        let read = file.by_ref().take(READ_AT_ONCE as u64).read_to_end(&mut start).ok()?;
        if read < READ_AT_ONCE {
            return serde_json::from_slice(&start).ok();
        }
        serde_json::from_reader(BufReader::new(start.chain(file))).ok()
    }
}

/// The results in a folder.
#[derive(Debug, Default)]
pub struct Inventory {
    /// The files that descriptors name: pages, layers and companions.
    pub named: Written,
    /// Whether every descriptor there could be found and read: one that could not may name files that are named nowhere
    /// else.
    pub whole: bool,
}

impl Inventory {
    /// Reads the descriptors in a folder, except those of which it is `known` which files they name.
    #[must_use]
    pub fn of(folder: &Path, known: &BTreeMap<String, Written>, disk: &dyn Disk) -> Self {
        let (descriptors, all) = descriptors_in(folder);
        let read = |name: &String| known.get(name).cloned().or_else(|| named_by(&folder.join(name), disk));
        let read: Vec<Option<Written>> = descriptors.par_iter().map(read).collect();
        let mut inventory = Self { whole: all, ..Self::default() };
        for named in read {
            inventory.whole &= named.is_some();
            inventory.named.extend(named.into_iter().flatten());
        }
        inventory
    }
}

/// The names of the descriptors in a folder, and whether these are all: a folder that is not there has none.
fn descriptors_in(folder: &Path) -> (Vec<String>, bool) {
    let entries = match std::fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) => return (Vec::new(), error.kind() == ErrorKind::NotFound),
    };
    let (mut names, mut all) = (Vec::new(), true);
    for entry in entries {
        match entry.map(|entry| entry.file_name().into_string()) {
            Ok(name) => names.extend(name.ok().filter(|name| name.ends_with(FILE_SUFFIX))),
            Err(_) => all = false,
        }
    }
    (names, all)
}

/// The files that one descriptor names; `None` if it cannot be read.
fn named_by(descriptor: &Path, disk: &dyn Disk) -> Option<Written> {
    let Naming { pages, companions } = Naming::read(descriptor, disk)?;
    Some(named(&pages, &companions))
}

/// The files that a descriptor with these pages and companions names.
pub fn named(pages: &[Page], companions: &BTreeMap<String, String>) -> Written {
    let of_pages = pages.iter().map(|page| (&page.file, &page.hash));
    let layers = pages.iter().flat_map(|page| page.layers.values()).map(|layer| (&layer.file, &layer.hash));
    let all = of_pages.chain(layers).chain(companions);
    let safe = all.filter(|(file, _)| page_path_is_safe(file));
    safe.filter_map(|(file, hash)| Some((file.clone(), store::of_written(hash)?))).collect()
}

/// The pictures that a descriptor names; none if it is not a descriptor.
pub fn pictures(descriptor: &Path, disk: &dyn Disk) -> Vec<String> {
    let files = |page: Page| page.layers.into_values().map(|layer| layer.file).chain([page.file]).collect::<Vec<_>>();
    Naming::read(descriptor, disk).into_iter().flat_map(|naming| naming.pages).flat_map(files).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use zemtak_files::SystemDisk;

    /// A descriptor that is read as a stream names the same files as one that is read at once, even if the end of what
    /// has been read lies within a value.
    #[test]
    fn a_large_descriptor_names_what_a_small_one_does() {
        let folder = tempfile::tempdir().unwrap();
        let hash = "0".repeat(64);
        for around in [0, 1, 1 << 20] {
            let sampling = r#"{"filter":"nearest","wrap":"clamp","mips":1}"#;
            let kind = r#""width":8,"height":8,"pixels":"rgba8","alpha":"straight","colour":"srgb""#;
            let page = format!(r#"{{"file":"night-0.png",{kind},"sampling":{sampling},"hash":"blake3:{hash}"}}"#);
            let start = format!(r#"{{"pages":[{page}],"sprites":{{}},"companions":{{"night.h":"blake3:"#);
            let space = " ".repeat(READ_AT_ONCE - start.len() - around);
            let small = format!(r#"{start}{hash}"}}}}"#);
            let large = format!(r#"{{{space}{}{hash}"}}}}"#, &start[1..]);
            let named = [small, large].map(|text| {
                std::fs::write(folder.path().join("night.zemtak.json"), text).unwrap();
                let inventory = Inventory::of(folder.path(), &BTreeMap::new(), &SystemDisk);
                assert!(inventory.whole);
                inventory.named.into_keys().collect::<Vec<_>>()
            });
            assert_eq!(named[0], ["night-0.png", "night.h"]);
            assert_eq!(named[0], named[1], "{around} bytes before the border");
        }
    }

    #[test]
    fn a_descriptor_whose_files_are_known_is_not_read() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("night.zemtak.json"), "not JSON").unwrap();
        let page = Written::from([("night-0.png".into(), [7; 32])]);
        let known = |name: &str| BTreeMap::from([(name.to_owned(), page.clone())]);
        let found = Inventory::of(folder.path(), &known("night.zemtak.json"), &SystemDisk);
        assert!(found.whole && found.named == page);
        // What is known of one that is not there counts for nothing.
        let found = Inventory::of(folder.path(), &known("day.zemtak.json"), &SystemDisk);
        assert!(!found.whole && found.named.is_empty());
    }

    /// Old files were removed although descriptors that name them may have been there.
    #[test]
    fn a_folder_that_cannot_be_listed_may_hold_any_descriptor() {
        let folder = tempfile::tempdir().unwrap();
        let whole = |path: &str| Inventory::of(&folder.path().join(path), &BTreeMap::new(), &SystemDisk).whole;
        std::fs::write(folder.path().join("file"), "").unwrap();
        assert!(whole("") && whole("missing") && !whole("file"));
    }
}
