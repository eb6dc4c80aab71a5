//! One version of an atlas or of a loose image, as it was read: what sprites need of it, and no more.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use zemtak_core::atlas::{Atlas, Clip, Page, PixelKind, SamplingHints, Sprite};
use zemtak_core::coords::{Area, Picture, UvRect};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::mips::most_levels;
use zemtak_core::name::{ClipName, SpriteName};

use crate::files::Stamp;
use crate::open::Stored;
use crate::sink::{Sampler, texture_bytes};

/// What a descriptor says about a sprite beyond its place.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Details {
    /// Named points in canvas pixels.
    pub points: BTreeMap<String, [f64; 2]>,
    /// Widths of the left, top, right and bottom bands that keep their size when the sprite is stretched.
    pub stretch: Option<[u32; 4]>,
    /// Tags given in the project file.
    pub tags: Vec<String>,
    /// The project's own data, as JSON text.
    pub user: Option<String>,
}

/// Where a sprite is.
#[derive(Debug, PartialEq)]
pub(super) struct Placed {
    pub picture: Picture,
    pub pivot: [f64; 2],
    pub uv: UvRect,
    pub page: u32,
    pub details: Option<Arc<Details>>,
}

/// A version of an atlas or of a loose image, without its pixels.
#[derive(Debug)]
pub(super) struct Snapshot {
    /// The root that it came from; its pages are read from there, too.
    pub root: usize,
    /// Its sprites in the order of their names. A loose image has one, without a name.
    pub sprites: Vec<(SpriteName, Placed)>,
    pub clips: BTreeMap<ClipName, Clip>,
    pub pages: Vec<PageFile>,
}

/// A page and the files of its textures.
#[derive(Debug, Clone)]
pub(super) struct PageFile {
    /// The page's own file below its root.
    pub path: Arc<str>,
    pub page: Arc<Page>,
    /// Its own file first, then those of its layers.
    pub parts: Arc<[PartFile]>,
    /// The state of the files just before the descriptor was read, in the order of the parts.
    pub stamps: Vec<Option<Stamp>>,
    /// Whether their content is the same as when they were read before, even if they have been touched.
    pub same_content: bool,
    /// How many pages of the atlas have textures like this one's, including itself.
    pub alike: usize,
}

/// A file that becomes a texture.
#[derive(Debug)]
pub(super) struct PartFile {
    /// Its path below its root.
    pub path: Arc<str>,
    /// Which layer it is; `None` for the page itself.
    pub layer: Option<Arc<str>>,
    /// How the texture stores pixels: like the file, if the sink takes that.
    pub kind: PixelKind,
    /// How many mip levels the texture gets, including the full size.
    pub mips: u32,
    pub sampler: Sampler,
}

/// A page's size, and for each of its textures the layer, the kind, the levels and the sampling.
type Looks = (Size, Vec<(Option<Arc<str>>, PixelKind, u32, Sampler)>);

impl PageFile {
    /// A page with its layers, for a sink that takes these kinds of blocks. `folder` is the page's folder below its
    /// root.
    fn of(page: Page, folder: &str, asked: u32, takes: &[PixelKind]) -> Self {
        let sampler = Sampler::of(&page);
        let part = |file: &str, layer: Option<&String>, stored: PixelKind, sampler: Sampler| PartFile {
            path: format!("{folder}{file}").into(),
            layer: layer.map(|name| name.as_str().into()),
            kind: if takes.contains(&stored) { stored } else { PixelKind::Rgba8 },
            mips: mips(&page, stored, asked),
            sampler,
        };
        let own = part(&page.file, None, page.pixels, sampler);
        let layers = page.layers.iter().map(|(name, layer)| {
            let sampler = Sampler { alpha: layer.alpha, colour: layer.colour, ..sampler };
            part(&layer.file, Some(name), layer.pixels, sampler)
        });
        let path = own.path.clone();
        let parts = std::iter::once(own).chain(layers).collect();
        Self { path, parts, page: Arc::new(page), stamps: Vec::new(), same_content: false, alike: 1 }
    }

    /// Whether a descriptor describes both alike.
    pub fn is_described_as(&self, other: &Self) -> bool {
        self.path == other.path && self.page == other.page
    }

    /// What pages with similar textures have in common.
    fn looks(&self) -> Looks {
        let texture = |part: &PartFile| (part.layer.clone(), part.kind, part.mips, part.sampler);
        (self.page.size(), self.parts.iter().map(texture).collect())
    }

    /// The bytes of its textures.
    pub fn texture_bytes(&self) -> u64 {
        self.parts.iter().map(|part| texture_bytes(part.kind, self.page.size(), part.mips)).sum()
    }

