//! How a cache works.

use crate::files::Files;
use crate::open::HashCheck;
use crate::sink::Sampler;
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::codec::Limits;
use zemtak_core::pixels::Pixels;

/// How a cache works.
///
/// ```
/// use zemtak_runtime::{Folder, Settings};
///
/// // A folder of a mod before the shipped one, and at most 64 MiB for what nobody holds.
/// let settings = Settings { budget: 64 << 20, ..Settings::over(Folder::new("mods/moon")).and_then(Folder::new("assets")) };
/// assert_eq!(settings.roots.len(), 2);
/// ```
pub struct Settings {
    /// Where to look for files, the first root first: a folder of overrides before the shipped one. A descriptor and
    /// its pages always come from the same root.
    pub roots: Vec<Arc<dyn Files>>,
    /// Bytes of texture memory; within it, textures that nobody holds stay resident. Default: 256 MiB.
    pub budget: u64,
    /// How many threads decode; with 0 the pump does. Default: as many as the machine has cores.
    pub workers: Option<usize>,
    /// Whether pages are checked against the hash in their descriptor; those of a new version always are. Default: in
    /// debug builds. Needs the feature `hash`: without it, a page is identified by its file alone.
    pub hash: HashCheck,
    /// Decoded bytes that may wait for the pump before workers pause. Default: 256 MiB.
    pub decoded_ahead: u64,
    /// Limits on what an image may ask for before memory is allocated. The sink limits the longest side as well.
    pub limits: Limits,
    /// How loose images are sampled.
    pub image_sampler: Sampler,
    /// What is drawn for anything that is not resident. Default: nothing.
    pub stand_in: Option<Pixels>,
    /// How often files are checked for changes. Default: never.
    pub watch: Option<Duration>,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            roots: Vec::new(),
            budget: 256 << 20,
            workers: None,
            hash: if cfg!(debug_assertions) { HashCheck::if_built_in() } else { HashCheck::No },
            decoded_ahead: 256 << 20,
            limits: Limits::default(),
            image_sampler: Sampler::default(),
            stand_in: None,
            watch: None,
        }
    }
}

impl Settings {
    /// The default settings with one root.
    pub fn over(root: impl Files + 'static) -> Self {
        Self { roots: vec![Arc::new(root)], ..Self::default() }
    }

    /// The same with one more root, searched after the others.
    #[must_use]
    pub fn and_then(mut self, root: impl Files + 'static) -> Self {
        self.roots.push(Arc::new(root));
        self
    }
}
