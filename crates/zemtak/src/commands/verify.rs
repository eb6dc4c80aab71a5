//! `zemtak verify`: proves an atlas against its own promises and its sources.

use crate::console::Console;
use crate::descriptor;
use crate::exit::Exit;
use crate::mip_check::{Checked, check};
use crate::notice::Notice;
use crate::report::{Report, failure_text};
use crate::style::{NAME, WRONG};
use rayon::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::io;
use std::path::{Path, PathBuf};
use zemtak_build::project::Project;
use zemtak_build::settings::rule::Rules;
use zemtak_build::{
    Allowance, Comparison, Difference, Failure, Limits, Problem, SourceComparison, SourceFolder, format,
};
use zemtak_core::atlas::{Atlas, Filter, Page};
use zemtak_core::geometry::Size;
use zemtak_core::mips::LevelMeasure;
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::verify::{self, Defect};
use zemtak_runtime::{AtlasFile, HashCheck, OpenError};

/// What to verify.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VerifyRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The folder that the sprites' names are relative to.
    pub against: Option<PathBuf>,
    /// The project file, whose rules tell which images layers come from; by default the nearest one.
    pub project: Option<PathBuf>,
    /// The level down to which no sprite may show pixels of others, sampled as its page asks.
    pub mips: Option<u32>,
}

/// What was checked, and what does not hold.
#[derive(Debug, Clone)]
pub struct Proof {
    descriptor: PathBuf,
    against: Option<PathBuf>,
    mips: Option<u32>,
    sprites: usize,
    pages: usize,
    /// How many pages store their pixels in blocks.
    in_blocks: usize,
    not_in_atlas: usize,
    layers: Layers,
    defects: Vec<Notice>,
    problems: Vec<Problem>,
}

/// The layers of an atlas.
#[derive(Debug, Clone, Default)]
struct Layers {
    /// Those that were compared with their images.
    compared: BTreeSet<String>,
    /// Those that were compared with the descriptor only.
    others: BTreeSet<String>,
}

/// Compares the descriptor, its pages and (if given) its sources.
///
/// # Errors
/// The descriptor cannot be read or trusted. Everything else is a result of the check.
pub fn run(request: &VerifyRequest, console: &Console) -> Result<Proof, Failure> {
    let file = descriptor::open(&request.descriptor, console.allowance())?;
    let atlas = file.atlas();
    let mut proof = Proof::begin(request, atlas);
    let unknown = |key: &String| Notice::about("unknown_key", key, format!("unknown key {key}"));
    proof.defects.extend(file.unknown_keys().iter().map(unknown));
    proof.defects.extend(verify::spacing(atlas).into_iter().map(defect_notice));
    let (watcher, mut comparison) = (console.watcher(), None);
    if let Some(root) = &request.against {
        let rules = &layer_rules(request, atlas, console.allowance().limits())?;
        // Pages in a folder below the root are not sources.
        let folder = SourceFolder { root, leave_out: format::folder_of(&request.descriptor), rules };
        let begun = SourceComparison::begin(atlas, folder, console.allowance(), &watcher)?;
        proof.layers.compare(&begun.layers());
        comparison = Some(begun);
    }
    check_pages(&file, request, console.allowance(), &mut proof, comparison.as_mut())?;
    for stray in zemtak_build::strays(&request.descriptor, atlas) {
        match stray {
            Ok(stray) => proof.defects.push(Notice::about(stray.code(), stray.file(), stray.to_string())),
            Err(problem) => proof.problems.push(problem),
        }
    }
    if let (Some(root), Some(comparison)) = (&request.against, comparison) {
        proof.add_comparison(root, comparison.end());
    }
    Ok(proof)
}

/// The rules of the project that an atlas with layers belongs to, by its name or that of its first size.
fn layer_rules(request: &VerifyRequest, atlas: &Atlas, limits: &Limits) -> Result<Rules, Failure> {
    let has_layers = atlas.pages.iter().any(|page| !page.layers.is_empty());
    if !has_layers || request.project.is_none() && Project::locate(None).is_err() {
        return Ok(Rules::default());
    }
    let project = Project::open(request.project.as_deref(), limits)?;
    Ok(project.rules_of(atlas.base.as_ref().unwrap_or(&atlas.name)).unwrap_or_default())
}

