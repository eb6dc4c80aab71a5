//! An image decoded with its layers.

use super::{Stored, decode_content, read};
use crate::content::Content;
use crate::context::Context;
use crate::failure::{Problem, ProblemKind};
use crate::format;
use crate::former::hash_of;
use crate::settings::Keyword;
use crate::sources::{Source, SourceLayer};
use crate::store::{Hash, Key};
use crate::timings::Stage;
use zemtak_core::codec::DecodedFrames;
use zemtak_core::geometry::Size;
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::LayerPixels;

/// An image and its layers, decoded.
#[derive(Debug, Clone)]
pub(super) struct Whole {
    pub decoded: DecodedFrames,
    pub layers: Vec<DecodedLayer>,
    /// The hash of all their files.
    pub hash: Hash,
}

/// A layer of all frames of an image.
#[derive(Debug, Clone)]
pub(super) struct DecodedLayer {
    /// None where it has no image.
    frames: Vec<Pixels>,
    ground: [u8; PIXEL],
}

impl DecodedLayer {
    /// That of a frame.
    pub fn of_frame(&self, number: usize, own: &Pixels) -> LayerPixels {
        let ground = || {
            let mut pixels = own.clone();
            pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0.fill(self.ground);
            pixels
        };
        LayerPixels { pixels: self.frames.get(number).cloned().unwrap_or_else(ground), ground: self.ground }
    }
}

impl Whole {
    /// Decodes an image whose content is at hand, and its layers.
    pub fn decode(source: &Source, content: &Content, context: Context<'_>) -> Result<Self, Problem> {
        let decoded = context.timings.time(Stage::Decode, || decode_content(source, content))?;
        let (mut layers, mut hashes) = (Vec::new(), Vec::new());
        for layer in &source.layers {
            let mut frames = Vec::new();
            let mut hash = None;
            if let Some(image) = &layer.image {
                let content = read(image, context)?;
                hash = Some(content.hash);
                let of_layer = context.timings.time(Stage::Decode, || decode_content(image, &content))?;
                refuse_other_sizes(source, image, layer, &decoded, &of_layer)?;
                frames = of_layer.frames.into_iter().map(|frame| frame.pixels).collect();
            }
            hashes.push(hash);
            layers.push(DecodedLayer { frames, ground: layer.kind.ground() });
        }
        Ok(Self { decoded, layers, hash: whole_hash(source, content.hash, &hashes) })
    }
}

/// A layer's image must have the frames and the sizes of the image that it belongs to.
fn refuse_other_sizes(
    source: &Source,
    image: &Source,
    layer: &SourceLayer,
    own: &DecodedFrames,
    other: &DecodedFrames,
) -> Result<(), Problem> {
    let sizes = |frames: &DecodedFrames| frames.frames.iter().map(|frame| frame.pixels.size()).collect::<Vec<_>>();
    if sizes(own) == sizes(other) {
        return Ok(());
    }
    let told = |frames: &DecodedFrames| match &frames.frames[..] {
        [one] => format!("{} pixels", one.pixels.size()),
        many => {
            format!("{} frames of {} pixels", many.len(), many.first().map_or(Size::new(0, 0), |f| f.pixels.size()))
        }
    };
    let why = format!("it is the layer {} of {} with {}, but has {}", layer.name, source.shown, told(own), told(other));
    let help = "give a layer the size of its image, and as many frames";
    Err(Problem::bad_input(ProblemKind::UnusableImage, &format::path(&image.path), why, help))
}

/// The hash of an image's file, and of those of its layers where it has any.
pub(super) fn whole_hash(source: &Source, own: Hash, layers: &[Option<Hash>]) -> Hash {
    if layers.is_empty() {
        return own;
    }
    let kinds: Vec<(&str, &str)> = source.layers.iter().map(|layer| (layer.name.as_str(), layer.kind.word())).collect();
    Key::new("layered", &[]).bytes(&own).value(&kinds).value(&layers).finish()
}

impl Stored {
    /// The hash of all that is stored.
    pub fn hash(&self) -> Hash {
        let own = hash_of(&self.own);
        if self.layers.is_empty() {
            return own;
        }
        let all: Vec<u8> = std::iter::once(own).chain(self.layers.iter().map(hash_of)).flatten().collect();
        Key::new("layered pixels", &[]).bytes(&all).finish()
    }
}
