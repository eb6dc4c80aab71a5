//! Whether the steps of every clip can be kept on one page: found by a layout, not guessed.

use super::clips::Sequence;
use super::spacing;
use super::survey::{FrameBox, Picture};
use std::collections::{BTreeMap, BTreeSet};
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Item, LayoutRequest, PagePolicy, lay_out};

/// What one clip, or several that share a box, need on a page.
struct Together<'a> {
    name: &'a str,
    boxes: BTreeSet<FrameBox>,
}

/// The first clip whose boxes do not fit on one page of an atlas, together with those of the clips that it shares a box
/// with.
pub fn too_large(pictures: &[&Picture], sequences: &[Sequence<'_>], page: Size) -> Option<String> {
    let sequences = sequences.iter().map(|sequence| Together { name: &sequence.name, boxes: sequence.boxes() });
    let animated = pictures.iter().filter(|picture| picture.boxes.len() > 1);
    let animated = animated.map(|p| Together { name: p.name.as_str(), boxes: p.boxes.iter().copied().collect() });
    let groups = joined(sequences.chain(animated).collect());
    groups.into_iter().find(|group| !fits(&group.boxes, page)).map(|group| group.name.to_owned())
}

/// Clips that share a box share a page, and so do those that share another box with one of them.
fn joined(clips: Vec<Together<'_>>) -> Vec<Together<'_>> {
    let mut groups: Vec<Option<Together<'_>>> = Vec::new();
    let mut holder: BTreeMap<FrameBox, usize> = BTreeMap::new();
    for mut clip in clips {
        let met: BTreeSet<usize> = clip.boxes.iter().filter_map(|shown| holder.get(shown).copied()).collect();
        for group in met {
            clip.boxes.extend(groups[group].take().into_iter().flat_map(|group| group.boxes));
        }
        holder.extend(clip.boxes.iter().map(|shown| (*shown, groups.len())));
        groups.push(Some(clip));
    }
    groups.into_iter().flatten().collect()
}

fn fits(boxes: &BTreeSet<FrameBox>, page: Size) -> bool {
    let items: Vec<Item> = boxes.iter().map(|shown| Item { group: Some(0), ..Item::new(shown.size) }).collect();
    let policy = PagePolicy { max: page, ..PagePolicy::default() };
    lay_out(&LayoutRequest::new(&items, spacing(), &policy)).is_ok()
}
