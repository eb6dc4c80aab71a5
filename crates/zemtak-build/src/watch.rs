//! Building again whenever a source, a template or the project file changes.

use crate::failure::{Cause, Failure};
use crate::inputs::Inputs;
use crate::journal::Journal;
use crate::observer::Observer;
use crate::request::{PackRequest, Packed};
use crate::{format, sources};
use notify_debouncer_full::notify::{EventKind, RecommendedWatcher, RecursiveMode};
use notify_debouncer_full::{DebounceEventResult, Debouncer, RecommendedCache, new_debouncer};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// How often to check whether the caller has asked to stop.
const GLANCE: Duration = Duration::from_millis(100);

/// How long after a failure to try again without a change: a half-written file may be complete by then without a
/// further event.
const RETRY: Duration = Duration::from_secs(1);

/// What happens while a project is watched, in order.
#[derive(Debug)]
#[non_exhaustive]
pub enum WatchEvent {
    /// What is watched; sent at first, and whenever that changes.
    Watching(Vec<PathBuf>),
    /// Files that changed, before they are packed; none if a failed build is tried again.
    Changed(Vec<PathBuf>),
    /// The result of a build.
    Built(Result<Box<Packed>, Failure>),
}

/// Builds, and builds again after each change once nothing has changed for `settle`, until the observer cancels.
/// Reports everything that happens; a failed build changes nothing that is in place.
///
/// # Errors
/// Files cannot be watched at all.
pub fn watch(
    request: &PackRequest,
    settle: Duration,
    observer: &dyn Observer,
    mut tell: impl FnMut(WatchEvent),
) -> Result<(), Failure> {
    let (sender, changes) = channel();
    let send = move |result: DebounceEventResult| drop(sender.send(result));
    let mut watcher = new_debouncer(settle, None, send).map_err(|e| Failure::io("watching", &e))?;
    let mut places = Places::default();
    let journal = Journal::kept();
    let mut told = Vec::new();
    loop {
        // Before packing, so that changes in the meantime are noticed.
        let watched = places.watch(&mut watcher, request);
        // Nobody reported changes to what was not watched until now.
        if !places.all_watched || watched != told {
            journal.forget();
        }
        if watched != told {
            tell(WatchEvent::Watching(watched.clone()));
            told = watched;
        }
        let result = request.run_again(&journal, observer);
        let again = result.is_err().then(|| Instant::now() + RETRY);
        if result.is_err() {
            // Until a project file is valid again, nobody knows which folders matter.
            journal.forget();
        }
        if !result.as_ref().is_err_and(|failure| failure.cause() == Cause::Interrupted) {
            tell(WatchEvent::Built(result.map(Box::new)));
        }
        match wait(&changes, &places, again, observer) {
            Some(changed) => {
                journal.changed(&changed);
                places.moved(&changed);
                tell(WatchEvent::Changed(changed));
            }
            None => return Ok(()),
        }
    }
}

/// Waits for a change that matters, and returns the files; none if it is time to try again. `None` once the caller
/// wants to stop.
fn wait(
    changes: &Receiver<DebounceEventResult>,
    places: &Places,
    mut until: Option<Instant>,
    observer: &dyn Observer,
) -> Option<Vec<PathBuf>> {
    loop {
        if observer.cancelled() {
            return None;
        }
        match changes.recv_timeout(GLANCE) {
            // More happened than could be reported.
            Ok(Ok(events)) if events.iter().any(|event| event.need_rescan()) => return Some(Vec::new()),
            Ok(Ok(events)) => {
                let changed = |kind: &EventKind| !kind.is_access();
                let events = events.iter().filter(|event| changed(&event.kind));
                let paths: BTreeSet<&PathBuf> =
                    events.flat_map(|event| &event.paths).filter(|path| places.matters(path)).collect();
                if !paths.is_empty() {
                    return Some(paths.into_iter().map(|path| as_typed(path)).collect());
                }
            }
            // Packing once more finds whatever was missed.
            Ok(Err(_)) => return Some(Vec::new()),
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => return None,
        }
        if until.take_if(|at| *at <= Instant::now()).is_some() {
            return Some(Vec::new());
        }
    }
}

/// A path below the working folder, the way it would be typed there.
fn as_typed(path: &Path) -> PathBuf {
    let here = std::env::current_dir().unwrap_or_default();
    let typed = path.strip_prefix(&here).unwrap_or(path);
    typed.strip_prefix(".").unwrap_or(typed).to_owned()
}

/// What is watched.
#[derive(Debug, Default)]
struct Places {
    watched: BTreeSet<PathBuf>,
    /// Whether that is everything that matters.
    all_watched: bool,
    /// Where results go: changes there are our own.
    out: PathBuf,
    /// Folders and files with sprites.
    art: Vec<PathBuf>,
    /// Other files. They are watched through their folders, in which much else may change.
    files: Vec<PathBuf>,
}

impl Places {
    /// Whether a change of this path can change the result of a build: also of a folder in which sprites were or may
    /// be.
    fn matters(&self, path: &Path) -> bool {
        let path = sources::clean(path).unwrap_or_default();
        let of_art = |art: &PathBuf| path.starts_with(art) || art.starts_with(&path);
        !path.starts_with(&self.out) && (self.files.contains(&path) || self.art.iter().any(of_art))
    }

    /// Watches again whatever lies in changed paths or is one: a folder that reappears under its name is a different
    /// one.
    fn moved(&mut self, changed: &[PathBuf]) {
        let changed: Vec<PathBuf> = changed.iter().filter_map(|path| sources::clean(path).ok()).collect();
        let within = |place: &PathBuf| {
            sources::clean(place).is_ok_and(|place| changed.iter().any(|changed| place.starts_with(changed)))
        };
        self.watched.retain(|place| !within(place));
    }

    /// Watches what the request currently depends on; folders that do not exist are looked for next time. Returns what
    /// a person would say is watched.
    fn watch(
        &mut self,
        watcher: &mut Debouncer<RecommendedWatcher, RecommendedCache>,
        request: &PackRequest,
    ) -> Vec<PathBuf> {
        let inputs = request.inputs();
        self.out = sources::clean(&inputs.out).unwrap_or_default();
        let clean = |path: &PathBuf| sources::clean(path).unwrap_or_default();
        self.art = inputs.art.iter().map(clean).collect();
        self.files = inputs.files.iter().map(clean).collect();
        self.watched.retain(|path| path.exists());
        self.all_watched = true;
        for (path, mode) in places(&inputs) {
            if !self.watched.contains(&path) {
                match watcher.watch(&path, mode) {
                    Ok(()) => _ = self.watched.insert(path),
                    Err(_) => self.all_watched = false,
                }
            }
        }
        inputs.art.iter().chain(&inputs.files).filter(|path| path.exists()).cloned().collect()
    }
}

/// Folders, and whether everything below them counts too. Files are watched through their folders, because editors
/// replace them by new files.
fn places(inputs: &Inputs) -> BTreeMap<PathBuf, RecursiveMode> {
    let files = inputs.files.iter().map(|file| (format::folder_of(file).to_owned(), RecursiveMode::NonRecursive));
    let art = inputs.art.iter().map(|path| (path.clone(), RecursiveMode::Recursive));
    files.chain(art).collect()
}