/// Checks all pages and their layers, a group at a time: an atlas may have more than memory holds.
fn check_pages(
    file: &AtlasFile,
    request: &VerifyRequest,
    allowance: &Allowance,
    proof: &mut Proof,
    comparison: Option<&mut SourceComparison<'_>>,
) -> Result<(), Failure> {
    let sizes: Vec<Size> = file.atlas().pages.iter().map(Page::size).collect();
    let (mut own, mut of_layers, mut bled) = (Vec::new(), Vec::new(), Vec::new());
    let mut checks = PageChecks { file, spaced: proof.defects.is_empty(), proof, comparison };
    for group in allowance.groups(&sizes) {
        let indices: Vec<usize> = group.collect();
        let read = descriptor::read_pages(&request.descriptor, file, &indices, allowance)?;
        let pages = checks.proof.spread(sizes.len(), indices.iter().copied().zip(read.pages));
        bled.extend(bleeding(file.atlas(), &pages, request.mips));
        own.extend(checks.own(&pages)?);
        // Each layer takes the memory of the pages, one after the other.
        drop(pages);
        of_layers.extend(checks.layers(&indices)?);
    }
    proof.defects.extend(own.into_iter().chain(of_layers).chain(bled));
    Ok(())
}

/// What pages in memory are held against.
struct PageChecks<'a, 'c> {
    file: &'a AtlasFile,
    /// Whether boxes keep their distance: otherwise rings overlap, and say nothing.
    spaced: bool,
    proof: &'a mut Proof,
    comparison: Option<&'a mut SourceComparison<'c>>,
}

impl PageChecks<'_, '_> {
    /// Pages against the descriptor and the sources.
    fn own(&mut self, pages: &[Option<Pixels>]) -> Result<Vec<Notice>, Failure> {
        if let Some(comparison) = &mut self.comparison {
            comparison.add(pages)?;
        }
        Ok(self.misplaced(pages, |_| true).into_iter().map(defect_notice).collect())
    }

    /// The layers of these pages, which have their boxes and rings.
    fn layers(&mut self, indices: &[usize]) -> Result<Vec<Notice>, Failure> {
        let atlas = self.file.atlas();
        let names: BTreeSet<&String> = indices.iter().flat_map(|&index| atlas.pages[index].layers.keys()).collect();
        let mut found = Vec::new();
        for name in names {
            let read = |&index: &usize| Some((index, self.file.read_layer(index, name, HashCheck::Yes).transpose()?));
            let read: Vec<_> = indices.par_iter().filter_map(read).collect();
            let pages = self.proof.spread(atlas.pages.len(), read.into_iter());
            let exact = |page: &Page| page.layers.get(name).is_some_and(|layer| !layer.pixels.is_compressed());
            let of_layer = |defect| Difference::Layer { layer: name.clone(), defect }.into();
            found.extend(self.misplaced(&pages, exact).into_iter().map(of_layer));
            if let Some(comparison) = &mut self.comparison {
                comparison.add_layer(name, &pages)?;
            }
        }
        Ok(found)
    }

    /// What is wrong with rings, and with what lies between boxes, on some of these pages.
    fn misplaced(&self, pages: &[Option<Pixels>], which: impl Fn(&Page) -> bool) -> Vec<Defect> {
        let atlas = self.file.atlas();
        let shown = pages.iter().enumerate().filter(|&(n, _)| self.spaced && which(&atlas.pages[n]));
        let of_page =
            |(n, page): (usize, &Option<Pixels>)| page.as_ref().map_or_else(Vec::new, |p| verify::page(atlas, n, p));
        shown.flat_map(of_page).collect()
    }
}

