//! The status of something that was asked for.

use crate::failure::Failure;

/// The status of something that was asked for.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Status {
    /// It is being loaded.
    Loading,
    /// It can be drawn.
    Ready,
    /// It cannot be loaded. A retry or a reload may change that.
    Failed(Failure),
}

/// The progress of a set, in numbers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Progress {
    /// Sprites that can be drawn.
    pub done: usize,
    /// Sprites and names that cannot be loaded.
    pub failed: usize,
    /// All of them, as far as it is known yet what the names stand for.
    pub total: usize,
    /// Bytes of the textures that are resident.
    pub bytes: u64,
    /// Bytes of all textures that are known to be needed.
    pub total_bytes: u64,
    /// Whether it is known what all names stand for.
    pub complete: bool,
}
