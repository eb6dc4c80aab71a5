//! What happens when an atlas or image was read: for the first time, or anew behind leases that go on.

use super::entries::{Target, Version};
use super::pages::PageState;
use super::snapshot::{Seen, Snapshot};
use super::state::{State, WorkItem, no_sprite};
use crate::event::Event;
use crate::failure::Failure;
use std::collections::BTreeSet;
use std::sync::Arc;
use zemtak_core::name::ClipName;
use zemtak_core::pixels::Pixels;

/// What a worker read.
pub(super) struct Opened {
    pub result: Result<(Snapshot, Option<Pixels>), Failure>,
    pub seen: Seen,
}

/// How far a new version is.
enum Staging {
    Loading,
    Complete,
    Broken(Failure),
}

impl State {
    /// Takes what a worker read of an atlas or image.
    pub fn opened(&mut self, index: u32, opened: Opened) {
        let origin = &mut self.origins[index as usize];
        origin.opening = false;
        origin.seen = opened.seen;
        if std::mem::take(&mut origin.again) {
            // It was asked for anew meanwhile: what was read may be old already.
            origin.opening = true;
            self.work_items.push_back(WorkItem::Open(index));
            return;
        }
        match (opened.result, &origin.version) {
            (Ok((snapshot, pixels)), None) => self.open_first(index, snapshot, pixels),
            (Ok((snapshot, pixels)), Some(_)) => self.stage(index, snapshot, pixels),
            (Err(failure), None) => self.open_fails(index, &failure),
            (Err(failure), Some(_)) => self.keep_old(index, failure),
        }
    }

    fn open_first(&mut self, index: u32, snapshot: Snapshot, pixels: Option<Pixels>) {
        let atlas = self.origins[index as usize].name.strip_suffix(':').map(str::to_owned);
        if let Some(atlas) = atlas {
            self.events.emit(Event::Opened { atlas });
        }
        let version = self.install(index, snapshot, None);
        self.origins[index as usize].version = Some(version.clone());
        for entry in self.origins[index as usize].entries.clone() {
            self.resolve(entry, &version);
        }
        for lookup in std::mem::take(&mut self.origins[index as usize].lookups) {
            self.grant(index, &version, &lookup);
        }
        self.decode_at_once(&version, pixels);
    }

    /// The pixels of an image are there as soon as it was read.
    fn decode_at_once(&mut self, version: &Version, pixels: Option<Pixels>) {
        let (Some(pixels), Some(page)) = (pixels, version.slots.first().copied()) else { return };
        if matches!(self.pages.get(page).state, PageState::Queued) {
            self.pages.get_mut(page).state = PageState::Decoding;
            self.pages.decoded(page, Ok(pixels), &mut self.counters, &mut self.events);
        }
    }

    fn open_fails(&mut self, index: u32, failure: &Failure) {
        let origin = &mut self.origins[index as usize];
        origin.failed = Some(failure.clone());
        let lookups = std::mem::take(&mut origin.lookups);
        for entry in &origin.entries {
            let entry = &mut self.entries[*entry as usize];
            let waiting = u64::from(std::mem::take(&mut entry.waiting));
            self.counters.waiting -= waiting;
            self.counters.refused += waiting;
            entry.target = Target::Bad(failure.clone());
        }
        for lookup in lookups {
            self.deny(&lookup, failure);
            self.origins[index as usize].failed_lookups.push(lookup);
        }
        self.failed(failure.clone());
    }

    /// Finds places for a snapshot's pages; those that are the same as before keep theirs.
    fn install(&mut self, origin: u32, snapshot: Snapshot, before: Option<&Version>) -> Arc<Version> {
        let mut slots = Vec::with_capacity(snapshot.pages.len());
        for file in &snapshot.pages {
            let same = before.filter(|before| before.snapshot.root == snapshot.root).and_then(|before| {
                let at = before.snapshot.pages.iter().position(|own| own.path == file.path && own.page == file.page)?;
                let slot = before.slots[at];
                (!matches!(self.pages.get(slot).state, PageState::Failed(_))).then_some(slot)
            });
            slots.push(same.unwrap_or_else(|| self.pages.add(file.clone(), snapshot.root, origin)));
        }
        Arc::new(Version { snapshot, slots })
    }

    /// Finds out what a name means in a version that has just been read.
    fn resolve(&mut self, index: u32, version: &Arc<Version>) {
        let entry = &mut self.entries[index as usize];
        let waiting = std::mem::take(&mut entry.waiting);
        self.counters.waiting -= u64::from(waiting);
        let Some((at, page)) = version.find(entry.local()) else {
            let failure = no_sprite(&entry.name, version);
            entry.target = Target::Bad(failure.clone());
            self.counters.refused += u64::from(waiting);
            if entry.leases > 0 {
                self.failed(failure);
            }
            return;
        };
        entry.target = Target::Sprite { version: version.clone(), at, page };
        let counted = entry.leases - waiting;
        if waiting > 0 {
            self.pages.lease(page, waiting, &mut self.counters);
        }
        self.pages.hold(page, counted, &mut self.counters);
    }

    /// Has an atlas or image read anew.
    pub fn reload(&mut self, index: u32) {
        let origin = &mut self.origins[index as usize];
        if origin.opening {
            origin.again = true;
        } else if origin.failed.is_some() {
            self.reopen(index);
        } else if origin.version.is_some() {
            origin.opening = true;
            self.work_items.push_back(WorkItem::Open(index));
        }
    }

