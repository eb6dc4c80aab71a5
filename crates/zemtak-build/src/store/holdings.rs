//! What is reported about a store.

use super::Kind;
use std::time::Duration;

/// What a store holds.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct StoreInfo {
    /// Where it is.
    pub store: String,
    /// Whether it is the shared one.
    pub shared: bool,
    /// How many values it has.
    pub values: u64,
    /// Their bytes.
    pub bytes: u64,
    /// For a shared store, how many values there are of each kind, and their bytes.
    pub kinds: Vec<(Kind, u64, u64)>,
    /// For a shared store, how long ago the least recently used value was used.
    pub least_used: Option<Duration>,
    /// Why its content is unknown.
    pub trouble: Option<String>,
}

/// Limits on the size and age of a store.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TrimBounds {
    /// The most bytes.
    pub bytes: Option<u64>,
    /// For how long nobody may have asked for a value. The store beside the results forgets by itself what no build
    /// asks for.
    pub age: Option<Duration>,
}

/// The result of trimming a store.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Trimmed {
    /// Where it is.
    pub store: String,
    /// Whether it is the shared one.
    pub shared: bool,
    /// How many values were removed, or would be.
    pub removed: u64,
    /// Their bytes.
    pub removed_bytes: u64,
    /// How many values are left.
    pub left: u64,
    /// Their bytes.
    pub left_bytes: u64,
}

/// The result of checking a store.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Checked {
    /// Where it is.
    pub store: String,
    /// Whether it is the shared one.
    pub shared: bool,
    /// How many values were looked at.
    pub values: u64,
    /// Values that are not as they were written, or were written with another secret.
    pub damaged: Vec<String>,
    /// Whether those were removed.
    pub removed: bool,
}
