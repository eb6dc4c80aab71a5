//! A look at images before any packing: contents, problems, and what packing would bring.

mod finding;
mod forecast;
mod image;
mod sequences;
mod twins;

pub use finding::{Finding, FindingItem, FindingKind, Severity};
pub use forecast::Forecast;
pub use image::ScannedSprite;

use crate::allowance::Allowance;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::inputs::Inputs;
use crate::limits::Limits;
use crate::observer::check;
use crate::observer::{Observer, Phase, Progress};
use crate::project::Project;
use crate::settings::{AtlasSettings, Keys};
use crate::sources::{self, Source, SourceSearch};
use finding::Findings;
use image::Looked;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What to look at.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ScanRequest {
    /// Folders and image files. If there are none, the folders of the project's atlases, or else the working folder.
    pub paths: Vec<PathBuf>,
    /// The project file; by default the nearest one.
    pub project: Option<PathBuf>,
    /// Limits of the run. They override those of the project file.
    pub limits: Limits,
}

/// The result of a scan.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Scan {
    /// The folders and files that were looked at, the way they would be typed.
    pub places: Vec<String>,
    /// All sprites, sorted by name: frames of animated images one by one.
    pub sprites: Vec<ScannedSprite>,
    /// How many image files of each format can be used.
    pub formats: BTreeMap<String, usize>,
    /// How many files are not images.
    pub skipped: usize,
    /// What somebody should know, the most serious first.
    pub findings: Vec<Finding>,
    /// What packing all of it into one atlas with default settings would bring; `None` if no sprite fits a page.
    pub forecast: Option<Forecast>,
}

impl ScanRequest {
    /// Looks at every image. Writes nothing.
    ///
    /// # Errors
    /// A path that is named does not exist, there is no image, a folder cannot be searched, or the observer cancels.
    pub fn run(&self, observer: &dyn Observer) -> Result<Scan, Failure> {
        let Places { groups, out, limits } = self.places()?;
        let allowance = Allowance::new(limits);
        let settings = Keys::default().settle();
        let mut seen = Seen::default();
        for paths in &groups {
            seen.look(paths, out.as_deref(), &allowance, observer)?;
        }
        seen.scan(&groups.concat(), &settings, &allowance, observer)
    }

    /// Where to look: at the paths that are named, at the roots of the project, or else here.
    fn places(&self) -> Result<Places, Failure> {
        let without_project = |paths| Places { groups: vec![paths], out: None, limits: self.limits };
        if !self.paths.is_empty() {
            // Somebody typed them: one that is not there is no finding about the images.
            let missing = self.paths.iter().filter_map(|path| Some((path, std::fs::metadata(path).err()?)));
            let problems = missing.map(|(path, error)| Problem::io(&format::path(path), &error)).collect();
            return Failure::unless(problems, without_project(self.paths.clone()));
        }
        let there = self.project.is_some() || Project::locate(None).is_ok();
        if !there {
            return Ok(without_project(vec![".".into()]));
        }
        let project = Project::open(self.project.as_deref(), &self.limits)?;
        let inputs = Inputs::of_project(&project, None);
        // One root may lie in another, or be written in two ways.
        let clean = |path: &PathBuf| sources::clean(path).unwrap_or_else(|_| path.clone());
        let roots: BTreeMap<PathBuf, &PathBuf> = inputs.art.iter().rev().map(|path| (clean(path), path)).collect();
        let is_outer = |path: &PathBuf| path.ancestors().skip(1).all(|above| !roots.contains_key(above));
        let outer = roots.iter().filter(|(clean, _)| is_outer(clean)).map(|(_, path)| vec![PathBuf::clone(path)]);
        Ok(Places { groups: outer.collect(), out: Some(inputs.out), limits: self.limits.over(project.limits) })
    }
}

/// Where to look, and how much to take on.
struct Places {
    /// Folders and files. Names are relative to what the paths of a group have in common, as in a build: paths that are
    /// named are one group, each root of a project is another.
    groups: Vec<Vec<PathBuf>>,
    /// The folder for results.
    out: Option<PathBuf>,
    limits: Limits,
}

/// What has been seen so far.
#[derive(Default)]
struct Seen {
    sprites: Vec<ScannedSprite>,
    formats: BTreeMap<String, usize>,
    skipped: usize,
    findings: Findings,
}

impl Seen {
    fn look(
        &mut self,
        paths: &[PathBuf],
        out: Option<&Path>,
        allowance: &Allowance,
        observer: &dyn Observer,
    ) -> Result<(), Failure> {
        let search = SourceSearch {
            paths: paths.to_vec(),
            root: None,
            leave_out: out.map(Path::to_owned),
            follow_links: allowance.limits().follow_links(),
        };
        let found = sources::find(&search)?;
        let selected = found.select(None, &[]);
        self.skipped += selected.skipped;
        let below = |folder: &str| match paths {
            [root] if root.is_dir() => format::path(&root.join(folder)),
            _ => folder.to_owned(),
        };
        let own = selected
            .own
            .iter()
            .map(|(folder, count)| FindingItem::with(&below(folder), format::count(*count, "picture", "pictures")));
        own.for_each(|item| self.findings.add(FindingKind::OwnPicture, item));
        selected.problems.iter().for_each(|problem| self.findings.refused(problem));
        let progress = Progress::begin(observer, Phase::Surveying, Some(selected.files.len()));
        let looked: Vec<Option<Looked>> = selected
            .files
            .par_iter()
            .map(|source| {
                let looked = if observer.cancelled() { None } else { Some(image::look(source, allowance)) };
                progress.advance();
                looked
            })
            .collect();
        check(observer)?;
        let looked = looked.into_iter().flatten();
        selected.files.iter().zip(looked).for_each(|(source, looked)| self.note(source, looked));
        Ok(())
    }

    /// Takes up what was seen of a file.
    fn note(&mut self, source: &Source, looked: Looked) {
        match looked {
            Looked::Result => {
                self.findings.add(FindingKind::OwnPicture, FindingItem::of(&format::path(&source.path)));
            }
            Looked::Unusable(problem) => self.findings.refused(&problem),
            Looked::Image { format, sprites } => {
                *self.formats.entry(format.to_string()).or_default() += 1;
                self.sprites.extend(sprites);
            }
        }
    }

    fn scan(
        mut self,
        paths: &[PathBuf],
        settings: &AtlasSettings,
        allowance: &Allowance,
        observer: &dyn Observer,
    ) -> Result<Scan, Failure> {
        let places: Vec<String> = paths.iter().map(|path| format::path(path)).collect();
        if self.sprites.is_empty() && self.findings.is_empty() {
            let why = format!("there is no image; {} skipped", format::count(self.skipped, "file was", "files were"));
            let help = "name a folder with images";
            return Err(Problem::usage(ProblemKind::NothingToPack, &places.join(", "), why, help).into());
        }
        self.sprites.sort_by(|a, b| a.name.cmp(&b.name));
        sequences::find(&mut self.sprites, &mut self.findings);
        image::find(&self.sprites, settings, &mut self.findings);
        twins::find(&self.sprites, &mut self.findings, allowance, observer);
        check(observer)?;
        let forecast = forecast::forecast(&self.sprites, settings, observer);
        check(observer)?;
        let Self { sprites, formats, skipped, findings } = self;
        Ok(Scan { places, sprites, formats, skipped, findings: findings.all(), forecast })
    }
}
