//! What earlier builds learnt, kept between them so that only what changed is done again.
//!
//! Everything in a store could be worked out anew: it can be deleted at any time. Keys are hashes of all that a value
//! follows from, so a value is never stale, and a store whose bytes are not exactly those that were written is empty.

mod holdings;
mod shared;

pub use holdings::{Checked, StoreInfo, TrimBounds, Trimmed};
pub use shared::{Access, Kind, SharedSettings, SharedTally};
pub(crate) use shared::{RemoteError, SharedStore, Upkeep, Value};

use crate::failure::Failure;
use crate::format;
use crate::write::Writer;
use serde::Serialize;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use zemtak_files::{Disk, SystemDisk};

/// The store's file in the folder for results.
pub const FILE: &str = ".zemtak-store";

/// How many builds that learnt something a value stays that none of them asked for: long enough for an atlas that rests
/// while others are worked on.
const PATIENCE: u8 = 250;

/// A larger store is of somebody else, and as good as none.
const MOST_BYTES: u64 = 4 << 30;

/// The start of a store's file. The version changes with the meaning of its bytes; what its values mean is in their keys.
const MAGIC: &[u8] = b"zemtak store 2\n";

/// 32 bytes that stand for a content or for all that something follows from.
pub type Hash = [u8; 32];

/// The hash of bytes.
#[must_use]
pub fn hash(bytes: &[u8]) -> Hash {
    *blake3::hash(bytes).as_bytes()
}

/// The hash of all that a value follows from, under which a store keeps it.
///
/// Values go in as JSON: field names and words, never positions or what `Debug` prints, so that two settings have one key
/// only if they are the same. A stage's version goes in first; the same inputs under another version have another key.
#[derive(Debug, Clone)]
pub struct Key(blake3::Hasher);

impl Key {
    /// Begins the key of what a stage makes.
    #[must_use]
    pub fn new(stage: &str, versions: &[u32]) -> Self {
        let mut key = Self(blake3::Hasher::new());
        key.part(stage.as_bytes());
        versions.iter().for_each(|version| key.part(&version.to_le_bytes()));
        key
    }

    /// Adds a value in its serialised form.
    #[must_use]
    pub fn value(mut self, value: &impl Serialize) -> Self {
        // Settings have nothing that JSON cannot hold; were it so, the key of an error could stand for two values.
        let bytes = serde_json::to_vec(value);
        debug_assert!(bytes.is_ok(), "{bytes:?}");
        self.part(&bytes.unwrap_or_default());
        self
    }

    /// Adds bytes.
    #[must_use]
    pub fn bytes(mut self, bytes: &[u8]) -> Self {
        self.part(bytes);
        self
    }

    /// The key.
    #[must_use]
    pub fn finish(self) -> Hash {
        *self.0.finalize().as_bytes()
    }

    fn part(&mut self, bytes: &[u8]) {
        self.0.update(&(bytes.len() as u64).to_le_bytes());
        self.0.update(bytes);
    }
}

/// Values by key.
pub trait Store: Send + Sync + std::fmt::Debug {
    /// The value of a key, if it is known.
    fn get(&self, key: &Hash) -> Option<Vec<u8>>;
    /// Keeps a value.
    fn put(&self, key: Hash, value: Vec<u8>);
}

/// Remembers nothing.
#[derive(Debug, Clone, Copy)]
pub struct Nothing;

impl Store for Nothing {
    fn get(&self, _: &Hash) -> Option<Vec<u8>> {
        None
    }

    fn put(&self, _: Hash, _: Vec<u8>) {}
}

/// A store that is one file beside the results.
#[derive(Debug)]
pub struct FileStore {
    path: PathBuf,
    writer: Writer,
    values: Mutex<HashMap<Hash, Entry>>,
    /// Whether there is something to write.
    changed: AtomicBool,
}

#[derive(Debug, Clone)]
struct Entry {
    /// How many builds ago it was last asked for.
    age: u8,
    value: Vec<u8>,
}

