//! Clips whose steps the project lists.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::settings::WrittenClip;
use crate::targets::unknown_step;
use std::collections::BTreeSet;
use zemtak_core::clip::FoundClips;
use zemtak_core::name::{ClipName, SpriteName};

/// Adds clips that are written out to those that names make; one with the same name replaces it.
///
/// # Errors
/// All steps that are not sprites of the atlas. Those of other atlases are checked where all are known.
pub fn add(
    clips: &[WrittenClip],
    atlas: &str,
    names: &BTreeSet<SpriteName>,
    found: &mut FoundClips,
) -> Result<(), Failure> {
    let mut problems = Vec::new();
    let mut added = BTreeSet::new();
    for written in clips {
        let WrittenClip { name, place, steps, .. } = written;
        let clip = ClipName::new(name);
        if !added.insert(name) {
            let why = format!("an earlier clip is called {} too", format::name(name));
            problems.push(Problem::usage(ProblemKind::ClipTwice, place, why, "give it a name of its own"));
        }
        let own = |step: &String| match step.split_once(':') {
            Some((of, sprite)) if of == atlas => SpriteName::new(sprite),
            _ => SpriteName::new(step),
        };
        let steps: Vec<SpriteName> = steps.iter().map(own).collect();
        for step in steps.iter().filter(|step| !step.as_str().contains(':') && !names.contains(*step)) {
            let near = format::did_you_mean(step.as_str(), names.iter().map(SpriteName::as_str));
            problems.push(unknown_step(written, step.as_str(), &format!("the atlas has no such sprite{near}")));
        }
        found.same_number.retain(|(of, _)| *of != clip);
        found.clips.insert(clip, steps);
    }
    Failure::unless(problems, ())
}
