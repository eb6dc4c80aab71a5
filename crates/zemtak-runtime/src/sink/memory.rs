//! A sink that keeps pixels in memory.

use super::{NewTexture, Sink, SinkError, Texture};
use std::collections::HashMap;
use std::sync::Arc;
use zemtak_core::pixels::Pixels;

/// Keeps each texture's pixels: for drawing without a graphics card, and for tests.
#[derive(Debug, Default)]
pub struct MemorySink {
    textures: HashMap<Texture, Arc<Pixels>>,
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
        self.textures.get(&texture).map(Arc::as_ref)
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
        self.textures.insert(texture, new.pixels.clone());
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.textures.remove(&texture);
    }
}
