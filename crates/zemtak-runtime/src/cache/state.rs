//! What a cache knows and counts: names, atlases and images, pages. One lock guards all of it; no file is read and no
//! texture made under that lock.

use super::counters::Counters;
use super::entries::{Entry, Target, Version, Who};
use super::pages::{PageState, Pages};
use super::sets::{HeldSet, PendingLookup};
use crate::event::{Event, Events};
use crate::failure::{Failure, Reason};
use crate::sink::Texture;
use crate::sync::{ThreadId, current};
use std::collections::{BTreeMap, HashMap, VecDeque};
use std::sync::Arc;
use zemtak_core::atlas::{Atlas, page_path_is_safe};
use zemtak_core::geometry::Size;

/// Where sprites come from: an atlas or a loose image.
#[derive(Debug, Default)]
pub(super) struct Origin {
    /// The path of an atlas below its root and a colon, as `night:`, or the path of an image.
    pub name: Arc<str>,
    /// What is drawn.
    pub version: Option<Arc<Version>>,
    /// What will be drawn once all of it that is held is there.
    pub coming: Option<Arc<Version>>,
    /// Why it cannot be read.
    pub failed: Option<Failure>,
    /// Whether it is being read, and whether it has to be read again after that.
    pub opening: bool,
    pub again: bool,
    pub entries: Vec<u32>,
    /// What sets wait for, and what they cannot have because it cannot be read.
    pub lookups: Vec<PendingLookup>,
    pub failed_lookups: Vec<PendingLookup>,
    /// Its files as they were when it was last read.
    pub seen: super::snapshot::Seen,
}

/// Something to be done by a worker besides reading pages.
#[derive(Debug)]
pub(super) enum WorkItem {
    /// Read an atlas' descriptor, or an image.
    Open(u32),
    /// List all files for a lookup.
    List(PendingLookup),
    /// Look for files that have changed.
    Look,
}

#[derive(Debug)]
pub(super) struct State {
    pub entries: Vec<Entry>,
    names: HashMap<Arc<str>, u32>,
    pub origins: Vec<Origin>,
    origin_names: HashMap<Arc<str>, u32>,
    pub pages: Pages,
    pub sets: BTreeMap<u32, HeldSet>,
    pub sets_made: u32,
    pub holders: Vec<Arc<str>>,
    pub work_items: VecDeque<WorkItem>,
    /// Whether a look for changed files waits or is under way.
    pub looking: bool,
    pub trim: bool,
    pub stand_in: Option<(Texture, Size)>,
    pub counters: Counters,
    pub events: Events,
    pub pump_thread: ThreadId,
    pub closed: bool,
    /// Workers that wait for something to do.
    pub sleeping: usize,
    /// Jobs that workers are at.
    pub running: usize,
}

/// How far something is that was asked for.
#[derive(Debug, Clone)]
pub enum Status {
    /// It is on its way.
    Loading,
    /// It can be drawn.
    Ready,
    /// It cannot be had. A retry or a reload may change that.
    Failed(Failure),
}

impl State {
    pub fn new(budget: u64) -> Self {
        let mut state = Self {
            entries: Vec::new(),
            names: HashMap::new(),
            origins: Vec::new(),
            origin_names: HashMap::new(),
            pages: Pages::within(budget),
            sets: BTreeMap::new(),
            sets_made: 0,
            holders: vec!["".into(), "pinned".into()],
            work_items: VecDeque::new(),
            looking: false,
            trim: false,
            stand_in: None,
            counters: Counters::default(),
            events: Events::default(),
            pump_thread: current().id(),
            closed: false,
            sleeping: 0,
            running: 0,
        };
        // What an id of another cache leads to.
        let foreign = Failure::new("an id", Reason::ForeignId);
        state.entries.push(Entry::new("an id of another cache".into(), None, Target::Bad(foreign)));
        state
    }

    /// The place of a name; a new one where it was never asked for.
    pub fn intern(&mut self, name: &str) -> u32 {
        if let Some(entry) = self.names.get(name) {
            return *entry;
        }
        let shared: Arc<str> = name.into();
        let index = u32::try_from(self.entries.len()).unwrap_or(0);
        let entry = match origin_of(name) {
            Some(origin) => {
                let origin = self.origin(origin);
                self.origins[origin as usize].entries.push(index);
                let entry = Entry::new(shared.clone(), Some(origin), Target::Unresolved);
                self.resolved(origin, entry)
            }
            None => Entry::new(shared.clone(), None, Target::Bad(Failure::new(name, Reason::Name))),
        };
        self.entries.push(entry);
        self.names.insert(shared, index);
        index
    }

