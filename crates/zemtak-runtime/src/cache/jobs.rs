//! What workers do: read and decode files. No lock is held meanwhile.

use super::Shared;
use super::reload::Opened;
use super::sets::{Glob, PendingLookup};
use super::snapshot::{PageFile, Seen, Snapshot};
use super::state::{State, WorkItem};
use crate::failure::{Failure, Reason};
use crate::open::{DESCRIPTOR_BYTES, HashCheck, PAGE_BYTES, content_tag, decode_page, parse_descriptor};
use crate::sync::Stopwatch;
use std::io::ErrorKind;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_core::codec::decode;
use zemtak_core::pixels::Pixels;

/// Something to read.
pub(super) enum Job {
    Page { page: u32, file: PageFile, root: usize, check: HashCheck },
    Open { origin: u32, name: Arc<str> },
    List(PendingLookup),
    Look(Vec<(u32, Seen)>),
}

/// What came of it.
pub(super) enum Done {
    Page { page: u32, result: Result<Pixels, Failure>, took: Duration },
    Open { origin: u32, opened: Opened, took: Duration },
    List { lookup: PendingLookup, names: Result<Vec<String>, Failure> },
    Look(Vec<u32>),
}

impl State {
    /// The next thing to read, unless too much waits for the pump.
    pub fn next_job(&mut self, shared: &Shared) -> Option<Job> {
        if let Some(item) = self.work_items.pop_front() {
            return Some(match item {
                WorkItem::Open(origin) => Job::Open { origin, name: self.origins[origin as usize].name.clone() },
                WorkItem::List(lookup) => Job::List(lookup),
                WorkItem::Look => {
                    let known = (0..).zip(&self.origins).filter(|(_, origin)| !origin.seen.is_empty());
                    Job::Look(known.map(|(i, origin)| (i, origin.seen.clone())).collect())
                }
            });
        }
        let page = self.pages.next_to_decode(shared.decoded_ahead)?;
        let own = self.pages.get(page);
        let image = own.file.page.hash.is_empty() || !self.origins[own.origin as usize].name.ends_with(':');
        // A new version may be half written: there the hash tells.
        let check = if image || !(own.staged || shared.hash != HashCheck::No) {
            HashCheck::No
        } else {
            HashCheck::if_built_in()
        };
        Some(Job::Page { page, file: own.file.clone(), root: own.root, check })
    }

    pub fn has_jobs(&self) -> bool {
        !self.work_items.is_empty() || self.pages.has_queue()
    }

    /// Takes what came of a job.
    pub fn finish(&mut self, done: Done) {
        match done {
            Done::Page { page, result, took } => {
                self.counters.decoding += took;
                self.pages.decoded(page, result, &mut self.counters, &mut self.events);
            }
            Done::Open { origin, opened, took } => {
                self.counters.decoding += took;
                self.opened(origin, opened);
            }
            Done::List { lookup, names } => {
                let Some(set) = self.sets.get_mut(&lookup.set) else { return };
                let who = set.who;
                match names {
                    Ok(names) => {
                        set.pending -= 1;
                        let super::sets::What::Glob(glob) = &lookup.what else { return };
                        self.hold_all(lookup.set, &glob.asked, &names, who);
                    }
                    Err(failure) => {
                        self.deny(&lookup, &failure);
                        self.failed(failure);
                    }
                }
            }
            Done::Look(changed) => {
                self.looking = false;
                for origin in changed {
                    self.reload(origin);
                }
            }
        }
    }
}

impl Shared {
    /// Does a job. A decoder that breaks off makes it fail, and no more.
    pub(super) fn run(&self, job: Job) -> Done {
        let watch = Stopwatch::start();
        match job {
            Job::Page { page, file, root, check } => {
                let name = &file.path;
                let result = unbroken(name, || self.read_page(&file, root, check));
                Done::Page { page, result, took: watch.elapsed() }
            }
            Job::Open { origin, name } => {
                let mut seen = Seen::new();
                let result = unbroken(&name, || match name.strip_suffix(':') {
                    Some(atlas) => self.open_atlas(atlas, &mut seen),
                    None => self.open_image(&name, &mut seen),
                });
                Done::Open { origin, opened: Opened { result, seen }, took: watch.elapsed() }
            }
            Job::List(lookup) => {
                let super::sets::What::Glob(glob) = &lookup.what else {
                    return Done::List { lookup, names: Ok(Vec::new()) };
                };
                let names = unbroken(&glob.asked, || self.list(glob));
                Done::List { lookup, names }
            }
            Job::Look(known) => {
                let changed = |seen: &Seen| seen.iter().any(|(root, path, stamp)| self.stamp(*root, path) != *stamp);
                let look = || Ok(known.iter().filter(|(_, seen)| changed(seen)).map(|(origin, _)| *origin).collect());
                Done::Look(unbroken("a look for changes", look).unwrap_or_default())
            }
        }
    }

