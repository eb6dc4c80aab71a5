//! A device that counts what a real one would have to do.

use super::{LARGEST_SIDE, NewTexture, Sink, SinkError, Texture, texture_bytes};
use std::collections::HashMap;
use zemtak_core::atlas::PixelKind;
use zemtak_core::coords::QUADS_A_DRAW;

/// A simulated graphics card: it has limited memory, takes textures up to a size, counts binds and batches, and fails
/// on command.
///
/// ```
/// use zemtak_runtime::{Level, NewTexture, Pixels, Sampler, SimulatedDevice, Sink};
/// use std::sync::Arc;
/// use zemtak_runtime::atlas::PixelKind;
/// use zemtak_runtime::geometry::Size;
///
/// let mut device = SimulatedDevice::new().with_memory(1 << 20);
/// let levels: Arc<[Level]> = Arc::new([Pixels::transparent(Size::new(256, 256)).unwrap().into()]);
/// let (kind, sampler) = (PixelKind::Rgba8, Sampler::default());
/// let new = NewTexture { label: "a.png", layer: None, kind, levels: &levels, sampler, alike: 1 };
/// let (a, b) = (device.make_texture(&new)?, device.make_texture(&new)?);
/// for texture in [a, a, b, a] {
///     device.draw(texture);
/// }
/// assert_eq!((device.work().draws, device.work().binds), (4, 3));
/// assert_eq!(device.used(), 2 * 256 * 256 * 4);
/// # Ok::<(), zemtak_runtime::SinkError>(())
/// ```
#[derive(Debug)]
pub struct SimulatedDevice {
    memory: Option<u64>,
    largest: u32,
    used: u64,
    peak: u64,
    textures: HashMap<Texture, u64>,
    bound: Option<Texture>,
    in_batch: u64,
    work: Work,
    fault: Option<(DeviceFault, u32)>,
}

/// The work of a device.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Work {
    /// Textures made.
    pub made: u64,
    /// Textures dropped.
    pub dropped: u64,
    /// Sprites drawn.
    pub draws: u64,
    /// How often the bound texture changed.
    pub binds: u64,
    /// Batches: sprites drawn in a row from one texture, up to [`QUADS_A_DRAW`] of them.
    pub batches: u64,
    /// Draws and drops of textures that do not exist: faults of the game or of the cache.
    pub misuses: u64,
    /// Textures that were refused.
    pub refused: u64,
}

/// A fault on command.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum DeviceFault {
    /// Textures are refused because memory is full.
    OutOfMemory,
    /// Textures are refused for reasons of the device.
    Lost,
}

impl Default for SimulatedDevice {
    fn default() -> Self {
        Self {
            memory: None,
            largest: LARGEST_SIDE,
            used: 0,
            peak: 0,
            textures: HashMap::new(),
            bound: None,
            in_batch: 0,
            work: Work::default(),
            fault: None,
        }
    }
}

impl SimulatedDevice {
    /// A device of unlimited memory.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// The same with this many bytes of memory.
    #[must_use]
    pub fn with_memory(self, bytes: u64) -> Self {
        Self { memory: Some(bytes), ..self }
    }

    /// The same with textures of at most this many pixels a side.
    #[must_use]
    pub fn with_largest_side(self, pixels: u32) -> Self {
        Self { largest: pixels, ..self }
    }

    /// Refuses the next `times` textures.
    pub fn fail_next(&mut self, fault: DeviceFault, times: u32) {
        self.fault = Some((fault, times));
    }

    /// Begins a frame: nothing is bound.
    pub fn begin_frame(&mut self) {
        self.bound = None;
    }

    /// Draws one sprite from a texture.
    pub fn draw(&mut self, texture: Texture) {
        self.work.draws += 1;
        self.work.misuses += u64::from(!self.textures.contains_key(&texture));
        let same = self.bound.replace(texture) == Some(texture);
        self.work.binds += u64::from(!same);
        self.in_batch = if same { self.in_batch % QUADS_A_DRAW as u64 + 1 } else { 1 };
        self.work.batches += u64::from(self.in_batch == 1);
    }

    /// The work so far.
    #[must_use]
    pub fn work(&self) -> Work {
        self.work
    }

    /// The bytes of all existing textures, including mip levels.
    #[must_use]
    pub fn used(&self) -> u64 {
        self.used
    }

    /// The most bytes it held since this was last called.
    pub fn take_peak(&mut self) -> u64 {
        std::mem::replace(&mut self.peak, self.used)
    }

    fn refusal(&mut self, new: &NewTexture<'_>, bytes: u64) -> Option<SinkError> {
        let size = new.size();
        if size.w.max(size.h) > self.largest {
            return Some(SinkError::TooLarge { size, limit: self.largest });
        }
        if let Some((fault, times)) = self.fault.filter(|(_, times)| *times > 0) {
            self.fault = Some((fault, times - 1));
            return Some(match fault {
                DeviceFault::OutOfMemory => SinkError::OutOfMemory,
                DeviceFault::Lost => SinkError::Other("the device was lost".into()),
            });
        }
        let full = self.memory.is_some_and(|memory| self.used + bytes > memory);
        full.then_some(SinkError::OutOfMemory)
    }
}

impl Sink for SimulatedDevice {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let bytes = texture_bytes(new.kind, new.size(), new.mips());
        if let Some(error) = self.refusal(new, bytes) {
            self.work.refused += 1;
            return Err(error);
        }
        self.work.made += 1;
        self.used += bytes;
        self.peak = self.peak.max(self.used);
        let texture = Texture(self.work.made);
        self.textures.insert(texture, bytes);
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        match self.textures.remove(&texture) {
            Some(bytes) => {
                self.used -= bytes;
                self.work.dropped += 1;
            }
            None => self.work.misuses += 1,
        }
    }

    fn largest_side(&self) -> u32 {
        self.largest
    }

    /// All of them, like desktop graphics cards.
    fn takes(&self, _: PixelKind) -> bool {
        true
    }
}