    /// What its descriptor says about the file of a part.
    pub fn stored(&self, part: &PartFile) -> Stored<'_> {
        let layer = part.layer.as_ref().and_then(|name| self.page.layers.get(&**name));
        layer.map_or_else(|| Stored::page(&self.page), |layer| Stored::layer(&self.page, layer))
    }
}

/// As many levels as are asked for and show no neighbour, including the full size: at least those in the file, and for
/// compressed blocks no others.
fn mips(page: &Page, stored: PixelKind, asked: u32) -> u32 {
    if stored.is_compressed() {
        return page.sampling.mips;
    }
    let safe = page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok()).unwrap_or(0);
    (1 + safe.min(asked)).min(most_levels(page.size())).max(page.sampling.mips)
}

/// The files that a snapshot was made from, in the state just before they were read.
pub(super) type Seen = Vec<(usize, String, Option<Stamp>)>;

impl Snapshot {
    /// Whether a descriptor describes all sprites, clips and pages alike.
    pub fn is_described_as(&self, other: &Self) -> bool {
        let pages = self.pages.len() == other.pages.len()
            && self.pages.iter().zip(&other.pages).all(|(a, b)| a.is_described_as(b));
        pages && self.root == other.root && self.sprites == other.sprites && self.clips == other.clips
    }

    /// The snapshot of a checked descriptor, for a sink that takes these kinds of blocks. `folder` is the descriptor's
    /// folder below its root: empty, or ending in `/`.
    pub fn of(atlas: Atlas, root: usize, folder: &str, takes: &[PixelKind]) -> Self {
        let asked = atlas.built.mip_levels;
        let page = |page: Page| PageFile::of(page, folder, asked, takes);
        let mut pages: Vec<PageFile> = atlas.pages.into_iter().map(page).collect();
        let mut alike: HashMap<_, usize> = HashMap::new();
        pages.iter().for_each(|page| *alike.entry(page.looks()).or_default() += 1);
        pages.iter_mut().for_each(|page| page.alike = alike[&page.looks()]);
        // The check ensures that every box lies on its page, so none is left out here.
        let placed = |(name, sprite): (SpriteName, Sprite)| {
            let page = &pages.get(sprite.page)?.page;
            Some((name, place(sprite, page)?))
        };
        let mut sprites = Vec::with_capacity(atlas.sprites.len());
        sprites.extend(atlas.sprites.into_iter().filter_map(placed));
        Self { root, sprites, clips: atlas.clips, pages }
    }

    /// The snapshot of a loose image: one sprite that fills its page.
    pub fn of_image(path: &str, root: usize, size: Size, hash: String, sampler: Sampler) -> Option<Self> {
        let Sampler { filter, wrap, alpha, colour } = sampler;
        let mut page = Page::new(path, size, hash);
        page.sampling = SamplingHints::new(filter, wrap);
        (page.alpha, page.colour) = (alpha, colour);
        let area = Area::new(size, Rect::at(0, 0, size), false).ok()?;
        let placed = Placed {
            picture: Picture::whole(area),
            pivot: [f64::from(size.w) / 2.0, f64::from(size.h) / 2.0],
            uv: UvRect([0.0, 0.0, 1.0, 1.0]),
            page: 0,
            details: None,
        };
        let sprites = vec![(SpriteName::new(""), placed)];
        let pages = vec![PageFile::of(page, "", 0, &[])];
        Some(Self { root, sprites, clips: BTreeMap::new(), pages })
    }

    /// A sprite's index by its name.
    pub fn find(&self, name: &str) -> Option<u32> {
        let name = SpriteName::new(name);
        let at = self.sprites.binary_search_by(|(own, _)| own.cmp(&name)).ok()?;
        u32::try_from(at).ok()
    }

    pub fn placed(&self, at: u32) -> &Placed {
        &self.sprites[at as usize].1
    }

    pub fn name(&self, at: u32) -> &str {
        self.sprites[at as usize].0.as_str()
    }
}

fn place(sprite: Sprite, page: &Page) -> Option<Placed> {
    let picture = sprite.picture(page).ok()?;
    let Sprite { pivot, uv, page, points, stretch, tags, user, .. } = sprite;
    let plain = points.is_empty() && stretch.is_none() && tags.is_empty() && user.is_none();
    let details = Details { points, stretch, tags, user: user.map(|user| user.to_string()) };
    let page = u32::try_from(page).ok()?;
    Some(Placed { picture, pivot, uv, page, details: (!plain).then(|| Arc::new(details)) })
}
