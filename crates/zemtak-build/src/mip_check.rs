//! Sprites sampled at each mip level of their pages, as a graphics card does.

use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::BTreeMap;
use zemtak_core::atlas::{Atlas, Filter, Page, Wrap};
use zemtak_core::geometry::Rect;
use zemtak_core::mips::{Light, Look, Measured, measure, own_cell, smaller_levels};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::{PIXEL, Pixels};

/// The filters that are sampled, the smoother one first. Mixing two levels shows nothing that these do not.
pub const FILTERS: [Filter; 2] = [Filter::Linear, Filter::Nearest];

/// A box, sampled.
#[derive(Debug)]
pub struct Checked<'a> {
    /// Its page.
    pub page: usize,
    /// Its position.
    pub rect: Rect,
    /// The sprites in it, twins included.
    pub names: Vec<&'a SpriteName>,
    /// What sampling by each of [`FILTERS`] shows.
    pub measured: [Measured; 2],
}

/// A page with its smaller levels, the full size first.
#[must_use]
pub fn levels_of(page: &Page, pixels: &Pixels, deepest: u32) -> Vec<Pixels> {
    let smaller = smaller_levels(pixels, deepest, page.alpha, Light::of(page.colour));
    std::iter::once(pixels.clone()).chain(smaller).collect()
}

/// A page as its blocks were meant to be: round each box its own pixels, which blocks show only approximately. What
/// lies beyond stays.
fn as_meant<'p>(atlas: &Atlas, index: usize, pixels: &'p Pixels) -> Cow<'p, Pixels> {
    if !atlas.pages[index].pixels.is_compressed() {
        return Cow::Borrowed(pixels);
    }
    let mut meant = pixels.clone();
    for sprite in atlas.sprites.values().filter(|sprite| sprite.page == index) {
        let (rect, page) = (sprite.rect, pixels.size());
        let cell = own_cell(rect, atlas.built.extrude, atlas.built.alignment(), page);
        for y in cell.y..cell.y + cell.h {
            for x in cell.x..cell.x + cell.w {
                let (from_x, from_y) = (x.clamp(rect.x, rect.x + rect.w - 1), y.clamp(rect.y, rect.y + rect.h - 1));
                let pixel = pixels.get(from_x, from_y).unwrap_or_default();
                meant.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&pixel);
            }
        }
    }
    Cow::Owned(meant)
}

/// Samples every box of an atlas down to a level, on the given pages. On a page that repeats, the opposite edge is not
/// foreign.
#[must_use]
pub fn check<'a>(atlas: &'a Atlas, pages: &[Option<Pixels>], deepest: u32) -> Vec<Checked<'a>> {
    let mut boxes: BTreeMap<(usize, Rect), Vec<&SpriteName>> = BTreeMap::new();
    for (name, sprite) in &atlas.sprites {
        if pages[sprite.page].is_some() && atlas.pages[sprite.page].sampling.wrap == Wrap::Clamp {
            boxes.entry((sprite.page, sprite.rect)).or_default().push(name);
        }
    }
    let made = |(index, pixels): (usize, &Option<Pixels>)| {
        let page = &atlas.pages[index];
        pixels.as_ref().map_or_else(Vec::new, |pixels| levels_of(page, &as_meant(atlas, index, pixels), deepest))
    };
    let levels: Vec<Vec<Pixels>> = pages.iter().enumerate().map(made).collect();
    let checked = boxes.into_par_iter().map(|((page, rect), names)| {
        let of = &atlas.pages[page];
        let levels: Vec<&Pixels> = levels[page].iter().collect();
        let look = |filter| Look { alpha: of.alpha, light: Light::of(of.colour), filter };
        let measured = FILTERS.map(|filter| measure(&levels, rect, 0.0, look(filter)));
        Checked { page, rect, names, measured }
    });
    checked.collect()
}
