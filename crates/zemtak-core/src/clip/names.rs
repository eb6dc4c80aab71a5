//! Finding clips by the numbers in sprite names.

use crate::name::{ClipName, SpriteName, number_cmp, split_number};
use std::collections::{BTreeMap, BTreeSet};

/// The characters that may stand between a clip's name and a frame number.
const SEPARATORS: [char; 7] = ['/', '_', '-', '.', '+', '~', ' '];

/// The clips found among sprite names, and anything noticed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct FoundClips {
    /// The sprites of each clip in the order of their numbers; two or more.
    pub clips: BTreeMap<ClipName, Vec<SpriteName>>,
    /// Steps that have one number in different spellings, such as `lava2` and `lava02`: clip and sprites.
    pub same_number: Vec<(ClipName, Vec<SpriteName>)>,
}

/// What was specified about a sprite's place in a clip, apart from its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Assignment {
    /// The clip's name.
    pub clip: String,
    /// The frame number; without it, the digits at the end of the sprite's name count.
    pub frame: Option<String>,
}

/// Finds clips: sprites whose names differ only in a trailing number are the steps of one clip, in the order of their
/// numbers.
///
/// What precedes the number is the clip's key; without its last separator it is the clip's name. If that would give two
/// clips the same name, both keep their separator. Sprites whose whole name is a number make a clip named after the
/// atlas. Sprites in `assigned` are steps of the clip given there, even if they are its only step, and of no other
/// clip.
#[must_use]
pub fn find(names: &BTreeSet<SpriteName>, atlas: &str, assigned: &BTreeMap<SpriteName, Assignment>) -> FoundClips {
    let mut by_key: BTreeMap<&str, Vec<(&SpriteName, &str)>> = BTreeMap::new();
    let mut by_name: BTreeMap<&str, Vec<(&SpriteName, &str)>> = BTreeMap::new();
    for name in names {
        let (key, number) = split_number(name.as_str());
        if let Some(Assignment { clip, frame }) = assigned.get(name) {
            by_name.entry(clip).or_default().push((name, frame.as_deref().unwrap_or(number)));
        } else if !number.is_empty() {
            by_key.entry(key).or_default().push((name, number));
        }
    }
    by_key.retain(|_, steps| steps.len() > 1);
    let mut found = FoundClips::default();
    let keys: Vec<(&str, String)> = clip_names(by_key.keys().copied(), atlas, &by_name.keys().copied().collect());
    for (key, name) in keys {
        if let Some(steps) = by_key.remove(key) {
            found.add(&name, steps);
        }
    }
    for (name, steps) in by_name {
        found.add(name, steps);
    }
    found
}

impl FoundClips {
    fn add(&mut self, name: &str, mut steps: Vec<(&SpriteName, &str)>) {
        steps.sort_by(|a, b| number_cmp(a.1.as_bytes(), b.1.as_bytes()).then_with(|| a.0.cmp(b.0)));
        let clip = ClipName::new(name);
        let value = |number: &str| number.trim_start_matches('0').to_owned();
        let same: Vec<SpriteName> = steps
            .chunk_by(|a, b| !a.1.is_empty() && !b.1.is_empty() && value(a.1) == value(b.1))
            .filter(|run| run.len() > 1)
            .flat_map(|run| run.iter().map(|(name, _)| (*name).clone()))
            .collect();
        if !same.is_empty() {
            self.same_number.push((clip.clone(), same));
        }
        self.clips.insert(clip, steps.into_iter().map(|(name, _)| name.clone()).collect());
    }
}

