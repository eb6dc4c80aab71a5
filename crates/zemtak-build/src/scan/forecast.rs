//! What packing would bring.

use super::image::ScannedSprite;
use crate::observer::Observer;
use crate::settings::AtlasSettings;
use std::collections::BTreeSet;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{Item, LayoutRequest, StopSignal, lay_out};

/// Bytes of a pixel on the graphics card.
const PIXEL_BYTES: u64 = 4;

/// Loose textures compared with packed pages.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Forecast {
    /// If loose, each sprite is a texture, and drawing all of them takes as many binds.
    pub loose_textures: usize,
    /// Their bytes on the graphics card.
    pub loose_bytes: u64,
    /// The pages of a quick layout; drawing all sprites takes as many binds.
    pub pages: Vec<Size>,
    /// The bytes of these pages on the graphics card.
    pub page_bytes: u64,
    /// The lower bound for every layout in bytes: all boxes, each once, with their surroundings.
    pub least_bytes: u64,
    /// Sprites that fit on no page and are not counted.
    pub too_large: usize,
}

pub(super) fn forecast(
    sprites: &[ScannedSprite],
    settings: &AtlasSettings,
    observer: &dyn Observer,
) -> Option<Forecast> {
    let ring = 2 * settings.spacing.extrude;
    let stored = |sprite: &ScannedSprite| sprite.visible.map_or(Size::new(1, 1), Rect::size);
    let fits = |size: Size| size.w + ring <= settings.page.max.w && size.h + ring <= settings.page.max.h;
    let fitting: Vec<&ScannedSprite> = sprites.iter().filter(|sprite| fits(stored(sprite))).collect();
    // Twins share a box.
    let boxes: BTreeSet<_> = fitting.iter().map(|sprite| (stored(sprite), sprite.content)).collect();
    let items: Vec<Item> = boxes.iter().map(|(size, _)| Item::new(*size)).collect();
    let stop = || observer.cancelled();
    let request = LayoutRequest {
        stop: Some(StopSignal::new(&stop)),
        ..LayoutRequest::new(&items, settings.spacing, &settings.page)
    };
    let layout = lay_out(&request).ok().filter(|layout| !layout.pages.is_empty())?;
    let around = u64::from(ring + settings.spacing.gutter);
    let cell = |size: &Size| (u64::from(size.w) + around) * (u64::from(size.h) + around);
    Some(Forecast {
        loose_textures: fitting.len(),
        loose_bytes: fitting.iter().map(|sprite| sprite.canvas.area() * PIXEL_BYTES).sum(),
        page_bytes: layout.area() * PIXEL_BYTES,
        pages: layout.pages,
        least_bytes: boxes.iter().map(|(size, _)| cell(size)).sum::<u64>() * PIXEL_BYTES,
        too_large: sprites.len() - fitting.len(),
    })
}
