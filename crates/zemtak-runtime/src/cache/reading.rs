//! Reading and decoding files below the roots. No lock is held meanwhile.

use super::lookup::Glob;
use super::snapshot::{PageFile, PartFile, Seen, Snapshot};
use crate::failure::{Failure, Reason};
use crate::files::{Files, Stamp};
use crate::open::{HashCheck, OpenError, PAGE_BYTES, Stored, content_tag, extension, parse_descriptor};
use crate::sink::{Level, Sampler};
use std::io::ErrorKind;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Arc;
use zemtak_core::atlas::{DESCRIPTOR_BYTES, FILE_SUFFIX, PixelKind};
#[cfg(feature = "ktx2")]
use zemtak_core::codec::DecodeError;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::geometry::Size;
use zemtak_core::mips::{Light, level_size, smaller_levels};
use zemtak_core::pixels::Pixels;

/// What the textures of a page are made of.
#[derive(Debug)]
pub(super) struct Texels {
    /// The levels of each of its parts.
    pub parts: Vec<Arc<[Level]>>,
    /// Identifies the content of its files.
    pub content: String,
}

/// What is known about the files of a page that was read.
pub(super) struct KnownFiles {
    pub path: Arc<str>,
    pub stamps: Vec<Option<Stamp>>,
    pub content: String,
}

/// Where and how files are read.
pub(super) struct Reading {
    pub roots: Vec<Arc<dyn Files>>,
    pub hash: HashCheck,
    /// Bytes of decoded pages that may wait for the pump.
    pub decoded_ahead: u64,
    pub limits: Limits,
    pub image_sampler: Sampler,
    /// The kinds of blocks that the sink takes as they are.
    pub takes: Vec<PixelKind>,
}

impl Reading {
    pub fn stamp(&self, root: usize, path: &str) -> Option<Stamp> {
        self.roots.get(root)?.stamp(path).ok()
    }

    pub fn read_page(&self, file: &PageFile, root: usize, check: HashCheck) -> Result<Texels, Failure> {
        let files = &self.roots[root];
        let size = file.page.size();
        let mut content = String::new();
        let levels = file.parts.iter().map(|part| {
            let place = files.place(&part.path);
            if self.limits.check(size).is_err() {
                return Err(Failure::at(&part.path, &place, Reason::TooLarge(size)));
            }
            let failed = |error: std::io::Error| Failure::at(&part.path, &place, error);
            if let Some(found) = files.ready_made(&part.path).map_err(failed)? {
                content += &format!("{:?}", files.stamp(&part.path).ok());
                return ready_made(part, size, found, &place).map_err(|error| Failure::at(&part.path, &place, error));
            }
            let bytes = files.read(&part.path, PAGE_BYTES).map_err(failed)?;
            content += &content_tag(&bytes);
            let levels = levels_of(part, &file.stored(part), &place, bytes, check);
            levels.map(Into::into).map_err(|error| Failure::at(&part.path, &place, error))
        });
        let parts = levels.collect::<Result<_, _>>()?;
        Ok(Texels { parts, content })
    }

    /// Identifies the content of a page's files.
    fn content(&self, file: &PageFile, root: usize) -> std::io::Result<String> {
        file.parts.iter().map(|part| Ok(content_tag(&self.roots[root].read(&part.path, PAGE_BYTES)?))).collect()
    }

