//! What one run has to build: atlases with their settings and sources, and findings about the project as a whole.

mod astray;
mod steps;

pub(crate) use steps::unknown_step;

use crate::failure::{Failure, Problem, ProblemKind};
use crate::journal::Journal;
use crate::limits::Limits;
use crate::project::Project;
use crate::settings::rule::{Membership, Rule, Rules};
use crate::settings::{Also, AtlasSettings, Keys, Keyword, OtherSize, Pattern, Places};
use crate::sources::{self, FoundSources, SourceSearch, Sources};
use crate::warning::Warning;
use crate::{format, forms};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use zemtak_core::atlas::FILE_SUFFIX;

/// What was found below each root.
type Roots = BTreeMap<PathBuf, Result<Arc<FoundSources>, Failure>>;

/// One atlas to build, with its other sizes.
#[derive(Debug)]
pub struct Target {
    /// The atlas's name.
    pub name: String,
    /// Its settings.
    pub settings: AtlasSettings,
    /// Where they are in the project file.
    pub places: Places,
    /// Its sources.
    pub sources: Sources,
    /// The folder that paths in the settings are relative to.
    pub folder: PathBuf,
}

impl Target {
    /// The paths of its templates.
    pub fn templates(&self) -> impl Iterator<Item = PathBuf> {
        let path = |also: &Also| match also {
            Also::Template(path) => Some(self.folder.join(path)),
            _ => None,
        };
        self.settings.also.iter().filter_map(path)
    }
}

/// Files to make of all atlases of a project together.
#[derive(Debug, Default)]
pub struct Joint {
    /// The templates.
    pub templates: Vec<PathBuf>,
    /// The names of all atlases of the project, including those that are not built this time.
    pub atlases: Vec<String>,
}

impl Joint {
    /// The files' names, each with the template that makes it.
    pub fn files(&self) -> impl Iterator<Item = (String, &Path)> {
        self.templates.iter().map(|path| (forms::name_of_template(path), path.as_path()))
    }
}

/// The atlases of a run.
#[derive(Debug, Default)]
pub struct Targets {
    /// In the order in which they are built.
    pub targets: Vec<Target>,
    /// What to make from all of them together.
    pub joint: Joint,
    /// What is odd about the project.
    pub warnings: Vec<Warning>,
}

/// One atlas of folders and files, without a project file.
///
/// # Errors
/// There is nothing to pack, or the results would go among the sprites.
pub fn of_paths(
    paths: &[PathBuf],
    root: Option<&Path>,
    out: &Path,
    name: Option<&str>,
    keys: Keys,
    limits: &Limits,
    journal: &Journal,
) -> Result<Targets, Failure> {
    let name = name.map_or_else(|| name_of(paths), |name| Ok(name.to_owned()))?;
    for path in paths.iter().filter(|p| p.is_dir()) {
        refuse_results_among(path, out)?;
    }
    let search = SourceSearch {
        paths: paths.to_vec(),
        root: root.map(Path::to_owned),
        leave_out: Some(out.to_owned()),
        follow_links: limits.follow_links(),
    };
    refuse_long_patterns(&name, &keys, limits)?;
    let places: Vec<String> = paths.iter().map(|p| format::path(p)).collect();
    let found = journal.find(&search)?;
    let sources = select(&found, &keys, &places.join(", "))?;
    let mut warnings = Vec::new();
    idle_globs(&name, &keys, &found, &mut warnings);
    let target = Target { name, places: keys.places.clone(), settings: settle(keys)?, sources, folder: ".".into() };
    Failure::unless(output_clashes(std::slice::from_ref(&target), &Joint::default()), ())?;
    Ok(Targets { targets: vec![target], warnings, ..Targets::default() })
}