impl Proof {
    fn begin(request: &VerifyRequest, atlas: &Atlas) -> Self {
        Self {
            descriptor: request.descriptor.clone(),
            against: request.against.clone(),
            mips: request.mips,
            sprites: atlas.sprites.len(),
            pages: atlas.pages.len(),
            in_blocks: atlas.pages.iter().filter(|page| page.pixels.is_compressed()).count(),
            not_in_atlas: 0,
            layers: Layers::of(atlas),
            defects: Vec::new(),
            problems: Vec::new(),
        }
    }

    /// Pages that were read, each in its place among all; the others are left empty, and it is noted what is wrong.
    fn spread(
        &mut self,
        count: usize,
        read: impl Iterator<Item = (usize, Result<Pixels, OpenError>)>,
    ) -> Vec<Option<Pixels>> {
        let mut pages = vec![None; count];
        for (index, page) in read {
            pages[index] = page.map_err(|error| self.add_unreadable(&error)).ok();
        }
        pages
    }

    /// The file of a page or layer that cannot be read or is not what the descriptor says.
    fn add_unreadable(&mut self, error: &OpenError) {
        match error {
            OpenError::Io { path, source } if source.kind() != io::ErrorKind::NotFound => {
                self.problems.push(Problem::io(&format::path(path), source));
            }
            OpenError::Io { path, .. } => {
                let path = format::path(path);
                self.defects.push(Notice::about("missing_page", &path, format!("{path} is missing")));
            }
            OpenError::Page { path, source } => {
                let path = format::path(path);
                self.defects.push(Notice::about("wrong_page", &path, format!("{path}: {source}")));
            }
            other => self.defects.push(Notice::of_all("wrong_page", other.to_string())),
        }
    }

    /// Compares with the sources. A folder without any source of a sprite is reported once.
    fn add_comparison(&mut self, root: &Path, compared: Comparison) {
        let missing = compared.differences.iter().filter(|d| matches!(d, Difference::NoSource { .. })).count();
        if missing > 1 && missing == self.sprites {
            let root = format::path(root);
            let text = format!(
                "none of the {missing} sprites has a source in {root}: is that the folder that their names are relative to?"
            );
            self.defects.push(Notice::about("no_source", root, text));
        } else {
            self.defects.extend(compared.differences.into_iter().map(Notice::from));
        }
        self.problems.extend(compared.problems);
        self.not_in_atlas = compared.not_in_atlas;
    }
}

fn defect_notice(defect: Defect) -> Notice {
    Difference::Defect(defect).into()
}

/// Sprites that show pixels of others at a level that must be clean: down to their page's level, or the one requested.
fn bleeding(atlas: &Atlas, pages: &[Option<Pixels>], asked: Option<u32>) -> Vec<Notice> {
    let promised = |page: &Page| page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok());
    let told = |checked: Checked<'_>| -> Vec<Notice> {
        let page = &atlas.pages[checked.page];
        let Some(least) = asked.max(promised(page)) else { return Vec::new() };
        let measured = &checked.measured[usize::from(page.sampling.filter == Filter::Nearest)];
        let unclean = measured.levels.iter().find(|level| !level.is_clean() && level.level <= least);
        let Some(LevelMeasure { level, error, at: [x, y], .. }) = unclean else { return Vec::new() };
        let filter = page.sampling.filter.word();
        let place = format!("at ({x:.0}, {y:.0}) of page {}", checked.page);
        let text = |name: &SpriteName| {
            format!(
                "{name}: at mip level {level} it takes in others with the filter {filter}, by {error:.0} of 255 {place}"
            )
        };
        checked.names.iter().map(|name| Notice::about("bleeds", name.as_str(), text(name))).collect()
    };
    let deepest = asked.max(atlas.pages.iter().filter_map(promised).max());
    deepest.map_or_else(Vec::new, |deepest| check(atlas, pages, deepest).into_iter().flat_map(told).collect())
}

impl Layers {
    fn of(atlas: &Atlas) -> Self {
        let others = atlas.pages.iter().flat_map(|page| page.layers.keys().cloned()).collect();
        Self { compared: BTreeSet::new(), others }
    }

