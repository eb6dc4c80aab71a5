//! What workers do: take a job, do it without holding a lock, and deliver the result.

use super::lookup::{PendingLookup, What};
use super::queue::{Later, WorkItem};
use super::reading::{KnownFiles, Reading, Texels, unbroken};
use super::reload::Opened;
use super::shared::Shared;
use super::snapshot::{PageFile, Seen};
use super::state::State;
use crate::failure::{Failure, Reason};
use crate::open::HashCheck;
use crate::sync::Stopwatch;
use crate::trace;
use std::io::ErrorKind;
use std::sync::Arc;
use std::time::Duration;

/// Something to read.
pub(super) enum Job {
    Page { page: u32, file: PageFile, root: usize, check: HashCheck },
    Open { origin: u32, name: Arc<str>, known: Vec<KnownFiles> },
    List(PendingLookup),
    Look(Vec<(u32, Seen)>),
}

/// The result of a job.
pub(super) enum Done {
    Page {
        page: u32,
        result: Result<Texels, Failure>,
        took: Duration,
    },
    Open {
        origin: u32,
        opened: Opened,
        took: Duration,
    },
    List {
        lookup: PendingLookup,
        names: Result<Vec<String>, Failure>,
    },
    Look(Vec<u32>),
    /// Nothing yet: a file is on its way.
    Later(Later),
}

impl State {
    /// The next thing to read, unless too much is waiting for the pump.
    pub fn next_job(&mut self, reading: &Reading) -> Option<Job> {
        if let Some(item) = self.queue.pop() {
            return Some(match item {
                WorkItem::Open(origin) => {
                    let (name, known) = (self.origins.get(origin).name.clone(), self.known_files(origin));
                    Job::Open { origin, name, known }
                }
                WorkItem::List(lookup) => Job::List(lookup),
                WorkItem::Look => {
                    let known = self.origins.iter().filter(|(_, origin)| !origin.seen.is_empty());
                    Job::Look(known.map(|(i, origin)| (i, origin.seen.clone())).collect())
                }
            });
        }
        let page = self.pages.next_to_decode(reading.decoded_ahead)?;
        let own = self.pages.get(page);
        let image = own.file.page.hash.is_empty() || !self.origins.get(own.origin).is_atlas();
        // A new version may be half written; the hash tells.
        let check = if image || !(own.may_be_half_written() || reading.hash != HashCheck::No) {
            HashCheck::No
        } else {
            HashCheck::if_built_in()
        };
        Some(Job::Page { page, file: own.file.clone(), root: own.root, check })
    }

    /// Notes that files have arrived.
    pub fn files_came(&mut self) {
        self.queue.came += 1;
        self.ask_again();
    }

    /// Repeats everything that waits for files.
    fn ask_again(&mut self) {
        for later in std::mem::take(&mut self.queue.later) {
            match later {
                Later::Page(page) => self.pages.decode_again(page, &mut self.account),
                Later::Other(item) => self.queue.push(item),
            }
        }
    }

    /// Takes the result of a job. `came` is the count of arrivals when the job began.
    pub fn finish(&mut self, done: Done, came: u64) {
        match done {
            Done::Page { page, result, took } => {
                self.account.counters.decoding += took;
                self.pages.decoded(page, result, &mut self.account);
            }
            Done::Open { origin, opened, took } => {
                self.account.counters.decoding += took;
                self.opened(origin, opened);
            }
            Done::List { lookup, names } => self.listed(&lookup, names),
            Done::Later(later) => self.queue.later.push(later),
            Done::Look(changed) => {
                self.queue.looked();
                for origin in changed {
                    self.reload(origin);
                }
            }
        }
        // A file may have arrived before anybody noted that it is waited for.
        if self.queue.came != came {
            self.ask_again();
        }
    }
}

impl Shared {
    /// The loop of a worker, until the pump is dropped.
    pub fn work(&self) {
        let mut state = self.lock();
        while !state.closed {
            let Some(job) = state.next_job(&self.reading) else {
                state = self.sleep(state);
                continue;
            };
            state.queue.running += 1;
            let came = state.queue.came;
            drop(state);
            let done = job.run(&self.reading);
            state = self.lock();
            state.queue.running -= 1;
            state.finish(done, came);
            // Others may be able to go on with what was read.
            self.wake(&state);
            self.tell();
        }
    }

    /// Does one job, where there are no workers; returns whether there was one.
    pub fn work_once(&self) -> bool {
        let mut state = self.lock();
        let (job, came) = (state.next_job(&self.reading), state.queue.came);
        drop(state);
        let Some(job) = job else { return false };
        let done = job.run(&self.reading);
        self.lock().finish(done, came);
        true
    }
}

impl Job {
    /// Does the job. If a decoder panics, the job fails, and nothing else.
    fn run(self, reading: &Reading) -> Done {
        let watch = Stopwatch::start();
        match self {
            Self::Page { page, file, root, check } => {
                let name = &file.path;
                let _span = trace::decode(name);
                let result = unbroken(name, || reading.read_page(&file, root, check));
                if is_on_its_way(&result) {
                    return Done::Later(Later::Page(page));
                }
                Done::Page { page, result, took: watch.elapsed() }
            }
            Self::Open { origin, name, known } => {
                let _span = trace::open(&name);
                let mut seen = Seen::new();
                let result = unbroken(&name, || match name.strip_suffix(':') {
                    Some(atlas) => reading.open_atlas(atlas, &known, &mut seen),
                    None => reading.open_image(&name, &mut seen),
                });
                if is_on_its_way(&result) {
                    return Done::Later(Later::Other(WorkItem::Open(origin)));
                }
                Done::Open { origin, opened: Opened { result, seen }, took: watch.elapsed() }
            }
            Self::List(lookup) => {
                let What::Glob(glob) = &lookup.what else {
                    return Done::List { lookup, names: Ok(Vec::new()) };
                };
                let _span = trace::list(&glob.asked);
                let names = unbroken(&glob.asked, || reading.list(glob));
                if is_on_its_way(&names) {
                    return Done::Later(Later::Other(WorkItem::List(lookup)));
                }
                Done::List { lookup, names }
            }
            Self::Look(known) => {
                let _span = trace::look();
                let changed = |seen: &Seen| seen.iter().any(|(root, path, stamp)| reading.stamp(*root, path) != *stamp);
                let look = || Ok(known.iter().filter(|(_, seen)| changed(seen)).map(|(origin, _)| *origin).collect());
                Done::Look(unbroken("a look for changes", look).unwrap_or_default())
            }
        }
    }
}

/// Whether a file has to be asked for once more.
fn is_on_its_way<T>(result: &Result<T, Failure>) -> bool {
    let kind = |failure: &Failure| match failure.reason() {
        Reason::Io(error) => Some(error.kind()),
        _ => None,
    };
    result.as_ref().err().and_then(kind) == Some(ErrorKind::WouldBlock)
}
