//! Building one atlas and its other sizes, as far as it is out of date, up to files that wait for their names.

use crate::answer::Manner;
use crate::build::former::{self, Drawn, Former};
use crate::build::{PageFile, Plan, Put, Task, Without};
use crate::context::Context;
use crate::explain::Explained;
use crate::failure::{Failure, Problem};
use crate::job::Job;
use crate::load::{self, Loaded, Looked, Recipe};
use crate::progress;
use crate::settings::{Also, AtlasSettings};
use crate::sources::{self, Source};
use crate::store::{self, Hash, Store};
use crate::summary::{Kept, State, Summary};
use crate::timings::{Stage, Timings};
use crate::write::{self, Waiting};
use crate::{files, forms, show};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::Instant;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};

pub use crate::build::NotDrawn;

/// How a run goes about it.
#[derive(Debug, Clone, Copy)]
pub struct Way<'a> {
    /// The folder for results.
    pub out: &'a Path,
    /// Only find out what is out of date.
    pub check: bool,
    /// Boxes stay where they are if they can.
    pub keep: bool,
    /// Explain the layout.
    pub why: bool,
    /// Take the best layout so far on Ctrl-C.
    pub take_best: bool,
    /// Where the time goes.
    pub timings: &'a Timings,
    /// How to behave.
    pub manner: Manner,
}

/// A file that belongs to an atlas.
#[derive(Debug)]
pub struct Output {
    /// Its name in the folder for results.
    pub file: String,
    /// The hash of its bytes.
    pub hash: Hash,
    /// Whether it is a page.
    pub page: bool,
    /// The file where it has to be put in place; nothing if it is there, or if nothing is to be written.
    pub waiting: Option<Waiting>,
    /// Whether it is not there, or not like this.
    pub changed: bool,
}

/// A built atlas and its other sizes.
#[derive(Debug, Default)]
pub struct Made {
    /// What to tell of each.
    pub summaries: Vec<Summary>,
    /// All files; of each atlas the pages first, the descriptor last.
    pub outputs: Vec<Output>,
    /// Under which key to remember what, once all files are in place.
    record: Option<(Hash, Vec<u8>)>,
}

/// What is remembered of a build: that from exactly this came exactly that.
#[derive(Debug, Serialize, Deserialize)]
struct Record {
    from: Hash,
    files: Vec<(String, Hash, bool)>,
    summaries: Vec<Summary>,
}

impl Made {
    /// Remembers the build, now that its files are in place.
    pub fn remember(&self, store: &dyn Store) {
        if let Some((key, record)) = &self.record {
            store.put(*key, record.clone());
        }
    }
}

/// An atlas whose sources have been looked at, and read where that was needed.
pub struct Begun<'a> {
    job: &'a Job,
    started: Instant,
    templates: BTreeMap<PathBuf, String>,
    /// What the build follows from, and the key under which it is remembered.
    from: Hash,
    key: Hash,
    state: Ready<'a>,
}

