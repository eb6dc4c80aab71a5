//! What one file of an atlas shows: a page, or a layer of it with the same boxes.

use crate::load::{NotDrawn, Sprite, Stored};
use crate::plan::Plan;
use crate::settings::LayerKind;
use std::collections::BTreeMap;
use std::sync::Arc;
use zemtak_core::atlas::Colour;
use zemtak_core::layout::Place;
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::turn_normals;

/// A page, or a layer of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Sheet<'a> {
    /// The page's index.
    pub page: usize,
    /// The layer, and the kind of its values.
    pub layer: Option<(&'a str, LayerKind)>,
}

impl Sheet<'_> {
    /// The meaning of its values.
    pub fn colour(self) -> Colour {
        if self.layer.is_some() { Colour::Linear } else { Colour::Srgb }
    }
}

impl Plan<'_> {
    /// All pages, then their layers, by page and name.
    pub(crate) fn sheets(&self) -> Vec<Sheet<'_>> {
        let pages = (0..self.page_count()).map(|page| Sheet { page, layer: None });
        let layers = (0..self.page_count())
            .flat_map(|page| self.layers_on(page).into_iter().map(move |layer| Sheet { page, layer: Some(layer) }));
        pages.chain(layers).collect()
    }

    /// The layers that any sprite of a page has, by name.
    fn layers_on(&self, page: usize) -> BTreeMap<&str, LayerKind> {
        let sprites = self.on_page(page).into_iter().map(|at| &self.task.sprites[self.drawn[at]]);
        sprites.flat_map(Sprite::layers).map(|layer| (layer.name.as_str(), layer.kind)).collect()
    }

    /// What is stored in boxes, upright, in order. It must have been fetched.
    pub(super) fn pixels_of(&self, sheet: Sheet<'_>, boxes: &[usize]) -> Result<Vec<Held>, NotDrawn> {
        let of_box = |&at: &usize| {
            let sprite = &self.task.sprites[self.drawn[at]];
            let stored = sprite.stored()?;
            match sheet.layer {
                None => Some(Held::Own(stored)),
                Some((name, kind)) => layer_of(sprite, stored, self.layout.places[at], name, kind),
            }
        };
        boxes.iter().map(of_box).collect::<Option<_>>().ok_or(NotDrawn::Stale)
    }
}

/// Pixels that are drawn in a box.
pub(crate) enum Held {
    /// A sprite's own.
    Own(Arc<Stored>),
    /// One of its layers.
    Layer(Arc<Stored>, usize),
    /// Others.
    Made(Pixels),
}

impl Held {
    /// The pixels.
    pub fn pixels(&self) -> &Pixels {
        match self {
            Self::Own(stored) => &stored.own,
            Self::Layer(stored, number) => &stored.layers[*number],
            Self::Made(pixels) => pixels,
        }
    }
}

/// What a layer stores of a sprite: its own pixels, or its ground value if it has none. Normals turn with their pixels.
fn layer_of(sprite: &Sprite<'_>, stored: Arc<Stored>, place: Place, name: &str, kind: LayerKind) -> Option<Held> {
    let number = sprite.layers().iter().position(|layer| layer.name == name);
    let held = match number {
        Some(number) if number < stored.layers.len() => Held::Layer(stored, number),
        Some(_) => return None,
        None => Held::Made(Pixels::filled(sprite.facts.stored, kind.ground())?),
    };
    let Some(y_down) = kind.turns().filter(|_| place.turned) else { return Some(held) };
    let mut turned = held.pixels().clone();
    turn_normals(&mut turned, y_down);
    Some(Held::Made(turned))
}
