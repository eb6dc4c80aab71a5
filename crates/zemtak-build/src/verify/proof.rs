//! What a verification found.

use crate::companions::Stray;
use crate::failure::Problem;
use crate::format;
use std::collections::BTreeSet;
use std::fmt;
use zemtak_core::atlas::{Atlas, Filter};
use zemtak_core::mips::LevelMeasure;
use zemtak_core::name::SpriteName;
use zemtak_core::verify::Defect;

/// What was checked, and what does not hold.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct Proof {
    /// How many sprites the atlas has.
    pub sprites: usize,
    /// How many pages it has.
    pub pages: usize,
    /// How many of them store their pixels in blocks, where sprites only resemble their sources.
    pub pages_in_blocks: usize,
    /// The layers that were compared with their images.
    pub layers_compared: BTreeSet<String>,
    /// The layers that were compared with the descriptor only.
    pub other_layers: BTreeSet<String>,
    /// How many images of the folder for sources are not in this atlas.
    pub images_not_in_atlas: usize,
    /// Everything that does not hold.
    pub defects: Vec<AtlasDefect>,
    /// Files that could not be read, so that nothing is known of them.
    pub problems: Vec<Problem>,
}

impl Proof {
    pub(super) fn begin(atlas: &Atlas) -> Self {
        Self {
            sprites: atlas.sprites.len(),
            pages: atlas.pages.len(),
            pages_in_blocks: atlas.pages.iter().filter(|page| page.pixels.is_compressed()).count(),
            other_layers: atlas.pages.iter().flat_map(|page| page.layers.keys().cloned()).collect(),
            ..Self::default()
        }
    }

    /// Whether everything was checked and holds.
    #[must_use]
    pub fn holds(&self) -> bool {
        self.defects.is_empty() && self.problems.is_empty()
    }

    /// These layers are compared with their images.
    pub(super) fn compare(&mut self, names: &BTreeSet<&str>) {
        let all = std::mem::take(&mut self.other_layers);
        (self.layers_compared, self.other_layers) = all.into_iter().partition(|name| names.contains(name.as_str()));
    }
}

/// A promise that an atlas does not keep.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum AtlasDefect {
    /// The descriptor has a key that nobody knows.
    UnknownKey(String),
    /// The file of a page or layer is missing.
    MissingPage {
        /// The file.
        file: String,
    },
    /// The file of a page or layer is not what the descriptor says.
    WrongPage {
        /// The file.
        file: String,
        /// The reader's error with its causes.
        why: String,
    },
    /// A number or a pixel differs.
    Own(Defect),
    /// A value of a layer differs.
    Layer {
        /// The layer.
        layer: String,
        /// How it differs.
        defect: Defect,
    },
    /// The image of a layer exists, but the page of the sprite has no such layer.
    NoLayer {
        /// The sprite.
        sprite: SpriteName,
        /// The layer.
        layer: String,
    },
    /// A sprite shows pixels of others at a mip level that should be clean.
    Bleeds {
        /// The sprite.
        sprite: SpriteName,
        /// Its page.
        page: usize,
        /// The filter of the page.
        filter: Filter,
        /// The first such level.
        level: LevelMeasure,
    },
    /// There is no image of that name.
    NoSource {
        /// The sprite.
        sprite: SpriteName,
    },
    /// No sprite has an image: the folder is probably the wrong one.
    NoSources {
        /// The folder.
        root: String,
        /// How many sprites there are.
        sprites: usize,
    },
    /// The animated image of which it was a frame has fewer frames now.
    NoFrame {
        /// The sprite.
        sprite: SpriteName,
        /// The image, below the root.
        source: String,
    },
    /// A file beside the descriptor belongs to another build, or was changed.
    Stray(Stray),
}

impl AtlasDefect {
    /// Its kind, for programs; documented, and the same in later versions.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::UnknownKey(_) => "unknown_key",
            Self::MissingPage { .. } => "missing_page",
            Self::WrongPage { .. } => "wrong_page",
            Self::Own(defect) | Self::Layer { defect, .. } => defect.code(),
            Self::NoLayer { .. } => "no_layer",
            Self::Bleeds { .. } => "bleeds",
            Self::NoSource { .. } | Self::NoSources { .. } => "no_source",
            Self::NoFrame { .. } => "no_frame",
            Self::Stray(stray) => stray.code(),
        }
    }

    /// The sprite, file or key that it is about, if any.
    #[must_use]
    pub fn about(&self) -> Option<&str> {
        match self {
            Self::UnknownKey(about)
            | Self::MissingPage { file: about }
            | Self::WrongPage { file: about, .. }
            | Self::NoSources { root: about, .. } => Some(about),
            Self::Own(defect) | Self::Layer { defect, .. } => defect.sprite().map(SpriteName::as_str),
            Self::NoLayer { sprite, .. }
            | Self::Bleeds { sprite, .. }
            | Self::NoSource { sprite }
            | Self::NoFrame { sprite, .. } => Some(sprite.as_str()),
            Self::Stray(stray) => Some(stray.file()),
        }
    }
}

impl fmt::Display for AtlasDefect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::UnknownKey(key) => write!(f, "unknown key {key}"),
            Self::MissingPage { file } => write!(f, "{file} is missing"),
            Self::WrongPage { why, .. } => f.write_str(why),
            Self::Own(defect) => defect.fmt(f),
            Self::Layer { layer, defect } => write!(f, "layer {layer}: {defect}"),
            Self::NoLayer { sprite, layer } => write!(f, "{sprite}: its page has no layer {layer}"),
            Self::Bleeds { sprite, page, filter, level: LevelMeasure { level, error, at: [x, y], .. } } => write!(
                f,
                "{sprite}: at mip level {level} it takes in others with the filter {}, by {error:.0} of 255 at \
                 ({x:.0}, {y:.0}) of page {page}",
                filter.word()
            ),
            Self::NoSource { sprite } => write!(f, "{sprite}: there is no source of that name"),
            Self::NoSources { root, sprites } => write!(
                f,
                "none of the {} sprites has a source in {root}: is that the folder that their names are relative to?",
                format::number(*sprites as u64)
            ),
            Self::NoFrame { sprite, source } => write!(f, "{sprite}: {source} has fewer frames"),
            Self::Stray(stray) => stray.fmt(f),
        }
    }
}