    /// Makes room for so many names at once.
    pub fn reserve(&mut self, count: usize) {
        self.entries.reserve(count);
        self.names.reserve(count);
    }

    /// The place of a sprite of an atlas that is known.
    pub fn intern_sprite(&mut self, origin: u32, version: &Arc<Version>, at: u32) -> u32 {
        let own = &mut self.origins[origin as usize];
        let (local, placed) = &version.snapshot.sprites[at as usize];
        let name = [&own.name, local.as_str()].concat();
        if let Some(entry) = self.names.get(name.as_str()) {
            return *entry;
        }
        let index = u32::try_from(self.entries.len()).unwrap_or(0);
        own.entries.push(index);
        let (name, page): (Arc<str>, _) = (name.into(), version.slots[placed.page as usize]);
        let target = Target::Sprite { version: version.clone(), at, page };
        self.entries.push(Entry::new(name.clone(), Some(origin), target));
        self.names.insert(name, index);
        index
    }

    /// The place of an atlas (`night:`) or an image.
    pub fn origin(&mut self, name: &str) -> u32 {
        if let Some(origin) = self.origin_names.get(name) {
            return *origin;
        }
        let shared: Arc<str> = name.into();
        let index = u32::try_from(self.origins.len()).unwrap_or(0);
        self.origins.push(Origin { name: shared.clone(), ..Origin::default() });
        self.origin_names.insert(shared, index);
        index
    }

    /// A new name of an atlas or image that may be known already.
    fn resolved(&self, origin: u32, mut entry: Entry) -> Entry {
        let origin = &self.origins[origin as usize];
        match (&origin.version, &origin.failed) {
            (Some(version), _) => {
                entry.target = match version.find(entry.local()) {
                    Some((at, page)) => Target::Sprite { version: version.clone(), at, page },
                    None => Target::Bad(no_sprite(&entry.name, version)),
                };
            }
            (None, Some(failure)) => entry.target = Target::Bad(failure.clone()),
            (None, None) => {}
        }
        entry
    }

    /// The entry that a name stands for.
    pub fn follow(&self, mut entry: u32) -> u32 {
        // Aliases never lead in a circle: see `alias`.
        while let Some(next) = self.entries[entry as usize].alias {
            entry = next;
        }
        entry
    }

    /// Has a name stand for another one from now on.
    pub fn alias(&mut self, alias: &str, name: &str) -> Result<(), Failure> {
        let (from, to) = (self.intern(alias), self.intern(name));
        let former = self.entries[from as usize].alias.take();
        if self.follow(to) == from {
            self.entries[from as usize].alias = former;
            return Err(Failure::new(alias, Reason::AliasLoop));
        }
        self.entries[from as usize].alias = Some(to);
        Ok(())
    }

    /// Has a name mean itself again.
    pub fn forget_alias(&mut self, alias: &str) {
        let entry = self.intern(alias);
        self.entries[entry as usize].alias = None;
    }

    /// Counts a lease that was asked for, and has loaded what it needs. Gives the entry that is held.
    pub fn take(&mut self, asked: u32, who: Who) -> u32 {
        let index = self.follow(asked);
        let entry = &mut self.entries[index as usize];
        entry.hold(who);
        self.counters.requests += 1;
        match entry.target {
            Target::Sprite { page, .. } if !self.closed => self.pages.lease(page, 1, &mut self.counters),
            Target::Sprite { page, .. } => {
                self.pages.get_mut(page).leases += 1;
                self.counters.refused += 1;
            }
            Target::Unresolved => {
                entry.waiting += 1;
                self.counters.waiting += 1;
                if let Some(origin) = entry.origin {
                    self.open(origin);
                }
            }
            Target::Bad(_) => self.counters.refused += 1,
        }
        index
    }

    /// Counts one more lease of a holder that has one already. Nothing is asked for by that.
    pub fn share(&mut self, index: u32, who: Who) {
        let entry = &mut self.entries[index as usize];
        entry.hold(who);
        if let Target::Sprite { page, .. } = entry.target {
            self.pages.get_mut(page).leases += 1;
        }
    }

    /// Ends a lease.
    pub fn release(&mut self, index: u32, who: Who) {
        let entry = &mut self.entries[index as usize];
        entry.unhold(who);
        match entry.target {
            Target::Sprite { page, .. } => {
                // A sprite that the newest version lacks can be had only as long as somebody holds it.
                let gone = entry.leases == 0 && self.pages.get(page).retired;
                self.pages.release(page, 1, &mut self.counters, &mut self.events);
                if gone {
                    entry.target = Target::Bad(Failure::new(&entry.name, Reason::NoSprite(None)));
                }
            }
            Target::Unresolved if entry.waiting > 0 => {
                entry.waiting -= 1;
                self.counters.waiting -= 1;
                self.counters.withdrawn += 1;
            }
            Target::Unresolved | Target::Bad(_) => {}
        }
    }

