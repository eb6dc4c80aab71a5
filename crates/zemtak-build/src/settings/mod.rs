//! How an atlas is built: the atlas keys, where they come from, and their defaults.
//!
//! A key can be given on the command line, by the atlas in the project file, or by its `[defaults]`; the first of these
//! that gives it wins ([`Keys::over`]), and the others have the defaults defined here ([`Keys::settle`]).

mod clip;
mod keywords;
mod layers;
mod page_format;
mod pattern;
pub mod rule;
mod rule_index;
mod texture;
mod trade_words;

pub use clip::{Events, Playing, WrittenClip};
pub use keywords::{Keyword, PageNames, Together};
pub use layers::{LayerKind, LayerRule, LayerRules};
pub use page_format::PageFormat;
pub use pattern::{Expression, Pattern};
pub use texture::TextureSettings;
pub use trade_words::our_word_for;

use rule::{Rule, Rules};
use serde::Serialize;
use std::collections::BTreeMap;
use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;
use zemtak_core::atlas::{Alpha, Filter, PixelKind};
use zemtak_core::codec::PngEffort;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, Effort, PagePolicy, Prefer, Shape, Spacing};
use zemtak_core::prepare::Treatment;
use zemtak_core::resample::{Factor, Resample, Scale};
use zemtak_core::texture::BLOCK_SIDE;

/// The largest gutter, margin or ring, in pixels.
pub const WIDEST_SPACE: u32 = 4096;

/// The most mip levels for which cells can be kept apart.
pub const MOST_MIP_LEVELS: u32 = 8;

/// How far edge colours spread under transparent pixels: a filter between four pixels looks one pixel far. Two take 3 %
/// more bytes in the demo's page, and four 5 %.
const FRINGE: u32 = 1;

