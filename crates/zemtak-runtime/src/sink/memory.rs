//! A sink that keeps pixels in memory.

use super::{Level, NewTexture, Sink, SinkError, Texture};
use std::collections::HashMap;
use std::sync::Arc;
use zemtak_core::atlas::PixelKind;

/// Keeps each texture's levels: for drawing without a graphics card, and for tests.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png.clone());
/// # files.put("title.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// let moth = cache.lease("moth.png");
/// pump.wait(&moth)?;
/// let levels = pump.sink().levels(moth.view().unwrap().texture).unwrap();
/// assert_eq!((levels[0].size.w, levels.len()), (32, 1));
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
#[derive(Debug, Default)]
pub struct MemorySink {
    textures: HashMap<Texture, (PixelKind, Arc<[Level]>)>,
    made: u64,
    /// Kinds of blocks that it keeps as they are.
    takes: Vec<PixelKind>,
}

impl MemorySink {
    /// A sink without textures that takes 8-bit RGBA.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// One that takes compressed blocks of these kinds too.
    #[must_use]
    pub fn taking(kinds: &[PixelKind]) -> Self {
        Self { takes: kinds.to_vec(), ..Self::default() }
    }

    /// A texture's mip levels, the full size first, while it exists.
    #[must_use]
    pub fn levels(&self, texture: Texture) -> Option<&[Level]> {
        self.textures.get(&texture).map(|(_, levels)| levels.as_ref())
    }

    /// How a texture's levels store pixels, while it exists.
    #[must_use]
    pub fn kind(&self, texture: Texture) -> Option<PixelKind> {
        self.textures.get(&texture).map(|(kind, _)| *kind)
    }

    /// How many textures there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.textures.len()
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.textures.is_empty()
    }
}

impl Sink for MemorySink {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        self.made += 1;
        let texture = Texture(self.made);
        self.textures.insert(texture, (new.kind, new.levels.clone()));
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.textures.remove(&texture);
    }

    fn takes(&self, kind: PixelKind) -> bool {
        kind == PixelKind::Rgba8 || self.takes.contains(&kind)
    }
}
