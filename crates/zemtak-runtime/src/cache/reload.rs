//! What happens when an atlas or image has been read, for the first time or again behind existing leases.

use super::entries::{Target, Version};
use super::reading::{KnownFiles, Texels};
use super::snapshot::{PageFile, Seen, Snapshot};
use super::state::State;
use super::status::Status;
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

impl State {
    /// Takes what a worker has read of an atlas or image.
    pub fn opened(&mut self, index: u32, opened: Opened) {
        if !self.origins.opened(index, opened.seen, &mut self.queue) {
            return;
        }
        match (opened.result, &self.origins.get(index).version) {
            (Ok((snapshot, pixels)), None) => self.open_first(index, snapshot, pixels),
            (Ok((snapshot, pixels)), Some(_)) => self.stage(index, snapshot, pixels),
            (Err(failure), None) => self.open_fails(index, &failure),
            (Err(failure), Some(_)) => self.keep_old(index, failure),
        }
    }

    fn open_first(&mut self, index: u32, snapshot: Snapshot, pixels: Option<Pixels>) {
        let origin = self.origins.get(index);
        if origin.is_atlas() {
            self.account.events.emit(Event::Opened { atlas: origin.title().to_owned() });
        }
        let version = self.install(index, snapshot, None);
        let origin = self.origins.get_mut(index);
        origin.version = Some(version.clone());
        let (entries, lookups) = (origin.entries.clone(), std::mem::take(&mut origin.lookups));
        for entry in entries {
            self.resolve(entry, &version);
        }
        for lookup in lookups {
            self.grant(index, &version, &lookup);
        }
        self.decode_early(&version, pixels);
    }

    /// The pixels of an image are available as soon as it has been read.
    fn decode_early(&mut self, version: &Version, pixels: Option<Pixels>) {
        if let (Some(pixels), Some(page)) = (pixels, version.slots.first()) {
            let texels = Texels { parts: vec![Arc::new([pixels.into()])], content: String::new() };
            self.pages.decoded_early(*page, texels, &mut self.account);
        }
    }

    fn open_fails(&mut self, index: u32, failure: &Failure) {
        let origin = self.origins.get_mut(index);
        origin.failed = Some(failure.clone());
        let lookups = std::mem::take(&mut origin.lookups);
        for entry in &origin.entries {
            let waiting = u64::from(std::mem::take(&mut self.names.get_mut(*entry).waiting));
            self.account.counters.waiting -= waiting;
            self.account.counters.refused += waiting;
            self.names.set_target(*entry, Target::Bad(failure.clone()));
        }
        for lookup in lookups {
            self.deny(index, lookup, failure);
        }
        self.account.failed(failure.clone());
    }

    /// Tries again to load what could not be loaded: one name, or everything.
    pub fn retry(&mut self, only: Option<u32>) {
        let entries = only.map_or_else(|| self.names.indices().collect(), |only| vec![only]);
        for page in entries.iter().filter_map(|entry| self.names.get(*entry).page()) {
            self.pages.retry(page, &mut self.account);
        }
        let origins = match only {
            Some(only) => self.names.get(only).origin.into_iter().collect(),
            None => self.origins.indices().collect::<Vec<_>>(),
        };
        for index in origins {
            if self.origins.get(index).failed.is_some() {
                self.reopen(index);
            }
        }
    }

    /// Opens an atlas or image again that could not be read; sets may then find what they could not.
    fn reopen(&mut self, index: u32) {
        let origin = self.origins.get_mut(index);
        let failed = origin.failed.take();
        for entry in &origin.entries {
            self.names.set_target(*entry, Target::Unresolved);
        }
        for lookup in std::mem::take(&mut origin.failed_lookups) {
            self.look_up_again(index, lookup, failed.as_ref());
        }
        self.open(index);
    }

