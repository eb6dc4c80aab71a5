//! Which boxes must share a page so that every clip is on one.

use crate::load::Sprite;
use std::collections::HashMap;
use zemtak_core::clip::FoundClips;
use zemtak_core::name::SpriteName;

/// For each box the number of its group, if its sprite is a step of a clip. Clips that share a box are one group.
///
/// `box_of` gives each sprite's box, in the order of `sprites`.
#[must_use]
pub fn groups(clips: &FoundClips, sprites: &[Sprite<'_>], box_of: &[usize]) -> Vec<Option<usize>> {
    let boxes = box_of.iter().max().map_or(0, |last| last + 1);
    let at: HashMap<&SpriteName, usize> = sprites.iter().map(|s| &s.name).zip(box_of.iter().copied()).collect();
    let mut group: Vec<Option<usize>> = vec![None; boxes];
    for (number, steps) in clips.clips.values().enumerate() {
        let mine: Vec<usize> = steps.iter().filter_map(|step| at.get(step).copied()).collect();
        let met: Vec<usize> = mine.iter().filter_map(|&b| group[b]).collect();
        mine.iter().for_each(|&b| group[b] = Some(number));
        group.iter_mut().flatten().filter(|g| met.contains(g)).for_each(|g| *g = number);
    }
    group
}
