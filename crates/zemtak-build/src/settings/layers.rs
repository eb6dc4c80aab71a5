//! Further images of a sprite with the same box, such as a normal map.

use super::is_plain;
use serde::Serialize;
use std::collections::BTreeMap;
use zemtak_core::name::SpriteName;

/// Stands for the sprite's name in the name of a layer's image.
const NAME: &str = "{name}";

/// A layer that a rule gives to sprites.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LayerRule {
    /// The name of its image, with `{name}` for the sprite's.
    image: String,
    /// The kind of its values.
    pub kind: LayerKind,
}

/// The layers that rules give, by name.
pub type LayerRules = BTreeMap<String, LayerRule>;

/// The kind of a layer's values.
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
    /// The value of a layer where it has no image, which also counts as empty in an image: normals that point at the
    /// viewer, or 0.
    #[must_use]
    pub fn ground(self) -> [u8; 4] {
        match self {
            Self::Data => [0; 4],
            Self::Normals | Self::NormalsYDown => [128, 128, 255, 255],
        }
    }

    /// Whether the values of stored pixels change when they are turned, and whether green points down.
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
    /// A layer of images with these names. One called `normal` contains normals, unless something else is specified.
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

    /// The layer's image for a sprite's image.
    #[must_use]
    pub fn image_of(&self, name: &SpriteName) -> SpriteName {
        SpriteName::new(&self.image.replace(NAME, name.as_str()))
    }
}
