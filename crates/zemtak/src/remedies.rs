//! What would keep sprites apart down to a level, each remedy tried before it is proposed.

use crate::opened::Opened;
use rayon::prelude::*;
use std::collections::BTreeSet;
use zemtak_build::mip_check::levels_of;
use zemtak_core::atlas::{Filter, Wrap};
use zemtak_core::compose::{Ring, Stamp, compose};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{Item, LayoutRequest, PagePolicy, Shape, Spacing, lay_out};
use zemtak_core::mips::{LevelMeasure, Light, Look, measure, own_cell, safe_level, smaller_levels};
use zemtak_core::pixels::Pixels;

/// A remedy that keeps every sample of the linear filter clean down to the wanted level.
#[derive(Debug, Clone, PartialEq)]
pub struct Remedy {
    /// The option to use.
    pub option: String,
    /// The factor by which the pages' pixels grow, at any page shape; `None` if they stay as they are.
    pub pixels: Option<f64>,
}

/// The most half pixels by which edges are moved inwards.
const MOST_SHRINK: u32 = 64;

/// The smallest remedy of each kind, as far as there is one.
pub fn remedies(atlas: &Opened, deepest: u32) -> Vec<Remedy> {
    let boxes = Boxes::of(atlas);
    let built = &atlas.atlas.built;
    let now = Spacing { gutter: built.gutter, margin: built.margin, extrude: built.extrude, align: 1 };
    let block = 1 << deepest;
    let aligned = Spacing { extrude: built.extrude.max(block), align: block, ..now };
    let wider = Spacing { extrude: least_extrude(deepest), ..now };
    let tried = |option: String, spacing: Spacing, align: u32| {
        let pixels = boxes.tried(spacing, align, deepest)?;
        Some(Remedy { option, pixels: Some(pixels / boxes.pixels(now, block)?) })
    };
    let room = if deepest > 0 { tried(format!("--mip-levels {deepest}"), aligned, block) } else { None };
    let layouts = [room, tried(format!("--extrude {}", wider.extrude), wider, 1)];
    let levels: Vec<Vec<Pixels>> =
        atlas.atlas.pages.iter().zip(&atlas.pages).map(|(page, pixels)| levels_of(page, pixels, deepest)).collect();
    let halves = (1..=MOST_SHRINK).map(|halves| f64::from(halves) / 2.0);
    let shrink = halves.into_iter().find(|shrink| boxes.clean_with(*shrink, &levels));
    let shrink = shrink.map(|shrink| Remedy { option: format!("--shrink {shrink}"), pixels: None });
    layouts.into_iter().flatten().chain(shrink).collect()
}

/// The narrowest ring that keeps boxes apart wherever they start and however large they are.
fn least_extrude(deepest: u32) -> u32 {
    let block = 1u32 << deepest;
    let page = Size::new(block * 8, 1);
    let enough = |ring: u32| {
        (0..block).all(|start| {
            (1..=block).all(|length| {
                let rect = Rect::new(block * 3 + start, 0, length, 1);
                let cell = Rect { h: 1, y: 0, ..own_cell(rect, ring, 1, Size::new(page.w, 1)) };
                safe_level(page, rect, cell, Filter::Linear).is_some_and(|safe| safe >= deepest)
            })
        })
    };
    (1..=2 * block).find(|ring| enough(*ring)).unwrap_or(2 * block)
}

/// All boxes of an atlas with their pixels, as stored.
struct Boxes<'a> {
    atlas: &'a Opened,
    places: Vec<(usize, Rect)>,
    pixels: Vec<Pixels>,
}

impl<'a> Boxes<'a> {
    fn of(atlas: &'a Opened) -> Self {
        let clamped = |page: usize| atlas.atlas.pages[page].sampling.wrap == Wrap::Clamp;
        let places: BTreeSet<(usize, Rect)> =
            atlas.atlas.sprites.values().map(|s| (s.page, s.rect)).filter(|(page, _)| clamped(*page)).collect();
        let places: Vec<(usize, Rect)> = places.into_iter().collect();
        let pixels = places.iter().filter_map(|(page, rect)| atlas.pages[*page].crop(*rect)).collect();
        Self { atlas, places, pixels }
    }

    /// Pages of any shape, so that even small costs are visible.
    fn layout(&self, spacing: Spacing, block: u32) -> Option<zemtak_core::layout::Layout> {
        let most = self.atlas.pages.iter().flat_map(|page| [page.size().w, page.size().h]).max()?;
        let mut policy = PagePolicy { shape: Shape::Free, aspect: 8.0, ..PagePolicy::default() };
        // Sides that halve evenly, as those of pages usually do.
        policy.step = block;
        policy.max = Size::new(policy.max.w.max(2 * most), policy.max.h.max(2 * most));
        let items: Vec<Item> = self.pixels.iter().map(|pixels| Item::new(pixels.size())).collect();
        lay_out(&LayoutRequest::new(&items, spacing, &policy)).ok()
    }

    #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
    fn pixels(&self, spacing: Spacing, block: u32) -> Option<f64> {
        Some(self.layout(spacing, block)?.area() as f64)
    }

    /// The pixels of pages with this spacing, if every sample of every box is clean on them.
    #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
    fn tried(&self, spacing: Spacing, align: u32, deepest: u32) -> Option<f64> {
        let layout = self.layout(spacing, 1 << deepest)?;
        for (n, size) in layout.pages.iter().enumerate() {
            let on_page = || layout.places.iter().zip(&self.pixels).filter(|(place, _)| place.page == n);
            let stamps = on_page().map(|(place, pixels)| Stamp { pixels, rect: place.rect, turned: place.turned });
            let page = compose(*size, stamps, Ring { extrude: spacing.extrude, align }).ok()?;
            let first = self.atlas.atlas.pages.first()?;
            let look = Look { alpha: first.alpha, light: Light::of(first.colour), filter: Filter::Linear };
            let smaller = smaller_levels(&page, deepest, look.alpha, look.light);
            let levels: Vec<&Pixels> = std::iter::once(&page).chain(&smaller).collect();
            let places: Vec<Rect> = on_page().map(|(place, _)| place.rect).collect();
            if !places.par_iter().all(|rect| is_clean(&levels, *rect, 0.0, look)) {
                return None;
            }
        }
        Some(layout.area() as f64)
    }

    /// Whether samples at this distance from the edges are clean on the pages as they are.
    fn clean_with(&self, shrink: f64, levels: &[Vec<Pixels>]) -> bool {
        self.places.par_iter().all(|(n, rect)| {
            let page = &self.atlas.atlas.pages[*n];
            let look = Look { alpha: page.alpha, light: Light::of(page.colour), filter: Filter::Linear };
            let levels: Vec<&Pixels> = levels[*n].iter().collect();
            is_clean(&levels, *rect, shrink, look)
        })
    }
}

fn is_clean(levels: &[&Pixels], rect: Rect, shrink: f64, look: Look) -> bool {
    measure(levels, rect, shrink, look).levels.iter().all(LevelMeasure::is_clean)
}
