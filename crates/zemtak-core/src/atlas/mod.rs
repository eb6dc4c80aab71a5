//! The descriptor `NAME.zemtak.json`: its model, its text, and the rules for its numbers.
//!
//! docs/format.md specifies it for readers in other languages.

mod check;
mod restore;
mod text;

pub use check::{Flaw, page_path_is_safe};
pub use text::{ParseError, Parsed, parse};

use crate::coords::UvRect;
use crate::geometry::{Rect, Size};
use crate::json;
use crate::name::{ClipName, SpriteName};
use serde::{Deserialize, Deserializer, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;

/// The version of the format that this library writes and reads.
pub const VERSION: u32 = 1;

/// What a descriptor's file name ends with, after the atlas's name: `night.zemtak.json`.
pub const FILE_SUFFIX: &str = ".zemtak.json";

/// The largest descriptor that is read, in bytes: enough for half a million sprites.
pub const DESCRIPTOR_BYTES: u64 = 256 << 20;

/// A named set of sprites packed together. The fields are in the order of the descriptor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Atlas {
    /// The format's version.
    pub zemtak: u32,
    /// What a reader must know beyond the version to read this file correctly; nothing yet.
    pub needs: Vec<String>,
    /// The atlas's name: `a-z`, `0-9`, `_`, `-`.
    pub name: String,
    /// Identifies the build, and is the same for all files of it. Different content has a different id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub build_id: Option<String>,
    /// Size in relation to the sources.
    pub scale: f64,
    /// The atlas that this one is another size of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base: Option<String>,
    /// How it was built.
    #[serde(deserialize_with = "json::object")]
    pub built: Built,
    /// Files that the same build wrote beside it, including descriptors of other sizes, each with the hash of its
    /// bytes.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub companions: BTreeMap<String, String>,
    /// The texture images.
    #[serde(deserialize_with = "json::objects")]
    pub pages: Vec<Page>,
    /// The sprites by name.
    #[serde(deserialize_with = "json::objects_by_name")]
    pub sprites: BTreeMap<SpriteName, Sprite>,
    /// The clips by name.
    #[serde(deserialize_with = "json::objects_by_name")]
    pub clips: BTreeMap<ClipName, Clip>,
}

impl Atlas {
    /// An atlas without pages and sprites, at the size of its sources.
    #[must_use]
    pub fn new(name: impl Into<String>, built: Built) -> Self {
        Self {
            zemtak: VERSION,
            needs: Vec::new(),
            name: name.into(),
            build_id: None,
            scale: 1.0,
            base: None,
            built,
            companions: BTreeMap::new(),
            pages: Vec::new(),
            sprites: BTreeMap::new(),
            clips: BTreeMap::new(),
        }
    }
}

/// The promises that pages keep.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Built {
    /// The least number of empty pixels between neighbouring cells.
    pub gutter: u32,
    /// The least number of empty pixels along a page's edge.
    pub margin: u32,
    /// The width of the ring of repeated pixels round each box.
    pub extrude: u32,
    /// Whether boxes are visible boxes.
    pub trim: bool,
    /// Alpha from which a pixel is visible.
    pub visible_alpha: u8,
    /// For how many mip levels cells are kept apart.
    pub mip_levels: u32,
    /// Cells begin at multiples of this, and their rings reach to the next multiple, if that is not 2 to the power of
    /// [`Built::mip_levels`]: on pages in compressed blocks.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub align: Option<u32>,
    /// How a scaled atlas was resampled.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resample: Option<String>,
}

impl Built {
    /// Cells begin and end at multiples of this many pixels.
    #[must_use]
    pub fn alignment(&self) -> u32 {
        self.align.unwrap_or_else(|| 1u32.checked_shl(self.mip_levels).unwrap_or(1)).max(1)
    }
}

impl Default for Built {
    /// Visible boxes without spacing, at the size of the sources.
    fn default() -> Self {
        Self {
            gutter: 0,
            margin: 0,
            extrude: 0,
            trim: true,
            visible_alpha: 1,
            mip_levels: 0,
            align: None,
            resample: None,
        }
    }
}

macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$variant_doc:meta])* $variant:ident = $word:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
        #[non_exhaustive]
        pub enum $name {
            $($(#[$variant_doc])* #[serde(rename = $word)] $variant),+
        }

        impl $name {
            /// Its word in the descriptor.
            #[must_use]
            pub fn word(self) -> &'static str {
                match self {
                    $(Self::$variant => $word),+
                }
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                json::word(deserializer, &[$($word),+]).map(|place| [$(Self::$variant),+][place])
            }
        }
    };
}

words! {
    /// How a page's file stores its pixels.
    PixelKind {
        /// Red, green, blue, alpha, 8 bits each.
        Rgba8 = "rgba8",
        /// Blocks of 4 x 4 pixels in 8 bytes; alpha is on or off.
        Bc1 = "bc1",
        /// Blocks of 4 x 4 pixels in 16 bytes: colour as in BC1, alpha separate.
        Bc3 = "bc3",
        /// Blocks of 4 x 4 pixels in 16 bytes, each in the one of eight modes that suits it best.
        Bc7 = "bc7",
    }
}

words! {
    /// What the colour of a half transparent pixel means.
    Alpha {
        /// Colour as drawn by the artist.
        Straight = "straight",
        /// Colour multiplied by alpha.
        Premultiplied = "premultiplied",
    }
}

words! {
    /// What the colour numbers mean.
    Colour {
        /// sRGB.
        Srgb = "srgb",
        /// Numbers as they are, for data such as normals.
        Linear = "linear",
    }
}

words! {
    /// How the game should sample a page.
    Filter {
        /// The nearest pixel: sharp edges.
        Nearest = "nearest",
        /// A blend of the four nearest pixels: smooth.
        Linear = "linear",
    }
}

words! {
    /// What is sampled beyond a page's edges.
    Wrap {
        /// The edge's pixels continue.
        Clamp = "clamp",
        /// The page repeats.
        Repeat = "repeat",
        /// The page repeats, mirrored every second time.
        Mirror = "mirror",
    }
}

words! {
    /// What a clip does after its last step.
    Mode {
        /// Starts again at the first step.
        Loop = "loop",
        /// Stays on the last step.
        Once = "once",
        /// Plays back to the first step, and so on.
        Bounce = "bounce",
    }
}

/// One texture image.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Page {
    /// The file, beside the descriptor.
    pub file: String,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// How the file stores pixels.
    pub pixels: PixelKind,
    /// What colour under half transparency means.
    pub alpha: Alpha,
    /// What colour numbers mean.
    pub colour: Colour,
    /// How the game should sample it.
    #[serde(deserialize_with = "json::object")]
    pub sampling: SamplingHints,
    /// The width of the ring round its boxes if it differs from [`Built::extrude`]: 0 on a page that repeats.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extrude: Option<u32>,
    /// `blake3:` and the hash of the file's bytes in hexadecimal.
    pub hash: String,
    /// Further images with the same boxes, such as `normal`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty", deserialize_with = "json::objects_by_name")]
    pub layers: BTreeMap<String, Layer>,
}

/// How a game should sample a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct SamplingHints {
    /// How colours between pixels are computed.
    pub filter: Filter,
    /// What is sampled beyond the page's edges.
    pub wrap: Wrap,
    /// How many mip levels the file has, including the full size.
    pub mips: u32,
    /// The deepest mip level that shows no neighbour; -1 if even level 0 does, `None` if it was not measured.
    pub safe_mips: Option<i32>,
}

impl SamplingHints {
    /// One level, with this sampling.
    #[must_use]
    pub fn new(filter: Filter, wrap: Wrap) -> Self {
        Self { filter, wrap, mips: 1, safe_mips: None }
    }
}

impl Default for SamplingHints {
    /// One level, sampled by the nearest pixel and clamped.
    fn default() -> Self {
        Self::new(Filter::Nearest, Wrap::Clamp)
    }
}

impl Page {
    /// A page of one level in straight sRGB, sampled by the nearest pixel and clamped.
    #[must_use]
    pub fn new(file: impl Into<String>, size: Size, hash: String) -> Self {
        Self {
            file: file.into(),
            width: size.w,
            height: size.h,
            pixels: PixelKind::Rgba8,
            alpha: Alpha::Straight,
            colour: Colour::Srgb,
            sampling: SamplingHints::default(),
            extrude: None,
            hash,
            layers: BTreeMap::new(),
        }
    }