    /// Keeps what is drawn, since the new version is broken.
    fn keep_old(&mut self, index: u32, failure: Failure) {
        self.counters.other_failures += 1;
        self.events.emit(Event::KeptOld(failure));
        if let Some(coming) = self.origins[index as usize].coming.take() {
            self.give_up(index, &coming);
        }
    }

    /// Lets go of pages that only a version has that will not be drawn.
    fn give_up(&mut self, index: u32, coming: &Version) {
        let drawn = self.origins[index as usize].version.clone();
        for slot in &coming.slots {
            let shared = drawn.as_ref().is_some_and(|drawn| drawn.slots.contains(slot));
            let page = self.pages.get_mut(*slot);
            page.staged = false;
            page.retired |= !shared;
            self.pages.settle(*slot, &mut self.counters, &mut self.events);
        }
    }

    /// Makes a new version ready to take over.
    fn stage(&mut self, index: u32, snapshot: Snapshot, pixels: Option<Pixels>) {
        if let Some(former) = self.origins[index as usize].coming.take() {
            self.give_up(index, &former);
        }
        let before = self.origins[index as usize].version.clone();
        let version = self.install(index, snapshot, before.as_deref());
        self.origins[index as usize].coming = Some(version.clone());
        self.staging(index, &version);
        self.decode_at_once(&version, pixels);
    }

    /// Has all that is held loaded for a new version too, and tells how far that is.
    fn staging(&mut self, index: u32, coming: &Version) -> Staging {
        let mut loading = false;
        for slot in self.needed(index, coming) {
            let page = self.pages.get_mut(slot);
            page.staged = true;
            match &page.state {
                PageState::Resident(_) => {}
                PageState::Failed(failure) => return Staging::Broken(failure.clone()),
                PageState::Absent => {
                    self.pages.want(slot, &mut self.counters);
                    loading = true;
                }
                _ => loading = true,
            }
        }
        if loading { Staging::Loading } else { Staging::Complete }
    }

    /// The pages of a new version that will be held.
    fn needed(&self, index: u32, coming: &Version) -> BTreeSet<u32> {
        let origin = &self.origins[index as usize];
        let entries = origin.entries.iter().map(|entry| &self.entries[*entry as usize]);
        let held = entries.filter(|entry| entry.leases > 0).filter_map(|entry| coming.find(entry.local()));
        let clips = self.sets.values().filter_map(|set| set.clip.as_ref()).filter(|clip| clip.origin == index);
        let clips = clips.filter_map(|clip| coming.snapshot.clips.get(&ClipName::new(&clip.name)));
        let steps = clips.flat_map(|clip| &clip.steps).filter_map(|step| coming.find(step.sprite.as_str()));
        held.chain(steps).map(|(_, page)| page).collect()
    }

    /// Lets new versions take over that are complete, and gives up those that are broken. For the thread that pumps: what
    /// is drawn changes here, from one frame to the next.
    pub fn take_over(&mut self) {
        for index in (0..).take(self.origins.len()) {
            let Some(coming) = self.origins[index as usize].coming.clone() else { continue };
            match self.staging(index, &coming) {
                Staging::Loading => {}
                Staging::Broken(failure) => self.keep_old(index, failure),
                Staging::Complete => self.swap(index, &coming),
            }
        }
    }

    fn swap(&mut self, index: u32, coming: &Arc<Version>) {
        let origin = &mut self.origins[index as usize];
        origin.coming = None;
        let former = origin.version.replace(coming.clone());
        let name = origin.name.strip_suffix(':').unwrap_or(&origin.name).to_owned();
        let mut left = BTreeSet::new();
        for entry in origin.entries.clone() {
            left.extend(self.move_over(entry, coming));
        }
        for slot in &coming.slots {
            self.pages.get_mut(*slot).staged = false;
        }
        for slot in former.iter().flat_map(|former| &former.slots) {
            self.pages.get_mut(*slot).retired = !coming.slots.contains(slot);
            left.insert(*slot);
        }
        let clips = self.sets.iter().filter(|(_, set)| set.clip.as_ref().is_some_and(|c| c.origin == index));
        for set in clips.map(|(id, _)| *id).collect::<Vec<_>>() {
            self.grant_clip(set, coming);
        }
        left.extend(&coming.slots);
        for slot in left {
            self.pages.settle(slot, &mut self.counters, &mut self.events);
        }
        self.counters.replaced += 1;
        self.events.emit(Event::Replaced { name });
    }

    /// Has a name mean a sprite of the new version, with all its leases. Gives the page that they were on.
    fn move_over(&mut self, index: u32, coming: &Arc<Version>) -> Option<u32> {
        let entry = &mut self.entries[index as usize];
        let leases = entry.leases;
        let before = match &entry.target {
            Target::Sprite { page, .. } => Some(*page),
            _ => None,
        };
        let Some((at, page)) = coming.find(entry.local()) else {
            // It stays as it was for those who hold it.
            if leases == 0 || before.is_none() {
                entry.target = Target::Bad(no_sprite(&entry.name, coming));
            }
            return None;
        };
        entry.target = Target::Sprite { version: coming.clone(), at, page };
        self.pages.hold(page, leases, &mut self.counters);
        if let Some(before) = before {
            self.pages.get_mut(before).leases -= leases;
        }
        before
    }
}
