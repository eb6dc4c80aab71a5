//! Proves an atlas against its own promises and its sources.

mod against;
mod proof;

pub use proof::{AtlasDefect, Proof};

use crate::allowance::Allowance;
use crate::companions;
use crate::failure::{Failure, Problem};
use crate::format;
use crate::mip_check::{Checked, check};
use crate::observer::Observer;
use crate::project::Project;
use crate::settings::rule::Rules;
use against::{Comparison, SourceComparison, SourceFolder};
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::error::Error;
use std::io;
use std::ops::Range;
use std::path::Path;
use zemtak_core::atlas::{Atlas, Filter, Page};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_core::verify::{self, Defect};

/// Reads the pixels of a page, or of the layer that is named, and checks them against their hash; `None` if the page has
/// no such layer. An error should name the file. If it is an [`io::Error`], or has one as its source, the file is missing
/// or unreadable, else it is not what the descriptor says.
pub type ReadImage<'a> = dyn Fn(usize, Option<&str>) -> Result<Option<Pixels>, Box<dyn Error>> + Sync + 'a;

/// What to verify. It takes an atlas that was read before: this crate writes descriptors, and zemtak-runtime reads them.
///
/// ```no_run
/// use std::path::Path;
/// use zemtak_build::{Allowance, Limits, Verify};
/// use zemtak_core::{atlas, codec};
/// use zemtak_files::{FILE_BYTES, TEXT_BYTES, read, read_text};
///
/// fn verify(descriptor: &Path, art: &Path) -> Result<(), Box<dyn std::error::Error>> {
///     let atlas = atlas::parse(&read_text(descriptor, TEXT_BYTES)?)?.atlas;
///     let image = |page: usize, layer: Option<&str>| {
///         let page = &atlas.pages[page];
///         let Some(file) = layer.map_or(Some(&page.file), |name| page.layers.get(name).map(|layer| &layer.file)) else {
///             return Ok(None);
///         };
///         let bytes = read(&descriptor.with_file_name(file), FILE_BYTES)?;
///         Ok(Some(codec::decode(&bytes, None, &codec::Limits::default())?.pixels))
///     };
///     let verify = Verify {
///         descriptor,
///         atlas: &atlas,
///         unknown_keys: &[],
///         read: &image,
///         against: Some(art),
///         project: None,
///         mips: None,
///         allowance: &Allowance::new(Limits::default()),
///     };
///     verify.run(&())?.defects.iter().for_each(|defect| println!("{defect}"));
///     Ok(())
/// }
/// ```
#[derive(Clone, Copy)]
pub struct Verify<'a> {
    /// The descriptor's file.
    pub descriptor: &'a Path,
    /// What it describes.
    pub atlas: &'a Atlas,
    /// Keys in it that the reader did not know.
    pub unknown_keys: &'a [String],
    /// Reads its pages and their layers.
    pub read: &'a ReadImage<'a>,
    /// The folder that the sprites' names are relative to, to compare them with their sources.
    pub against: Option<&'a Path>,
    /// The project file, whose rules tell which images layers come from; by default the nearest one.
    pub project: Option<&'a Path>,
    /// The level down to which no sprite may show pixels of others, sampled as its page asks. Pages that promise such a
    /// level are held to it anyway.
    pub mips: Option<u32>,
    /// How many pages may be in memory at a time, and the limits of images.
    pub allowance: &'a Allowance,
}