macro_rules! keys {
    ($($(#[$doc:meta])* $field:ident: $type:ty,)+) => {
        /// The atlas keys that were given. Keys of the page are joined: `page_max`.
        #[derive(Debug, Clone, PartialEq, Default)]
        pub struct Keys {
            $($(#[$doc])* pub $field: Option<$type>,)+
            /// Where each key is in the project file, such as `zemtak.toml:7:1`.
            pub places: Places,
        }

        impl Keys {
            /// These keys, completed by the others.
            #[must_use]
            pub fn over(mut self, mut under: Self) -> Self {
                // A shape that is given later replaces a fixed size.
                if self.page_shape.is_some() {
                    under.page_size = None;
                }
                $(self.$field = self.$field.or(under.$field);)+
                under.places.extend(std::mem::take(&mut self.places));
                self.places = under.places;
                self
            }
        }
    };
}

/// Where keys are, by their names.
pub type Places = BTreeMap<&'static str, String>;

keys! {
    /// The folder that names are relative to.
    root: PathBuf,
    /// What is taken from it.
    take: Vec<Pattern>,
    /// What is left out of that.
    leave: Vec<Pattern>,
    /// How boxes are arranged.
    layout: Arrangement,
    /// How much work the search for a denser layout may do.
    effort: Effort,
    /// The largest page.
    page_max: Size,
    /// Which sides a page may have.
    page_shape: Shape,
    /// Sides are multiples of this.
    page_step: u32,
    /// The longer side is at most this many times the shorter.
    page_aspect: f64,
    /// Fewest pages or bytes.
    page_prefer: Prefer,
    /// Exactly this size.
    page_size: Size,
    /// Exactly this many pages.
    page_count: u16,
    /// Whether all pages have the same size.
    page_same_size: bool,
    /// Empty pixels between cells.
    gutter: u32,
    /// Empty pixels along a page's edge.
    margin: u32,
    /// The width of the ring.
    extrude: u32,
    /// Whether sprites may be stored turned.
    turn: bool,
    /// Whether only the visible box is stored.
    trim: bool,
    /// Alpha from which a pixel is visible.
    visible_alpha: u8,
    /// Whether equal sprites share a box.
    share_twins: bool,
    /// What must share a page.
    together: Together,
    /// What the colour of half transparent pixels means.
    alpha: Alpha,
    /// Whether edge colours spread under transparent pixels.
    fringe: bool,
    /// For how many mip levels cells are kept apart.
    mip_levels: u32,
    /// How the game should sample.
    filter: Filter,
    /// The format of page files.
    pages_as: PageFormat,
    /// PNG compression effort.
    png: PngEffort,
    /// How pages in KTX2 store pixels.
    pixels: PixelKind,
    /// What every sprite of such a page must keep at least, in decibels.
    least_psnr: f64,
    /// Whether the levels of such a page are compressed once more.
    zstd: bool,
    /// Whether such a page is marked as linear, so that its values are used as they are.
    unorm: bool,
    /// How page files are named.
    names: PageNames,
    /// Forms that are written beside the descriptor.
    also: Vec<Also>,
    /// Further builds at other sizes.
    sizes: Vec<OtherSize>,
    /// Rules for some of the sprites.
    rules: Vec<Rule>,
    /// Clips that are written out.
    clips: Vec<WrittenClip>,
}

/// The atlas keys, complete.
#[derive(Debug, Clone, Serialize)]
pub struct AtlasSettings {
    /// How boxes are arranged. Default: densely.
    pub layout: Arrangement,
    /// How much work the search for a denser layout may do. Default: quick.
    pub effort: Effort,
    /// What must share a page. Default: nothing.
    pub together: Together,
    /// Which pages are allowed.
    pub page: PagePolicy,
    /// Default: gutter 2, margin 0, extrude 1; with mip levels, at least what they need.
    pub spacing: Spacing,
    /// The same without room for mip levels.
    pub plain_spacing: Spacing,
    /// Default: trimmed, visible from alpha 1, with a fringe if the filter is linear.
    pub treatment: Treatment,
    /// For how many mip levels cells are kept apart. Default: 0.
    pub mip_levels: u32,
    /// Whether sprites may be stored turned. Default: no.
    pub turn: bool,
    /// Whether sprites with equal pixels share a box. Default: yes.
    pub share_twins: bool,
    /// How the game should sample. Default: the nearest pixel.
    pub filter: Filter,
    /// The format of page files. Default: PNG.
    pub pages_as: PageFormat,
    /// PNG compression effort. Default: balanced.
    pub png: PngEffort,
    /// How pages in KTX2 store pixels.
    pub texture: TextureSettings,
    /// How page files are named. Default: plainly.
    pub names: PageNames,
    /// Forms that are written beside the descriptor. Default: none.
    pub also: Vec<Also>,
    /// Further builds at other sizes. Default: none.
    pub sizes: Vec<OtherSize>,
    /// Rules for some of the sprites; later ones win.
    pub rules: Rules,
    /// Clips that are written out.
    pub clips: Vec<WrittenClip>,
}

impl Keys {
    /// The settings, with defaults for everything that was not given.
    #[must_use]
    pub fn settle(self) -> AtlasSettings {
        let page = PagePolicy::default();
        let filter = self.filter.unwrap_or(Filter::Nearest);
        let mip_levels = self.mip_levels.unwrap_or(0);
        let reach = if mip_levels > 0 { 1 << mip_levels.min(MOST_MIP_LEVELS) } else { 0 };
        let texture = TextureSettings {
            pixels: self.pixels,
            least_psnr: self.least_psnr,
            zstd: self.zstd.unwrap_or(false),
            unorm: self.unorm.unwrap_or(false),
        };
        let pages_as = self.pages_as.unwrap_or(if texture.asks() { PageFormat::Ktx2 } else { PageFormat::default() });
        // A block contains pixels of one cell only.
        let align = if pages_as == PageFormat::Ktx2 && texture.may_compress() { BLOCK_SIDE } else { 1 };
        let plain_spacing = Spacing {
            gutter: self.gutter.unwrap_or(2),
            margin: self.margin.unwrap_or(0),
            extrude: self.extrude.unwrap_or(1),
            align,
        };
        AtlasSettings {
            layout: self.layout.unwrap_or_default(),
            effort: self.effort.unwrap_or_default(),
            together: self.together.unwrap_or_default(),
            page: PagePolicy {
                max: self.page_max.unwrap_or(page.max),
                shape: self.page_shape.unwrap_or(page.shape),
                step: self.page_step.unwrap_or(page.step),
                aspect: self.page_aspect.unwrap_or(page.aspect),
                prefer: self.page_prefer.unwrap_or(page.prefer),
                fixed: self.page_size,
                count: self.page_count.map(usize::from),
                same_size: self.page_same_size.unwrap_or(false),
            },
            spacing: Spacing { extrude: plain_spacing.extrude.max(reach), align: reach.max(align), ..plain_spacing },
            plain_spacing,
            treatment: Treatment {
                scale: None,
                trim: self.trim.unwrap_or(true),
                visible_alpha: self.visible_alpha.unwrap_or(1),
                // Only a filter between pixels reads what lies under transparent ones.
                fringe: if self.fringe.unwrap_or(filter == Filter::Linear) { FRINGE.max(reach) } else { 0 },
                premultiply: self.alpha == Some(Alpha::Premultiplied),
            },
            mip_levels,
            turn: self.turn.unwrap_or(false),
            share_twins: self.share_twins.unwrap_or(true),
            filter,
            pages_as,
            png: self.png.unwrap_or_default(),
            texture,
            names: self.names.unwrap_or_default(),
            also: self.also.unwrap_or_default(),
            sizes: self.sizes.unwrap_or_default(),
            rules: Rules::new(self.rules.unwrap_or_default()),
            clips: self.clips.unwrap_or_default(),
        }
    }
}

impl AtlasSettings {
    /// The settings of the same atlas at another size.
    #[must_use]
    pub fn at(&self, size: &OtherSize) -> Self {
        let mut settings = self.clone();
        settings.treatment.scale = Some(size.scale);
        settings.sizes.clear();
        settings
    }

    /// A key that requires a kind of pages which other keys exclude; `None` if they agree.
    #[must_use]
    pub(crate) fn contradiction(&self) -> Option<&'static str> {
        let TextureSettings { pixels, least_psnr, zstd, unorm } = self.texture;
        let compressed = pixels.is_some_and(PixelKind::is_compressed);
        let said = [("pixels", compressed), ("least_psnr", least_psnr.is_some()), ("zstd", zstd), ("unorm", unorm)];
        let key = said.into_iter().find(|(_, said)| *said).map(|(key, _)| key);
        key.filter(|_| self.pages_as != PageFormat::Ktx2)
    }

    /// What colour means in the pages.
    #[must_use]
    pub fn alpha(&self) -> Alpha {
        if self.treatment.premultiply { Alpha::Premultiplied } else { Alpha::Straight }
    }
}

/// The same atlas again at another size.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OtherSize {
    /// A suffix for the atlas's name.
    pub suffix: String,
    /// The factor, and the kind of art.
    pub scale: Scale,
}

impl FromStr for OtherSize {
    type Err = String;

    /// Reads `-half=0.5` or `-double=2:pixel`.
    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || "a suffix, '=' and a factor, such as -half=0.5 or -double=2:pixel".to_owned();
        let (suffix, rest) = text.split_once('=').ok_or_else(wrong)?;
        let (factor, kind) = rest.split_once(':').unwrap_or((rest, Resample::default().word()));
        Self::new(suffix, factor, Resample::of(kind).ok_or_else(wrong)?)
    }
}

/// Whether a text can be part of a file's name on every system: a-z, 0-9, _ and -, at least one of them.
fn is_plain(text: &str) -> bool {
    let letter = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'_' || b == b'-';
    !text.is_empty() && text.bytes().all(letter)
}

impl OtherSize {
    /// Checks suffix and factor.
    ///
    /// # Errors
    /// What is wrong with them.
    pub fn new(suffix: &str, factor: &str, resample: Resample) -> Result<Self, String> {
        if !is_plain(suffix) {
            return Err(format!("'{suffix}' is not a suffix: those consist of a-z, 0-9, _ and -"));
        }
        let factor: Factor = factor.parse().map_err(|why: &str| format!("a factor is {why}"))?;
        Ok(Self { suffix: suffix.to_owned(), scale: Scale { factor, resample } })
    }
}

/// A file in another form, written beside the descriptor.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub enum Also {
    /// One line per sprite.
    Csv,
    /// Constants and a table in Rust.
    Rust,
    /// The same as a C header.
    C,
    /// The source file that holds the header's tables.
    CSource,
    /// A template of your own.
    Template(PathBuf),
}

impl FromStr for Also {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text.split_once(':') {
            None if text == "csv" => Ok(Self::Csv),
            None if text == "rust" => Ok(Self::Rust),
            None if text == "c" => Ok(Self::C),
            None if text == "c-source" => Ok(Self::CSource),
            Some(("template", path)) if !path.is_empty() => Ok(Self::Template(path.into())),
            _ => Err("one of csv, rust, c, c-source, template:FILE".into()),
        }
    }
}

impl fmt::Display for Also {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Csv => f.write_str("csv"),
            Self::Rust => f.write_str("rust"),
            Self::C => f.write_str("c"),
            Self::CSource => f.write_str("c-source"),
            Self::Template(path) => write!(f, "template:{}", path.display()),
        }
    }
}