/// A selection of a project's atlases.
#[derive(Debug, Clone, Copy)]
pub enum Chosen<'a> {
    /// All of them, or the one that was named.
    Asked(Option<&'a str>),
    /// Several.
    These(&'a BTreeSet<String>),
}

/// The selected atlases of a project, with their keys; the command line overrides them.
///
/// # Errors
/// There is none with the name.
fn chosen<'p>(project: &'p Project, chosen: Chosen<'_>, said: &Keys) -> Result<Vec<(&'p str, Keys)>, Failure> {
    let is_chosen = |name: &str| match chosen {
        Chosen::Asked(only) => only.is_none_or(|only| only == name),
        Chosen::These(names) => names.contains(name),
    };
    let of_atlas = |(name, keys): &'p (String, Keys)| (name.as_str(), said.clone().over(keys.clone()));
    let atlases: Vec<_> = project.atlases.iter().filter(|(name, _)| is_chosen(name)).map(of_atlas).collect();
    if let (Chosen::Asked(Some(only)), true) = (chosen, atlases.is_empty()) {
        let names: Vec<&str> = project.atlases.iter().map(|(name, _)| name.as_str()).collect();
        let why = format!("the project has {}", names.join(", "));
        return Err(Problem::usage(ProblemKind::UnknownAtlas, only, why, "name one of these, or none for all").into());
    }
    Ok(atlases)
}

/// The selected atlases of a project, without looking at any file.
///
/// # Errors
/// There is none with the name, or settings contradict each other.
pub fn outline(project: &Project, only: Option<&str>, said: &Keys) -> Result<Vec<(String, AtlasSettings)>, Failure> {
    let settled = |(name, keys): (&str, Keys)| Ok((name.to_owned(), settle(keys)?));
    chosen(project, Chosen::Asked(only), said)?.into_iter().map(settled).collect()
}

/// The selected atlases of a project. The command line overrides their keys.
///
/// # Errors
/// All that is wrong with any of them.
pub fn of_project(
    project: &Project,
    which: Chosen<'_>,
    out: &Path,
    said: &Keys,
    journal: &Journal,
) -> Result<Targets, Failure> {
    let mut all = Targets::default();
    let mut problems = Vec::new();
    let atlases = chosen(project, which, said)?;
    let roots = look_through(project, atlases.iter().map(|(_, keys)| keys), out, journal);
    let made: Vec<Result<(Target, Vec<Warning>), Failure>> =
        atlases.into_par_iter().map(|(name, keys)| of_atlas(project, name, keys, out, &roots)).collect();
    for made in made {
        match made {
            Ok((target, warnings)) => {
                all.targets.push(target);
                all.warnings.extend(warnings);
            }
            Err(failure) => problems.extend(failure.problems().iter().cloned()),
        }
    }
    problems.dedup();
    all.joint = Joint {
        templates: project.also.iter().map(|path| project.folder.join(path)).collect(),
        atlases: project.atlases.iter().map(|(name, _)| name.clone()).collect(),
    };
    problems.extend(output_clashes(&all.targets, &all.joint));
    let known: Vec<&str> = all.joint.atlases.iter().map(String::as_str).collect();
    problems.extend(steps::unknown(&all.targets, &known));
    if matches!(which, Chosen::Asked(None)) && problems.is_empty() {
        let leaves = project.atlases.iter().flat_map(|(_, keys)| keys.leave.iter().flatten());
        let named: HashSet<&str> = leaves.map(Pattern::as_str).collect();
        all.warnings.extend(astray::find(&all.targets, &project.folder, &roots, &named));
    }
    Failure::unless(problems, all)
}

/// The folder of an atlas's images.
fn root_of(project: &Project, keys: &Keys) -> PathBuf {
    let here = if project.folder.as_os_str().is_empty() { Path::new(".") } else { &project.folder };
    keys.root.as_ref().map_or_else(|| here.to_owned(), |root| project.folder.join(root))
}

