//! Images that are layers of others, such as normal maps: they are not sprites of their own.

use super::{Source, frame_name};
use crate::settings::LayerKind;
use crate::settings::rule::Rules;
use std::collections::{BTreeMap, BTreeSet};
use zemtak_core::name::SpriteName;

/// A layer of an image.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceLayer {
    /// Its name, such as `normal`.
    pub name: String,
    /// The kind of its values.
    pub kind: LayerKind,
    /// Its image; `None` if there is none.
    pub image: Option<Box<Source>>,
}

/// Gives images the layers that rules define, from all images found, and removes those from the sprites.
pub(crate) fn attach(files: &mut Vec<Source>, found: &[Source], rules: &Rules) {
    if !rules.have_layers() {
        return;
    }
    let by_name: BTreeMap<&SpriteName, &Source> = found.iter().map(|source| (&source.name, source)).collect();
    let layers_of = |source: &Source| {
        let of_rules = rules.layers(&source.name).or_else(|| rules.layers(&frame_name(&source.name, 0)));
        let layer = |(name, rule): (String, crate::settings::LayerRule)| {
            let image = by_name.get(&rule.image_of(&source.name)).map(|image| Box::new((*image).clone()));
            SourceLayer { name, kind: rule.kind, image }
        };
        of_rules.into_iter().flatten().map(layer).collect::<Vec<_>>()
    };
    let layered: Vec<Vec<SourceLayer>> = files.iter().map(layers_of).collect();
    let images: BTreeSet<SpriteName> =
        layered.iter().flatten().filter_map(|layer| Some(layer.image.as_ref()?.name.clone())).collect();
    for (file, layers) in files.iter_mut().zip(layered) {
        file.layers = layers;
    }
    files.retain(|file| !images.contains(&file.name));
}
