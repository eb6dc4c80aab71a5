//! Reading and decoding files below the roots. No lock is held meanwhile.

use super::lookup::Glob;
use super::snapshot::{PageFile, Seen, Snapshot};
use crate::failure::{Failure, Reason};
use crate::files::{Files, Stamp};
use crate::open::{DESCRIPTOR_BYTES, HashCheck, PAGE_BYTES, content_tag, decode_page, parse_descriptor};
use crate::sink::Sampler;
use std::io::ErrorKind;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::mips::{Light, smaller_levels};
use zemtak_core::pixels::Pixels;

/// What a texture is made of.
#[derive(Debug)]
pub(super) struct Texels {
    pub full: Pixels,
    /// The levels below the full size, the largest first.
    pub smaller: Vec<Pixels>,
}

/// Where files are read, and how.
pub(super) struct Reading {
    pub roots: Vec<Arc<dyn Files>>,
    pub hash: HashCheck,
    /// Bytes of decoded pages that may wait for the pump.
    pub decoded_ahead: u64,
    pub limits: Limits,
    pub image_sampler: Sampler,
}

impl Reading {
    pub fn stamp(&self, root: usize, path: &str) -> Option<Stamp> {
        self.roots.get(root)?.stamp(path).ok()
    }

    pub fn read_page(&self, file: &PageFile, root: usize, check: HashCheck) -> Result<Texels, Failure> {
        let files = &self.roots[root];
        let place = files.place(&file.path);
        let size = file.page.size();
        if self.limits.check(size).is_err() {
            return Err(Failure::at(&file.path, &place, Reason::TooLarge(size)));
        }
        let bytes = files.read(&file.path, PAGE_BYTES).map_err(|error| Failure::at(&file.path, &place, error))?;
        let full = decode_page(&file.page, &place, bytes, check);
        let full = full.map_err(|error| Failure::at(&file.path, &place, error))?;
        let smaller = smaller_levels(&full, file.mips - 1, file.page.alpha, Light::of(file.page.colour));
        Ok(Texels { full, smaller })
    }

    pub fn open_atlas(&self, atlas: &str, seen: &mut Seen) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let path = format!("{atlas}{FILE_SUFFIX}");
        let (root, bytes) = self.read_first(atlas, &path, DESCRIPTOR_BYTES, seen)?;
        let place = self.roots[root].place(&path);
        let parsed = parse_descriptor(&place, bytes).map_err(|error| Failure::at(atlas, &place, error))?;
        let folder = atlas.rfind('/').map_or("", |slash| &atlas[..=slash]);
        let snapshot = Snapshot::of(parsed.atlas, root, folder);
        seen.extend(snapshot.pages.iter().map(|file| (root, file.path.to_string(), self.stamp(root, &file.path))));
        Ok((snapshot, None))
    }

    pub fn open_image(&self, path: &str, seen: &mut Seen) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let (root, bytes) = self.read_first(path, path, PAGE_BYTES, seen)?;
        let place = self.roots[root].place(path);
        let decoded = decode(&bytes, None, &self.limits).map_err(|error| Failure::at(path, &place, error))?;
        let size = decoded.pixels.size();
        let snapshot = Snapshot::of_image(path, root, size, content_tag(&bytes), self.image_sampler);
        let snapshot = snapshot.ok_or_else(|| Failure::at(path, &place, Reason::TooLarge(size)))?;
        Ok((snapshot, Some(decoded.pixels)))
    }

    /// A file from the first root that has it.
    fn read_first(&self, name: &str, path: &str, limit: u64, seen: &mut Seen) -> Result<(usize, Vec<u8>), Failure> {
        for (root, files) in self.roots.iter().enumerate() {
            seen.push((root, path.to_owned(), files.stamp(path).ok()));
            match files.read(path, limit) {
                Ok(bytes) => return Ok((root, bytes)),
                Err(error) if is_absence(error.kind()) => {}
                Err(error) => return Err(Failure::at(name, &files.place(path), error)),
            }
        }
        let looked = self.roots.iter().map(|files| files.place(path)).collect();
        Err(Failure::new(name, Reason::NotFound(looked)))
    }

    /// All paths that a lookup of loose images finds, in order, each once.
    pub fn list(&self, glob: &Glob) -> Result<Vec<String>, Failure> {
        let mut names = std::collections::BTreeSet::new();
        for files in &self.roots {
            match files.list() {
                Ok(paths) => names.extend(paths.into_iter().filter(|path| glob.matches(path))),
                Err(error) if is_absence(error.kind()) => {}
                Err(error) => return Err(Failure::at(&glob.asked, &files.place(""), error)),
            }
        }
        Ok(names.into_iter().collect())
    }
}

/// Whether the next root is to be asked.
fn is_absence(kind: ErrorKind) -> bool {
    matches!(kind, ErrorKind::NotFound | ErrorKind::NotADirectory)
}

/// Runs a reader; one that panics makes what it reads fail, and no more.
pub(super) fn unbroken<T>(name: &str, read: impl FnOnce() -> Result<T, Failure>) -> Result<T, Failure> {
    catch_unwind(AssertUnwindSafe(read)).unwrap_or_else(|_| Err(Failure::new(name, Reason::BrokeOff)))
}
