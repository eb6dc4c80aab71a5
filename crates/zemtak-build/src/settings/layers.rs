//! Further images of a sprite at the same box, such as a normal map.

use super::is_plain;
use serde::Serialize;
use std::collections::BTreeMap;
use zemtak_core::name::SpriteName;

/// What stands for the sprite's name in that of a layer's image.
const NAME: &str = "{name}";

/// A layer that a rule gives to sprites.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LayerRule {
    /// The name of its image, with `{name}` for the sprite's.
    image: String,
    /// What its numbers are.
    pub kind: LayerKind,
}

/// The layers that rules give, by name.
pub type LayerRules = BTreeMap<String, LayerRule>;

/// What the numbers of a layer are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub enum LayerKind {
    /// Anything.
    Data,
    /// Normals, green up.
    Normals,
    /// Normals, green down.
    NormalsYDown,
}

impl LayerKind {
    /// What a layer has where it has no image, and what of an image counts as nothing: normals that point at the viewer, or 0.
    #[must_use]
    pub fn ground(self) -> [u8; 4] {
        match self {
            Self::Data => [0; 4],
            Self::Normals | Self::NormalsYDown => [128, 128, 255, 255],
        }
    }

    /// Whether stored pixels change their numbers when they are turned, and whether green points down.
    #[must_use]
    pub fn turns(self) -> Option<bool> {
        match self {
            Self::Data => None,
            Self::Normals => Some(false),
            Self::NormalsYDown => Some(true),
        }
    }
}

impl LayerRule {
    /// A layer of images of these names. One that is called `normal` is of normals, unless something else is said.
    ///
    /// # Errors
    /// What is wrong with the names.
    pub fn new(layer: &str, image: &str, kind: Option<LayerKind>) -> Result<Self, String> {
        if !is_plain(layer) {
            return Err("a layer's name may only contain a-z, 0-9, _ and -".into());
        }
        if image.matches(NAME).count() != 1 || image == NAME {
            return Err("the name of a layer's image has {name} in it once, and more, as \"{name}_n\"".into());
        }
        let usual = if layer == "normal" { LayerKind::Normals } else { LayerKind::Data };
        Ok(Self { image: image.to_owned(), kind: kind.unwrap_or(usual) })
    }

    /// The image of a sprite's image.
    #[must_use]
    pub fn image_of(&self, name: &SpriteName) -> SpriteName {
        SpriteName::new(&self.image.replace(NAME, name.as_str()))
    }
}