/// Finds what lies below the roots of atlases. Several atlases may share a root, which is searched once.
fn look_through<'k>(
    project: &Project,
    atlases: impl Iterator<Item = &'k Keys>,
    out: &Path,
    journal: &Journal,
) -> Roots {
    let roots: BTreeSet<PathBuf> = atlases.map(|keys| root_of(project, keys)).collect();
    let find = |root: PathBuf| {
        let search = SourceSearch {
            paths: vec![root.clone()],
            root: Some(root.clone()),
            leave_out: Some(out.to_owned()),
            follow_links: project.limits.follow_links(),
        };
        (root, journal.find(&search))
    };
    roots.into_par_iter().map(find).collect::<Vec<_>>().into_iter().collect()
}

fn of_atlas(
    project: &Project,
    name: &str,
    keys: Keys,
    out: &Path,
    roots: &Roots,
) -> Result<(Target, Vec<Warning>), Failure> {
    let root = root_of(project, &keys);
    if keys.root.is_some() {
        refuse_results_among(&root, out)?;
    }
    refuse_long_patterns(name, &keys, &project.limits)?;
    let found = roots[&root].as_ref().map_err(Clone::clone)?;
    let sources = select(found, &keys, &format!("atlas {name}, {}", format::path(&root)))?;
    let mut warnings = Vec::new();
    idle_globs(name, &keys, found, &mut warnings);
    let (places, folder) = (keys.places.clone(), project.folder.clone());
    Ok((Target { name: name.to_owned(), places, settings: settle(keys)?, sources, folder }, warnings))
}

/// Globs and expressions take time in proportion to their length, for each sprite.
fn refuse_long_patterns(atlas: &str, keys: &Keys, limits: &Limits) -> Result<(), Failure> {
    let long = |length: usize, about: &str| limits.check("pattern_bytes", length, about).err();
    let globs = keys.take.iter().chain(&keys.leave).flatten();
    let mut problems: Vec<Problem> =
        globs.filter_map(|glob| long(glob.as_str().len(), &format!("a glob of atlas {atlas}"))).collect();
    for Rule { pattern, place, overrides } in keys.rules.iter().flatten() {
        problems.extend(long(pattern.as_str().len(), place));
        if let Some(Membership::Read(expression)) = &overrides.clip {
            problems.extend(long(expression.as_str().len(), place));
        }
    }
    Failure::unless(problems, ())
}

/// The settings, if they do not contradict each other.
pub fn settle(keys: Keys) -> Result<AtlasSettings, Failure> {
    let places = keys.places.clone();
    let settings = keys.settle();
    let Some(key) = settings.contradiction() else { return Ok(settings) };
    let pages_as = settings.pages_as.word();
    let why = format!("{key} is about pages in KTX2, but pages_as is {pages_as}");
    let help = "leave one of the two out";
    let place = places.get(key).cloned().unwrap_or_else(|| format!("--{}", key.replace('_', "-")));
    Err(Problem::usage(ProblemKind::ConflictingOptions, &place, why, help).into())
}

fn refuse_results_among(folder: &Path, out: &Path) -> Result<(), Failure> {
    let same = sources::clean(folder).ok().zip(sources::clean(out).ok()).is_some_and(|(a, b)| a == b);
    if !same {
        return Ok(());
    }
    let why = "pages written there would be taken for sprites the next time";
    let help = "give another folder with -o";
    Err(Problem::usage(ProblemKind::OutputAmongSources, &format::path(folder), why, help).into())
}

fn select(found: &FoundSources, keys: &Keys, place: &str) -> Result<Sources, Failure> {
    let mut sources = found.select(keys.take.as_deref(), keys.leave.as_deref().unwrap_or_default());
    let rules = Rules::new(keys.rules.clone().unwrap_or_default());
    sources::layers::attach(&mut sources.files, &found.files, &rules);
    if sources.files.is_empty() && sources.problems.is_empty() {
        return Err(nothing_in(found, place).into());
    }
    Ok(sources)
}

