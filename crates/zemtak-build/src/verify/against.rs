//! Compares every sprite of an atlas with the image that it was made from.

use super::proof::AtlasDefect;
use crate::allowance::Allowance;
use crate::failure::{Failure, Problem};
use crate::load;
use crate::observer::check;
use crate::observer::{Observer, Phase, Progress};
use crate::ownership;
use crate::settings::rule::Rules;
use crate::settings::{Keyword, LayerKind};
use crate::sources::{self, Source, SourceLayer, SourceSearch};
use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use zemtak_core::atlas::{Atlas, Sprite};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample, resample_data};
use zemtak_core::verify::{self, Green, LayerValues};

/// The result of a comparison.
#[derive(Debug, Default)]
pub(super) struct Comparison {
    /// Everything that differs.
    pub defects: Vec<AtlasDefect>,
    /// Sources that cannot be read.
    pub problems: Vec<Problem>,
    /// Images below the root that are not sprites of this atlas, except for pictures that this tool drew.
    pub not_in_atlas: usize,
}

/// Where the sources of an atlas are.
#[derive(Debug, Clone, Copy)]
pub(super) struct SourceFolder<'a> {
    /// The folder that sprite names are relative to.
    pub root: &'a Path,
    /// A folder below it whose images are not sources.
    pub leave_out: &'a Path,
    /// The rules of the project, which tell the images of layers from sprites. Without rules, no layer is compared.
    pub rules: &'a Rules,
}

/// Rebuilds every sprite of an atlas and compares it with its source, as many pages at a time as are in memory.
pub(super) struct SourceComparison<'a> {
    atlas: &'a Atlas,
    allowance: &'a Allowance,
    observer: &'a dyn Observer,
    progress: Progress<'a>,
    sources: Vec<OfSource<'a>>,
    result: Comparison,
}

