//! Steps of clips that are sprites of other atlases.

use super::Target;
use crate::failure::{Problem, ProblemKind};
use crate::format;
use crate::settings::WrittenClip;
use std::collections::HashSet;

/// Steps that name an atlas that does not exist, a sprite that it does not have, or a size that it is not built at.
/// Atlases of the project that are not built this time are trusted.
pub(crate) fn unknown(targets: &[Target], known: &[&str]) -> Vec<Problem> {
    let mut problems = Vec::new();
    for target in targets {
        for clip in &target.settings.clips {
            for step in &clip.steps {
                let Some((atlas, sprite)) = step.split_once(':').filter(|(atlas, _)| *atlas != target.name) else {
                    continue;
                };
                let why = match targets.iter().find(|other| other.name == atlas) {
                    Some(other) => missing(target, other, sprite),
                    None if known.contains(&atlas) => None,
                    None => Some(format!("there is no atlas {}", format::name(atlas))),
                };
                problems.extend(why.map(|why| unknown_step(clip, step, &why)));
            }
        }
    }
    problems
}

/// Why a sprite of another atlas is not available.
fn missing(target: &Target, other: &Target, sprite: &str) -> Option<String> {
    let names: HashSet<&str> = other.sources.files.iter().map(|source| source.name.as_str()).collect();
    // Frames of animated pictures are named after the picture and a number.
    let frame = || sprite.rsplit_once('/').is_some_and(|(picture, _)| names.contains(picture));
    if !names.contains(sprite) && !frame() {
        let near = format::did_you_mean(sprite, names.iter().copied());
        return Some(format!("atlas {} has no such sprite{near}", other.name));
    }
    let has = |suffix: &String| other.settings.sizes.iter().any(|size| size.suffix == *suffix);
    let suffix = target.settings.sizes.iter().map(|size| &size.suffix).find(|suffix| !has(suffix))?;
    Some(format!("atlas {} has no size {suffix}, which this atlas has", other.name))
}

/// A step of a clip that is not a sprite, and why.
pub(crate) fn unknown_step(clip: &WrittenClip, step: &str, why: &str) -> Problem {
    let why = format!("clip {}: {}: {why}", format::name(&clip.name), format::name(step));
    let help = "name a sprite of the atlas, or atlas:sprite for one of another atlas";
    Problem::usage(ProblemKind::UnknownStep, &clip.place, why, help)
}