enum Ready<'a> {
    /// It is as it was.
    Unchanged(Made),
    /// Its sprites, and those of its other sizes, each with name and settings.
    Loaded(Vec<(String, AtlasSettings, Loaded<'a>)>),
}

/// Looks at an atlas's sources and loads its sprites if anything is out of date.
///
/// # Errors
/// Anything wrong with sources or settings, or an interruption.
pub fn begin<'a>(job: &'a Job, way: Way<'_>, store: &dyn Store) -> Result<Begun<'a>, Failure> {
    let started = Instant::now();
    let context = Context { store, timings: way.timings, manner: way.manner };
    let contents = contents(job, context)?;
    let templates = templates(job)?;
    let from = follows_from(job, &contents, &templates, way);
    let key = store::key("built", &[job.name.as_bytes(), show::path(way.out).as_bytes()]);
    if let Some(made) = (!way.why).then(|| unchanged(&from, &key, way, store)).flatten() {
        return Ok(Begun { job, started, templates, from, key, state: Ready::Unchanged(made) });
    }
    let own = (job.name.clone(), job.settings.clone());
    let sizes = job.settings.sizes.iter().map(|size| (format!("{}{}", job.name, size.suffix), job.settings.at(size)));
    let all: Vec<(String, AtlasSettings)> = std::iter::once(own).chain(sizes).collect();
    let recipes: Vec<Recipe<'_>> = all.iter().map(|(_, settings)| recipe(settings)).collect();
    let loaded = load::load((&job.sources.files, &contents), &recipes, context)?;
    let loaded = all.into_iter().zip(loaded).map(|((name, settings), loaded)| (name, settings, loaded)).collect();
    Ok(Begun { job, started, templates, from, key, state: Ready::Loaded(loaded) })
}

/// Builds an atlas as far as it is out of date.
///
/// # Errors
/// Anything wrong with sources or settings, or what is remembered of a source does not hold.
pub fn finish(begun: Begun<'_>, way: Way<'_>, store: &dyn Store) -> Result<Made, NotDrawn> {
    let Begun { job, mut started, templates, from, key, state } = begun;
    let loaded = match state {
        Ready::Unchanged(made) => return Ok(made),
        Ready::Loaded(loaded) => loaded,
    };
    let context = Context { store, timings: way.timings, manner: way.manner };
    let mut made = Made::default();
    for (name, settings, loaded) in &loaded {
        build(job, (name, settings), loaded, &templates, (way, context), started, &mut made)?;
        started = Instant::now();
    }
    let files = made.outputs.iter().map(|o| (o.file.clone(), o.hash, o.page)).collect();
    let cut_short = made.summaries.iter().any(|s| s.cut_short);
    let record = Record { from, files, summaries: made.summaries.clone() };
    made.record = serde_json::to_vec(&record).ok().filter(|_| !cut_short).map(|bytes| (key, bytes));
    Ok(made)
}

fn recipe(settings: &AtlasSettings) -> Recipe<'_> {
    Recipe { treatment: settings.treatment, rules: &settings.rules }
}

/// The contents of all sources. What is wrong with some is told together with what decoding the rest brings up, but not
/// clashes of one name, which the sources had told already.
fn contents(job: &Job, context: Context<'_>) -> Result<Vec<Looked>, Failure> {
    let mut problems = job.sources.problems.clone();
    let (mut sources, mut contents) = (Vec::new(), Vec::new());
    for (source, looked) in job.sources.files.iter().zip(load::contents(&job.sources.files, context)?) {
        match looked {
            Ok(looked) => {
                sources.push(source);
                contents.push(looked);
            }
            Err(problem) => problems.push(problem),
        }
    }
    if problems.is_empty() {
        return Ok(contents);
    }
    let sources: Vec<Source> = sources.into_iter().cloned().collect();
    if let Err(failure) = load::load((&sources, &contents), &[recipe(&job.settings)], context) {
        let told: BTreeSet<String> = problems.iter().map(|p| p.place.clone()).collect();
        problems.extend(failure.problems().iter().filter(|p| !told.contains(&p.place)).cloned());
    }
    Err(Failure::all(problems))
}

/// The templates' texts, by what asks for them.
fn templates(job: &Job) -> Result<BTreeMap<PathBuf, String>, Failure> {
    let (mut texts, mut problems) = (BTreeMap::new(), Vec::new());
    for also in &job.settings.also {
        if let Also::Template(path) = also {
            match std::fs::read_to_string(job.folder.join(path)) {
                Ok(text) => _ = texts.insert(path.clone(), text),
                Err(error) => problems.push(Problem::io(&show::path(&job.folder.join(path)), &error)),
            }
        }
    }
    Failure::unless(problems, texts)
}

/// The hash of all that a build follows from.
fn follows_from(job: &Job, contents: &[Looked], templates: &BTreeMap<PathBuf, String>, way: Way<'_>) -> Hash {
    let names: Vec<&str> = job.sources.files.iter().map(|s| s.shown.as_str()).collect();
    let settings = format!("{:?} {} {names:?} {templates:?}", job.settings, way.keep);
    store::key("from", &[settings.as_bytes(), &contents.iter().flat_map(|c| c.hash).collect::<Vec<u8>>()])
}