    pub fn open_atlas(
        &self,
        atlas: &str,
        known: &[KnownFiles],
        seen: &mut Seen,
    ) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let path = format!("{atlas}{FILE_SUFFIX}");
        let (root, bytes) = self.first(atlas, &path, seen, |files| files.read(&path, DESCRIPTOR_BYTES))?;
        let place = self.roots[root].place(&path);
        let parsed = parse_descriptor(&place, bytes).map_err(|error| Failure::at(atlas, &place, error))?;
        let folder = atlas.rfind('/').map_or("", |slash| &atlas[..=slash]);
        let mut snapshot = Snapshot::of(parsed.atlas, root, folder, &self.takes);
        for file in &mut snapshot.pages {
            file.stamps = file.parts.iter().map(|part| self.stamp(root, &part.path)).collect();
            let paths = file.parts.iter().map(|part| part.path.to_string());
            seen.extend(paths.zip(&file.stamps).map(|(path, stamp)| (root, path, *stamp)));
            file.same_content = known.iter().any(|known| {
                let touched = known.path == file.path && known.stamps != file.stamps;
                touched && self.content(file, root).is_ok_and(|content| content == known.content)
            });
        }
        Ok((snapshot, None))
    }

    pub fn open_image(&self, path: &str, seen: &mut Seen) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let (root, found) = self.first(path, path, seen, |files| match files.ready_made(path)? {
            Some(size) => Ok(Image::ReadyMade(size)),
            None => files.read(path, PAGE_BYTES).map(Image::Bytes),
        })?;
        let place = self.roots[root].place(path);
        let (size, tag, pixels) = match found {
            Image::ReadyMade(size) => (size, String::new(), None),
            Image::Bytes(bytes) => {
                let decoded = decode(&bytes, extension(path), &self.limits);
                let decoded = decoded.map_err(|error| Failure::at(path, &place, error))?;
                (decoded.pixels.size(), content_tag(&bytes), Some(decoded.pixels))
            }
        };
        let snapshot = Snapshot::of_image(path, root, size, tag, self.image_sampler);
        let snapshot = snapshot.filter(|_| self.limits.check(size).is_ok());
        let snapshot = snapshot.ok_or_else(|| Failure::at(path, &place, Reason::TooLarge(size)))?;
        Ok((snapshot, pixels))
    }

    /// The result for the first root that has a file.
    fn first<T>(
        &self,
        name: &str,
        path: &str,
        seen: &mut Seen,
        get: impl Fn(&dyn Files) -> std::io::Result<T>,
    ) -> Result<(usize, T), Failure> {
        for (root, files) in self.roots.iter().enumerate() {
            seen.push((root, path.to_owned(), files.stamp(path).ok()));
            match get(&**files) {
                Ok(got) => return Ok((root, got)),
                Err(error) if is_absence(error.kind()) => {}
                Err(error) => return Err(Failure::at(name, &files.place(path), error)),
            }
        }
        Err(Failure::new(name, self.why_not_found(name, path)))
    }

    /// What there is instead of a file that no root has.
    fn why_not_found(&self, name: &str, path: &str) -> Reason {
        let descriptor = format!("{name}{FILE_SUFFIX}");
        if path != descriptor && self.roots.iter().any(|files| files.stamp(&descriptor).is_ok()) {
            return Reason::IsAtlas(name.to_owned());
        }
        let alike = |other: &String| other.eq_ignore_ascii_case(path);
        let other = self.roots.iter().find_map(|files| files.list().ok()?.into_iter().find(alike));
        if let Some(other) = other {
            return Reason::OtherCase(other);
        }
        Reason::NotFound(self.roots.iter().map(|files| files.place(path)).collect())
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

/// A loose image, as its root delivers it.
enum Image {
    ReadyMade(Size),
    Bytes(Vec<u8>),
}

/// The levels of a texture that the sink makes from something it already has: only their sizes.
fn ready_made(part: &PartFile, expected: Size, found: Size, place: &Path) -> Result<Arc<[Level]>, OpenError> {
    if found != expected {
        return Err(OpenError::PageSize { path: place.to_owned(), found, expected });
    }
    Ok((0..part.mips).map(|level| Level { size: level_size(expected, level), bytes: Vec::new() }).collect())
}

/// The levels of a texture: those in its file, in the form the sink takes, and those that are made from its pixels.
fn levels_of(
    part: &PartFile,
    stored: &Stored<'_>,
    place: &Path,
    bytes: Vec<u8>,
    check: HashCheck,
) -> Result<Vec<Level>, OpenError> {
    let mut levels = Vec::new();
    #[cfg(feature = "ktx2")]
    if let Some(of_file) = stored.levels(place, &bytes, check)? {
        for (level, bytes) in (0..).zip(of_file) {
            levels.push(as_taken(part.kind, stored, place, Level { size: level_size(stored.size, level), bytes })?);
        }
    }
    let last = match levels.pop() {
        // Compressed levels are complete, or are left as they are.
        Some(last) if part.kind.is_compressed() => return Ok(add(levels, [last])),
        Some(Level { size, bytes }) => Pixels::from_rgba(size, bytes),
        None => Some(stored.decode(place, bytes, check)?),
    };
    let Some(last) = last else { return Ok(levels) };
    let (alpha, light) = (part.sampler.alpha, Light::of(part.sampler.colour));
    let missing = part.mips.saturating_sub(u32::try_from(levels.len()).unwrap_or(u32::MAX) + 1);
    let smaller = smaller_levels(&last, missing, alpha, light);
    let made = std::iter::once(last).chain(smaller).map(Level::from);
    Ok(add(levels, made))
}

fn add(mut levels: Vec<Level>, more: impl IntoIterator<Item = Level>) -> Vec<Level> {
    levels.extend(more);
    levels
}

/// A level in the form the sink takes: as it is, or unpacked.
#[cfg(feature = "ktx2")]
fn as_taken(kind: PixelKind, stored: &Stored<'_>, place: &Path, level: Level) -> Result<Level, OpenError> {
    if kind == stored.kind {
        return Ok(level);
    }
    let missing = || OpenError::Page { path: place.to_owned(), source: DecodeError::Blocks(stored.kind) };
    #[cfg(feature = "blocks")]
    let unpacked = zemtak_core::texture::unpack(&level.bytes, stored.kind, level.size).map(Level::from);
    #[cfg(not(feature = "blocks"))]
    let unpacked = None;
    unpacked.ok_or_else(missing)
}

/// Whether to ask the next root.
fn is_absence(kind: ErrorKind) -> bool {
    matches!(kind, ErrorKind::NotFound | ErrorKind::NotADirectory)
}

/// Runs a reader. If it panics, reading this file fails, and nothing else.
pub(super) fn unbroken<T>(name: &str, read: impl FnOnce() -> Result<T, Failure>) -> Result<T, Failure> {
    catch_unwind(AssertUnwindSafe(read)).unwrap_or_else(|_| Err(Failure::new(name, Reason::BrokeOff)))
}
