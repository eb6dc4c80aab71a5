//! The sequences among images: rules for them, and what is odd about them.

use super::survey::FrameBox;
use super::{Group, Picture, RuleDraft};
use crate::format;
use std::collections::{BTreeMap, BTreeSet};
use zemtak_core::clip;
use zemtak_core::glob;
use zemtak_core::name::{SpriteName, split_number};

/// With more folders with clips than this, one rule for all of them reads better.
const MOST_RULES: usize = 8;

/// A sequence of images.
#[derive(Debug, Clone)]
pub struct Sequence<'a> {
    /// The clip's name.
    pub name: String,
    steps: Vec<&'a Picture>,
}

/// How many different things the images show: a sequence counts once.
pub fn subjects<'a>(pictures: impl Iterator<Item = &'a Picture>) -> usize {
    let pictures: Vec<&Picture> = pictures.collect();
    let sequences = of(&pictures, 0);
    let steps: usize = sequences.iter().map(|s| s.steps.len()).sum();
    pictures.len() - steps + sequences.len()
}

/// The sequences that numbered names make. The first `below` bytes of names are cut off.
pub fn of<'a>(pictures: &[&'a Picture], below: usize) -> Vec<Sequence<'a>> {
    let by_name: BTreeMap<SpriteName, &Picture> =
        pictures.iter().map(|&p| (SpriteName::new(&p.name.as_str()[below..]), p)).collect();
    let names: BTreeSet<SpriteName> = by_name.keys().cloned().collect();
    let found = clip::find(&names, "", &BTreeMap::new());
    let sequence = |(name, steps): (zemtak_core::name::ClipName, Vec<SpriteName>)| Sequence {
        name: name.to_string(),
        steps: steps.iter().map(|step| by_name[step]).collect(),
    };
    found.clips.into_iter().map(sequence).collect()
}

/// A rule for each folder with sequences, or one for all of them.
pub fn rules(group: &Group<'_>, sequences: &[Sequence<'_>], below: usize) -> Vec<RuleDraft> {
    let inside =
        |s: &Sequence<'_>, folder: &str| s.steps.iter().all(|step| step.name.as_str()[below..].starts_with(folder));
    let animated = |pictures: &[&Picture]| pictures.iter().any(|p| p.boxes.len() > 1);
    let mut rules = Vec::new();
    let folders: Vec<String> =
        group.units.keys().filter(|unit| unit.ends_with('/')).map(|unit| format!("{}{unit}", group.prefix)).collect();
    let in_none = |s: &&Sequence<'_>| !folders.iter().any(|folder| inside(s, folder));
    let loose: Vec<&Sequence<'_>> = sequences.iter().filter(in_none).collect();
    if !loose.is_empty() {
        rules.push(rule(format!("{}*", glob::escape(&group.prefix)), &loose, true));
    }
    for folder in &folders {
        let of: Vec<&Sequence<'_>> = sequences.iter().filter(|s| inside(s, folder)).collect();
        if !of.is_empty() {
            let paced = !animated(&group.units[&folder[group.prefix.len()..]]);
            rules.push(rule(format!("{}**", glob::escape(folder)), &of, paced));
        }
    }
    if rules.len() > MOST_RULES {
        let of: Vec<&Sequence<'_>> = sequences.iter().collect();
        let paced = !group.units.values().any(|pictures| animated(pictures));
        return vec![rule("**".into(), &of, paced)];
    }
    rules
}

fn rule(glob: String, sequences: &[&Sequence<'_>], paced: bool) -> RuleDraft {
    let names: Vec<String> = sequences.iter().map(|s| format!("{} ({} steps)", s.name, s.steps.len())).collect();
    let mut why = vec![format!("{}: {}.", format::count(names.len(), "clip", "clips"), format::first_of(&names))];
    if !paced {
        why.push("Animated images keep their own delays.".into());
    }
    why.extend(sequences.iter().filter_map(|s| s.odd()).take(4));
    RuleDraft { why, r#match: glob, paced }
}

impl Sequence<'_> {
    /// The boxes of all its steps.
    pub fn boxes(&self) -> BTreeSet<FrameBox> {
        self.steps.iter().flat_map(|step| step.boxes.iter().copied()).collect()
    }

    /// What somebody should look at.
    fn odd(&self) -> Option<String> {
        let number = |p: &&Picture| split_number(p.name.as_str()).1.parse::<u64>().ok();
        let numbers: Vec<u64> = self.steps.iter().filter_map(number).collect();
        let name = format::name(&self.name);
        if let Some(pair) = numbers.windows(2).find(|pair| pair[1] > pair[0] + 1) {
            return Some(format!("{name} has a gap: after {} comes {}.", pair[0], pair[1]));
        }
        let sizes: BTreeSet<_> = self.steps.iter().map(|p| p.size).collect();
        if sizes.len() > 1 {
            return Some(format!("{name} has canvases of {} sizes: its pivot moves with them.", sizes.len()));
        }
        let whole = self.steps.iter().all(|p| p.opaque);
        whole.then(|| format!("{name} has no transparent pixel: it may be variants of a tile rather than a clip."))
    }
}