impl Verify<'_> {
    /// Compares the descriptor, its pages and (if given) its sources.
    ///
    /// # Errors
    /// Sources or project file cannot be read at all, or the observer cancels. Everything else is a result of the check.
    pub fn run(self, observer: &dyn Observer) -> Result<Proof, Failure> {
        let mut proof = Proof::begin(self.atlas);
        proof.defects.extend(self.unknown_keys.iter().cloned().map(AtlasDefect::UnknownKey));
        proof.defects.extend(verify::spacing(self.atlas).into_iter().map(AtlasDefect::Own));
        let mut comparison = None;
        if let Some(root) = self.against {
            let rules = &self.layer_rules()?;
            // Pages in a folder below the root are not sources.
            let folder = SourceFolder { root, leave_out: format::folder_of(self.descriptor), rules };
            let begun = SourceComparison::begin(self.atlas, folder, self.allowance, observer)?;
            proof.compare(&begun.layers());
            comparison = Some(begun);
        }
        let spaced = proof.defects.is_empty();
        Checks { of: self, spaced, proof: &mut proof, comparison: comparison.as_mut() }.all_pages()?;
        for stray in companions::strays(self.descriptor, self.atlas) {
            match stray {
                Ok(stray) => proof.defects.push(AtlasDefect::Stray(stray)),
                Err(problem) => proof.problems.push(problem),
            }
        }
        if let (Some(root), Some(comparison)) = (self.against, comparison) {
            add_comparison(&mut proof, root, comparison.end());
        }
        Ok(proof)
    }

    /// What an error says about the file of a page or layer.
    fn unread(&self, index: usize, layer: Option<&str>, error: &(dyn Error + 'static)) -> Unread {
        let page = &self.atlas.pages[index];
        let file = layer.and_then(|name| page.layers.get(name)).map_or(&page.file, |layer| &layer.file);
        let file = format::path(&self.descriptor.with_file_name(file));
        let io = error.downcast_ref().or_else(|| error.source()?.downcast_ref::<io::Error>());
        match io.map(|io| (io, io.kind())) {
            Some((_, io::ErrorKind::NotFound)) => Unread::Defect(AtlasDefect::MissingPage { file }),
            Some((io, _)) => Unread::Problem(Problem::io(&file, io)),
            None => {
                let causes = std::iter::successors(Some(error), |&error| error.source()).map(ToString::to_string);
                let why = causes.collect::<Vec<_>>().join(": ");
                Unread::Defect(AtlasDefect::WrongPage { file, why })
            }
        }
    }

    /// The rules of the project that an atlas with layers belongs to, by its name or that of its first size.
    fn layer_rules(&self) -> Result<Rules, Failure> {
        let has_layers = self.atlas.pages.iter().any(|page| !page.layers.is_empty());
        if !has_layers || self.project.is_none() && Project::locate(None).is_err() {
            return Ok(Rules::default());
        }
        let project = Project::open(self.project, self.allowance.limits())?;
        Ok(project.rules_of(self.atlas.base.as_ref().unwrap_or(&self.atlas.name)).unwrap_or_default())
    }
}

/// Compares with the sources. A folder without any source of a sprite is reported once.
fn add_comparison(proof: &mut Proof, root: &Path, compared: Comparison) {
    let missing = compared.defects.iter().filter(|defect| matches!(defect, AtlasDefect::NoSource { .. })).count();
    if missing > 1 && missing == proof.sprites {
        proof.defects.push(AtlasDefect::NoSources { root: format::path(root), sprites: missing });
    } else {
        proof.defects.extend(compared.defects);
    }
    proof.problems.extend(compared.problems);
    proof.images_not_in_atlas = compared.not_in_atlas;
}

/// What it means that the pixels of a page or layer cannot be had.
enum Unread {
    /// The atlas does not keep a promise.
    Defect(AtlasDefect),
    /// Nothing is known.
    Problem(Problem),
}

/// What pages in memory are held against.
struct Checks<'a, 'c> {
    of: Verify<'a>,
    /// Whether boxes keep their distance: otherwise rings overlap, and say nothing.
    spaced: bool,
    proof: &'a mut Proof,
    comparison: Option<&'a mut SourceComparison<'c>>,
}