/// The former build, if it came from the same and all of it is in place.
fn unchanged(from: &Hash, key: &Hash, way: Way<'_>, store: &dyn Store) -> Option<Made> {
    let record: Record = serde_json::from_slice(&store.get(key)?).ok()?;
    let in_place = |(file, hash, _): &(String, Hash, bool)| {
        files::hash(&way.out.join(file), store).is_ok_and(|there| there == *hash)
    };
    if record.from != *from || !record.files.iter().all(in_place) {
        return None;
    }
    let summaries = record.summaries.into_iter().map(|mut summary| {
        (summary.state, summary.seconds) = (State::Unchanged, 0.0);
        summary
    });
    let output = |(file, hash, page)| Output { file, hash, page, waiting: None, changed: false };
    Some(Made { summaries: summaries.collect(), outputs: record.files.into_iter().map(output).collect(), record: None })
}

/// Builds the atlas, or another size of it.
fn build(
    job: &Job,
    (name, settings): (&str, &AtlasSettings),
    loaded: &Loaded<'_>,
    templates: &BTreeMap<PathBuf, String>,
    (way, context): (Way<'_>, Context<'_>),
    started: Instant,
    made: &mut Made,
) -> Result<(), NotDrawn> {
    let descriptor = format!("{name}{FILE_SUFFIX}");
    let former = former(&way.out.join(&descriptor)).filter(|_| way.keep);
    let waiting = progress::Waiting::new("looking for a dense layout", way.manner);
    let task = Task {
        name,
        base: (name != job.name).then_some(job.name.as_str()),
        settings,
        sprites: &loaded.sprites,
        take_best: way.take_best,
        keep: former.as_ref(),
    };
    let plan = Plan::new(task, context)?;
    let why = if way.why { plan.why()? } else { None };
    let mut summary = Summary::of(&plan, name);
    summary.mip_cost = plan_cost(&plan, settings)?;
    summary.kept = kept(&plan, former.as_ref())?;
    drop(waiting);
    protect_sources(job, &plan, way.out, name)?;
    let take = |file: &str, bytes: Vec<u8>| -> Result<(Option<Waiting>, u64), Failure> {
        let waiting = if way.check {
            None
        } else {
            Some(context.timings.time(Stage::Write, || write::prepare(&way.out.join(file), &bytes))?)
        };
        Ok((waiting, bytes.len() as u64))
    };
    let pages = plan.draw(&Put { out: way.out, former: &Former::open(way.out, name, context), take }, context)?;
    let drawn: Vec<Drawn> = pages.iter().map(|page| page.drawn.clone()).collect();
    former::note(&drawn, way.out, name, context);
    let atlas = plan.descriptor(&pages);
    let file_bytes: Vec<u64> = pages.iter().map(|page| bytes_of(page, way.out)).collect();
    summary.finish(&plan, &atlas, &file_bytes);
    tell_of_sources(&mut summary, job, loaded, &plan);
    let changed_before = made.outputs.len();
    made.outputs.extend(pages.into_iter().map(|page| {
        let changed = page.made.is_some();
        let waiting = page.made.and_then(|(waiting, _)| waiting);
        Output { file: page.drawn.file, hash: page.drawn.hash, page: true, waiting, changed }
    }));
    for also in &settings.also {
        let (file, text) = forms::write(also, &atlas, templates)?;
        summary.also.push(file.clone());
        made.outputs.push(text_output(file, &text, way, context.store)?);
    }
    let text = atlas.to_text().map_err(|e| Failure::io(&descriptor, &e))?;
    summary.descriptor = show::path(&way.out.join(&descriptor));
    made.outputs.push(text_output(descriptor, &text, way, context.store)?);
    let changed = made.outputs[changed_before..].iter().any(|o| o.changed);
    summary.state = match (changed, way.check) {
        (false, _) => State::Unchanged,
        (true, true) => State::OutOfDate,
        (true, false) => State::Built,
    };
    summary.why = why.as_ref().map(|why| Explained::new(&plan, why));
    summary.seconds = started.elapsed().as_secs_f64();
    made.summaries.push(summary);
    Ok(())
}

