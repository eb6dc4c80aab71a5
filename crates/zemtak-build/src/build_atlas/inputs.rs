//! What an atlas is built from, and the hash of all that.

use super::Options;
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::load::{self, Looked, Recipe};
use crate::settings::{Also, AtlasSettings};
use crate::sources::Source;
use crate::store::{Hash, Key};
use crate::targets::{self, Target};
use crate::{describe, forms};
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use zemtak_core::codec::{DECODE_VERSION, IMAGE_VERSION, PNG_VERSION};
use zemtak_core::compose::COMPOSE_VERSION;
use zemtak_core::layout::LAYOUT_VERSION;
use zemtak_core::prepare::TREATMENT_VERSION;

/// The versions of all stages: a build from the same inputs is the same build only if none of them has changed.
const VERSIONS: [u32; 8] = [
    DECODE_VERSION,
    TREATMENT_VERSION,
    LAYOUT_VERSION,
    COMPOSE_VERSION,
    PNG_VERSION,
    IMAGE_VERSION,
    describe::VERSION,
    forms::VERSION,
];

/// Everything an atlas is built from.
pub(super) struct AtlasInputs<'a> {
    /// The images, without pictures that a build drew.
    pub sources: Vec<&'a Source>,
    /// Their contents.
    pub contents: Vec<Looked>,
    /// How many pictures of earlier builds were skipped, by folder.
    pub own_pictures: BTreeMap<String, usize>,
    /// The templates' texts, by what asks for them.
    pub templates: BTreeMap<PathBuf, String>,
}

impl<'a> AtlasInputs<'a> {
    /// Looks at the contents of all sources, and reads those that may have changed.
    ///
    /// # Errors
    /// Something cannot be read, nothing is left to pack, or the build was interrupted.
    pub fn look(target: &'a Target, context: Context<'_>) -> Result<Self, Failure> {
        let templates = templates(target, context)?;
        let mut inputs =
            Self { sources: Vec::new(), contents: Vec::new(), own_pictures: target.sources.own.clone(), templates };
        let mut problems = target.sources.problems.clone();
        for (source, looked) in target.sources.files.iter().zip(load::contents(&target.sources.files, context)?) {
            match looked {
                Ok(looked) if looked.is_result => {
                    let folder = source.shown.rsplit_once('/').map_or("", |(folder, _)| folder);
                    *inputs.own_pictures.entry(folder.to_owned()).or_default() += 1;
                }
                Ok(looked) => {
                    inputs.sources.push(source);
                    inputs.contents.push(looked);
                }
                Err(problem) => problems.push(problem),
            }
        }
        if !problems.is_empty() {
            return Err(inputs.all_problems(target, problems, context));
        }
        if inputs.sources.is_empty() {
            let (place, why) = (format!("atlas {}", target.name), targets::only_results(&inputs.own_pictures));
            return Err(Problem::usage(ProblemKind::NothingToPack, &place, why, "name a folder with images").into());
        }
        Ok(inputs)
    }

    /// Problems with some sources, together with those found by decoding the rest, but without name clashes, which the
    /// sources have reported already.
    fn all_problems(&self, target: &Target, mut problems: Vec<Problem>, context: Context<'_>) -> Failure {
        let recipe = Recipe::of(&target.settings);
        if let Err(failure) = load::load(&self.sources, &self.contents, &[recipe], context) {
            let told: BTreeSet<String> = problems.iter().map(|p| p.place.clone()).collect();
            problems.extend(failure.problems().iter().filter(|p| !told.contains(&p.place)).cloned());
        }
        Failure::all(problems)
    }

    /// The hash of everything that a build depends on.
    pub fn hash(&self, target: &Target, options: Options<'_>) -> Hash {
        let names: Vec<&str> = self.sources.iter().map(|s| s.shown.as_str()).collect();
        Key::new("from", &VERSIONS)
            .value(&(&target.settings, options.keep))
            .value(&(names, &self.templates))
            .bytes(&self.contents.iter().flat_map(|c| c.hash).collect::<Vec<u8>>())
            .finish()
    }
}

impl AtlasInputs<'_> {
    /// What the pages of the atlas at one of its sizes depend on.
    pub fn size_key(&self, settings: &AtlasSettings) -> Hash {
        let names: Vec<&str> = self.sources.iter().map(|s| s.shown.as_str()).collect();
        Key::new("size", &VERSIONS)
            .value(settings)
            .value(&names)
            .bytes(&self.contents.iter().flat_map(|c| c.hash).collect::<Vec<u8>>())
            .finish()
    }
}

/// What some sizes of an atlas depend on, together.
pub(super) fn key_of_sizes(sizes: &[Hash]) -> Hash {
    Key::new("sizes", &[]).value(&sizes).finish()
}

fn templates(target: &Target, context: Context<'_>) -> Result<BTreeMap<PathBuf, String>, Failure> {
    let (limits, disk) = (context.allowance.limits(), &*context.writer.disk);
    let (mut texts, mut problems) = (BTreeMap::new(), Vec::new());
    for also in &target.settings.also {
        if let Also::Template(path) = also {
            match limits.read_text("text_bytes", &target.folder.join(path), disk) {
                Ok(text) => _ = texts.insert(path.clone(), text),
                Err(problem) => problems.push(problem),
            }
        }
    }
    Failure::unless(problems, texts)
}