impl Checks<'_, '_> {
    /// Checks all pages and their layers, a group at a time: an atlas may have more than memory holds.
    fn all_pages(mut self) -> Result<(), Failure> {
        let Verify { atlas, allowance, descriptor, mips, .. } = self.of;
        let sizes: Vec<Size> = atlas.pages.iter().map(Page::size).collect();
        let (mut own, mut of_layers, mut bled) = (Vec::new(), Vec::new(), Vec::new());
        for group in allowance.groups(&sizes) {
            let _held = allowance.hold_pages(&format::path(descriptor), &sizes[group.clone()])?;
            let pages = self.read(group.clone(), None);
            bled.extend(bleeding(atlas, &pages, mips));
            if let Some(comparison) = &mut self.comparison {
                comparison.add(&pages)?;
            }
            own.extend(self.misplaced(&pages, |_| true).into_iter().map(AtlasDefect::Own));
            // Each layer takes the memory of the pages, one after the other.
            drop(pages);
            of_layers.extend(self.layers(group)?);
        }
        self.proof.defects.extend(own.into_iter().chain(of_layers).chain(bled));
        Ok(())
    }

    /// The layers of these pages, which have their boxes and rings.
    fn layers(&mut self, group: Range<usize>) -> Result<Vec<AtlasDefect>, Failure> {
        let names: BTreeSet<&String> =
            self.of.atlas.pages[group.clone()].iter().flat_map(|p| p.layers.keys()).collect();
        let mut found = Vec::new();
        for name in names {
            let pages = self.read(group.clone(), Some(name));
            let exact = |page: &Page| page.layers.get(name).is_some_and(|layer| !layer.pixels.is_compressed());
            let of_layer = |defect| AtlasDefect::Layer { layer: name.clone(), defect };
            found.extend(self.misplaced(&pages, exact).into_iter().map(of_layer));
            if let Some(comparison) = &mut self.comparison {
                comparison.add_layer(name, &pages)?;
            }
        }
        Ok(found)
    }

    /// Reads pages or a layer of them, each in its place among all; the others are left empty, and it is noted what is
    /// wrong.
    fn read(&mut self, group: Range<usize>, layer: Option<&str>) -> Vec<Option<Pixels>> {
        let mut pages = vec![None; self.of.atlas.pages.len()];
        let read = |index| (self.of.read)(index, layer).map_err(|error| self.of.unread(index, layer, &*error));
        let read: Vec<_> = group.clone().into_par_iter().map(read).collect();
        for (index, page) in group.zip(read) {
            match page {
                Ok(page) => pages[index] = page,
                Err(Unread::Defect(defect)) => self.proof.defects.push(defect),
                Err(Unread::Problem(problem)) => self.proof.problems.push(problem),
            }
        }
        pages
    }

    /// What is wrong with rings, and with what lies between boxes, on some of these pages.
    fn misplaced(&self, pages: &[Option<Pixels>], which: impl Fn(&Page) -> bool) -> Vec<Defect> {
        let atlas = self.of.atlas;
        let shown = pages.iter().enumerate().filter(|&(n, _)| self.spaced && which(&atlas.pages[n]));
        let of_page =
            |(n, page): (usize, &Option<Pixels>)| page.as_ref().map_or_else(Vec::new, |p| verify::page(atlas, n, p));
        shown.flat_map(of_page).collect()
    }
}

/// Sprites that show pixels of others at a level that must be clean: down to their page's level, or the one requested.
fn bleeding(atlas: &Atlas, pages: &[Option<Pixels>], asked: Option<u32>) -> Vec<AtlasDefect> {
    let promised = |page: &Page| page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok());
    let unclean = |checked: Checked<'_>| -> Vec<AtlasDefect> {
        let page = &atlas.pages[checked.page];
        let Some(least) = asked.max(promised(page)) else { return Vec::new() };
        let (filter, index) = (page.sampling.filter, checked.page);
        let measured = &checked.measured[usize::from(filter == Filter::Nearest)];
        let Some(&level) = measured.levels.iter().find(|level| !level.is_clean() && level.level <= least) else {
            return Vec::new();
        };
        let of = |name: &_| AtlasDefect::Bleeds { sprite: Clone::clone(name), page: index, filter, level };
        checked.names.into_iter().map(of).collect()
    };
    let deepest = asked.max(atlas.pages.iter().filter_map(promised).max());
    deepest.map_or_else(Vec::new, |deepest| check(atlas, pages, deepest).into_iter().flat_map(unclean).collect())
}
