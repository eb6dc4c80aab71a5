//! One version of an atlas or of a loose image, as it was read: what of it sprites need, and no more.

use std::collections::BTreeMap;
use std::sync::Arc;
use zemtak_core::atlas::{Atlas, Clip, Page, SamplingHints, Sprite};
use zemtak_core::coords::{Area, Picture, UvRect};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::mips::most_levels;
use zemtak_core::name::{ClipName, SpriteName};

use crate::files::Stamp;
use crate::sink::Sampler;

/// What a descriptor says of a sprite beyond where it is.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Details {
    /// Named points in canvas pixels.
    pub points: BTreeMap<String, [f64; 2]>,
    /// Widths of the left, top, right and bottom bands that keep their size when the sprite is stretched.
    pub stretch: Option<[u32; 4]>,
    /// Words of the project's own.
    pub tags: Vec<String>,
    /// Data of the project's own, as JSON text.
    pub user: Option<String>,
}

/// Where a sprite is.
#[derive(Debug)]
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
    /// The root that it came from: its pages are read from there, too.
    pub root: usize,
    /// Its sprites in the order of their names. A loose image has one, without a name.
    pub sprites: Vec<(SpriteName, Placed)>,
    pub clips: BTreeMap<ClipName, Clip>,
    pub pages: Vec<PageFile>,
}

/// A page's file.
#[derive(Debug, Clone)]
pub(super) struct PageFile {
    /// Below its root.
    pub path: Arc<str>,
    pub page: Arc<Page>,
    /// How many mip levels its texture gets, the full size among them.
    pub mips: u32,
}

/// As many levels as are asked for and show no neighbour, the full size among them: those that the file has at least.
fn mips(page: &Page, asked: u32) -> u32 {
    let safe = page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok()).unwrap_or(0);
    (1 + safe.min(asked)).min(most_levels(page.size())).max(page.sampling.mips)
}

/// The files that a snapshot was made of, as they were just before they were read.
pub(super) type Seen = Vec<(usize, String, Option<Stamp>)>;

impl Snapshot {
    /// That of a checked descriptor. `folder` is where it is below its root: empty, or with `/` at its end.
    pub fn of(atlas: Atlas, root: usize, folder: &str) -> Self {
        let pages: Vec<PageFile> = atlas
            .pages
            .into_iter()
            .map(|page| {
                let mips = mips(&page, atlas.built.mip_levels);
                PageFile { path: format!("{folder}{}", page.file).into(), page: Arc::new(page), mips }
            })
            .collect();
        // Only sprites whose box lies on their page pass the check, so none is left out here.
        let placed = |(name, sprite): (SpriteName, Sprite)| {
            let page = &pages.get(sprite.page)?.page;
            Some((name, place(sprite, page)?))
        };
        let mut sprites = Vec::with_capacity(atlas.sprites.len());
        sprites.extend(atlas.sprites.into_iter().filter_map(placed));
        Self { root, sprites, clips: atlas.clips, pages }
    }

    /// That of a loose image: one sprite that fills its page.
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
        let pages = vec![PageFile { path: path.into(), page: Arc::new(page), mips: 1 }];
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
