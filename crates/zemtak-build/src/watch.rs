//! Building again whenever a source, a template or the project file changes.

use crate::failure::{Cause, Failure};
use crate::inputs::Inputs;
use crate::observer::Observer;
use crate::request::{PackRequest, Packed};
use crate::sources;
use notify_debouncer_full::notify::{EventKind, RecommendedWatcher, RecursiveMode};
use notify_debouncer_full::{DebounceEventResult, Debouncer, RecommendedCache, new_debouncer};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// How often to look whether the caller has asked to stop.
const GLANCE: Duration = Duration::from_millis(100);

/// How long after a failure to try again by itself: a half-written file may be whole by then without a further event.
const RETRY: Duration = Duration::from_secs(1);

/// Builds, and builds again after each change once nothing has changed for `settle`, until the observer cancels. Each
/// result goes to `built`; a build that fails changes nothing that is in place.
///
/// # Errors
/// Files cannot be watched at all.
pub fn watch(
    request: &PackRequest,
    settle: Duration,
    observer: &dyn Observer,
    mut built: impl FnMut(Result<Packed, Failure>),
) -> Result<(), Failure> {
    let (sender, changes) = channel();
    let send = move |result: DebounceEventResult| drop(sender.send(result));
    let mut watcher = new_debouncer(settle, None, send).map_err(|e| Failure::io("watching", &e))?;
    let mut places = Places::default();
    loop {
        // Before packing: what changes meanwhile is noticed.
        places.watch(&mut watcher, request);
        let result = request.run(observer);
        let again = result.is_err().then(|| Instant::now() + RETRY);
        if !result.as_ref().is_err_and(|failure| failure.cause() == Cause::Interrupted) {
            built(result);
        }
        if !wait(&changes, &places.out, again, observer) {
            return Ok(());
        }
    }
}

/// Waits for a change that matters, or until it is time to try again. `false` once the caller wants to stop.
fn wait(
    changes: &Receiver<DebounceEventResult>,
    out: &Path,
    mut until: Option<Instant>,
    observer: &dyn Observer,
) -> bool {
    loop {
        if observer.cancelled() {
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
    fn watch(&mut self, watcher: &mut Debouncer<RecommendedWatcher, RecommendedCache>, request: &PackRequest) {
        let inputs = request.inputs();
        self.out = sources::clean(&inputs.out).unwrap_or_default();
        self.watched.retain(|path| path.exists());
        for (path, mode) in places(&inputs) {
            if !self.watched.contains(&path) && watcher.watch(&path, mode).is_ok() {
                self.watched.insert(path);
            }
        }
    }
}

/// Folders, and whether what lies below them counts too. Files are watched by the folder that they lie in, since editors
/// put new files in their place.
fn places(inputs: &Inputs) -> BTreeMap<PathBuf, RecursiveMode> {
    let folder_of = |file: &PathBuf| {
        let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty());
        folder.unwrap_or(Path::new(".")).to_owned()
    };
    let files = inputs.files.iter().map(|file| (folder_of(file), RecursiveMode::NonRecursive));
    let art = inputs.art.iter().map(|path| (path.clone(), RecursiveMode::Recursive));
    files.chain(art).collect()
}