impl FileStore {
    /// The store in a folder; empty where there is none, or none that is whole.
    #[must_use]
    pub(crate) fn open(folder: &Path, writer: &Writer) -> Self {
        let path = folder.join(FILE);
        let values = writer.disk.read(&path, MOST_BYTES).ok().and_then(|bytes| parse(&bytes)).unwrap_or_default();
        tracing::debug!(path = %path.display(), values = values.len(), "store opened");
        Self { path, writer: writer.clone(), values: Mutex::new(values), changed: AtomicBool::new(false) }
    }

    /// A store that knows nothing yet.
    #[must_use]
    pub(crate) fn empty(folder: &Path, writer: &Writer) -> Self {
        let (path, writer) = (folder.join(FILE), writer.clone());
        Self { path, writer, values: Mutex::default(), changed: AtomicBool::new(true) }
    }

    /// Writes the store if anything in it is new.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn save(&self) -> Result<(), Failure> {
        if !self.changed.swap(false, Ordering::Relaxed) {
            return Ok(());
        }
        self.writer.prepare(&self.path, &self.to_bytes())?.commit()
    }

    /// What the store in a folder holds.
    pub(crate) fn info(folder: &Path) -> StoreInfo {
        let store = Self::open(folder, &Writer::default());
        let values = store.values().len() as u64;
        let bytes = std::fs::metadata(&store.path).map_or(0, |meta| meta.len());
        StoreInfo { store: format::path(&store.path), values, bytes, ..StoreInfo::default() }
    }

    /// Whether the store in a folder is as it was written.
    pub(crate) fn check(folder: &Path) -> Checked {
        let path = folder.join(FILE);
        let values = SystemDisk.read(&path, MOST_BYTES).ok().and_then(|bytes| parse(&bytes));
        let store = format::path(&path);
        let damaged = if values.is_none() { vec![store.clone()] } else { Vec::new() };
        Checked { store, values: values.map_or(0, |values| values.len() as u64), damaged, ..Checked::default() }
    }

    /// Forgets what no build has asked for longest, until the rest takes at most so many bytes.
    pub(crate) fn trim(&self, most: u64) -> Trimmed {
        let mut values = self.values();
        let mut oldest: Vec<(u8, Hash, u64)> =
            values.iter().map(|(key, entry)| (entry.age, *key, entry.bytes())).collect();
        oldest.sort_unstable_by_key(|(age, key, _)| (std::cmp::Reverse(*age), *key));
        let mut trimmed = Trimmed { store: format::path(&self.path), ..Trimmed::default() };
        let mut left: u64 = (MAGIC.len() + 32) as u64 + oldest.iter().map(|(.., bytes)| bytes).sum::<u64>();
        for (_, key, bytes) in &oldest {
            if left <= most {
                break;
            }
            values.remove(key);
            left -= bytes;
            trimmed.removed += 1;
            trimmed.removed_bytes += bytes;
        }
        self.changed.fetch_or(trimmed.removed > 0, Ordering::Relaxed);
        (trimmed.left, trimmed.left_bytes) = (values.len() as u64, left);
        trimmed
    }

    fn values(&self) -> MutexGuard<'_, HashMap<Hash, Entry>> {
        self.values.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn to_bytes(&self) -> Vec<u8> {
        let values = self.values();
        let mut sorted: Vec<(&Hash, &Entry)> = values.iter().filter(|(_, e)| e.age <= PATIENCE).collect();
        sorted.sort_by_key(|(key, _)| *key);
        let mut bytes = MAGIC.to_vec();
        for (key, Entry { age, value }) in sorted {
            bytes.extend_from_slice(key);
            bytes.push(*age);
            bytes.extend_from_slice(&(value.len() as u64).to_le_bytes());
            bytes.extend_from_slice(value);
        }
        let sum = hash(&bytes);
        bytes.extend_from_slice(&sum);
        bytes
    }
}

