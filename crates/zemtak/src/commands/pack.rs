//! `zemtak pack`: builds the atlases of a project, or one of folders and files.

use crate::answer::{Answer, Manner};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::job::{self, Job, Jobs};
use crate::lock;
use crate::make::{Made, NotDrawn, Output, Way, begin, finish};
use crate::project::Project;
use crate::settings::Keys;
use crate::store::{self, FileStore, Hash, Store};
use crate::summary::{State, Summary};
use crate::timings::{Spent, Stage, Timings};
use crate::{files, interrupt, show};
use serde::Deserialize;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::Instant;
use zemtak_core::atlas::{FILE_SUFFIX, Page, page_path_is_safe};

/// What to pack, where to, and how.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Request {
    /// Folders and files with sprites; none for the atlases of a project file.
    pub paths: Vec<PathBuf>,
    /// The project file, or its folder.
    pub project: Option<PathBuf>,
    /// What names are relative to.
    pub root: Option<PathBuf>,
    /// The folder for results.
    pub out: Option<PathBuf>,
    /// The atlas's name; of a project, the only atlas to build.
    pub name: Option<String>,
    /// The atlas keys that were said.
    pub keys: Keys,
    /// Whether to explain the layout.
    pub why: bool,
    /// Whether a Ctrl-C during the search for a layout means to go on with the best so far.
    pub take_best: bool,
    /// Write nothing, and tell what is out of date.
    pub check: bool,
    /// Build everything anew.
    pub fresh: bool,
    /// Keep boxes where they are.
    pub keep: bool,
    /// Tell where the time goes.
    pub timings: bool,
}

/// What was built.
#[derive(Debug, Default)]
pub struct Packed {
    summaries: Vec<Summary>,
    warnings: Vec<String>,
    check: bool,
    seconds: f64,
    /// Where the time went, if that was asked for.
    spent: Option<Spent>,
}

/// Builds what is out of date. Files are put in place when everything has succeeded.
///
/// # Errors
/// Anything wrong with project, sources, options or files; what was there before stays.
pub fn run(request: &Request, manner: Manner) -> Result<Packed, Failure> {
    let started = Instant::now();
    let timings = Timings::default();
    let (out, jobs) = timings.time(Stage::Find, || jobs(request))?;
    let way = Way {
        out: &out,
        check: request.check,
        keep: request.keep,
        why: request.why,
        take_best: request.take_best,
        timings: &timings,
        manner,
    };
    let mut lock = if request.check { None } else { Some(lock::take(&out, manner)?) };
    let built = build_and_place(&jobs.jobs, way, request.fresh);
    if built.is_err() {
        lock.iter_mut().for_each(lock::Lock::give_up);
    }
    let summaries = built?.into_iter().flat_map(|m| m.summaries).collect();
    let seconds = started.elapsed().as_secs_f64();
    let spent = request.timings.then(|| timings.spent());
    Ok(Packed { summaries, warnings: jobs.warnings, check: request.check, seconds, spent })
}

/// Builds, and puts the files in place unless this is only a check.
fn build_and_place(jobs: &[Job], way: Way<'_>, fresh: bool) -> Result<Vec<Made>, Failure> {
    let store = if fresh { FileStore::empty(way.out) } else { FileStore::open(way.out) };
    let (store, made) = match build(jobs, way, &store) {
        // Something changed while we looked at it, or the store was wrong: once more, with nothing remembered.
        Err(NotDrawn::Stale) => {
            let store = FileStore::empty(way.out);
            let made = build(jobs, way, &store);
            (store, made)
        }
        made => (store, made),
    };
    let made = made.map_err(|error| failed(error, way.out))?;
    if way.check { Ok(made) } else { way.timings.time(Stage::Write, || place(way.out, made, &store)) }
}

/// What is to be built, and where it goes.
fn jobs(request: &Request) -> Result<(PathBuf, Jobs), Failure> {
    let name = request.name.as_deref();
    if request.paths.is_empty() {
        let project = Project::open(request.project.as_deref())?;
        let out = request.out.clone().unwrap_or_else(|| project.out.clone());
        let jobs = job::of_project(&project, name, &out, &request.keys)?;
        return Ok((out, jobs));
    }
    let out = request.out.clone().unwrap_or_else(|| "build".into());
    let jobs = job::of_paths(&request.paths, request.root.as_deref(), &out, name, request.keys.clone())?;
    Ok((out, jobs))
}

/// Builds all atlases as far as they are out of date, and loads the sprites of each while the one before it is laid out and
/// drawn. What is wrong with any is told of all.
fn build(jobs: &[Job], way: Way<'_>, store: &dyn Store) -> Result<Vec<Made>, NotDrawn> {
    let (mut made, mut problems) = (Vec::new(), Vec::new());
    let mut rest = jobs.iter();
    let mut next = rest.next().map(|job| begin(job, way, store));
    while let Some(begun) = next {
        let following = rest.next();
        let load = || following.map(|job| begin(job, way, store));
        let build = || begun.map_err(NotDrawn::from).and_then(|begun| finish(begun, way, store));
        // With --take-best a Ctrl-C is meant for the search alone: loading beside it would take it as the wish to stop.
        let (built, loaded) = if way.take_best { (build(), load()) } else { rayon::join(build, load) };
        match built {
            Ok(one) => made.push(one),
            Err(NotDrawn::Failed(failure)) if failure.exit() == Exit::Interrupted => return Err(failure.into()),
            Err(NotDrawn::Failed(failure)) => problems.extend(failure.problems().iter().cloned()),
            Err(NotDrawn::Stale) => return Err(NotDrawn::Stale),
        }
        next = loaded;
    }
    Ok(Failure::unless(problems, made)?)
}

