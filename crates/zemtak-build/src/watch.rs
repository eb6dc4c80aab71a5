//! Building again whenever a source, a template or the project file changes.

use crate::failure::{Cause, Failure, Problem};
use crate::inputs::Inputs;
use crate::journal::Journal;
use crate::observer::Observer;
use crate::request::{PackRequest, Packed};
use crate::summary::State;
use crate::{format, sources};
use notify::{ErrorKind, Event, RecursiveMode, Watcher};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// How often to check whether the caller has asked to stop.
const GLANCE: Duration = Duration::from_millis(100);

/// How long after a failure to try again without a change: a half-written file may be complete by then without a
/// further event.
const RETRY: Duration = Duration::from_secs(1);

/// How often to look at everything if the system does not report all changes.
const POLL: Duration = Duration::from_secs(2);

/// How long to wait for files to settle that are written again and again.
const RESTLESS: Duration = Duration::from_secs(5);

/// How to watch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct WatchOptions {
    /// How long everything must be still before a build starts, so that files being written are complete. Default: a
    /// tenth of a second.
    pub settle: Duration,
    /// Whether to look at everything every two seconds, for places from which the system reports no changes, such as
    /// network drives. Default: no.
    pub poll: bool,
}

impl Default for WatchOptions {
    fn default() -> Self {
        Self { settle: Duration::from_millis(100), poll: false }
    }
}

/// What happens while a project is watched, in order.
#[derive(Debug)]
#[non_exhaustive]
pub enum WatchEvent {
    /// What is watched; sent at first, and whenever that changes.
    Watching {
        /// Folders and files.
        places: Vec<PathBuf>,
        /// Why the system does not report all changes there, if so: then everything is looked at every two seconds.
        polling: Option<String>,
    },
    /// Files that changed, before they are packed; none if a failed build is tried again.
    Changed(Vec<PathBuf>),
    /// The result of a build, unless it found nothing to do and nothing had been reported.
    Built(Result<Box<Packed>, Failure>),
}

/// Builds, and builds again after each change once all is still, until the observer cancels. Reports everything that
/// happens; a failed build changes nothing that is in place.
pub fn watch(request: &PackRequest, options: WatchOptions, observer: &dyn Observer, tell: impl FnMut(WatchEvent)) {
    let (sender, changes) = channel();
    let send = move |event| drop(sender.send((Instant::now(), event)));
    match notify::recommended_watcher(send) {
        Ok(mut watcher) => {
            let mut look_after = |path: &Path, mode| watcher.watch(path, mode);
            follow(&mut look_after, &changes, request, options, observer, tell);
        }
        Err(error) => {
            let (_nobody_sends, changes) = channel();
            let why = format!("the system cannot start a watcher ({})", reason(&error));
            let mut refuse = |_: &Path, _| Err(notify::Error::generic(&why));
            follow(&mut refuse, &changes, request, options, observer, tell);
        }
    }
}

/// Has the system report changes of a file or folder from now on.
type LookAfter<'a> = &'a mut dyn FnMut(&Path, RecursiveMode) -> notify::Result<()>;

