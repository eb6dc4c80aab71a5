//! Anything odd about a project or an atlas that can be built nevertheless.

use crate::format;
use serde::{Deserialize, Serialize};
use std::fmt;
use zemtak_core::geometry::Size;

/// Something that its author probably did not intend.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[non_exhaustive]
pub enum Warning {
    /// A glob in `take` or `leave` that matches no image.
    IdleGlob {
        /// The atlas.
        atlas: String,
        /// The key that contains it.
        key: String,
        /// The glob.
        glob: String,
    },
    /// A rule that applies to no sprite.
    IdleRule {
        /// The atlas.
        atlas: String,
        /// The glob that it applies to.
        glob: String,
        /// File and line of the rule.
        place: String,
    },
    /// Images below the roots that no atlas takes.
    InNoAtlas {
        /// Their paths below the root.
        images: Vec<String>,
    },
    /// Images that several atlases take.
    InSeveralAtlases {
        /// The atlases.
        atlases: Vec<String>,
        /// Their paths.
        images: Vec<String>,
    },
    /// Steps of a clip whose names have the same frame number.
    SameFrameNumber {
        /// The clip.
        clip: String,
        /// The sprites.
        sprites: Vec<String>,
    },
    /// A list of durations whose number differs from the number of steps.
    DurationCount {
        /// The clip.
        clip: String,
        /// How many durations were given.
        given: usize,
        /// How many steps there are.
        steps: usize,
    },
    /// An event for a step that a clip does not have.
    EventBeyond {
        /// The clip.
        clip: String,
        /// The step, from 0.
        step: u32,
        /// How many steps there are.
        steps: usize,
    },
    /// Stretch bands that together are wider than their image.
    WideBands {
        /// The sprite.
        sprite: String,
        /// The image's size.
        size: Size,
    },
    /// A sprite that repeats, with sides that are not powers of two.
    OddRepeat {
        /// The sprite.
        sprite: String,
        /// Its canvas.
        size: Size,
    },
    /// Images that are damaged outside their pixels.
    DamagedImages {
        /// What is damaged.
        what: String,
        /// Their paths.
        images: Vec<String>,
    },
    /// Sprites without an image for a layer that a rule defines.
    MissingLayer {
        /// The layer.
        layer: String,
        /// The value they have instead.
        ground: [u8; 4],
        /// The sprites.
        sprites: Vec<String>,
    },
    /// Sprites that lose more in blocks than allowed.
    BelowPsnr {
        /// The atlas.
        atlas: String,
        /// What they must keep, in decibels.
        least: String,
        /// The sprites, each with what it keeps.
        sprites: Vec<String>,
    },
    /// A shared store that could not be used, or not all the time.
    SharedStore {
        /// Where it is.
        store: String,
        /// What was wrong.
        why: String,
    },
    /// Files of a previous build that this one no longer writes, left because they were changed.
    LeftBehind {
        /// Their names in the folder for results.
        files: Vec<String>,
    },
}

impl Warning {
    /// What kind it is, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::IdleGlob { .. } => "idle_glob",
            Self::IdleRule { .. } => "idle_rule",
            Self::InNoAtlas { .. } => "in_no_atlas",
            Self::InSeveralAtlases { .. } => "in_several_atlases",
            Self::SameFrameNumber { .. } => "same_frame_number",
            Self::DurationCount { .. } => "duration_count",
            Self::EventBeyond { .. } => "event_beyond",
            Self::WideBands { .. } => "wide_bands",
            Self::OddRepeat { .. } => "odd_repeat",
            Self::BelowPsnr { .. } => "below_psnr",
            Self::DamagedImages { .. } => "damaged_images",
            Self::MissingLayer { .. } => "missing_layer",
            Self::SharedStore { .. } => "shared_store",
            Self::LeftBehind { .. } => "left_behind",
        }
    }

    /// The atlas, clip or sprite concerned, if it is about one.
    #[must_use]
    pub fn about(&self) -> Option<&str> {
        match self {
            Self::IdleGlob { atlas: name, .. }
            | Self::BelowPsnr { atlas: name, .. }
            | Self::MissingLayer { layer: name, .. }
            | Self::IdleRule { atlas: name, .. }
            | Self::SameFrameNumber { clip: name, .. }
            | Self::DurationCount { clip: name, .. }
            | Self::EventBeyond { clip: name, .. }
            | Self::WideBands { sprite: name, .. }
            | Self::OddRepeat { sprite: name, .. } => Some(name),
            Self::InNoAtlas { .. }
            | Self::InSeveralAtlases { .. }
            | Self::DamagedImages { .. }
            | Self::SharedStore { .. }
            | Self::LeftBehind { .. } => None,
        }
    }
}

