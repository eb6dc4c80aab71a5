//! What is reported about a built atlas.

use crate::explain::Explained;
use crate::former::Drawn;
use crate::plan::{Plan, Shared};
use crate::texture::DrawnTexture;
use crate::warning::Warning;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use zemtak_core::atlas::{Atlas, Page, PixelKind};
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_core::texture::{Loss, WorstBlock};

/// The state of an atlas after a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// Some of its files were written.
    #[default]
    Built,
    /// All of its files were up to date.
    Unchanged,
    /// Some of its files would be written by a build.
    OutOfDate,
}

/// The summary of one built atlas.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Summary {
    /// The atlas's name.
    pub name: String,
    /// The atlas that it is another size of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base: Option<String>,
    /// Its state.
    pub state: State,
    /// The descriptor's path.
    pub descriptor: String,
    /// Size in relation to the sources.
    pub scale: f64,
    /// How many sprites.
    pub sprites: usize,
    /// How many sprites share the box of another.
    pub twins: usize,
    /// How many sprites have no visible pixel.
    pub empty: usize,
    /// How many clips.
    pub clips: usize,
    /// Its pages.
    pub pages: Vec<PageSummary>,
    /// The fraction of the pages that boxes fill, 0 to 1.
    pub filled: f64,
    /// Bytes of the pages as textures.
    pub texture_bytes: u64,
    /// Bytes of the sprites as textures of their own.
    pub loose_bytes: u64,
    /// Texture binds to draw every sprite once.
    pub binds: Binds,
    /// How it differs from the previous build, if that was requested.
    #[serde(default, skip)]
    pub changes: Vec<String>,
    /// Files that were written beside the descriptor.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
    /// Files whose colour profile, gamma or the like was ignored, by what it is.
    pub ignored: BTreeMap<String, Vec<String>>,
    /// Steps whose names have the same frame number, by clip.
    pub same_frame_number: BTreeMap<String, Vec<String>>,
    /// What is odd about rules and sprites.
    pub warnings: Vec<Warning>,
    /// Files that are not images.
    pub skipped_files: usize,
    /// How many pictures of an earlier build were skipped, by folder.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub own_pictures: BTreeMap<String, usize>,
    /// Whether the search for a layout was cut short by Ctrl-C.
    pub cut_short: bool,
    /// By which factor mip levels increase the pixels.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mip_cost: Option<f64>,
    /// Roughly the pixels of pages with sides of any length, if packing took more memory than loose textures and that
    /// could save some.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub free_pixels: Option<u64>,
    /// For equal cells: roughly the pixels of a dense layout, likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dense_pixels: Option<u64>,
    /// The effect of keeping boxes in place.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<Kept>,
    /// Why the layout is not smaller, if that was requested.
    #[serde(skip)]
    pub why: Option<Explained>,
    /// How long it took.
    pub seconds: f64,
}

/// A page of a built atlas.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct PageSummary {
    /// Its file.
    pub file: String,
    /// Its width in pixels.
    pub width: u32,
    /// Its height in pixels.
    pub height: u32,
    /// The pixels that boxes fill.
    pub filled_pixels: u64,
    /// The bytes of its file.
    pub file_bytes: u64,
    /// What kind of texture it is, if its file says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub texture: Option<TextureSummary>,
    /// Its layers by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub layers: Vec<LayerSummary>,
}

/// A layer of a page of a built atlas.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct LayerSummary {
    /// Its name.
    pub layer: String,
    /// Its file.
    pub file: String,
    /// The bytes of its file.
    pub file_bytes: u64,
    /// What kind of texture it is, if its file says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub texture: Option<TextureSummary>,
}

/// A file of a page or of one of its layers, for the summary.
pub(crate) struct SummedFile<'a> {
    /// The page.
    pub page: usize,
    /// Which layer of it.
    pub layer: Option<&'a str>,
    /// The file, and what is recorded about it.
    pub drawn: &'a Drawn,
    /// Its bytes.
    pub bytes: u64,
}

/// A page in KTX2, and what its blocks lose: peak signal-to-noise ratios over visible pixels, in decibels; `None` if
/// nothing is lost.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct TextureSummary {
    /// How its pixels are stored.
    pub pixels: PixelKind,
    /// How many mip levels it has, including the full size.
    pub mips: u32,
    /// All sprites together.
    pub psnr: Option<f64>,
    /// The sprites that lose anything, starting with the one that loses most.
    pub sprites: Vec<SpriteLoss>,
    /// The block that loses most.
    pub worst_block: Option<BlockLoss>,
}

/// What a sprite loses.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct SpriteLoss {
    /// The sprite; the first of those that share a box.
    pub sprite: String,
    /// In decibels.
    pub psnr: f64,
}

/// What a block of 4 x 4 pixels loses.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct BlockLoss {
    /// Its first column on the page.
    pub x: u32,
    /// Its first row.
    pub y: u32,
    /// In decibels.
    pub psnr: f64,
}

