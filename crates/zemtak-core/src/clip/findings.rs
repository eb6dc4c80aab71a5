//! What is odd about a clip.

use crate::atlas::{Atlas, Clip, Sprite};
use crate::geometry::Size;
use crate::name::{SpriteName, split_number};
use std::collections::BTreeSet;
use std::fmt;

/// Something that somebody should look at. Steps count from 0.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Finding {
    /// A frame number is followed by one that is not the next.
    Gap {
        /// The number before the gap.
        before: u64,
        /// The number after it.
        after: u64,
    },
    /// Its sprites have canvases of several sizes.
    Canvases(Vec<Size>),
    /// A step's pivot lies elsewhere than the previous step's, on a canvas of the same size.
    PivotJumps {
        /// The step.
        step: usize,
        /// By how many pixels to the right and down.
        by: [f64; 2],
    },
    /// A step takes no time.
    NoLength(usize),
    /// A step shows the same as the one before it: a longer duration would be simpler.
    SameAsBefore(usize),
}

impl Finding {
    /// What kind it is, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::Gap { .. } => "frame_gap",
            Self::Canvases(_) => "several_canvases",
            Self::PivotJumps { .. } => "pivot_jumps",
            Self::NoLength(_) => "no_length",
            Self::SameAsBefore(_) => "same_as_before",
        }
    }
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Gap { before, after } => write!(f, "a gap: after frame {before} comes frame {after}"),
            Self::Canvases(sizes) => {
                let sizes: Vec<String> = sizes.iter().map(ToString::to_string).collect();
                write!(f, "canvases of {} sizes: {}", sizes.len(), sizes.join(", "))
            }
            Self::PivotJumps { step, by: [x, y] } => write!(f, "the pivot jumps by ({x}, {y}) at step {step}"),
            Self::NoLength(step) => write!(f, "step {step} takes no time"),
            Self::SameAsBefore(step) => {
                write!(f, "step {step} shows the same as step {}; a longer duration would do", step - 1)
            }
        }
    }
}

/// What is odd about a clip, in the order of its steps.
#[must_use]
pub fn findings(atlas: &Atlas, clip: &Clip) -> Vec<Finding> {
    let mut findings = Vec::new();
    let names: Vec<&SpriteName> = clip.steps.iter().map(|step| &step.sprite).collect();
    for pair in names.windows(2) {
        let (Some((a, before)), Some((b, after))) = (numbered(pair[0]), numbered(pair[1])) else { continue };
        if a == b && after > before.saturating_add(1) {
            findings.push(Finding::Gap { before, after });
        }
    }
    let sprites: Vec<Option<&Sprite>> = names.iter().map(|name| atlas.sprites.get(*name)).collect();
    let sizes: BTreeSet<Size> = sprites.iter().flatten().map(|sprite| sprite.canvas).collect();
    if sizes.len() > 1 {
        findings.push(Finding::Canvases(sizes.into_iter().collect()));
    }
    for (step, pair) in (1..).zip(sprites.windows(2)) {
        let (Some(a), Some(b)) = (pair[0], pair[1]) else { continue };
        if a.canvas == b.canvas && a.pivot != b.pivot {
            findings.push(Finding::PivotJumps { step, by: [b.pivot[0] - a.pivot[0], b.pivot[1] - a.pivot[1]] });
        } else if (a.page, a.rect, a.canvas, a.inset) == (b.page, b.rect, b.canvas, b.inset) {
            findings.push(Finding::SameAsBefore(step));
        }
    }
    let no_length = clip.steps.iter().enumerate().filter(|(_, step)| step.ms == Some(0.0));
    findings.extend(no_length.map(|(step, _)| Finding::NoLength(step)));
    findings
}

/// A name without its trailing number, and the number.
fn numbered(name: &SpriteName) -> Option<(&str, u64)> {
    let (key, number) = split_number(name.as_str());
    Some((key, number.parse().ok()?))
}
