//! Where textures go: a graphics API, memory, or a simulated device.

mod memory;
mod simulated;

pub use memory::MemorySink;
pub use simulated::{DeviceFault, SimulatedDevice, Work};

use std::sync::Arc;
use zemtak_core::atlas::{Alpha, Colour, Filter, Page, PixelKind, Wrap};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// The longest side of a texture unless a sink says otherwise: graphics cards of the last ten years take it.
pub const LARGEST_SIDE: u32 = 16_384;

/// The number by which a sink identifies a texture: a name in its graphics API, or an index into a list of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Texture(pub u64);

/// A texture to make.
#[derive(Debug, Clone, Copy)]
pub struct NewTexture<'p> {
    /// The file, as a label for debugging tools.
    pub label: &'p str,
    /// Which layer of its page it is, such as `normal`; `None` for the page itself.
    pub layer: Option<&'p str>,
    /// How its levels store pixels: one of the kinds that the sink takes.
    pub kind: PixelKind,
    /// Its mip levels, the full size first: as many as its atlas has room for (`mip_levels`) and show no neighbour
    /// (`safe_mips`). A sink that wants only one takes the first. Keep the `Arc` to keep them.
    pub levels: &'p Arc<[Level]>,
    /// How it is sampled, and what its numbers mean.
    pub sampler: Sampler,
    /// How many pages of its atlas are like this one in size, kind, levels and sampling, including itself. A sink that
    /// uses texture arrays makes an array of this many layers for the first, and takes the next free layer for each of
    /// the others; all pages of an atlas that was packed with `--same-size-pages` are alike. 1 for a loose image.
    pub alike: usize,
}

impl NewTexture<'_> {
    /// Its size in pixels.
    #[must_use]
    pub fn size(&self) -> Size {
        self.levels.first().map_or(Size::new(0, 0), |level| level.size)
    }

    /// How many levels it has, including the full size.
    #[must_use]
    pub fn mips(&self) -> u32 {
        u32::try_from(self.levels.len()).unwrap_or(u32::MAX)
    }
}

/// A mip level in the form a graphics card takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Level {
    /// In pixels: level k is max(1, side / 2^k) pixels a side, rounded down.
    pub size: Size,
    /// Rows from the top: of pixels, 8-bit RGBA, or of blocks of 4 x 4 pixels, which may reach beyond the right and
    /// lower edge.
    pub bytes: Vec<u8>,
}

impl From<Pixels> for Level {
    fn from(pixels: Pixels) -> Self {
        Self { size: pixels.size(), bytes: pixels.into_bytes() }
    }
}

/// Rows of a level of a texture that is filled over several frames.
#[derive(Debug, Clone, Copy)]
pub struct Rows<'p> {
    /// The level, 0 for the full size.
    pub level: u32,
    /// How they store pixels.
    pub kind: PixelKind,
    /// The number of pixels in a row: the width of the level.
    pub width: u32,
    /// The first row, counted from the top.
    pub first: u32,
    /// The number of rows. Of compressed levels always whole blocks, except at the end of a level.
    pub rows: u32,
    /// Their bytes, one after the other.
    pub bytes: &'p [u8],
}

/// How a texture is sampled, and what its numbers mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Sampler {
    /// Nearest by default.
    pub filter: Filter,
    /// Clamp by default.
    pub wrap: Wrap,
    /// Straight by default.
    pub alpha: Alpha,
    /// sRGB by default.
    pub colour: Colour,
}

impl Default for Sampler {
    fn default() -> Self {
        Self { filter: Filter::Nearest, wrap: Wrap::Clamp, alpha: Alpha::Straight, colour: Colour::Srgb }
    }
}

impl Sampler {
    /// As described by a page's descriptor.
    #[must_use]
    pub fn of(page: &Page) -> Self {
        Self { filter: page.sampling.filter, wrap: page.sampling.wrap, alpha: page.alpha, colour: page.colour }
    }
}

/// Why a sink could not make a texture.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SinkError {
    /// There is no memory left for it. The cache evicts what nobody holds, and tries again.
    #[error("the device is out of memory")]
    OutOfMemory,
    /// The device takes no texture of that size.
    #[error("the device takes no texture of more than {limit} pixels a side, this one has {size}")]
    TooLarge {
        /// The texture's size.
        size: Size,
        /// The longest side.
        limit: u32,
    },
    /// Anything else.
    #[error("{0}")]
    Other(String),
}

/// Makes and drops textures. A game implements this for its graphics API.
///
/// It is only called on the thread that pumps, so it may be bound to that thread.
///
/// ```
/// use zemtak_runtime::{NewTexture, Sink, SinkError, Texture};
///
/// /// A sink that only counts.
/// struct Counting(u64);
///
/// impl Sink for Counting {
///     fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
///         println!("{}: {} pixels, {} mip levels", new.label, new.size(), new.mips());
///         self.0 += 1;
///         Ok(Texture(self.0))
///     }
///
///     fn drop_texture(&mut self, texture: Texture) {
///         println!("texture {} is gone", texture.0);
///     }
/// }
/// ```
pub trait Sink {
    /// Makes a texture.
    ///
    /// # Errors
    /// [`SinkError`]. Then there is no texture.
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError>;

    /// Makes a texture with room for all levels, to be filled by [`Sink::write_rows`] over several frames. This is
    /// called if a page has more bytes than a frame may take. By default it is not supported, and such a page is made
    /// at once.
    ///
    /// # Errors
    /// [`SinkError`]. Then there is no texture.
    fn make_empty(&mut self, new: &NewTexture<'_>) -> Option<Result<Texture, SinkError>> {
        let _ = new;
        None
    }

    /// Fills rows of a texture that was made by [`Sink::make_empty`]. Nobody draws it until all of them are filled.
    ///
    /// # Errors
    /// [`SinkError`]. The texture is then dropped.
    fn write_rows(&mut self, texture: Texture, rows: &Rows<'_>) -> Result<(), SinkError> {
        let _ = (texture, rows);
        Err(SinkError::Other("this sink makes textures at once".into()))
    }

    /// Drops a texture. Each texture is dropped exactly once; nobody draws it any more.
    fn drop_texture(&mut self, texture: Texture);

    /// Whether it takes textures whose pixels are stored in this way. Asked once for each kind. By default only
    /// [`PixelKind::Rgba8`]: blocks are then unpacked first if there is the feature `blocks`; without it their pages
    /// fail.
    fn takes(&self, kind: PixelKind) -> bool {
        !kind.is_compressed()
    }

    /// The longest side that a texture may have. Asked once. Default: 16,384.
    fn largest_side(&self) -> u32 {
        LARGEST_SIDE
    }
}

/// How many bytes of texture memory a texture takes, including all mip levels: 4 per pixel, or 8 or 16 for each block
/// of 4 x 4. Level k is max(1, side / 2^k) pixels a side.
///
/// ```
/// use zemtak_runtime::atlas::PixelKind;
/// use zemtak_runtime::geometry::Size;
/// use zemtak_runtime::texture_bytes;
///
/// assert_eq!(texture_bytes(PixelKind::Rgba8, Size::new(4, 2), 1), 32);
/// assert_eq!(texture_bytes(PixelKind::Rgba8, Size::new(4, 2), 3), (8 + 2 + 1) * 4);
/// assert_eq!(texture_bytes(PixelKind::Bc7, Size::new(8, 4), 3), (2 + 1 + 1) * 16);
/// ```
#[must_use]
pub fn texture_bytes(kind: PixelKind, size: Size, mips: u32) -> u64 {
    kind.texture_bytes(size, mips.max(1))
}
