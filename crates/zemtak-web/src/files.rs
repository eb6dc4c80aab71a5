//! Files that a web page fetches: requested here, delivered when they have arrived.

use std::collections::BTreeMap;
use std::io::{Error, ErrorKind, Result};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Files, Stamp};

/// What is known about a file.
#[derive(Debug, Clone)]
pub enum Fetched {
    /// Its bytes: read once, and then forgotten.
    Bytes(Vec<u8>),
    /// A picture of that size, which the page keeps until the sink has made a texture of it.
    Picture(Size),
    /// There is none.
    Missing,
    /// It cannot be fetched.
    Broken(String),
}

/// Files below a base URL. Clones share them.
#[derive(Clone, Default)]
pub struct WebFiles {
    base: String,
    /// `None` for those that are on their way.
    known: Arc<Mutex<BTreeMap<String, Option<Fetched>>>>,
    wanted: Arc<Mutex<Vec<String>>>,
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl WebFiles {
    pub fn below(base: String) -> Self {
        Self { base, ..Self::default() }
    }

    /// Those to fetch since the last call.
    pub fn take_wanted(&self) -> Vec<String> {
        std::mem::take(&mut *lock(&self.wanted))
    }

    pub fn put(&self, path: String, fetched: Fetched) {
        lock(&self.known).insert(path, Some(fetched));
    }

    /// Fetches a picture again when it is next asked for.
    pub fn forget(&self, path: &str) {
        lock(&self.known).remove(path);
    }

    /// Whether something has arrived that nobody has taken yet.
    pub fn has_arrived(&self) -> bool {
        lock(&self.known).values().any(Option::is_some)
    }

    /// Forgets what has arrived.
    pub fn forget_arrived(&self) {
        lock(&self.known).retain(|_, fetched| fetched.is_none());
    }

    /// Takes what has arrived of a file; requests it if that is nothing.
    fn take(&self, path: &str) -> Result<Fetched> {
        let mut known = lock(&self.known);
        match known.remove(path) {
            Some(Some(fetched)) => match fetched {
                Fetched::Missing => Err(ErrorKind::NotFound.into()),
                Fetched::Broken(why) => Err(Error::other(why)),
                // A page whose layers have not arrived yet is asked for again.
                Fetched::Picture(size) => {
                    known.insert(path.to_owned(), Some(Fetched::Picture(size)));
                    Ok(Fetched::Picture(size))
                }
                bytes @ Fetched::Bytes(_) => Ok(bytes),
            },
            on_its_way => {
                known.insert(path.to_owned(), None);
                if on_its_way.is_none() {
                    lock(&self.wanted).push(path.to_owned());
                }
                Err(ErrorKind::WouldBlock.into())
            }
        }
    }
}

/// Whether the browser decodes a file, by its extension.
fn is_picture(path: &str) -> bool {
    let ending = path.rsplit('.').next().unwrap_or_default();
    ["png", "webp", "jpg", "jpeg", "gif", "bmp", "avif"].iter().any(|known| ending.eq_ignore_ascii_case(known))
}

impl Files for WebFiles {
    fn read(&self, path: &str, limit: u64) -> Result<Vec<u8>> {
        match self.take(path)? {
            Fetched::Bytes(bytes) if bytes.len() as u64 > limit => Err(ErrorKind::FileTooLarge.into()),
            Fetched::Bytes(bytes) => Ok(bytes),
            _ => Err(ErrorKind::InvalidData.into()),
        }
    }

    fn ready_made(&self, path: &str) -> Result<Option<Size>> {
        if !is_picture(path) {
            return Ok(None);
        }
        match self.take(path)? {
            Fetched::Picture(size) => Ok(Some(size)),
            _ => Err(ErrorKind::InvalidData.into()),
        }
    }

    /// All files count as unchanged until they are fetched again.
    fn stamp(&self, path: &str) -> Result<Stamp> {
        // Nobody knows whether a descriptor exists before it was fetched.
        if path.ends_with(".zemtak.json") {
            Err(ErrorKind::NotFound.into())
        } else {
            Ok(Stamp { length: 0, version: 0 })
        }
    }

    fn list(&self) -> Result<Vec<String>> {
        Err(Error::new(ErrorKind::Unsupported, "a web server does not list its files: name them, or pack them"))
    }

    fn place(&self, path: &str) -> PathBuf {
        PathBuf::from(format!("{}{path}", self.base))
    }
}
