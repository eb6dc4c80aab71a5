//! A sink that keeps pixels in memory.

use super::{NewTexture, Sink, SinkError, Texture};
use std::collections::HashMap;
use std::sync::Arc;
use zemtak_core::pixels::Pixels;

/// Keeps each texture's pixels: for drawing without a graphics card, and for tests.
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
/// let pixels = pump.sink().pixels(moth.view().unwrap().texture).unwrap();
/// assert_eq!(pixels.size().w, 32);
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
#[derive(Debug, Default)]
pub struct MemorySink {
    /// With the levels below the full size.
    textures: HashMap<Texture, (Arc<Pixels>, Vec<Pixels>)>,
    made: u64,
}

impl MemorySink {
    /// A sink without textures.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// A texture's pixels, as long as it is there.
    #[must_use]
    pub fn pixels(&self, texture: Texture) -> Option<&Pixels> {
        self.textures.get(&texture).map(|(full, _)| full.as_ref())
    }

    /// A texture's mip levels below the full size, the largest first, as long as it is there.
    #[must_use]
    pub fn smaller(&self, texture: Texture) -> Option<&[Pixels]> {
        self.textures.get(&texture).map(|(_, smaller)| smaller.as_slice())
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
        self.textures.insert(texture, (new.pixels.clone(), new.smaller.to_vec()));
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.textures.remove(&texture);
    }
}
