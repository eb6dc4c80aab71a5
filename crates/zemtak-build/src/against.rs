//! Compares every sprite of an atlas with the image that it was made from.

use crate::allowance::Allowance;
use crate::failure::{Failure, Problem};
use crate::load;
use crate::observer::check;
use crate::observer::{Observer, Phase, Progress};
use crate::ownership;
use crate::settings::Keyword;
use crate::sources::{self, Source, SourceSearch};
use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt;
use std::path::Path;
use zemtak_core::atlas::{Atlas, Sprite};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample};
use zemtak_core::verify::{self, Defect};

/// The result of a comparison.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct Comparison {
    /// Everything that differs.
    pub differences: Vec<Difference>,
    /// Sources that cannot be read.
    pub problems: Vec<Problem>,
    /// Images below the root that are not sprites of this atlas, except for pictures that this tool drew.
    pub not_in_atlas: usize,
}

/// A difference between a sprite and its source.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Difference {
    /// There is no image of that name.
    NoSource {
        /// The sprite.
        sprite: SpriteName,
    },
    /// The animated image of which it was a frame has fewer frames now.
    NoFrame {
        /// The sprite.
        sprite: SpriteName,
        /// The image, below the root.
        source: String,
    },
    /// A number or a pixel differs.
    Defect(Defect),
}

impl Difference {
    /// What kind it is, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::NoSource { .. } => "no_source",
            Self::NoFrame { .. } => "no_frame",
            Self::Defect(defect) => defect.code(),
        }
    }

    /// The sprite that differs.
    #[must_use]
    pub fn sprite(&self) -> Option<&SpriteName> {
        match self {
            Self::NoSource { sprite } | Self::NoFrame { sprite, .. } => Some(sprite),
            Self::Defect(defect) => defect.sprite(),
        }
    }
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoSource { sprite } => write!(f, "{sprite}: there is no source of that name"),
            Self::NoFrame { sprite, source } => write!(f, "{sprite}: {source} has fewer frames"),
            Self::Defect(defect) => defect.fmt(f),
        }
    }
}

/// Rebuilds every sprite and compares it with its source. `pages` are the decoded pages, `None` for broken ones; sprite
/// names are relative to `root`, and `leave_out` is a folder below it whose images are not sources.
///
/// # Errors
/// The root cannot be searched, or the observer cancels.
pub fn compare_with_sources(
    atlas: &Atlas,
    pages: &[Option<Pixels>],
    root: &Path,
    leave_out: &Path,
    allowance: &Allowance,
    observer: &dyn Observer,
) -> Result<Comparison, Failure> {
    let by_name: BTreeMap<SpriteName, Source> =
        find(root, leave_out, allowance)?.into_iter().map(|source| (source.name.clone(), source)).collect();
    let mut comparison = Comparison::default();
    // A file is decoded once, however many of its frames are sprites.
    let mut of_source: BTreeMap<&SpriteName, (&Source, Vec<Pair<'_>>)> = BTreeMap::new();
    for (name, sprite) in &atlas.sprites {
        match (source_of(name, &by_name), &pages[sprite.page]) {
            (None, _) => comparison.differences.push(Difference::NoSource { sprite: name.clone() }),
            (Some((source, frame)), page) => {
                let pairs = &mut of_source.entry(&source.name).or_insert_with(|| (source, Vec::new())).1;
                pairs.extend(page.as_ref().map(|page| Pair { name, sprite, page, frame }));
            }
        }
    }
    let others = by_name.values().filter(|source| !of_source.contains_key(&source.name));
    comparison.not_in_atlas = others.filter(|source| !ownership::is_result(&source.path)).count();
    let of_source: Vec<(&Source, Vec<Pair<'_>>)> = of_source.into_values().collect();
    let progress = Progress::begin(observer, Phase::Comparing, Some(of_source.len()));
    let results: Vec<Result<Vec<Difference>, Problem>> = of_source
        .par_iter()
        .map(|(source, pairs)| {
            progress.advance();
            if observer.cancelled() { Ok(Vec::new()) } else { compare(atlas, source, pairs, allowance) }
        })
        .collect();
    check(observer)?;
    for result in results {
        match result {
            Ok(differences) => comparison.differences.extend(differences),
            Err(problem) => comparison.problems.push(problem),
        }
    }
    Ok(comparison)
}

fn find(root: &Path, leave_out: &Path, allowance: &Allowance) -> Result<Vec<Source>, Failure> {
    let search = SourceSearch {
        paths: vec![root.to_owned()],
        root: Some(root.to_owned()),
        leave_out: Some(leave_out.to_owned()),
        follow_links: allowance.limits().follow_links(),
    };
    let found = sources::find(&search)?.select(None, &[]);
    Failure::unless(found.problems, found.files)
}

/// A sprite on its page, and the number of its frame in its source.
struct Pair<'a> {
    name: &'a SpriteName,
    sprite: &'a Sprite,
    page: &'a Pixels,
    frame: usize,
}

/// The source of a sprite: the image of the same name, or a frame of the animated image that its name continues.
fn source_of<'s>(name: &SpriteName, by_name: &'s BTreeMap<SpriteName, Source>) -> Option<(&'s Source, usize)> {
    if let Some(source) = by_name.get(name) {
        return Some((source, 0));
    }
    let (image, frame) = name.as_str().rsplit_once('/')?;
    Some((by_name.get(&SpriteName::new(image))?, frame.parse().ok()?))
}

fn compare(
    atlas: &Atlas,
    source: &Source,
    pairs: &[Pair<'_>],
    allowance: &Allowance,
) -> Result<Vec<Difference>, Problem> {
    if pairs.is_empty() {
        return Ok(Vec::new());
    }
    let decoded = load::decode_source(source, allowance)?;
    let scale = scale_of(atlas);
    let mut differences = Vec::new();
    for &Pair { name, sprite, page, frame } in pairs {
        let Some(frame) = decoded.frames.get(frame) else {
            differences.push(Difference::NoFrame { sprite: name.clone(), source: source.shown.clone() });
            continue;
        };
        let expected = scale.map_or_else(|| Cow::Borrowed(&frame.pixels), |s| Cow::Owned(resample(&frame.pixels, s)));
        differences.extend(verify::sprite(atlas, name, sprite, page, &expected).into_iter().map(Difference::Defect));
    }
    Ok(differences)
}

/// How the atlas's sprites were scaled.
fn scale_of(atlas: &Atlas) -> Option<Scale> {
    let resample = Resample::of(atlas.built.resample.as_deref()?)?;
    Some(Scale { factor: atlas.scale.to_string().parse().ok()?, resample })
}
