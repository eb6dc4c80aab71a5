//! The data for templates: the descriptor, and what a game would otherwise have to compute from it.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use serde::Serialize;
use std::collections::BTreeMap;
use zemtak_core::atlas::{Atlas, Clip, Mode, Page, Rate, Sprite, Step};
use zemtak_core::clip::Timeline;
use zemtak_core::coords::{Area, Sampling};
use zemtak_core::geometry::Size;
use zemtak_core::name::{ClipName, SpriteName};

/// A sprite, and its upright position.
#[derive(Debug, Clone, Serialize)]
pub struct SpriteData<'a> {
    #[serde(flatten)]
    sprite: &'a Sprite,
    /// The size of the visible box, upright.
    upright: Size,
    /// The texture coordinates of the upright corners, V down: top left, top right, bottom right, bottom left.
    corners: [[f32; 2]; 4],
}

/// A clip with the times of its steps.
#[derive(Debug, Clone, Serialize)]
pub struct ClipData<'a> {
    pub mode: Mode,
    #[serde(skip_serializing_if = "Option::is_none")]
    fps: Option<&'a Rate>,
    /// The number of ticks in a nanosecond, such that every time is whole.
    ticks_per_ns: i64,
    pub steps: Vec<StepData<'a>>,
}

/// A step, and how long it is shown.
#[derive(Debug, Clone, Serialize)]
pub struct StepData<'a> {
    /// The number of the step, from 0.
    index: usize,
    pub sprite: &'a SpriteName,
    /// The sprite's index in the order of the bytes of names; `None` if it belongs to another atlas.
    at: Option<usize>,
    /// Milliseconds.
    pub ms: f64,
    /// Nanoseconds until the next step begins, with times rounded up to whole ones.
    pub ns: i64,
    /// The exact duration in ticks.
    pub ticks: i64,
    pub events: &'a [String],
}

/// All sprites.
pub fn sprites(atlas: &Atlas) -> BTreeMap<&SpriteName, SpriteData<'_>> {
    let data = |(name, sprite)| {
        let sprite: &Sprite = sprite;
        let size = atlas.pages.get(sprite.page).map_or(Size::default(), Page::size);
        let area = Area::new(size, sprite.rect, sprite.turned);
        let corners = area.map_or([[0.0; 2]; 4], |area| area.corners(&Sampling::default()));
        (name, SpriteData { sprite, upright: sprite.upright(), corners })
    };
    atlas.sprites.iter().map(data).collect()
}

/// All clips.
///
/// # Errors
/// A clip cannot be played.
pub fn clips(atlas: &Atlas) -> Result<BTreeMap<&ClipName, ClipData<'_>>, Failure> {
    let (mut all, mut problems) = (BTreeMap::new(), Vec::new());
    let mut by_bytes: Vec<&str> = atlas.sprites.keys().map(SpriteName::as_str).collect();
    by_bytes.sort_unstable();
    let places: BTreeMap<&str, usize> = by_bytes.into_iter().zip(0..).collect();
    for (name, clip) in &atlas.clips {
        match Timeline::of(clip) {
            Ok(timeline) => _ = all.insert(name, clip_data(clip, &timeline, &places)),
            Err(error) => {
                let help = "give it another rate or durations";
                let place = format::name(name.as_str());
                problems.push(Problem::bad_input(ProblemKind::UnplayableClip, &place, error.to_string(), help));
            }
        }
    }
    Failure::unless(problems, all)
}

fn clip_data<'a>(clip: &'a Clip, timeline: &Timeline, places: &BTreeMap<&str, usize>) -> ClipData<'a> {
    let step = |(index, step): (usize, &'a Step)| {
        let [seconds, part] = timeline.length_of(index);
        #[expect(clippy::cast_precision_loss, reason = "the exact times stand beside it")]
        let ms = step.ms.unwrap_or_else(|| seconds as f64 * 1000.0 / part as f64);
        let ns = timeline.start_of(index + 1) - timeline.start_of(index);
        let at = places.get(step.sprite.as_str()).copied();
        StepData { index, sprite: &step.sprite, at, ms, ns, ticks: timeline.ticks_of(index), events: &step.events }
    };
    let steps = clip.steps.iter().enumerate().map(step).collect();
    ClipData { mode: clip.mode, fps: clip.fps.as_ref(), ticks_per_ns: timeline.ticks_per_nanosecond(), steps }
}
