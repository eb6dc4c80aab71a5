//! An image decoded with its layers.

use super::decode::{decode_content, each_frame};
use super::{Stored, read};
use crate::content::Content;
use crate::context::Context;
use crate::failure::{Problem, ProblemKind};
use crate::format;
use crate::former::hash_of;
use crate::settings::Keyword;
use crate::sources::{Source, SourceLayer};
use crate::store::{Hash, Key};
use crate::timings::Stage;
use std::time::{Duration, Instant};
use zemtak_core::codec::{DecodedFrames, Frame, Ignored};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::LayerPixels;

/// An image whose content is in memory, to be decoded with its layers.
#[derive(Debug, Clone, Copy)]
pub(super) struct Whole<'a> {
    pub source: &'a Source,
    pub content: &'a Content,
}

/// A layer of all frames of an image.
#[derive(Debug, Clone)]
pub(super) struct DecodedLayer {
    /// Empty if it has no image.
    frames: Vec<Pixels>,
    ground: [u8; PIXEL],
}

impl DecodedLayer {
    /// The layer of a frame.
    pub fn of_frame(&self, number: usize, own: &Pixels) -> LayerPixels {
        let ground = || {
            let mut pixels = own.clone();
            pixels.as_bytes_mut().as_chunks_mut::<PIXEL>().0.fill(self.ground);
            pixels
        };
        LayerPixels { pixels: self.frames.get(number).cloned().unwrap_or_else(ground), ground: self.ground }
    }
}

impl Whole<'_> {
    /// Passes on each frame with its layers as soon as it is decoded. If there are layers, they are decoded completely
    /// first. Returns the hash of all files, and what was ignored.
    pub fn each_frame(
        self,
        context: Context<'_>,
        take: &mut dyn FnMut(usize, Frame, &[DecodedLayer]),
    ) -> Result<(Hash, Vec<Ignored>), Problem> {
        let Self { source, content } = self;
        if source.layers.is_empty() {
            let mut number = 0;
            let _stage = tracing::trace_span!("stage", name = Stage::Decode.name()).entered();
            let started = Instant::now();
            let mut treating = Duration::ZERO;
            let decoded = each_frame(source, content, context.allowance, &mut |frame| {
                let decoded = Instant::now();
                take(number, frame, &[]);
                number += 1;
                treating += decoded.elapsed();
            });
            context.timings.add(Stage::Decode, started.elapsed().saturating_sub(treating));
            return Ok((content.hash, decoded?.1.into_iter().collect()));
        }
        let decode = |source: &Source, content: &Content| {
            context.timings.time(Stage::Decode, || decode_content(source, content, context.allowance))
        };
        let decoded = decode(source, content)?;
        let (mut layers, mut hashes) = (Vec::new(), Vec::new());
        for layer in &source.layers {
            let mut frames = Vec::new();
            let mut hash = None;
            if let Some(image) = &layer.image {
                let content = read(image, context)?;
                hash = Some(content.hash);
                let of_layer = decode(image, &content)?;
                refuse_other_sizes(source, image, layer, &decoded, &of_layer)?;
                frames = of_layer.frames.into_iter().map(|frame| frame.pixels).collect();
            }
            hashes.push(hash);
            layers.push(DecodedLayer { frames, ground: layer.kind.ground() });
        }
        decoded.frames.into_iter().enumerate().for_each(|(number, frame)| take(number, frame, &layers));
        Ok((whole_hash(source, content.hash, &hashes), decoded.ignored.into_iter().collect()))
    }
}

/// A layer's image must have the same frames and sizes as the image that it belongs to.
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
    let counts_differ = own.frames.len() != other.frames.len();
    let told = |frames: &DecodedFrames| {
        let (count, first) = (frames.frames.len(), frames.frames.first().map(|frame| frame.pixels.size()));
        let size = first.unwrap_or(Size::new(0, 0));
        if counts_differ {
            format!("{} of {size} pixels", format::count(count, "frame", "frames"))
        } else {
            format!("{size} pixels")
        }
    };
    let why = format!("it is the layer {} of {} with {}, but has {}", layer.name, source.shown, told(own), told(other));
    let help = "give a layer the size of its image, and as many frames";
    Err(Problem::bad_input(ProblemKind::UnusableImage, &format::path(&image.path), why, help))
}

/// The hash of an image's file, and of its layers' files if it has any.
pub(super) fn whole_hash(source: &Source, own: Hash, layers: &[Option<Hash>]) -> Hash {
    if layers.is_empty() {
        return own;
    }
    let kinds: Vec<(&str, &str)> = source.layers.iter().map(|layer| (layer.name.as_str(), layer.kind.word())).collect();
    Key::new("layered", &[]).bytes(&own).value(&kinds).value(&layers).finish()
}

impl Stored {
    /// The hash of everything stored.
    pub fn hash(&self) -> Hash {
        let own = hash_of(&self.own);
        if self.layers.is_empty() {
            return own;
        }
        let all: Vec<u8> = std::iter::once(own).chain(self.layers.iter().map(hash_of)).flatten().collect();
        Key::new("layered pixels", &[]).bytes(&all).finish()
    }
}
