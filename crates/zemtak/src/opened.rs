//! An atlas with the pixels of its pages.

use crate::descriptor;
use std::path::{Path, PathBuf};
use zemtak_build::{Allowance, Failure, HeldPixels, format};
use zemtak_core::atlas::Atlas;
use zemtak_core::diff::Side;
use zemtak_core::pixels::Pixels;
use zemtak_files::SystemDisk;

/// An atlas with the pixels of its pages.
#[derive(Debug)]
pub struct Opened {
    /// The descriptor's path, as given.
    pub path: String,
    /// The atlas.
    pub atlas: Atlas,
    /// Its pages.
    pub pages: Vec<Pixels>,
    /// The sizes of its files: each page and layer, then the descriptor.
    files: Vec<(String, u64)>,
    /// The descriptor's text.
    text: String,
    descriptor: PathBuf,
    _held: HeldPixels,
}

impl Opened {
    /// Reads a descriptor and all of its pages.
    ///
    /// # Errors
    /// One of them cannot be read or trusted, or they take more memory than is available.
    pub fn read(path: &Path, allowance: &Allowance) -> Result<Self, Failure> {
        let file = descriptor::open(path, allowance)?;
        let atlas = file.atlas().clone();
        let (pages, held) = descriptor::read_all_pages(path, &file, allowance)?.whole()?;
        let folder = format::folder_of(path);
        let size = |file: &str| std::fs::metadata(folder.join(file)).map_or(0, |meta| meta.len());
        let named = atlas.pages.iter().flat_map(|page| {
            [page.file.clone()].into_iter().chain(page.layers.values().map(|layer| layer.file.clone()))
        });
        let files = named.map(|file| (file.clone(), size(&file))).collect();
        let text = allowance.limits().read_text("descriptor_bytes", path, &SystemDisk)?;
        Ok(Self { path: format::path(path), atlas, pages, files, text, descriptor: path.to_owned(), _held: held })
    }

    /// The descriptor.
    #[must_use]
    pub fn descriptor(&self) -> &Path {
        &self.descriptor
    }

    /// The files that it was read from.
    #[must_use]
    pub fn inputs(&self) -> Vec<PathBuf> {
        let folder = format::folder_of(&self.descriptor);
        let pages = self.files.iter().map(|(file, _)| folder.join(file));
        pages.chain([self.descriptor.clone()]).collect()
    }

    /// The side of a comparison.
    #[must_use]
    pub fn side(&self) -> Side<'_> {
        Side { atlas: &self.atlas, pages: &self.pages }
    }

    /// The size of one of its files; 0 if it has none of that name.
    #[must_use]
    pub fn size(&self, file: &str) -> u64 {
        self.files.iter().find(|(name, _)| name == file).map_or(0, |(_, bytes)| *bytes)
    }

    /// The descriptor's text.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The total size of all its files.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        self.files.iter().map(|(_, bytes)| bytes).sum::<u64>() + self.text.len() as u64
    }
}
