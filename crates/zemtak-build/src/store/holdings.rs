//! What is told of a store when somebody looks into it.

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
    /// Of a shared one, how many values there are of each kind, and their bytes.
    pub kinds: Vec<(Kind, u64, u64)>,
    /// Of a shared one, how long ago the value was used that was not for longest.
    pub least_used: Option<Duration>,
    /// Why it cannot be told what it holds.
    pub trouble: Option<String>,
}

/// How large and how old a store may be.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TrimBounds {
    /// The most bytes.
    pub bytes: Option<u64>,
    /// For how long nobody may have asked for a value. In the store beside the results what no build asks for goes by itself.
    pub age: Option<Duration>,
}

/// What trimming a store came to.
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

/// What is wrong with a store.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Checked {
    /// Where it is.
    pub store: String,
    /// Whether it is the shared one.
    pub shared: bool,
    /// How many values were looked at.
    pub values: u64,
    /// Values that are not as they were written, or are of another secret.
    pub damaged: Vec<String>,
    /// Whether those were removed.
    pub removed: bool,
}
