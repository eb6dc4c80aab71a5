//! Where files come from: folders, or memory.

use crate::sync::{Mutex, lock};
use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::UNIX_EPOCH;
use zemtak_core::atlas::page_path_is_safe;
use zemtak_core::geometry::Size;
use zemtak_files::TooLarge;

/// Files below a root, by paths with `/` as separator. Implement it for archives or for a network of your own.
///
/// It is called from several threads at once. Paths never have empty parts, `.`, `..`, `:` or `\`.
///
/// ```
/// use std::io;
/// use std::path::PathBuf;
/// use zemtak_runtime::{Files, Stamp};
///
/// /// Images that are built into the program.
/// struct BuiltIn(&'static [(&'static str, &'static [u8])]);
///
/// impl Files for BuiltIn {
///     fn read(&self, path: &str, _limit: u64) -> io::Result<Vec<u8>> {
///         let found = self.0.iter().find(|(name, _)| *name == path);
///         found.map(|(_, bytes)| bytes.to_vec()).ok_or_else(|| io::ErrorKind::NotFound.into())
///     }
///
///     fn stamp(&self, path: &str) -> io::Result<Stamp> {
///         Ok(Stamp { length: self.read(path, u64::MAX)?.len() as u64, version: 0 })
///     }
///
///     fn list(&self) -> io::Result<Vec<String>> {
///         Ok(self.0.iter().map(|(name, _)| name.to_string()).collect())
///     }
///
///     fn place(&self, path: &str) -> PathBuf {
///         PathBuf::from(path)
///     }
/// }
///
/// assert_eq!(BuiltIn(&[("a.png", b"...")]).list().unwrap(), ["a.png"]);
/// ```
pub trait Files: Send + Sync {
    /// All bytes of a file.
    ///
    /// # Errors
    /// The system's reason. [`io::ErrorKind::NotFound`] if there is no such file, so that the next root is asked.
    /// [`io::ErrorKind::FileTooLarge`] for a file of more than `limit` bytes, before memory is allocated for it.
    /// [`io::ErrorKind::WouldBlock`] if the file is on its way: it is then asked for again after
    /// [`Cache::files_came`](crate::Cache::files_came).
    fn read(&self, path: &str, limit: u64) -> io::Result<Vec<u8>>;

    /// The size of a picture that the sink can turn into a texture by itself, such as one that a browser has decoded:
    /// its file is not read here, and the levels that the sink gets have no bytes. `None` for all others, which is the
    /// default.
    ///
    /// # Errors
    /// As [`Files::read`].
    fn ready_made(&self, path: &str) -> io::Result<Option<Size>> {
        let _ = path;
        Ok(None)
    }

    /// A value that changes whenever the file does.
    ///
    /// # Errors
    /// As [`Files::read`].
    fn stamp(&self, path: &str) -> io::Result<Stamp>;

    /// The paths of all files, in any order.
    ///
    /// # Errors
    /// The system's reason.
    fn list(&self) -> io::Result<Vec<String>>;

    /// Where a file is, for messages.
    fn place(&self, path: &str) -> PathBuf;
}

/// Changes whenever a file does: its length, and a version that each kind of files counts in its own way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Stamp {
    /// The length in bytes.
    pub length: u64,
    /// The version: a time, or a count.
    pub version: u128,
}

/// Files below a folder. Links that lead out of it are refused.
///
/// ```
/// use zemtak_runtime::{Files, Folder};
///
/// let assets = Folder::new("assets");
/// assert!(assets.place("night-0.png").ends_with("assets/night-0.png"));
/// assert!(assets.read("../secret.png", 1 << 20).is_err());
/// ```
#[derive(Debug, Clone)]
pub struct Folder(PathBuf);

impl Folder {
    /// The files below a folder. Whether it exists shows when a file is asked for.
    pub fn new(path: impl Into<PathBuf>) -> Self {
        Self(path.into())
    }