    /// Finds slots for a snapshot's pages; those that are the same as before, by descriptor and files, keep theirs.
    fn install(&mut self, origin: u32, snapshot: Snapshot, before: Option<&Version>) -> Arc<Version> {
        let mut slots = Vec::with_capacity(snapshot.pages.len());
        for file in &snapshot.pages {
            let former = before.filter(|before| before.snapshot.root == snapshot.root);
            let former = former.and_then(|before| before.page_like(file));
            let same = former.filter(|(slot, own)| {
                let as_it_was = own.stamps == file.stamps || file.same_content || self.pages.was_never_read(*slot);
                as_it_was && !matches!(self.pages.status(*slot), Status::Failed(_))
            });
            let same = same.map(|(slot, _)| slot);
            slots.push(same.unwrap_or_else(|| {
                let slot = self.pages.add(file.clone(), snapshot.root, origin);
                self.pages.set_repainted(slot, former.is_some());
                if before.is_none() {
                    self.pages.set_asked(slot, self.origins.get(origin).asked);
                }
                slot
            }));
        }
        Arc::new(Version { snapshot, slots })
    }

    /// Finds out what a name stands for in a version that has just been read.
    fn resolve(&mut self, index: u32, version: &Arc<Version>) {
        let entry = self.names.get_mut(index);
        let waiting = std::mem::take(&mut entry.waiting);
        self.account.counters.waiting -= u64::from(waiting);
        let target = version.target(&entry.name);
        self.names.set_target(index, target);
        let entry = self.names.get(index);
        match entry.target() {
            Target::Bad(failure) => {
                self.account.counters.refused += u64::from(waiting);
                if entry.leases > 0 {
                    self.account.failed(failure.clone());
                }
            }
            Target::Sprite { page, .. } => {
                let (page, counted) = (*page, entry.leases - waiting);
                if waiting > 0 {
                    self.pages.lease(page, waiting, &mut self.account);
                }
                self.pages.hold(page, counted, &mut self.account);
            }
            Target::Unresolved => {}
        }
    }

    /// What is known about the files of an atlas's pages, for reading its descriptor again.
    pub fn known_files(&self, index: u32) -> Vec<KnownFiles> {
        let Some(version) = &self.origins.get(index).version else { return Vec::new() };
        let known = |(slot, file): (&u32, &PageFile)| KnownFiles {
            path: file.path.clone(),
            stamps: file.stamps.clone(),
            content: self.pages.get(*slot).content.clone(),
        };
        let all = version.slots.iter().zip(&version.snapshot.pages).map(known);
        all.filter(|known| !known.content.is_empty()).collect()
    }

    /// Reads an atlas or image again.
    pub fn reload(&mut self, index: u32) {
        if self.origins.get(index).failed.is_some() && !self.origins.is_opening(index) {
            self.reopen(index);
        } else {
            self.origins.open_again(index, &mut self.queue);
        }
    }

    /// Keeps what is drawn, because the new version is broken.
    fn keep_old(&mut self, index: u32, failure: Failure) {
        self.account.kept_old(failure);
        self.give_up_coming(index);
    }

    /// Releases the pages that belong only to a version that will not be drawn.
    fn give_up_coming(&mut self, index: u32) {
        let origin = self.origins.get_mut(index);
        let Some(coming) = origin.coming.take() else { return };
        let drawn = origin.version.clone();
        for slot in &coming.slots {
            self.pages.unstage(*slot);
            if !drawn.as_ref().is_some_and(|drawn| drawn.slots.contains(slot)) {
                self.pages.set_retired(*slot, true);
            }
            self.pages.settle(*slot, &mut self.account);
        }
    }

    /// Prepares a new version to take over.
    fn stage(&mut self, index: u32, snapshot: Snapshot, pixels: Option<Pixels>) {
        self.give_up_coming(index);
        let before = self.origins.get(index).version.clone();
        let version = self.install(index, snapshot, before.as_deref());
        if before.is_some_and(|before| before.is_same(&version)) {
            // Only the times of files may have changed: note them.
            self.origins.get_mut(index).version = Some(version);
            return;
        }
        self.origins.get_mut(index).coming = Some(version.clone());
        self.stage_pages(index, &version);
        self.decode_early(&version, pixels);
    }