/// The same with any watcher, and the channel into which it sends.
fn follow(
    watcher: LookAfter<'_>,
    changes: &Receiver<Heard>,
    request: &PackRequest,
    WatchOptions { settle, poll }: WatchOptions,
    observer: &dyn Observer,
    mut tell: impl FnMut(WatchEvent),
) {
    let mut places = Places::default();
    let journal = Journal::kept();
    let mut told = None;
    // Whether the last build went well, and no change has been reported since.
    let mut is_idle = false;
    loop {
        // Before packing, so that changes in the meantime are noticed.
        let watched = (places.watch(watcher, request), places.polling.clone());
        let is_told = told.as_ref() == Some(&watched);
        // Nobody reported changes to what was not watched until now.
        if !places.all_watched || !is_told {
            journal.forget();
        }
        if !is_told {
            let (shown, polling) = watched.clone();
            tell(WatchEvent::Watching { places: shown, polling });
            told = Some(watched);
        }
        let result = request.run_again(&journal, observer);
        let pause = match &result {
            Ok(_) => (poll || places.polling.is_some()).then_some(POLL),
            Err(_) => {
                // Until a project file is valid again, nobody knows which folders matter.
                journal.forget();
                Some(RETRY)
            }
        };
        let is_news = !is_idle || result.as_ref().map_or(true, is_new);
        is_idle = result.is_ok();
        if is_news && !result.as_ref().is_err_and(|failure| failure.cause() == Cause::Interrupted) {
            tell(WatchEvent::Built(result.map(Box::new)));
        }
        let again = pause.map(|pause| Instant::now() + pause);
        let Some(changed) = wait(changes, &mut places, settle, again, observer) else { return };
        journal.changed(&changed);
        places.moved(&changed);
        is_idle &= changed.is_empty();
        if !is_idle {
            tell(WatchEvent::Changed(changed));
        }
    }
}

/// Whether a build had anything to do.
fn is_new(packed: &Packed) -> bool {
    packed.atlases.iter().any(|atlas| atlas.state != State::Unchanged)
}

/// Something that happened to files, and when it was heard of.
type Heard = (Instant, notify::Result<Event>);

