//! `zemtak watch`: packs, and packs again whenever a source, a template or the project file changes.

use super::pack;
use crate::answer::{Answer, Manner};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::project::Project;
use crate::settings::Also;
use crate::{interrupt, show, sources};
use notify_debouncer_full::notify::{EventKind, RecommendedWatcher, RecursiveMode};
use notify_debouncer_full::{DebounceEventResult, Debouncer, RecommendedCache, new_debouncer};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// What to pack, again and again.
#[derive(Debug, Clone, PartialEq)]
pub struct Request {
    /// As for `zemtak pack`.
    pub pack: pack::Request,
    /// How long nothing must change before a pack, so that a file is whole that is being written.
    pub settle: Duration,
}

/// How often builds came out well and not, until Ctrl-C.
#[derive(Debug, Clone, Default)]
pub struct Watched {
    packs: usize,
    failures: usize,
    /// What is wrong now.
    wrong: Option<Failure>,
}

/// How often to look whether the user has asked to stop.
const GLANCE: Duration = Duration::from_millis(100);

/// How long after a failure to try again by itself: a half-written file may be whole by then without a further event.
const RETRY: Duration = Duration::from_secs(1);

/// Packs until Ctrl-C. A build that fails is told and survived; the last good one stays.
///
/// # Errors
/// Files cannot be watched at all.
pub fn run(request: &Request, manner: Manner) -> Result<Watched, Failure> {
    let mut watched = Watched::default();
    let (sender, changes) = channel();
    let send = move |result: DebounceEventResult| drop(sender.send(result));
    let mut watcher = new_debouncer(request.settle, None, send).map_err(|e| Failure::io("watching", &e))?;
    let mut places = Places::default();
    loop {
        // Before packing: what changes meanwhile is noticed.
        places.watch(&mut watcher, &request.pack);
        pack_once(&request.pack, manner, &mut watched);
        let again = watched.wrong.as_ref().map(|_| Instant::now() + RETRY);
        if interrupt::asked() || !wait(&changes, &places.out, again) {
            return Ok(watched);
        }
    }
}

/// Packs and prints what came of it. What goes on being wrong is told once.
fn pack_once(request: &pack::Request, manner: Manner, watched: &mut Watched) {
    let before = watched.wrong.take();
    match pack::run(request, manner) {
        Ok(packed) => {
            watched.packs += 1;
            if watched.packs == 1 {
                let _ = manner.print(&packed);
            } else if packed.wrote() || before.is_some() {
                let _ = manner.print(&packed.in_short());
            }
        }
        Err(failure) if failure.exit() == Exit::Interrupted => {}
        Err(failure) => {
            watched.failures += 1;
            if before.as_ref() != Some(&failure) {
                let _ = manner.print_failure(&failure);
            }
            watched.wrong = Some(failure);
        }
    }
}

/// Waits for a change that matters, or until it is time to try again. `false` once the user has asked to stop.
fn wait(changes: &Receiver<DebounceEventResult>, out: &Path, mut until: Option<Instant>) -> bool {
    loop {
        if interrupt::asked() {
            return false;
        }
        match changes.recv_timeout(GLANCE) {
            Ok(Ok(events)) => {
                let matters = |path: &PathBuf| !sources::clean(path).unwrap_or_default().starts_with(out);
                let changed = |kind: &EventKind| !kind.is_access();
                if events.iter().any(|event| changed(&event.kind) && event.paths.iter().any(matters)) {
                    return true;
                }
            }
            // What was missed is found by packing once more.
            Ok(Err(_)) => return true,
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => return false,
        }
        if until.take_if(|at| *at <= Instant::now()).is_some() {
            return true;
        }
    }
}

/// What is watched.
#[derive(Debug, Default)]
struct Places {
    watched: BTreeSet<PathBuf>,
    /// Where results go: changes there are our own.
    out: PathBuf,
}

impl Places {
    /// Watches what the request, as it is now, depends on; folders that are not there are looked for the next time.
    fn watch(&mut self, watcher: &mut Debouncer<RecommendedWatcher, RecommendedCache>, request: &pack::Request) {
        let (wanted, out) = depends_on(request);
        self.out = sources::clean(&out).unwrap_or_default();
        self.watched.retain(|path| path.exists());
        for (path, mode) in wanted {
            if !self.watched.contains(&path) && watcher.watch(&path, mode).is_ok() {
                self.watched.insert(path);
            }
        }
    }
}

/// The files and folders that a build depends on, and where its results go.
fn depends_on(request: &pack::Request) -> (BTreeMap<PathBuf, RecursiveMode>, PathBuf) {
    let out = |default: PathBuf| request.out.clone().unwrap_or(default);
    if !request.paths.is_empty() {
        let paths = request.paths.iter().map(|path| (path.clone(), RecursiveMode::Recursive));
        return (paths.collect(), out("build".into()));
    }
    let Ok(project) = Project::open(request.project.as_deref()) else {
        // Its folder, so that a mended project file is noticed.
        let folder = request.project.as_deref().and_then(Path::parent).filter(|p| !p.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new(".")).to_owned();
        return (BTreeMap::from([(folder, RecursiveMode::NonRecursive)]), out("build".into()));
    };
    let here = if project.folder.as_os_str().is_empty() { PathBuf::from(".") } else { project.folder.clone() };
    // The folder for the project file's sake, but not all below it.
    let mut places = BTreeMap::from([(here.clone(), RecursiveMode::NonRecursive)]);
    for (_, keys) in &project.atlases {
        let root = keys.root.as_ref().map_or_else(|| here.clone(), |root| project.folder.join(root));
        places.insert(root, RecursiveMode::Recursive);
        let templates = keys.also.iter().flatten().filter_map(|also| match also {
            Also::Template(path) => project.folder.join(path).parent().map(Path::to_owned),
            _ => None,
        });
        for folder in templates.filter(|path| !path.as_os_str().is_empty()) {
            places.entry(folder).or_insert(RecursiveMode::NonRecursive);
        }
    }
    (places, out(project.out))
}

impl Answer for Watched {
    fn text(&self, _: bool) -> String {
        let packs = show::count(self.packs, "build", "builds");
        format!("{packs}, {} that failed\n", show::number(self.failures as u64))
    }

    fn json(&self) -> Value {
        json!({ "builds": self.packs, "failures": self.failures })
    }
}
