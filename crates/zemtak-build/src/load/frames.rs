//! The treated sprites of one file, as far as they are in memory.

use crate::allowance::Allowance;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_core::pixels::Pixels;

/// The stored pixels of a sprite: its own, and those of its layers in order.
#[derive(Debug)]
pub(crate) struct Stored {
    pub own: Pixels,
    pub layers: Vec<Pixels>,
}

impl Stored {
    /// The bytes of all of it.
    pub(super) fn bytes(&self) -> u64 {
        let pixels = self.layers.iter().chain([&self.own]);
        pixels.map(|pixels| pixels.as_bytes().len() as u64).sum()
    }
}

/// The stored pixels of all sprites of one file, as far as they are in memory. Dropping this releases them.
#[derive(Debug)]
pub(super) struct Frames<'a> {
    places: Vec<Mutex<Place>>,
    allowance: &'a Allowance,
}

#[derive(Debug, Default)]
struct Place {
    stored: Option<Arc<Stored>>,
    /// The bytes that the allowance keeps for it.
    kept: u64,
}

impl<'a> Frames<'a> {
    pub fn new(count: usize, allowance: &'a Allowance) -> Self {
        Self { places: (0..count).map(|_| Mutex::default()).collect(), allowance }
    }

    fn place(&self, frame: usize) -> Option<MutexGuard<'_, Place>> {
        Some(self.places.get(frame)?.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// The stored pixels of a frame, if they are in memory.
    pub fn get(&self, frame: usize) -> Option<Arc<Stored>> {
        self.place(frame)?.stored.clone()
    }

    /// Keeps the stored pixels of a frame if there is memory for them; otherwise only if they `must` be in memory.
    pub fn put(&self, frame: usize, stored: Stored, must: bool) {
        let Some(mut place) = self.place(frame).filter(|place| place.stored.is_none()) else { return };
        let bytes = stored.bytes();
        let keeps = self.allowance.keep(bytes);
        if keeps || must {
            *place = Place { stored: Some(Arc::new(stored)), kept: if keeps { bytes } else { 0 } };
        }
    }

    /// Releases what there was no memory to keep.
    pub fn forget(&self, frame: usize) {
        if let Some(mut place) = self.place(frame)
            && place.kept == 0
        {
            place.stored = None;
        }
    }
}

impl Drop for Frames<'_> {
    fn drop(&mut self) {
        let kept = |place: &mut Mutex<Place>| place.get_mut().unwrap_or_else(PoisonError::into_inner).kept;
        self.allowance.let_go(self.places.iter_mut().map(kept).sum());
    }
}