impl TextureSummary {
    /// By the names of the sprites in a page's boxes.
    pub(crate) fn of(drawn: &DrawnTexture, names: &[String]) -> Self {
        let all = drawn.losses.iter().fold(Loss::default(), |sum, loss| sum.and(*loss));
        let sprite =
            |(name, loss): (&String, &Loss)| Some(SpriteLoss { sprite: name.clone(), psnr: rounded(loss.psnr()?) });
        let mut sprites: Vec<SpriteLoss> = names.iter().zip(&drawn.losses).filter_map(sprite).collect();
        sprites.sort_by(|a, b| a.psnr.total_cmp(&b.psnr).then_with(|| a.sprite.cmp(&b.sprite)));
        let block = |WorstBlock { rect, loss }| Some(BlockLoss { x: rect.x, y: rect.y, psnr: rounded(loss.psnr()?) });
        Self {
            pixels: drawn.kind,
            mips: drawn.mips,
            psnr: all.psnr().map(rounded),
            sprites,
            worst_block: drawn.worst.and_then(block),
        }
    }
}

/// The bytes of a page's levels, and of those of its layers.
fn texture_bytes(page: &Page) -> u64 {
    let kinds = page.layers.values().map(|layer| layer.pixels).chain([page.pixels]);
    kinds.map(|kind| kind.texture_bytes(page.size(), page.sampling.mips)).sum()
}

/// Rounded down to hundredths of a decibel: what is reported is kept.
fn rounded(psnr: f64) -> f64 {
    (psnr * 100.0).floor() / 100.0
}

/// Texture binds to draw every sprite once: loose, one per texture; packed, one per page.
#[derive(Debug, Clone, Copy, Default, Serialize, Deserialize)]
pub struct Binds {
    /// Loose: one for each sprite.
    pub before: usize,
    /// Packed: one for each page.
    pub after: usize,
}

/// The effect of keeping boxes in place.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct Kept {
    /// Sprites that existed before and lie elsewhere now.
    pub moved: usize,
    /// The pixels of all pages.
    pub pixels: u64,
    /// The pixels of all pages of a layout in which nothing has to stay in place.
    pub full_layout_pixels: u64,
}

impl Summary {
    /// The part that the plan alone determines.
    #[must_use]
    pub(crate) fn of(plan: &Plan<'_>, name: &str) -> Self {
        let Shared { twins, empty } = plan.shared();
        let names = |(clip, sprites): &(ClipName, Vec<SpriteName>)| {
            (clip.to_string(), sprites.iter().map(ToString::to_string).collect())
        };
        Self {
            name: name.to_owned(),
            base: plan.task.base.map(str::to_owned),
            twins,
            empty,
            same_frame_number: plan.clips().same_number.iter().map(names).collect(),
            cut_short: plan.cut_short,
            ..Self::default()
        }
    }

    /// Adds the part that the finished atlas determines.
    pub(crate) fn finish(&mut self, plan: &Plan<'_>, atlas: &Atlas, files: &[SummedFile<'_>]) {
        // Each page comes before its layers.
        for SummedFile { page, layer, drawn, bytes } in files {
            let (file, file_bytes) = (drawn.file.clone(), *bytes);
            let texture = drawn.texture.as_ref().map(|texture| TextureSummary::of(texture, &plan.names_on(*page)));
            match (layer, self.pages.get_mut(*page)) {
                (Some(layer), Some(page)) => {
                    page.layers.push(LayerSummary { layer: (*layer).to_owned(), file, file_bytes, texture });
                }
                _ => self.pages.push(PageSummary {
                    file,
                    width: drawn.size.w,
                    height: drawn.size.h,
                    filled_pixels: plan.filled(*page),
                    file_bytes,
                    texture,
                    layers: Vec::new(),
                }),
            }
        }
        let area: u64 = atlas.pages.iter().map(|p| p.size().area()).sum();
        let filled: u64 = self.pages.iter().map(|p| p.filled_pixels).sum();
        #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
        let ratio = if area == 0 { 0.0 } else { filled as f64 / area as f64 };
        self.filled = ratio;
        self.scale = atlas.scale;
        self.sprites = atlas.sprites.len();
        self.clips = atlas.clips.len();
        self.binds = Binds { before: atlas.sprites.len(), after: self.pages.len() };
        self.texture_bytes = atlas.pages.iter().map(texture_bytes).sum();
    }

    /// Pages and layers in KTX2, each with its file.
    pub fn textures(&self) -> impl Iterator<Item = (&str, &TextureSummary)> {
        self.pages.iter().flat_map(|page| {
            let layers = page.layers.iter().map(|layer| (layer.file.as_str(), layer.texture.as_ref()));
            let all = std::iter::once((page.file.as_str(), page.texture.as_ref())).chain(layers);
            all.filter_map(|(file, texture)| Some((file, texture?)))
        })
    }

    /// As JSON, without its warnings: those of a build are told together ([`Packed::all_warnings`]).
    ///
    /// [`Packed::all_warnings`]: crate::Packed::all_warnings
    #[must_use]
    pub fn to_json(&self) -> serde_json::Value {
        let mut json = serde_json::to_value(self).unwrap_or_default();
        json.as_object_mut().into_iter().for_each(|json| _ = json.remove("warnings"));
        json
    }

    /// Everything its author should know beside the summary.
    #[must_use]
    pub fn all_warnings(&self) -> Vec<Warning> {
        let same = self
            .same_frame_number
            .iter()
            .map(|(clip, sprites)| Warning::SameFrameNumber { clip: clip.clone(), sprites: sprites.clone() });
        same.chain(self.warnings.iter().cloned()).collect()
    }
}