impl Store for FileStore {
    fn get(&self, key: &Hash) -> Option<Vec<u8>> {
        let mut values = self.values();
        let entry = values.get_mut(key)?;
        entry.age = 0;
        Some(entry.value.clone())
    }

    fn put(&self, key: Hash, value: Vec<u8>) {
        let mut values = self.values();
        let former = values.insert(key, Entry { age: 0, value: value.clone() });
        if former.is_none_or(|entry| entry.value != value) {
            self.changed.store(true, Ordering::Relaxed);
        }
    }
}

impl Entry {
    /// What it takes in the file.
    fn bytes(&self) -> u64 {
        (32 + 1 + 8 + self.value.len()) as u64
    }
}

/// The values of a store's file, each a build older, or `None` where a byte of it is not as it was written.
fn parse(bytes: &[u8]) -> Option<HashMap<Hash, Entry>> {
    let (body, sum) = bytes.split_last_chunk::<32>()?;
    let mut rest = body.strip_prefix(MAGIC).filter(|_| hash(body) == *sum)?;
    let mut values = HashMap::new();
    while !rest.is_empty() {
        let (key, after) = rest.split_first_chunk::<32>()?;
        let (age, after) = after.split_first()?;
        let (length, after) = after.split_first_chunk::<8>()?;
        let (value, after) = after.split_at_checked(usize::try_from(u64::from_le_bytes(*length)).ok()?)?;
        values.insert(*key, Entry { age: age.saturating_add(1), value: value.to_vec() });
        rest = after;
    }
    Some(values)
}

/// A hash as the descriptor has it.
#[must_use]
pub fn written(hash: &Hash) -> String {
    format!("blake3:{}", format::hex(hash))
}

/// The hash that a descriptor has as text.
#[must_use]
pub fn of_written(text: &str) -> Option<Hash> {
    blake3::Hash::from_hex(text.strip_prefix("blake3:")?).ok().map(|hash| *hash.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn open(folder: &Path) -> FileStore {
        FileStore::open(folder, &Writer::default())
    }

    fn key(stage: &str, bytes: &[u8]) -> Hash {
        Key::new(stage, &[]).bytes(bytes).finish()
    }

    #[test]
    fn a_store_comes_back_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let store = open(folder.path());
        store.put(key("a", b"1"), b"one".to_vec());
        store.put(Key::new("a", &[]).bytes(b"").bytes(b"1").finish(), Vec::new());
        store.save().unwrap();
        let path = folder.path().join(FILE);
        let bytes = std::fs::read(&path).unwrap();
        let again = open(folder.path());
        assert_eq!(again.get(&key("a", b"1")), Some(b"one".to_vec()));
        assert_eq!(again.get(&Key::new("a", &[]).bytes(b"").bytes(b"1").finish()), Some(Vec::new()));
        for cut in 0..bytes.len() {
            std::fs::write(&path, &bytes[..cut]).unwrap();
            assert_eq!(open(folder.path()).get(&key("a", b"1")), None, "cut at {cut}");
            let mut flipped = bytes.clone();
            flipped[cut] ^= 4;
            std::fs::write(&path, flipped).unwrap();
            assert_eq!(open(folder.path()).get(&key("a", b"1")), None, "flipped at {cut}");
        }
    }

    #[test]
    fn what_nobody_asks_for_goes_in_the_end() {
        let folder = tempfile::tempdir().unwrap();
        let store = open(folder.path());
        let (used, unused) = (key("used", b""), key("unused", b""));
        store.put(used, vec![1]);
        store.put(unused, vec![2]);
        store.save().unwrap();
        for build in 0..=PATIENCE {
            let store = open(folder.path());
            assert_eq!(store.get(&used), Some(vec![1]));
            store.put(key("learnt", b""), vec![build]);
            store.save().unwrap();
        }
        assert_eq!(open(folder.path()).get(&unused), None);
    }
}