/// Why no image was selected.
fn nothing_in(found: &FoundSources, place: &str) -> Problem {
    let (why, help) = match found.files.len() {
        0 if !found.own.is_empty() => (only_results(&found.own), "name a folder with images"),
        0 => {
            let skipped = format::count(found.skipped, "other file was", "other files were");
            (format!("there is no image; {skipped} skipped"), "name a folder with images")
        }
        n => {
            let why = format!("take and leave exclude every image there ({})", format::number(n as u64));
            (why, "change take or leave, or name another folder; both match names and paths below the root")
        }
    };
    Problem::usage(ProblemKind::NothingToPack, place, why, help)
}

/// Why there is nothing to pack where all pictures are our own: how many, by folder.
pub(crate) fn only_results(own: &BTreeMap<String, usize>) -> String {
    let place = |folder: &str| if folder.is_empty() { "the root".into() } else { folder.to_owned() };
    let folders = own.iter().map(|(folder, &count)| format!("{} in {}", format::number(count as u64), place(folder)));
    format!("all its images are results of earlier builds: {}", format::first_of(&folders.collect::<Vec<_>>()))
}

/// A name made from that of the only folder: in lower case, with other characters as `-`.
pub fn name_of(paths: &[PathBuf]) -> Result<String, Failure> {
    let folder = match paths {
        [only] if only.is_dir() => sources::clean(only).map_err(|e| Failure::io(&format::path(only), &e))?,
        _ => return Ok("atlas".into()),
    };
    let letters = folder.file_name().map(|n| n.to_string_lossy().to_lowercase()).unwrap_or_default();
    let plain = |c: char| {
        if c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_' { c } else { '-' }
    };
    let name: String = letters.chars().map(plain).collect();
    let name = name.trim_matches('-');
    Ok(if name.is_empty() { "atlas".into() } else { name.to_owned() })
}

/// Globs that match no image.
fn idle_globs(atlas: &str, keys: &Keys, found: &FoundSources, warnings: &mut Vec<Warning>) {
    let mut tell = |key: &str, patterns: Option<&Vec<Pattern>>| {
        for pattern in patterns.into_iter().flatten() {
            if !found.near(pattern).iter().any(|source| source.matches(pattern)) {
                let (atlas, key, glob) = (atlas.to_owned(), key.to_owned(), pattern.to_string());
                warnings.push(Warning::IdleGlob { atlas, key, glob });
            }
        }
    };
    tell("take", keys.take.as_ref());
    tell("leave", keys.leave.as_ref());
}

/// The names of an atlas at its own size and its others, with a description of each.
fn names_of(target: &Target) -> impl Iterator<Item = (String, String)> {
    let own = (target.name.clone(), format!("atlas {}", target.name));
    let other = |size: &OtherSize| {
        let who = format!("atlas {} with the suffix {}", target.name, size.suffix);
        (format!("{}{}", target.name, size.suffix), who)
    };
    std::iter::once(own).chain(target.settings.sizes.iter().map(other))
}

/// Files that two atlases, or one atlas twice, would write, and C headers that define the same names.
fn output_clashes(targets: &[Target], joint: &Joint) -> Vec<Problem> {
    let mut outputs: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (file, template) in joint.files() {
        outputs.entry(file).or_default().push(format!("template:{} of all atlases", format::path(template)));
    }
    for target in targets {
        for (name, who) in names_of(target) {
            outputs.entry(format!("{name}{FILE_SUFFIX}")).or_default().push(format!("the descriptor of {who}"));
            for also in &target.settings.also {
                for file in forms::file_names(also, &name) {
                    outputs.entry(file).or_default().push(format!("{also} of {who}"));
                }
                if *also == Also::C {
                    let prefix = format!("{}_... in C", name.replace('-', "_"));
                    outputs.entry(prefix).or_default().push(format!("the header of {who}"));
                }
            }
        }
    }
    let clashing = outputs.into_iter().filter(|(_, who)| who.len() > 1);
    let problem = |(output, who): (String, Vec<String>)| {
        let help = "leave one out, or choose another name for the atlas, the size or the template";
        Problem::usage(ProblemKind::SharedOutput, &output, who.join(" and "), help)
    };
    clashing.map(problem).collect()
}