/// A name for each key: all different, and none of those that are taken.
fn clip_names<'a>(keys: impl Iterator<Item = &'a str>, atlas: &str, taken: &BTreeSet<&str>) -> Vec<(&'a str, String)> {
    // Bare numbers belong to the atlas's own folder, so their key is its name and a slash.
    let mut full: Vec<(&str, String)> =
        keys.map(|k| (k, if k.is_empty() { format!("{atlas}/") } else { k.into() })).collect();
    if let Some(bare) = full.iter().position(|(k, _)| k.is_empty()) {
        while full.iter().any(|(k, _)| *k == full[bare].1) {
            full[bare].1.push('/');
        }
    }
    let short = |key: &str| key.strip_suffix(SEPARATORS).filter(|s| !s.is_empty()).unwrap_or(key).to_owned();
    let mut names: Vec<String> = full.iter().map(|(_, key)| short(key)).collect();
    // Full keys all differ, so each round either ends this or turns one more name into a full key.
    loop {
        let mut times: BTreeMap<&str, usize> = BTreeMap::new();
        names.iter().for_each(|n| *times.entry(n).or_default() += 1);
        let clash: Vec<usize> =
            (0..names.len()).filter(|&i| times[names[i].as_str()] > 1 && names[i] != full[i].1).collect();
        if clash.is_empty() {
            // A name that was specified stays with its clip.
            let mut used: BTreeSet<String> = taken.iter().map(|&t| t.to_owned()).collect();
            for name in &mut names {
                while !used.insert(name.clone()) {
                    name.push('/');
                }
            }
            return full.iter().zip(names).map(|((key, _), name)| (*key, name)).collect();
        }
        for i in clash {
            names[i].clone_from(&full[i].1);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(names: &[&str]) -> Vec<(String, Vec<String>)> {
        let names = names.iter().map(|n| SpriteName::new(n)).collect();
        let steps = |s: Vec<SpriteName>| s.iter().map(ToString::to_string).collect();
        find(&names, "night", &BTreeMap::new()).clips.into_iter().map(|(c, s)| (c.to_string(), steps(s))).collect()
    }

    fn clip(name: &str, steps: &[&str]) -> (String, Vec<String>) {
        (name.into(), steps.iter().map(ToString::to_string).collect())
    }

    #[test]
    fn numbers_make_clips_whatever_stands_before_them() {
        assert_eq!(
            found(&[
                "a/9", "a/10", "b_1", "b_2", "c0", "c3", "d 1", "d 2", "lone1", "e@2x", "f+1", "f+2", "x3-on", "x4-on"
            ]),
            [
                clip("a", &["a/9", "a/10"]),
                clip("b", &["b_1", "b_2"]),
                clip("c", &["c0", "c3"]),
                clip("d", &["d 1", "d 2"]),
                clip("f", &["f+1", "f+2"]),
            ]
        );
    }

    #[test]
    fn clips_that_would_share_a_name_keep_their_separator() {
        assert_eq!(
            found(&["w_1", "w_2", "w-1", "w-2", "w1", "w2", "w__1", "w__2"]),
            [
                clip("w", &["w1", "w2"]),
                clip("w-", &["w-1", "w-2"]),
                clip("w_", &["w_1", "w_2"]),
                clip("w__", &["w__1", "w__2"]),
            ]
        );
    }

    #[test]
    fn bare_numbers_are_the_clip_of_the_atlas() {
        assert_eq!(found(&["0", "1", "12345678901234567890123"])[0].0, "night");
        let clash = found(&["0", "1", "night1", "night2", "night/1", "night/2"]);
        assert_eq!(clash.iter().map(|c| c.0.as_str()).collect::<Vec<_>>(), ["night", "night/", "night//"]);
    }

    #[test]
    fn what_is_told_wins_and_keeps_its_name() {
        let names = ["walk1", "walk2", "walk3-on", "walk4-on", "solo"].map(SpriteName::new).into();
        let told = |clip: &str, frame: Option<&str>| Assignment { clip: clip.into(), frame: frame.map(String::from) };
        let told = [
            ("walk3-on", told("walk", Some("30"))),
            ("walk4-on", told("walk", Some("4"))),
            ("solo", told("alone", None)),
        ];
        let found = find(&names, "night", &told.map(|(name, assigned)| (SpriteName::new(name), assigned)).into());
        let clips: Vec<(String, Vec<&str>)> =
            found.clips.iter().map(|(c, s)| (c.to_string(), s.iter().map(SpriteName::as_str).collect())).collect();
        let expected =
            [("alone", vec!["solo"]), ("walk", vec!["walk4-on", "walk3-on"]), ("walk/", vec!["walk1", "walk2"])];
        assert_eq!(clips, expected.map(|(c, s)| (c.to_owned(), s)));
    }

    #[test]
    fn one_number_in_two_spellings_is_two_steps_and_a_finding() {
        let names = ["lava2", "lava02", "lava1"].map(SpriteName::new).into();
        let found = find(&names, "night", &BTreeMap::new());
        let steps = ["lava1", "lava2", "lava02"].map(SpriteName::new).to_vec();
        assert_eq!(found.same_number, [(ClipName::new("lava"), steps[1..].to_vec())]);
        assert_eq!(found.clips[&ClipName::new("lava")], steps);
    }
}