/// Waits for changes that matter and for files to settle, and returns the files; none if it is time to try again, or if
/// nobody knows which files changed. `None` once the caller wants to stop.
fn wait(
    changes: &Receiver<Heard>,
    places: &mut Places,
    settle: Duration,
    again: Option<Instant>,
    observer: &dyn Observer,
) -> Option<Vec<PathBuf>> {
    let mut changed = BTreeSet::new();
    let mut is_known = true;
    // When all is settled, or it is time to try again; and when to wait no longer.
    let (mut until, mut latest) = (again, None);
    let has_come = |time: Option<Instant>| time.is_some_and(|time| time <= Instant::now());
    while !observer.cancelled() {
        let left = until.map_or(GLANCE, |until| until.saturating_duration_since(Instant::now()));
        match changes.recv_timeout(left.min(GLANCE)) {
            Ok((heard, event)) => match places.changed(event) {
                Some(files) => {
                    is_known &= !files.is_empty();
                    changed.extend(files);
                    until = Some(heard + settle);
                    latest.get_or_insert(heard + settle + RESTLESS);
                }
                // Other files may be written all the time.
                None if until.is_some_and(|until| until <= heard) => latest = until,
                None => {}
            },
            Err(RecvTimeoutError::Timeout) if has_come(until) => latest = until,
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => return None,
        }
        if has_come(latest) {
            return Some(if is_known { changed.into_iter().collect() } else { Vec::new() });
        }
    }
    None
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
    /// Why some of it cannot be watched although it is there.
    polling: Option<String>,
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

    /// The files of an event that matter, the way they would be typed; `None` if none does. No file if more happened than
    /// could be reported: packing again finds whatever was missed.
    fn changed(&mut self, event: notify::Result<Event>) -> Option<Vec<PathBuf>> {
        if event.as_ref().is_err_and(|error| matches!(error.kind, ErrorKind::MaxFilesWatch)) {
            // There was a new folder. Watching everything again shows whether it still cannot be watched.
            self.watched.clear();
        }
        let Some(event) = event.ok().filter(|event| !event.need_rescan()) else { return Some(Vec::new()) };
        if event.kind.is_access() {
            return None;
        }
        let paths: Vec<PathBuf> =
            event.paths.iter().filter(|path| self.matters(path)).map(|path| as_typed(path)).collect();
        (!paths.is_empty()).then_some(paths)
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
    fn watch(&mut self, watcher: LookAfter<'_>, request: &PackRequest) -> Vec<PathBuf> {
        let inputs = request.inputs();
        self.out = sources::clean(&inputs.out).unwrap_or_default();
        let clean = |path: &PathBuf| sources::clean(path).unwrap_or_default();
        self.art = inputs.art.iter().map(clean).collect();
        self.files = inputs.files.iter().map(clean).collect();
        self.watched.retain(|path| path.exists());
        (self.all_watched, self.polling) = (true, None);
        for (path, mode) in places(&inputs) {
            if self.watched.contains(&path) {
                continue;
            }
            match watcher(&path, mode) {
                Ok(()) => _ = self.watched.insert(path),
                Err(error) => {
                    self.all_watched = false;
                    self.polling = self.polling.take().or_else(|| path.exists().then(|| reason(&error)));
                }
            }
        }
        inputs.art.iter().chain(&inputs.files).filter(|path| path.exists()).cloned().collect()
    }
}

/// Why something cannot be watched.
fn reason(error: &notify::Error) -> String {
    match &error.kind {
        ErrorKind::MaxFilesWatch if cfg!(target_os = "linux") => {
            "the system cannot watch more folders; its limit is fs.inotify.max_user_watches".into()
        }
        ErrorKind::MaxFilesWatch => "the system cannot watch more folders".into(),
        ErrorKind::Io(error) => Problem::io("", error).why,
        _ => error.to_string(),
    }
}

/// Folders, and whether everything below them counts too. Files are watched through their folders, because editors
/// replace them by new files.
fn places(inputs: &Inputs) -> BTreeMap<PathBuf, RecursiveMode> {
    let files = inputs.files.iter().map(|file| (format::folder_of(file).to_owned(), RecursiveMode::NonRecursive));
    let art = inputs.art.iter().map(|path| (path.clone(), RecursiveMode::Recursive));
    files.chain(art).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use notify::EventKind;
    use notify::event::{AccessKind, DataChange, Flag, ModifyKind};
    use std::sync::atomic::{AtomicBool, Ordering};
    use zemtak_core::codec::{PngEffort, encode_png};
    use zemtak_core::geometry::Size;
    use zemtak_core::pixels::Pixels;

    const WRITTEN: EventKind = EventKind::Modify(ModifyKind::Data(DataChange::Any));
    const SETTLE: Duration = Duration::from_millis(20);

    fn event(kind: EventKind, path: &str) -> notify::Result<Event> {
        Ok(Event::new(kind).add_path(Path::new("/game").join(path)))
    }

    /// What is returned after events that were heard so long ago.
    fn waited(events: Vec<(Duration, notify::Result<Event>)>) -> Option<Vec<PathBuf>> {
        let (sender, changes) = channel();
        let now = Instant::now();
        for (age, event) in events {
            sender.send((now.checked_sub(age).unwrap(), event)).unwrap();
        }
        let mut places = Places { art: vec!["/game/art".into()], out: "/game/art/build".into(), ..Places::default() };
        wait(&changes, &mut places, SETTLE, Some(now + RETRY), &())
    }

    #[test]
    fn what_was_saved_together_is_returned_together_and_without_other_files() {
        let saved = ["art/moth.png", "art/moth.png", "notes.txt", "art/build/night-0.png", "art/pond.png"];
        let mut events: Vec<_> = saved.into_iter().map(|path| (Duration::ZERO, event(WRITTEN, path))).collect();
        let read = event(EventKind::Access(AccessKind::Any), "art/lantern.png");
        events.push((Duration::ZERO, read));
        let changed = ["/game/art/moth.png", "/game/art/pond.png"].map(PathBuf::from);
        assert_eq!(waited(events), Some(changed.to_vec()));
    }

    #[test]
    fn changes_heard_of_during_a_build_settle_meanwhile() {
        let events = vec![(SETTLE * 9, event(WRITTEN, "art/moth.png")), (SETTLE * 8, event(WRITTEN, "art/pond.png"))];
        let started = Instant::now();
        assert_eq!(waited(events).map(|files| files.len()), Some(2));
        assert!(started.elapsed() < RETRY, "returned only because it was time to try again");
    }

    #[test]
    fn other_files_that_are_written_all_the_time_keep_nobody_waiting() {
        let events = vec![
            (SETTLE * 9, event(WRITTEN, "art/moth.png")),
            (SETTLE * 3, event(WRITTEN, "notes.txt")),
            (Duration::ZERO, event(WRITTEN, "art/pond.png")),
        ];
        assert_eq!(waited(events), Some(vec![PathBuf::from("/game/art/moth.png")]));
    }

    #[test]
    fn files_that_never_settle_are_packed_at_last() {
        let events =
            vec![(SETTLE + RESTLESS, event(WRITTEN, "art/moth.png")), (Duration::ZERO, event(WRITTEN, "art/pond.png"))];
        assert_eq!(waited(events), Some(vec![PathBuf::from("/game/art/moth.png")]));
    }

    #[test]
    fn lost_events_mean_that_nobody_knows_what_changed() {
        let lost = Ok(Event::new(EventKind::Other).set_flag(Flag::Rescan));
        let events = vec![(Duration::ZERO, event(WRITTEN, "art/moth.png")), (Duration::ZERO, lost)];
        assert_eq!(waited(events), Some(Vec::new()));
    }

    #[derive(Default)]
    struct Until(AtomicBool);

    impl Observer for Until {
        fn cancelled(&self) -> bool {
            self.0.load(Ordering::Relaxed)
        }
    }

    /// What is told by a watcher that reports nothing, of a second image that is drawn after it has looked in vain.
    fn told_by(watcher: LookAfter<'_>, poll: bool) -> Vec<String> {
        let game = tempfile::tempdir().unwrap();
        let art = game.path().join("art");
        std::fs::create_dir(&art).unwrap();
        let png =
            |side: u32| encode_png(&Pixels::filled(Size::new(side, side), [90; 4]).unwrap(), PngEffort::Fast).unwrap();
        std::fs::write(art.join("moth.png"), png(3)).unwrap();
        let request = PackRequest::of_paths([&art]).out(game.path().join("build"));
        let options = WatchOptions { settle: SETTLE, poll };
        let (_sender, changes) = channel();
        let (until, mut told) = (Until::default(), Vec::new());
        follow(watcher, &changes, &request, options, &until, |event| {
            told.push(match event {
                WatchEvent::Watching { polling, .. } => polling.unwrap_or_default(),
                WatchEvent::Changed(paths) => format!("{paths:?}"),
                WatchEvent::Built(packed) => packed.unwrap().atlases[0].sprites.to_string(),
            });
            match told.len() {
                2 => {
                    let (pond, png) = (art.join("pond.png"), png(5));
                    std::thread::spawn(move || {
                        std::thread::sleep(POLL * 3 / 2);
                        std::fs::write(pond, png).unwrap();
                    });
                }
                3 => until.0.store(true, Ordering::Relaxed),
                _ => {}
            }
        });
        told
    }

    /// Once the system watched no more folders, nothing was ever packed again, and nobody was told.
    #[test]
    fn what_cannot_be_watched_is_looked_at_now_and_then() {
        let told = told_by(&mut |_, _| Err(notify::Error::new(ErrorKind::MaxFilesWatch)), false);
        assert!(told[0].starts_with("the system cannot watch more folders") && told[1..] == ["1", "2"], "{told:?}");
    }

    #[test]
    fn a_place_that_reports_nothing_is_looked_at_if_asked() {
        assert_eq!(told_by(&mut |_, _| Ok(()), true), ["", "1", "2"]);
    }

    /// A folder that was new when the system watched no more is watched as soon as it can be.
    #[test]
    fn everything_is_watched_anew_when_a_new_folder_could_not_be() {
        let mut places = Places { watched: ["/game/art".into()].into(), ..Places::default() };
        let full = notify::Error::new(ErrorKind::MaxFilesWatch);
        assert_eq!((places.changed(Err(full)), places.watched.len()), (Some(Vec::new()), 0));
    }
}