fn failed(error: NotDrawn, out: &Path) -> Failure {
    match error {
        NotDrawn::Failed(failure) => failure,
        NotDrawn::Stale => {
            Failure::io(&show::path(out), &std::io::Error::other("sources keep changing while they are read"))
        }
    }
}

/// Page files by name, with the hash of what was written there.
type Pages = BTreeMap<String, Hash>;

/// Renames all files into place, pages first, each descriptor after its pages; then removes pages of ours that no
/// descriptor names any more.
fn place(out: &Path, mut made: Vec<Made>, store: &FileStore) -> Result<Vec<Made>, Failure> {
    let key = store::key("wrote", &[]);
    let wrote: Pages = store.get(&key).and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    let outputs = || made.iter().flat_map(|m| &m.outputs);
    let new: Pages = outputs().filter(|o| o.page).map(|o| (o.file.clone(), o.hash)).collect();
    let remember = |pages: &Pages| store.put(key, serde_json::to_vec(pages).unwrap_or_default());
    let changes = outputs().any(|o| o.waiting.is_some()) || wrote.keys().any(|file| !new.contains_key(file));
    let mut old = wrote;
    if changes {
        old.extend(named_pages(out));
        interrupt::check()?;
        // Noted before it is done: should this build be killed, the next one knows which files are ours.
        let mut all = old.clone();
        all.extend(new.clone());
        remember(&all);
        store.save()?;
        let waiting = |made: &mut Vec<Made>, page: bool| -> Vec<_> {
            let outputs = made.iter_mut().flat_map(|m| &mut m.outputs).filter(|o| o.page == page);
            outputs.filter_map(|o: &mut Output| o.waiting.take()).collect()
        };
        for file in waiting(&mut made, true).into_iter().chain(waiting(&mut made, false)) {
            file.put()?;
        }
        old = remove_old(out, old, store)?;
    }
    old.extend(new);
    remember(&old);
    made.iter().for_each(|m| m.remember(store));
    store.save()?;
    Ok(made)
}

/// Removes pages that no descriptor names, if they are byte for byte what we wrote. Gives those that others name.
fn remove_old(out: &Path, old: Pages, store: &FileStore) -> Result<Pages, Failure> {
    let named = named_pages(out);
    let (named, unnamed): (Pages, Pages) = old.into_iter().partition(|(file, _)| named.contains_key(file));
    for (file, hash) in unnamed {
        let path = out.join(&file);
        if files::hash(&path, store).is_ok_and(|there| there == hash) {
            std::fs::remove_file(&path).map_err(|e| Failure::io(&show::path(&path), &e))?;
        }
    }
    Ok(named)
}

/// The pages that descriptors in a folder name, with their hashes.
fn named_pages(folder: &Path) -> Pages {
    #[derive(Deserialize)]
    struct Named {
        pages: Vec<Page>,
    }
    let mut pages = Pages::new();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_name().to_str().is_some_and(|name| name.ends_with(FILE_SUFFIX)) {
            let text = std::fs::read(entry.path()).unwrap_or_default();
            let named = serde_json::from_slice(&text).map_or_else(|_| Vec::new(), |named: Named| named.pages);
            let safe = named.into_iter().filter(|page| page_path_is_safe(&page.file));
            pages.extend(safe.filter_map(|page| Some((page.file.clone(), store::of_written(&page.hash)?))));
        }
    }
    pages
}

impl Packed {
    /// Whether any atlas was written.
    #[must_use]
    pub fn wrote(&self) -> bool {
        self.summaries.iter().any(|s| s.state == State::Built)
    }

    /// The same, told with a line for each atlas that was built.
    #[must_use]
    pub fn in_short(self) -> impl Answer {
        InShort(self)
    }

    fn out_of_date(&self) -> bool {
        self.summaries.iter().any(|s| s.state == State::OutOfDate)
    }
}

impl Answer for Packed {
    fn text(&self, verbose: bool) -> String {
        let mut out: String = self.summaries.iter().map(|s| s.text(verbose)).collect();
        if self.summaries.len() > 1 || self.check {
            let built = self.summaries.iter().filter(|s| s.state != State::Unchanged).count();
            let word = if self.check { "out of date" } else { "built" };
            let unchanged = self.summaries.len() - built;
            out.push_str(&format!("{built} {word}, {unchanged} unchanged in {:.2} s\n", self.seconds));
        }
        out.push_str(&self.spent.as_ref().map(Spent::text).unwrap_or_default());
        out
    }

    fn json(&self) -> Value {
        let mut json = json!({ "atlases": self.summaries, "warnings": self.warnings, "seconds": self.seconds });
        if let Some(spent) = self.spent {
            json["timings_ms"] = spent.json();
        }
        json
    }

    fn warnings(&self) -> Vec<String> {
        let of_atlases = self.summaries.iter().flat_map(Summary::all_warnings);
        self.warnings.iter().cloned().chain(of_atlases).collect()
    }

    fn exit(&self) -> Exit {
        if self.check && self.out_of_date() { Exit::Found } else { Exit::Done }
    }
}

/// A repack as `zemtak watch` tells it.
struct InShort(Packed);

impl Answer for InShort {
    fn text(&self, _: bool) -> String {
        let Packed { summaries, seconds, .. } = &self.0;
        let built = summaries.iter().filter(|s| s.state == State::Built);
        let lines: String = built.map(|s| format!("{} in {seconds:.2} s\n", s.line())).collect();
        if lines.is_empty() { "all is well again, and nothing had to be written\n".into() } else { lines }
    }

    fn json(&self) -> Value {
        self.0.json()
    }

    fn warnings(&self) -> Vec<String> {
        self.0.warnings()
    }
}