    /// Width and height.
    #[must_use]
    pub fn size(&self) -> Size {
        Size::new(self.width, self.height)
    }
}

/// A further image of a page, with the page's size and boxes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Layer {
    /// The file, beside the descriptor.
    pub file: String,
    /// How the file stores pixels.
    pub pixels: PixelKind,
    /// What colour under half transparency means.
    pub alpha: Alpha,
    /// What colour numbers mean.
    pub colour: Colour,
    /// `blake3:` and the hash of the file's bytes in hexadecimal.
    pub hash: String,
}

impl Layer {
    /// A layer of data: each byte is a number.
    #[must_use]
    pub fn new(file: impl Into<String>, hash: String) -> Self {
        Self { file: file.into(), pixels: PixelKind::Rgba8, alpha: Alpha::Straight, colour: Colour::Linear, hash }
    }
}

/// Where a sprite lies and how it is drawn.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Sprite {
    /// The page's index.
    pub page: usize,
    /// Its pixels on the page, as stored.
    #[serde(rename = "box")]
    pub rect: Rect,
    /// Whether it is stored turned by 90 degrees clockwise.
    pub turned: bool,
    /// Its full size.
    pub canvas: Size,
    /// Where the upright box begins on the canvas: x, y.
    pub inset: [u32; 2],
    /// The point by which it is placed and rotated, in canvas pixels.
    pub pivot: [f64; 2],
    /// The box in texture coordinates, as stored, V down.
    pub uv: UvRect,
    /// Named points in canvas pixels.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub points: BTreeMap<String, [f64; 2]>,
    /// Widths of the left, top, right and bottom bands that keep their size when the sprite is stretched.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stretch: Option<[u32; 4]>,
    /// Tags given in the project file.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tags: Vec<String>,
    /// The project's own data, passed through unread.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub user: Option<Box<Value>>,
    /// Reserved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outline: Option<Box<Value>>,
    /// Reserved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mesh: Option<Box<Value>>,
}

impl Sprite {
    /// A sprite whose box holds all of it, upright, with its pivot in the middle.
    #[must_use]
    pub fn new(page: usize, rect: Rect, page_size: Size) -> Self {
        Self {
            page,
            rect,
            turned: false,
            canvas: rect.size(),
            inset: [0, 0],
            pivot: [f64::from(rect.w) / 2.0, f64::from(rect.h) / 2.0],
            uv: UvRect::of(rect, page_size),
            points: BTreeMap::new(),
            stretch: None,
            tags: Vec::new(),
            user: None,
            outline: None,
            mesh: None,
        }
    }

    /// The upright size of its box.
    #[must_use]
    pub fn upright(&self) -> Size {
        self.rect.size().stored(self.turned)
    }
}

/// An animation.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Clip {
    /// What it does after the last step.
    pub mode: Mode,
    /// Frames per second, for steps without a duration of their own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fps: Option<Rate>,
    /// What is shown, in order.
    #[serde(deserialize_with = "json::objects")]
    pub steps: Vec<Step>,
}

impl Clip {
    /// A clip that loops. Steps without a duration need `fps`.
    #[must_use]
    pub fn new(steps: Vec<Step>) -> Self {
        Self { mode: Mode::Loop, fps: None, steps }
    }
}

/// Frames per second: a number, or a ratio as text such as `"60000/1001"`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Rate {
    /// A number.
    Number(f64),
    /// Two whole numbers separated by a slash.
    Ratio(String),
}

/// One step of a clip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[non_exhaustive]
pub struct Step {
    /// The sprite: a name of this atlas, or `atlas:name` of another.
    pub sprite: SpriteName,
    /// How long it is shown, in milliseconds; if absent, the clip's rate decides.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ms: Option<f64>,
    /// Events that the game receives when the step begins.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub events: Vec<String>,
}

impl Step {
    /// A step whose duration is given by its clip's rate.
    #[must_use]
    pub fn new(sprite: SpriteName) -> Self {
        Self { sprite, ms: None, events: Vec::new() }
    }
}

#[cfg(test)]
pub(crate) mod tests;