    /// The file that a path means, checked to be below the folder.
    fn find(&self, path: &str) -> io::Result<PathBuf> {
        if !page_path_is_safe(path) {
            return Err(io::Error::new(io::ErrorKind::InvalidInput, "the path could lead out of its root"));
        }
        let file = self.0.join(path).canonicalize()?;
        if !file.starts_with(self.0.canonicalize()?) {
            return Err(io::Error::new(io::ErrorKind::PermissionDenied, "a link leads out of its root"));
        }
        Ok(file)
    }
}

impl Folder {
    /// The name that a game uses for a file; `None` if it is not UTF-8.
    fn named(&self, file: &Path) -> Option<String> {
        let below = file.strip_prefix(&self.0).ok()?;
        let parts: Vec<&str> = below.iter().map(|part| part.to_str()).collect::<Option<_>>()?;
        Some(parts.join("/")).filter(|path| page_path_is_safe(path))
    }
}

impl Files for Folder {
    fn read(&self, path: &str, limit: u64) -> io::Result<Vec<u8>> {
        zemtak_files::read(&self.find(path)?, limit)
    }

    fn stamp(&self, path: &str) -> io::Result<Stamp> {
        let facts = fs::metadata(self.find(path)?)?;
        let version = facts.modified()?.duration_since(UNIX_EPOCH).map_or(0, |since| since.as_nanos());
        Ok(Stamp { length: facts.len(), version })
    }

    fn list(&self) -> io::Result<Vec<String>> {
        let mut paths = Vec::new();
        let mut folders = vec![self.0.clone()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(&folder)? {
                let entry = entry?;
                // What lies below links to folders is not listed, so there are no circles.
                if entry.file_type()?.is_dir() {
                    folders.push(entry.path());
                } else {
                    paths.extend(self.named(&entry.path()));
                }
            }
        }
        Ok(paths)
    }

    fn place(&self, path: &str) -> PathBuf {
        self.0.join(Path::new(path))
    }
}

/// Files in memory: built into the program, downloaded, or made for a test. Clones share them.
///
/// ```
/// use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
///
/// let files = MemoryFiles::new();
/// files.put("title.png", *b"no image");
/// let (cache, mut pump) = Cache::new(Settings::over(files), MemorySink::new());
/// let failure = pump.wait(&cache.lease("title.png")).unwrap_err();
/// assert!(failure.to_string().starts_with("title.png: title.png: it cannot be decoded: not an image"));
/// ```
#[derive(Debug, Clone, Default)]
pub struct MemoryFiles(Arc<Mutex<Held>>);

#[derive(Debug, Default)]
struct Held {
    files: BTreeMap<String, (u128, Arc<[u8]>)>,
    version: u128,
}

impl MemoryFiles {
    /// No files.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds or replaces a file.
    pub fn put(&self, path: &str, bytes: impl Into<Arc<[u8]>>) {
        let mut held = lock(&self.0);
        held.version += 1;
        let version = held.version;
        held.files.insert(path.to_owned(), (version, bytes.into()));
    }

    /// Removes a file, and returns its bytes if it was there.
    pub fn remove(&self, path: &str) -> Option<Arc<[u8]>> {
        lock(&self.0).files.remove(path).map(|(_, bytes)| bytes)
    }

    fn find(&self, path: &str) -> io::Result<(u128, Arc<[u8]>)> {
        lock(&self.0).files.get(path).cloned().ok_or_else(|| io::ErrorKind::NotFound.into())
    }
}

impl Files for MemoryFiles {
    fn read(&self, path: &str, limit: u64) -> io::Result<Vec<u8>> {
        let (_, bytes) = self.find(path)?;
        let length = bytes.len() as u64;
        if length > limit { Err(TooLarge { bytes: length, limit }.into()) } else { Ok(bytes.to_vec()) }
    }

    fn stamp(&self, path: &str) -> io::Result<Stamp> {
        let (version, bytes) = self.find(path)?;
        Ok(Stamp { length: bytes.len() as u64, version })
    }

    fn list(&self) -> io::Result<Vec<String>> {
        Ok(lock(&self.0).files.keys().cloned().collect())
    }

    fn place(&self, path: &str) -> PathBuf {
        PathBuf::from(path)
    }
}