/// How much larger the pages are for the mip levels.
fn plan_cost(plan: &Plan<'_>, settings: &AtlasSettings) -> Result<Option<f64>, Failure> {
    if settings.mip_levels == 0 {
        return Ok(None);
    }
    Ok(Some(ratio(plan.area(), plan.area_without(Without::MipLevels)?)))
}

fn kept(plan: &Plan<'_>, former: Option<&Atlas>) -> Result<Option<Kept>, Failure> {
    let Some(former) = former else { return Ok(None) };
    let full = plan.area_without(Without::Keeping)?;
    Ok(Some(Kept { moved: plan.moved(former), full_layout_pixels: full, pixels: plan.area() }))
}

#[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
fn ratio(a: u64, b: u64) -> f64 {
    if b == 0 { 1.0 } else { a as f64 / b as f64 }
}

fn bytes_of(page: &PageFile<(Option<Waiting>, u64)>, out: &Path) -> u64 {
    let in_place = || std::fs::metadata(out.join(&page.drawn.file)).map_or(0, |m| m.len());
    page.made.as_ref().map_or_else(in_place, |(_, bytes)| *bytes)
}

/// What is told of the files that sprites come from.
fn tell_of_sources(summary: &mut Summary, job: &Job, loaded: &Loaded<'_>, plan: &Plan<'_>) {
    summary.loose_bytes = loaded.sprites.iter().map(|s| s.facts.canvas.area() * 4).sum();
    for (kind, file) in &loaded.ignored {
        summary.ignored.entry(kind.clone()).or_default().push(file.clone());
    }
    summary.skipped_files = job.sources.skipped;
    summary.warnings = plan.warnings();
    // Other sizes have the same rules.
    if summary.scale == 1.0 {
        let rules = &job.settings.rules;
        let applied: BTreeSet<usize> = loaded.sprites.iter().flat_map(|s| rules.matching(&s.name)).collect();
        for (_, rule) in rules.as_slice().iter().enumerate().filter(|(number, _)| !applied.contains(number)) {
            let glob = show::name(rule.pattern.as_str());
            summary.warnings.push(format!("atlas {}: the rule for '{glob}' at {} never applies", job.name, rule.place));
        }
    }
}

/// A file of text, unless it is in place already.
fn text_output(file: String, text: &str, way: Way<'_>, store: &dyn Store) -> Result<Output, Failure> {
    let (path, hash) = (way.out.join(&file), store::hash(text.as_bytes()));
    let changed = !files::hash(&path, store).is_ok_and(|there| there == hash);
    let waiting = if changed && !way.check { Some(write::prepare(&path, text.as_bytes())?) } else { None };
    Ok(Output { file, hash, page: false, waiting, changed })
}

/// The atlas that is in this place so far.
fn former(descriptor: &Path) -> Option<Atlas> {
    let text = std::fs::read_to_string(descriptor).ok()?;
    let atlas = parse(&text).ok()?.atlas;
    atlas.check().is_empty().then_some(atlas)
}

/// Refuses to write over a source.
fn protect_sources(job: &Job, plan: &Plan<'_>, out: &Path, name: &str) -> Result<(), Failure> {
    let settings = &job.settings;
    let mut targets: BTreeSet<String> =
        (0..plan.page_count()).map(|i| format!("{name}-{i}.{}", settings.pages_as.extension())).collect();
    targets.insert(format!("{name}{FILE_SUFFIX}"));
    targets.extend(settings.also.iter().map(|also| forms::file_name(also, name)));
    let targets: BTreeSet<PathBuf> = targets.iter().filter_map(|t| sources::clean(&out.join(t)).ok()).collect();
    let hit = |path: &Path| sources::clean(path).is_ok_and(|p| targets.contains(&p));
    let problems = job.sources.files.iter().filter(|s| hit(&s.path)).map(|source| {
        let why = "a page would be written over it";
        Problem::usage("a source in the place of a result", &source.shown, why, "choose another --name or -o")
    });
    Failure::unless(problems.collect(), ())
}
