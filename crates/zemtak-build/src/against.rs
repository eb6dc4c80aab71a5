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

/// Rebuilds every sprite of an atlas and compares it with its source, as many pages at a time as are in memory.
pub struct SourceComparison<'a> {
    atlas: &'a Atlas,
    allowance: &'a Allowance,
    observer: &'a dyn Observer,
    progress: Progress<'a>,
    sources: Vec<OfSource<'a>>,
    result: Comparison,
}

impl<'a> SourceComparison<'a> {
    /// Finds the sources. Sprite names are relative to `root`, and `leave_out` is a folder below it whose images are not
    /// sources.
    ///
    /// # Errors
    /// The root cannot be searched.
    pub fn begin(
        atlas: &'a Atlas,
        root: &Path,
        leave_out: &Path,
        allowance: &'a Allowance,
        observer: &'a dyn Observer,
    ) -> Result<Self, Failure> {
        let mut by_name: BTreeMap<SpriteName, Source> =
            find(root, leave_out, allowance)?.into_iter().map(|source| (source.name.clone(), source)).collect();
        let mut result = Comparison::default();
        let mut of_source: BTreeMap<SpriteName, Vec<Sought<'a>>> = BTreeMap::new();
        for (name, sprite) in &atlas.sprites {
            match source_of(name, &by_name) {
                None => result.differences.push(Difference::NoSource { sprite: name.clone() }),
                Some((source, frame)) => {
                    of_source.entry(source.name.clone()).or_default().push(Sought { name, sprite, frame });
                }
            }
        }
        let sources: Vec<OfSource<'a>> = of_source
            .into_iter()
            .filter_map(|(name, sprites)| Some(OfSource::new(by_name.remove(&name)?, sprites)))
            .collect();
        result.not_in_atlas = by_name.values().filter(|source| !ownership::is_result(&source.path)).count();
        let progress = Progress::begin(observer, Phase::Comparing, Some(sources.len()));
        Ok(Self { atlas, allowance, observer, progress, sources, result })
    }

    /// Compares the sprites on these pages: those of the atlas, decoded; `None` for one that is broken, or whose turn is
    /// another time.
    ///
    /// # Errors
    /// The observer cancels.
    pub fn add(&mut self, pages: &[Option<Pixels>]) -> Result<(), Failure> {
        let (atlas, allowance, observer, progress) = (self.atlas, self.allowance, self.observer, &self.progress);
        self.sources.par_iter_mut().filter(|source| source.is_on(pages)).for_each(|source| {
            if !source.begun {
                source.begun = true;
                progress.advance();
            }
            if !observer.cancelled() {
                source.compare(atlas, pages, allowance);
            }
        });
        check(observer)
    }

    /// The result for all pages that were compared.
    #[must_use]
    pub fn end(mut self) -> Comparison {
        for source in self.sources {
            self.result.differences.extend(source.differences);
            self.result.problems.extend(source.problem);
        }
        self.result
    }
}

impl fmt::Debug for SourceComparison<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("SourceComparison").field("sources", &self.sources.len()).finish_non_exhaustive()
    }
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

/// A sprite, and the number of its frame in its source.
struct Sought<'a> {
    name: &'a SpriteName,
    sprite: &'a Sprite,
    frame: usize,
}

/// An image, the sprites that were made from it, and what was found so far.
struct OfSource<'a> {
    source: Source,
    sprites: Vec<Sought<'a>>,
    begun: bool,
    differences: Vec<Difference>,
    problem: Option<Problem>,
}

impl<'a> OfSource<'a> {
    fn new(source: Source, sprites: Vec<Sought<'a>>) -> Self {
        Self { source, sprites, begun: false, differences: Vec::new(), problem: None }
    }

    /// Whether any of its sprites is on one of these pages. A source that cannot be read is done with.
    fn is_on(&self, pages: &[Option<Pixels>]) -> bool {
        self.problem.is_none() && self.sprites.iter().any(|sought| pages[sought.sprite.page].is_some())
    }

    /// Compares its sprites on these pages. The file is decoded once for all of them.
    fn compare(&mut self, atlas: &Atlas, pages: &[Option<Pixels>], allowance: &Allowance) {
        let decoded = match load::decode_source(&self.source, allowance) {
            Ok(decoded) => decoded,
            Err(problem) => return self.problem = Some(problem),
        };
        let scale = scale_of(atlas);
        for Sought { name, sprite, frame } in &self.sprites {
            let Some(page) = &pages[sprite.page] else { continue };
            let Some(frame) = decoded.frames.get(*frame) else {
                self.differences
                    .push(Difference::NoFrame { sprite: (*name).clone(), source: self.source.shown.clone() });
                continue;
            };
            let expected =
                scale.map_or_else(|| Cow::Borrowed(&frame.pixels), |s| Cow::Owned(resample(&frame.pixels, s)));
            let defects = verify::sprite(atlas, name, sprite, page, &expected);
            self.differences.extend(defects.into_iter().map(Difference::Defect));
        }
    }
}

/// The source of a sprite: the image of the same name, or a frame of the animated image that its name continues.
fn source_of<'s>(name: &SpriteName, by_name: &'s BTreeMap<SpriteName, Source>) -> Option<(&'s Source, usize)> {
    if let Some(source) = by_name.get(name) {
        return Some((source, 0));
    }
    let (image, frame) = name.as_str().rsplit_once('/')?;
    Some((by_name.get(&SpriteName::new(image))?, frame.parse().ok()?))
}

/// How the atlas's sprites were scaled.
fn scale_of(atlas: &Atlas) -> Option<Scale> {
    let resample = Resample::of(atlas.built.resample.as_deref()?)?;
    Some(Scale { factor: atlas.scale.to_string().parse().ok()?, resample })
}