    /// Has an atlas or image read, unless it is or is known to be broken.
    pub fn open(&mut self, index: u32) {
        let origin = &mut self.origins[index as usize];
        if origin.version.is_none() && origin.failed.is_none() && !origin.opening {
            origin.opening = true;
            self.work_items.push_back(WorkItem::Open(index));
        }
    }

    /// How far a name is.
    pub fn look(&self, entry: u32) -> Status {
        let entry = &self.entries[entry as usize];
        match &entry.target {
            Target::Bad(failure) => Status::Failed(failure.clone()),
            _ if self.closed => Status::Failed(Failure::new(&entry.name, Reason::Closed)),
            Target::Unresolved => Status::Loading,
            Target::Sprite { page, .. } => match &self.pages.get(*page).state {
                PageState::Resident(_) => Status::Ready,
                PageState::Failed(failure) => Status::Failed(failure.clone()),
                _ => Status::Loading,
            },
        }
    }

    /// Tries again what could not be had: a name, or everything.
    pub fn retry(&mut self, only: Option<u32>) {
        let chosen = |entry: u32| only.is_none_or(|only| only == entry);
        for index in (0..).take(self.entries.len()).filter(|i| chosen(*i)) {
            let entry = &self.entries[index as usize];
            if let Target::Sprite { page, .. } = entry.target
                && matches!(self.pages.get(page).state, PageState::Failed(_))
            {
                if self.pages.get(page).leases > 0 {
                    self.pages.want(page, &mut self.counters);
                } else {
                    self.pages.get_mut(page).state = PageState::Absent;
                }
            }
        }
        let origin = only.and_then(|entry| self.entries[entry as usize].origin);
        let chosen = |index: u32| only.is_none() || origin == Some(index);
        for index in (0..).take(self.origins.len()).filter(|i| chosen(*i)) {
            if self.origins[index as usize].failed.is_some() {
                self.reopen(index);
            }
        }
    }

    /// Opens an atlas or image once more that could not be read; what sets could not have of it they may have then.
    pub fn reopen(&mut self, index: u32) {
        let origin = &mut self.origins[index as usize];
        let failed = origin.failed.take();
        for entry in &origin.entries {
            self.entries[*entry as usize].target = Target::Unresolved;
        }
        for lookup in std::mem::take(&mut origin.failed_lookups) {
            let Some(set) = self.sets.get_mut(&lookup.set) else { continue };
            set.failures.retain(|own| failed.as_ref().is_none_or(|failed| !own.is_same(failed)));
            set.pending += 1;
            origin.lookups.push(lookup);
        }
        self.open(index);
    }

    /// Whether nothing is under way, and nothing waits for a worker or the pump.
    pub fn is_idle(&self) -> bool {
        let coming = self.origins.iter().any(|origin| origin.coming.is_some());
        self.running == 0 && self.work_items.is_empty() && !self.trim && !coming && self.pages.is_idle()
    }

    /// Tells of something else than a page that cannot be had.
    pub fn failed(&mut self, failure: Failure) {
        self.counters.other_failures += 1;
        self.events.emit(Event::Failed(failure));
    }
}

/// The atlas or image that a name is of; nothing where it is no name.
pub(super) fn origin_of(name: &str) -> Option<&str> {
    let Some(colon) = name.find(':') else {
        return page_path_is_safe(name).then_some(name);
    };
    let (atlas, sprite) = (&name[..colon], &name[colon + 1..]);
    let last = atlas.rsplit('/').next().unwrap_or(atlas);
    (page_path_is_safe(atlas) && Atlas::is_name(last) && !sprite.is_empty()).then(|| &name[..=colon])
}

/// That an atlas has no sprite of a name, and what it has instead.
pub(super) fn no_sprite(name: &str, version: &Version) -> Failure {
    let names = version.snapshot.sprites.iter().map(|(own, _)| own.as_str());
    Failure::new(name, Reason::NoSprite(nearest(super::entries::local(name), names)))
}

/// The name that shares the longest beginning with a wanted one.
pub(super) fn nearest<'n>(wanted: &str, names: impl Iterator<Item = &'n str>) -> Option<String> {
    let shared = |name: &str| name.bytes().zip(wanted.bytes()).take_while(|(a, b)| a == b).count();
    let best = names.min_by_key(|name| (std::cmp::Reverse(shared(name)), name.len()))?;
    (shared(best) > 0).then(|| best.to_owned())
}