    /// Loads everything that is held for a new version too, and returns how far that is.
    fn stage_pages(&mut self, index: u32, coming: &Version) -> Status {
        let mut all = Status::Ready;
        for slot in self.needed(index, coming) {
            match self.pages.stage(slot, &mut self.account) {
                Status::Ready => {}
                Status::Loading => all = Status::Loading,
                failed @ Status::Failed(_) => return failed,
            }
        }
        all
    }

    /// The pages of a new version that will be held.
    fn needed(&self, index: u32, coming: &Version) -> BTreeSet<u32> {
        let entries = self.origins.get(index).entries.iter().map(|entry| self.names.get(*entry));
        let held = entries.filter(|entry| entry.leases > 0).filter_map(|entry| coming.find(entry.local()));
        let clips = self.sets.clips_of(index);
        let clips = clips.filter_map(|(_, clip)| coming.snapshot.clips.get(&ClipName::new(&clip.name)));
        let steps = clips.flat_map(|clip| &clip.steps).filter_map(|step| coming.find(step.sprite.as_str()));
        held.chain(steps).map(|(_, page)| page).collect()
    }

    /// Lets complete new versions take over, and gives up broken ones. For the thread that pumps: this is where what is
    /// drawn changes, from one frame to the next.
    pub fn take_over(&mut self) {
        for index in self.origins.indices() {
            let Some(coming) = self.origins.get(index).coming.clone() else { continue };
            match self.stage_pages(index, &coming) {
                Status::Loading => {}
                Status::Failed(failure) => self.keep_old(index, failure),
                Status::Ready => self.swap(index, &coming),
            }
        }
    }

    fn swap(&mut self, index: u32, coming: &Arc<Version>) {
        let origin = self.origins.get_mut(index);
        origin.coming = None;
        let former = origin.version.replace(coming.clone());
        let (name, entries) = (origin.title().to_owned(), origin.entries.clone());
        let mut left: BTreeSet<u32> = entries.into_iter().filter_map(|entry| self.move_over(entry, coming)).collect();
        for slot in &coming.slots {
            self.pages.unstage(*slot);
        }
        for slot in former.iter().flat_map(|former| &former.slots) {
            self.pages.set_retired(*slot, !coming.slots.contains(slot));
            left.insert(*slot);
        }
        for set in self.sets.clips_of(index).map(|(id, _)| id).collect::<Vec<_>>() {
            self.grant_clip(set, coming);
        }
        left.extend(&coming.slots);
        for slot in left {
            self.pages.settle(slot, &mut self.account);
        }
        self.tell_of(name, former.as_deref(), coming);
    }

    /// Reports a version that has taken over, and those of its pages that were painted over. Nobody knows the former
    /// file of a page that nobody has held, so a change in that file alone is not reported.
    fn tell_of(&mut self, name: String, former: Option<&Version>, coming: &Version) {
        let mut news = former.is_none_or(|former| !former.snapshot.is_described_as(&coming.snapshot));
        for slot in &coming.slots {
            if self.pages.take_repainted(*slot) {
                let path = self.pages.get(*slot).file.path.to_string();
                self.account.events.emit(Event::Repainted { path });
                news = true;
            }
        }
        if news {
            self.account.counters.replaced += 1;
            self.account.events.emit(Event::Replaced { name });
        }
    }

    /// Makes a name stand for a sprite of the new version, with all its leases. Returns the page that they were on.
    fn move_over(&mut self, index: u32, coming: &Arc<Version>) -> Option<u32> {
        let entry = self.names.get(index);
        let (leases, before) = (entry.leases, entry.page());
        let target = coming.target(&entry.name);
        let Target::Sprite { page, .. } = target else {
            // It stays as it was for those who hold it.
            if leases == 0 || before.is_none() {
                self.names.set_target(index, target);
            }
            return None;
        };
        self.names.set_target(index, target);
        self.pages.hold(page, leases, &mut self.account);
        if let Some(before) = before {
            self.pages.unshare(before, leases);
        }
        before
    }
}
