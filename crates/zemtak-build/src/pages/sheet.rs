//! What one file of an atlas shows: a page, or a layer of it at the same boxes.

use super::NotDrawn;
use crate::context::Context;
use crate::failure::{Failure, Problem};
use crate::former::Former;
use crate::load::{Missing, Sprite};
use crate::plan::Plan;
use crate::settings::LayerKind;
use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::BTreeMap;
use zemtak_core::atlas::Colour;
use zemtak_core::layout::Place;
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::turn_normals;

/// A page, or a layer of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Sheet<'a> {
    /// The page's index.
    pub page: usize,
    /// The layer, and what its numbers are.
    pub layer: Option<(&'a str, LayerKind)>,
}

impl Sheet<'_> {
    /// What its numbers mean.
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

    /// What is stored in boxes, upright, in their order.
    pub(super) fn pixels_of(
        &self,
        sheet: Sheet<'_>,
        boxes: &[usize],
        former: &Former,
        context: Context<'_>,
    ) -> Result<Vec<Cow<'_, Pixels>>, NotDrawn> {
        let of_box = |&at: &usize| {
            let sprite = &self.task.sprites[self.drawn[at]];
            match sheet.layer {
                None => sprite.pixels(former, context).map(Cow::Borrowed),
                Some((name, kind)) => layer_of(sprite, self.layout.places[at], name, kind, context),
            }
        };
        let had: Vec<Result<Cow<'_, Pixels>, Missing>> = boxes.par_iter().map(of_box).collect();
        let (mut pixels, mut problems): (Vec<_>, Vec<Problem>) = (Vec::with_capacity(boxes.len()), Vec::new());
        for had in had {
            match had {
                Ok(had) => pixels.push(had),
                Err(Missing::Stale) => return Err(NotDrawn::Stale),
                Err(Missing::Bad(problem)) => problems.push(problem),
            }
        }
        Ok(Failure::unless(problems, pixels)?)
    }
}

/// What a layer stores of a sprite: its own pixels, or its ground where it has none. Normals turn with their pixels.
fn layer_of<'s>(
    sprite: &'s Sprite<'_>,
    place: Place,
    name: &str,
    kind: LayerKind,
    context: Context<'_>,
) -> Result<Cow<'s, Pixels>, Missing> {
    let number = sprite.layers().iter().position(|layer| layer.name == name);
    let mut pixels = match number {
        Some(number) => Cow::Borrowed(sprite.layer(number, context)?),
        None => Cow::Owned(ground(sprite, kind).ok_or(Missing::Stale)?),
    };
    if let Some(y_down) = kind.turns().filter(|_| place.turned) {
        turn_normals(pixels.to_mut(), y_down);
    }
    Ok(pixels)
}

fn ground(sprite: &Sprite<'_>, kind: LayerKind) -> Option<Pixels> {
    let mut pixels = Pixels::transparent(sprite.facts.stored)?;
    pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0.fill(kind.ground());
    Some(pixels)
}