impl fmt::Display for Warning {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::IdleGlob { atlas, key, glob } => {
                write!(f, "atlas {atlas}: '{}' in {key} matches no image", format::name(glob))
            }
            Self::IdleRule { atlas, glob, place } => {
                write!(f, "atlas {atlas}: the rule for '{}' at {place} never applies", format::name(glob))
            }
            Self::InNoAtlas { images } => {
                let count = format::count(images.len(), "image is", "images are");
                write!(f, "{count} taken by no atlas: {}", format::first_of(images))
            }
            Self::InSeveralAtlases { atlases, images } => {
                let count = format::count(images.len(), "image is", "images are");
                write!(f, "{count} taken by {}: {}", atlases.join(" and "), format::first_of(images))
            }
            Self::SameFrameNumber { clip, sprites } => {
                let (clip, sprites) = (format::name(clip), format::first_of(sprites));
                write!(
                    f,
                    "clip {clip}: some frame numbers occur more than once; each of these is a step of its own: {sprites}"
                )
            }
            Self::DurationCount { clip, given, steps } => {
                let then = if given < steps { "the last one is repeated" } else { "the surplus is ignored" };
                let (clip, steps) = (format::name(clip), format::count(*steps, "step", "steps"));
                let given = format::count(*given, "duration", "durations");
                write!(f, "clip {clip}: {given} for {steps}; {then}")
            }
            Self::EventBeyond { clip, step, steps } => {
                let (clip, steps) = (format::name(clip), format::count(*steps, "step", "steps"));
                write!(f, "clip {clip}: there are events for step {step}, but it has {steps}, counted from 0")
            }
            Self::WideBands { sprite, size: Size { w, h } } => {
                let sprite = format::name(sprite);
                write!(f, "{sprite}: its stretch bands are wider than its {w} x {h} pixels and were cut")
            }
            Self::DamagedImages { what, images } => {
                let count = format::count(images.len(), "image has", "images have");
                let images = format::first_of(images);
                write!(
                    f,
                    "{count} {what}: {images}; the pixels are whole, but strict readers refuse the file: save it anew"
                )
            }
            Self::MissingLayer { layer, ground: [r, g, b, a], sprites } => {
                let count = format::count(sprites.len(), "sprite has", "sprites have");
                let sprites = format::first_of(sprites);
                write!(f, "layer {layer}: {count} no image for it, only ({r}, {g}, {b}, {a}) everywhere: {sprites}")
            }
            Self::BelowPsnr { atlas, least, sprites } => {
                let count = format::count(sprites.len(), "sprite has", "sprites have");
                let sprites = format::first_of(sprites);
                write!(
                    f,
                    "atlas {atlas}: {count} a PSNR below {least} dB: {sprites}; without 'pixels' each page gets the \
                     smallest pixel format that reaches it"
                )
            }
            Self::SharedStore { store, why } => {
                write!(
                    f,
                    "the shared store at {} failed: {}; what was missing was made here",
                    format::name(store),
                    format::name(why)
                )
            }
            Self::LeftBehind { files } => {
                let count = format::count(files.len(), "file", "files");
                let files = format::first_of(files);
                write!(f, "{count} of an earlier build changed since and stayed: {files}; delete what you do not need")
            }
            Self::OddRepeat { sprite, size } => {
                let sprite = format::name(sprite);
                write!(
                    f,
                    "{sprite}: {size} pixels repeat, but are no powers of two; some devices repeat only those, and mip \
                     levels shift"
                )
            }
        }
    }
}
