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
    /// Where files are looked for, the first root first: a folder of overrides before the shipped one. A descriptor and
    /// its pages always come from one root.
    pub roots: Vec<Arc<dyn Files>>,
    /// Bytes of texture memory within which textures stay that nobody holds. 256 MiB by default.
    pub budget: u64,
    /// How many threads decode; 0 has the pump do it. As many as the machine has cores by default.
    pub workers: Option<usize>,
    /// Whether pages are held against the hash in their descriptor; those of a new version always are. In debug builds by
    /// default. All of that with the feature `hash`: without it a page is known by its file alone.
    pub hash: HashCheck,
    /// Decoded bytes that may wait for the pump before workers pause. 256 MiB by default.
    pub decoded_ahead: u64,
    /// What an image may ask for before memory is taken for it. The longest side is also limited by the sink.
    pub limits: Limits,
    /// How loose images are sampled.
    pub image_sampler: Sampler,
    /// What is drawn for what is not there, or not yet. Nothing by default.
    pub stand_in: Option<Pixels>,
    /// How often files are looked at for changes. Never by default.
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
    /// The default settings over one root.
    pub fn over(root: impl Files + 'static) -> Self {
        Self { roots: vec![Arc::new(root)], ..Self::default() }
    }

    /// The same with one more root, which is searched after the others.
    #[must_use]
    pub fn and_then(mut self, root: impl Files + 'static) -> Self {
        self.roots.push(Arc::new(root));
        self
    }
}