    /// Some are compared with their images.
    fn compare(&mut self, names: &BTreeSet<&str>) {
        let all = std::mem::take(&mut self.others);
        (self.compared, self.others) = all.into_iter().partition(|name| names.contains(name.as_str()));
    }

    /// Against what they were compared.
    fn write(&self, out: &mut String, holds: bool) {
        let list = |names: &BTreeSet<String>| names.iter().map(String::as_str).collect::<Vec<_>>().join(", ");
        let (compared, others) = (list(&self.compared), list(&self.others));
        if !compared.is_empty() {
            let _ = match holds {
                true => writeln!(out, "  so does every value of its layers ({compared})"),
                false => writeln!(out, "  layers ({compared}) were compared with their images too"),
            };
        }
        if !others.is_empty() {
            let _ = writeln!(
                out,
                "  layers ({others}) were compared with the descriptor only; --project tells which images they come from"
            );
        }
    }
}

impl Report for Proof {
    fn text(&self, verbose: bool) -> String {
        let mut out = String::new();
        let sprites = format::count(self.sprites, "sprite", "sprites");
        let pages = format::count(self.pages, "page", "pages");
        let descriptor = format::name(&format::path(&self.descriptor));
        if self.exit() == Exit::Done {
            let _ = writeln!(out, "{NAME}{descriptor}{NAME:#}: {sprites} on {pages}, all as promised");
            let _ = writeln!(out, "  files, sizes, hashes, numbers, gutters and rings are as the descriptor says");
            if let Some(level) = self.mips {
                let _ = writeln!(out, "  down to mip level {level} no sprite bleeds: no sample takes in a neighbour");
            }
        } else {
            let count = format::count(self.defects.len(), "defect", "defects");
            let _ = writeln!(out, "{NAME}{descriptor}{NAME:#}: {sprites} on {pages}, {WRONG}{count}{WRONG:#}");
            let most = if verbose { usize::MAX } else { 50 };
            for defect in self.defects.iter().take(most) {
                let _ = writeln!(out, "  {}", format::name(&defect.text));
            }
            if self.defects.len() > most {
                let more = format::number((self.defects.len() - most) as u64);
                let _ = writeln!(out, "  and {more} more (-v lists them)");
            }
        }
        if let Some(root) = &self.against {
            let root = format::name(&format::path(root));
            if self.exit() == Exit::Done {
                let as_source = match self.in_blocks {
                    0 => format!("every pixel of every sprite, put back on its canvas, equals its source in {root}"),
                    _ => format!(
                        "every sprite, put back on its canvas, matches its source in {root}: closely on block-compressed pages, \
                         exactly on others"
                    ),
                };
                let _ = writeln!(out, "  {as_source}");
            }
            self.layers.write(&mut out, self.exit() == Exit::Done);
            if self.not_in_atlas > 0 {
                let images = format::count(self.not_in_atlas, "image is", "images are");
                let _ = writeln!(out, "  {images} below {root} but not in this atlas");
            }
        }
        if !self.problems.is_empty() {
            out.push_str(&failure_text(&Failure::all(self.problems.clone())));
        }
        out
    }

    fn kind(&self) -> &'static str {
        "verify"
    }

    fn json(&self) -> Value {
        json!({
            "descriptor": format::path(&self.descriptor),
            "against": self.against.as_deref().map(format::path),
            "mips": self.mips,
            "holds": self.exit() == Exit::Done,
            "sprites": self.sprites,
            "pages": self.pages,
            "layers_compared": self.layers.compared,
            "images_not_in_atlas": self.not_in_atlas,
            "defects": self.defects,
            "errors": self.problems,
        })
    }

    fn exit(&self) -> Exit {
        let found = if self.defects.is_empty() { Exit::Done } else { Exit::Found };
        self.problems.iter().map(|p| Exit::of(p.cause)).max().unwrap_or(found).max(found)
    }
}
