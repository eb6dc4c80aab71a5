//! A page of a snapshot: what it is, and the state of its textures.

use super::reading::Texels;
use super::snapshot::PageFile;
use crate::failure::Failure;
use crate::sink::Texture;
use std::sync::Arc;

/// A page of some snapshot.
#[derive(Debug)]
pub(super) struct Page {
    pub file: PageFile,
    pub root: usize,
    /// The atlas or image that it belongs to.
    pub origin: u32,
    pub state: PageState,
    /// Leases on all its sprites together.
    pub leases: u32,
    /// Needed by a new snapshot that waits to take over: neither evicted nor cancelled.
    pub staged: bool,
    /// Its file has changed although its descriptor has not.
    pub repainted: bool,
    /// Identifies the content of its files, once they have been read.
    pub content: String,
    /// It belongs to a snapshot that is no longer drawn, except by those who still hold it.
    pub retired: bool,
    /// When it was last wanted or released, by a count of such moments. A place in a line is valid only for its moment:
    /// a page that was given up or leased meanwhile leaves its old places behind.
    pub since: u64,
    /// When its atlas or image was asked for, if the page is wanted for that: it may have taken long to find out which
    /// pages there are.
    pub asked: Option<u64>,
    /// Its turn among those that wait for the pump: when it was asked for.
    pub turn: u64,
    /// Bytes of texture memory.
    pub bytes: u64,
}

/// The state of a page.
#[derive(Debug)]
pub(super) enum PageState {
    /// Nobody wants it, or it was evicted.
    Absent,
    /// It waits for a worker.
    Queued,
    /// A worker reads it.
    Decoding,
    /// It waits for the pump.
    Decoded(Texels),
    /// The pump makes its texture.
    Uploading,
    /// It can be drawn.
    Resident(Textures),
    /// It cannot be loaded.
    Failed(Failure),
    /// The slot is free for another page.
    Free,
}

/// The textures of a page.
#[derive(Debug, Clone)]
pub(super) struct Textures {
    pub own: Texture,
    /// Those of its layers, by name.
    pub layers: Arc<[(Arc<str>, Texture)]>,
}

impl Textures {
    pub fn all(&self) -> impl Iterator<Item = Texture> {
        std::iter::once(self.own).chain(self.layers.iter().map(|(_, texture)| *texture))
    }
}

impl PageState {
    pub fn is_loading(&self) -> bool {
        matches!(self, Self::Queued | Self::Decoding | Self::Decoded(_) | Self::Uploading)
    }
}

impl Page {
    /// Whether its bytes must match the hash in its descriptor even if hashes are not checked otherwise: it may be half
    /// written. If its descriptor is older than its file, it was painted over, which the settings allow or not.
    pub fn may_be_half_written(&self) -> bool {
        self.staged && !self.repainted
    }

    /// Whether it is a texture that nobody has held since this moment.
    pub fn is_idle(&self, since: u64) -> bool {
        self.since == since && self.leases == 0 && !self.staged && matches!(self.state, PageState::Resident(_))
    }

    /// Whether it has waited for the pump since this moment.
    pub fn is_ready(&self, since: u64) -> bool {
        self.since == since && matches!(self.state, PageState::Decoded(_))
    }
}