impl<'a> SourceComparison<'a> {
    /// Finds the sources.
    ///
    /// # Errors
    /// The root cannot be searched.
    pub fn begin(
        atlas: &'a Atlas,
        folder: SourceFolder<'_>,
        allowance: &'a Allowance,
        observer: &'a dyn Observer,
    ) -> Result<Self, Failure> {
        let mut by_name: BTreeMap<SpriteName, Source> =
            find(folder, allowance)?.into_iter().map(|source| (source.name.clone(), source)).collect();
        let mut result = Comparison::default();
        let mut of_source: BTreeMap<SpriteName, Vec<Sought<'a>>> = BTreeMap::new();
        for (name, sprite) in &atlas.sprites {
            match source_of(name, &by_name) {
                None => result.defects.push(AtlasDefect::NoSource { sprite: name.clone() }),
                Some((source, frame)) => {
                    let missing = |layer: &&SourceLayer| !atlas.pages[sprite.page].layers.contains_key(&layer.name);
                    let missing = source.layers.iter().filter(|layer| layer.image.is_some()).filter(missing);
                    let differs =
                        |layer: &SourceLayer| AtlasDefect::NoLayer { sprite: name.clone(), layer: layer.name.clone() };
                    result.defects.extend(missing.map(differs));
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

    /// The layers that any source has, by the rules.
    pub fn layers(&self) -> BTreeSet<&str> {
        self.sources.iter().flat_map(|of| &of.source.layers).map(|layer| layer.name.as_str()).collect()
    }

    /// Compares the sprites on these pages: those of the atlas, decoded; `None` for one that is broken, or whose turn is
    /// another time.
    ///
    /// # Errors
    /// The observer cancels.
    pub fn add(&mut self, pages: &[Option<Pixels>]) -> Result<(), Failure> {
        let (atlas, allowance, progress) = (self.atlas, self.allowance, &self.progress);
        Self::each(&mut self.sources, pages, self.observer, |source| {
            if !source.begun {
                source.begun = true;
                progress.advance();
            }
            source.compare(atlas, pages, allowance);
        })
    }

    /// The same for a layer of these pages: its files, decoded.
    ///
    /// # Errors
    /// The observer cancels.
    pub fn add_layer(&mut self, layer: &str, pages: &[Option<Pixels>]) -> Result<(), Failure> {
        let (atlas, allowance) = (self.atlas, self.allowance);
        Self::each(&mut self.sources, pages, self.observer, |source| {
            source.compare_layer(atlas, layer, pages, allowance);
        })
    }

    /// Does something with all sources of sprites on these pages, on all cores.
    fn each(
        sources: &mut [OfSource<'a>],
        pages: &[Option<Pixels>],
        observer: &dyn Observer,
        act: impl Fn(&mut OfSource<'a>) + Sync,
    ) -> Result<(), Failure> {
        sources.par_iter_mut().filter(|source| source.is_on(pages)).for_each(|source| {
            if !observer.cancelled() {
                act(source);
            }
        });
        check(observer)
    }

    /// The result for all pages that were compared.
    pub fn end(mut self) -> Comparison {
        for source in self.sources {
            self.result.defects.extend(source.defects);
            self.result.problems.extend(source.problem);
        }
        self.result
    }
}

fn find(folder: SourceFolder<'_>, allowance: &Allowance) -> Result<Vec<Source>, Failure> {
    let SourceFolder { root, leave_out, rules } = folder;
    let search = SourceSearch {
        paths: vec![root.to_owned()],
        root: Some(root.to_owned()),
        leave_out: Some(leave_out.to_owned()),
        follow_links: allowance.limits().follow_links(),
    };
    let all = sources::find(&search)?;
    let mut found = all.select(None, &[]);
    sources::layers::attach(&mut found.files, &all.files, rules);
    Failure::unless(found.problems, found.files)
}

/// A sprite, and the number of its frame in its source.
struct Sought<'a> {
    name: &'a SpriteName,
    sprite: &'a Sprite,
    frame: usize,
}

impl Sought<'_> {
    /// The difference if its source, or that of a layer, has too few frames.
    fn no_frame_in(&self, source: &Source) -> AtlasDefect {
        AtlasDefect::NoFrame { sprite: self.name.clone(), source: source.shown.clone() }
    }
}

/// An image, the sprites that were made from it, and what was found so far.
struct OfSource<'a> {
    source: Source,
    sprites: Vec<Sought<'a>>,
    begun: bool,
    defects: Vec<AtlasDefect>,
    problem: Option<Problem>,
}

impl<'a> OfSource<'a> {
    fn new(source: Source, sprites: Vec<Sought<'a>>) -> Self {
        Self { source, sprites, begun: false, defects: Vec::new(), problem: None }
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
        for sought in &self.sprites {
            let Some(page) = &pages[sought.sprite.page] else { continue };
            let Some(frame) = decoded.frames.get(sought.frame) else {
                self.defects.push(sought.no_frame_in(&self.source));
                continue;
            };
            let expected = at_scale(&frame.pixels, scale, resample);
            let defects = verify::sprite(atlas, sought.name, sought.sprite, page, &expected);
            self.defects.extend(defects.into_iter().map(AtlasDefect::Own));
        }
    }

    /// Compares a layer of its sprites on these pages with its image, or with the ground value if there is none.
    fn compare_layer(&mut self, atlas: &Atlas, layer: &str, pages: &[Option<Pixels>], allowance: &Allowance) {
        let Some(SourceLayer { kind, image, .. }) = self.source.layers.iter().find(|of| of.name == layer) else {
            return;
        };
        let decoded = match image.as_ref().map(|image| load::decode_source(image, allowance)).transpose() {
            Ok(decoded) => decoded,
            Err(problem) => return self.problem = Some(problem),
        };
        let (kind, scale) = (*kind, scale_of(atlas));
        for sought in &self.sprites {
            let at = sought.sprite.page;
            let (Some(page), Some(stored)) = (&pages[at], atlas.pages[at].layers.get(layer)) else { continue };
            let values = values_of(kind, stored.pixels.is_compressed());
            let expected = match &decoded {
                None => Pixels::filled(sought.sprite.canvas, values.ground).map(Cow::Owned),
                Some(decoded) => {
                    let frame = decoded.frames.get(sought.frame);
                    frame.map(|frame| at_scale(&frame.pixels, scale, resample_data))
                }
            };
            let Some(expected) = expected else {
                self.defects.push(sought.no_frame_in(image.as_deref().unwrap_or(&self.source)));
                continue;
            };
            let defects = verify::layer(atlas, sought.name, sought.sprite, page, &expected, values);
            let of_layer = |defect| AtlasDefect::Layer { layer: layer.to_owned(), defect };
            self.defects.extend(defects.into_iter().map(of_layer));
        }
    }
}

/// What a comparison must know of a layer's values.
fn values_of(kind: LayerKind, in_blocks: bool) -> LayerValues {
    let green = |down| if down { Green::Down } else { Green::Up };
    LayerValues { ground: kind.ground(), normals: kind.turns().map(green), in_blocks }
}

/// The source of a sprite: the image of the same name, or a frame of the animated image that its name continues.
fn source_of<'s>(name: &SpriteName, by_name: &'s BTreeMap<SpriteName, Source>) -> Option<(&'s Source, usize)> {
    if let Some(source) = by_name.get(name) {
        return Some((source, 0));
    }
    let (image, frame) = name.as_str().rsplit_once('/')?;
    Some((by_name.get(&SpriteName::new(image))?, frame.parse().ok()?))
}

/// A picture as the atlas has it.
fn at_scale(pixels: &Pixels, scale: Option<Scale>, by: fn(&Pixels, Scale) -> Pixels) -> Cow<'_, Pixels> {
    scale.map_or(Cow::Borrowed(pixels), |scale| Cow::Owned(by(pixels, scale)))
}

/// How the atlas's sprites were scaled.
fn scale_of(atlas: &Atlas) -> Option<Scale> {
    let resample = Resample::of(atlas.built.resample.as_deref()?)?;
    Some(Scale { factor: atlas.scale.to_string().parse().ok()?, resample })
}