    fn stamp(&self, root: usize, path: &str) -> Option<crate::files::Stamp> {
        self.roots.get(root)?.stamp(path).ok()
    }

    fn read_page(&self, file: &PageFile, root: usize, check: HashCheck) -> Result<Pixels, Failure> {
        let files = &self.roots[root];
        let place = files.place(&file.path);
        let size = file.page.size();
        if self.limits.check(size).is_err() {
            return Err(Failure::at(&file.path, &place, Reason::TooLarge(size)));
        }
        let bytes = files.read(&file.path, PAGE_BYTES).map_err(|error| Failure::at(&file.path, &place, error))?;
        decode_page(&file.page, &place, bytes, check).map_err(|error| Failure::at(&file.path, &place, error))
    }

    fn open_atlas(&self, atlas: &str, seen: &mut Seen) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let path = format!("{atlas}{FILE_SUFFIX}");
        let (root, bytes) = self.read_first(atlas, &path, DESCRIPTOR_BYTES, seen)?;
        let place = self.roots[root].place(&path);
        let parsed = parse_descriptor(&place, bytes).map_err(|error| Failure::at(atlas, &place, error))?;
        let folder = atlas.rfind('/').map_or("", |slash| &atlas[..=slash]);
        let snapshot = Snapshot::of(parsed.atlas, root, folder);
        seen.extend(snapshot.pages.iter().map(|file| (root, file.path.to_string(), self.stamp(root, &file.path))));
        Ok((snapshot, None))
    }

    fn open_image(&self, path: &str, seen: &mut Seen) -> Result<(Snapshot, Option<Pixels>), Failure> {
        let (root, bytes) = self.read_first(path, path, PAGE_BYTES, seen)?;
        let place = self.roots[root].place(path);
        let decoded = decode(&bytes, None, &self.limits).map_err(|error| Failure::at(path, &place, error))?;
        let size = decoded.pixels.size();
        let snapshot = Snapshot::of_image(path, root, size, content_tag(&bytes), self.image_sampler);
        let snapshot = snapshot.ok_or_else(|| Failure::at(path, &place, Reason::TooLarge(size)))?;
        Ok((snapshot, Some(decoded.pixels)))
    }

    /// A file from the first root that has it.
    fn read_first(&self, name: &str, path: &str, limit: u64, seen: &mut Seen) -> Result<(usize, Vec<u8>), Failure> {
        for (root, files) in self.roots.iter().enumerate() {
            seen.push((root, path.to_owned(), files.stamp(path).ok()));
            match files.read(path, limit) {
                Ok(bytes) => return Ok((root, bytes)),
                Err(error) if is_absence(error.kind()) => {}
                Err(error) => return Err(Failure::at(name, &files.place(path), error)),
            }
        }
        let looked = self.roots.iter().map(|files| files.place(path)).collect();
        Err(Failure::new(name, Reason::NotFound(looked)))
    }

    /// All paths that a lookup of loose images finds, in order, each once.
    fn list(&self, glob: &Glob) -> Result<Vec<String>, Failure> {
        let mut names = std::collections::BTreeSet::new();
        for files in &self.roots {
            match files.list() {
                Ok(paths) => names.extend(paths.into_iter().filter(|path| glob.matches(path))),
                Err(error) if is_absence(error.kind()) => {}
                Err(error) => return Err(Failure::at(&glob.asked, &files.place(""), error)),
            }
        }
        Ok(names.into_iter().collect())
    }
}

/// Whether the next root is to be asked.
fn is_absence(kind: ErrorKind) -> bool {
    matches!(kind, ErrorKind::NotFound | ErrorKind::NotADirectory)
}

fn unbroken<T>(name: &str, read: impl FnOnce() -> Result<T, Failure>) -> Result<T, Failure> {
    catch_unwind(AssertUnwindSafe(read)).unwrap_or_else(|_| Err(Failure::new(name, Reason::BrokeOff)))
}
