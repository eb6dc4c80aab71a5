//! What earlier builds have learnt, kept so that only what changed is done again.
//!
//! Everything in a store can be rebuilt, so it can be deleted at any time. Keys are hashes of everything that a value
//! depends on, so a value is never stale, and a store whose bytes are not exactly those that were written counts as
//! empty.

mod file;
mod holdings;
mod shared;

pub use file::{FILE, FileStore};
pub use holdings::{Checked, StoreInfo, TrimBounds, Trimmed};
pub use shared::{Access, Kind, SharedSettings, SharedTally};
pub(crate) use shared::{RemoteError, SharedStore, Upkeep, Value};

use crate::format;
use serde::Serialize;

/// 32 bytes that identify a content, or everything that something depends on.
pub type Hash = [u8; 32];

/// From this length on, threads share the work of a hash.
const SHARED_HASH: usize = 1 << 20;

/// The hash of bytes.
#[must_use]
pub fn hash(bytes: &[u8]) -> Hash {
    *blake3::hash(bytes).as_bytes()
}

/// The hash of bytes, by several threads if there are many. Only for callers that hold no lock, no cell that they
/// initialise, and no memory that others wait for: a thread that waits for the others does other work in the meantime,
/// and if that needs what the caller holds, it never ends.
#[must_use]
pub(crate) fn hash_by_all(bytes: &[u8]) -> Hash {
    if bytes.len() < SHARED_HASH {
        return hash(bytes);
    }
    *blake3::Hasher::new().update_rayon(bytes).finalize().as_bytes()
}

/// The hash of everything that a value depends on, under which a store keeps it.
///
/// Values are added as JSON: field names and words, never positions or the output of `Debug`, so that two settings have
/// the same key only if they are the same. A stage's version comes first; the same inputs under another version have
/// another key.
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
        // Settings contain nothing that JSON cannot express; otherwise the key of an error could stand for two values.
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
    /// The value of a key, if known.
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

/// A hash as written in descriptors.
#[must_use]
pub fn written(hash: &Hash) -> String {
    format!("blake3:{}", format::hex(hash))
}

/// The hash written in a descriptor.
#[must_use]
pub fn of_written(text: &str) -> Option<Hash> {
    blake3::Hash::from_hex(text.strip_prefix("blake3:")?).ok().map(|hash| *hash.as_bytes())
}
