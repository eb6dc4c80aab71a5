//! The pages of all snapshots: which are resident, who holds them, and which are evicted first. Knows no threads and no
//! files.

use super::account::Account;
use super::page::{Page, PageState, Textures};
use super::reading::Texels;
use super::snapshot::PageFile;
use super::status::Status;
use crate::event::{Cause, Event};
use crate::failure::Failure;
use crate::sink::Texture;
use crate::sync::Changes;
use std::collections::{BTreeSet, VecDeque};

/// A page's place in a line: the moment and the page.
type Place = (u64, u32);

/// All pages, within a budget.
#[derive(Debug, Default)]
pub(super) struct Pages {
    list: Vec<Page>,
    free: Vec<u32>,
    /// Resident pages without leases, least recently used first.
    idle: VecDeque<Place>,
    /// Pages that wait for a worker, and pages that wait for the pump, in the order in which they were asked for.
    queue: VecDeque<Place>,
    ready: BTreeSet<(u64, Place)>,
    moments: u64,
    pub budget: u64,
    pub resident: u64,
    pub peak: u64,
    /// Bytes of pages that wait for the pump.
    decoded: u64,
    over_budget: bool,
    /// Textures that the pump has to drop.
    drops: Vec<Texture>,
    changes: Changes,
}

impl Pages {
    pub fn within(budget: u64, changes: Changes) -> Self {
        Self { budget, changes, ..Self::default() }
    }

    pub fn get(&self, page: u32) -> &Page {
        &self.list[page as usize]
    }

    fn get_mut(&mut self, page: u32) -> &mut Page {
        &mut self.list[page as usize]
    }

    /// Puts a page into a state and returns the previous one. All changes go through here, so that whoever has seen a
    /// page looks again.
    fn set(&mut self, page: u32, state: PageState) -> PageState {
        self.changes.count();
        std::mem::replace(&mut self.get_mut(page).state, state)
    }

    pub fn iter(&self) -> impl Iterator<Item = (u32, &Page)> {
        (0..).zip(&self.list).filter(|(_, page)| !matches!(page.state, PageState::Free))
    }

    pub fn add(&mut self, file: PageFile, root: usize, origin: u32) -> u32 {
        let bytes = file.texture_bytes();
        let page = Page {
            file,
            root,
            origin,
            state: PageState::Absent,
            leases: 0,
            staged: false,
            repainted: false,
            content: String::new(),
            retired: false,
            since: 0,
            asked: None,
            turn: 0,
            bytes,
        };
        if let Some(place) = self.free.pop() {
            *self.get_mut(place) = page;
            return place;
        }
        self.list.push(page);
        u32::try_from(self.list.len() - 1).unwrap_or(u32::MAX)
    }

    /// Counts leases that were asked for, and loads the page.
    pub fn lease(&mut self, page: u32, count: u32, account: &mut Account) {
        let count64 = u64::from(count);
        let own = self.get_mut(page);
        own.leases += count;
        match own.state {
            PageState::Resident(_) => account.counters.reuses += count64,
            PageState::Queued | PageState::Decoding | PageState::Decoded(_) | PageState::Uploading => {
                account.counters.coalesced += count64;
            }
            PageState::Failed(_) => account.counters.refused += count64,
            PageState::Absent | PageState::Free => {
                account.counters.started += 1;
                account.counters.coalesced += count64 - 1;
                self.want(page, account);
            }
        }
    }

    /// Counts leases that do not ask for the page to be loaded.
    pub fn share(&mut self, page: u32, count: u32) {
        self.get_mut(page).leases += count;
    }

    /// Subtracts leases that count on another page now. [`Pages::settle`] decides what happens to the page.
    pub fn unshare(&mut self, page: u32, count: u32) {
        self.get_mut(page).leases -= count;
    }

    /// Adds leases that were counted before.
    pub fn hold(&mut self, page: u32, count: u32, account: &mut Account) {
        let own = self.get_mut(page);
        own.leases += count;
        if count > 0 && matches!(own.state, PageState::Absent) {
            self.want(page, account);
        }
    }

    /// Loads an absent page.
    pub fn want(&mut self, page: u32, account: &mut Account) {
        if matches!(self.get(page).state, PageState::Absent | PageState::Failed(_)) {
            self.set(page, PageState::Queued);
            let place = self.place(page);
            let own = self.get_mut(page);
            own.turn = own.asked.take().unwrap_or(place.0);
            self.queue.push_back(place);
            account.counters.begun += 1;
        }
    }

    /// Tries again to load a page that failed: at once if somebody holds it, else when it is leased.
    pub fn retry(&mut self, page: u32, account: &mut Account) {
        if matches!(self.get(page).state, PageState::Failed(_)) {
            if self.get(page).leases > 0 {
                self.want(page, account);
            } else {
                self.set(page, PageState::Absent);
            }
        }
    }

    /// Loads a page of a new version, and keeps it until [`Pages::unstage`]. Returns its state.
    pub fn stage(&mut self, page: u32, account: &mut Account) -> Status {
        self.get_mut(page).staged = true;
        if matches!(self.get(page).state, PageState::Absent) {
            self.want(page, account);
        }
        self.status(page)
    }

    /// Ends that for a page of a new version.
    pub fn unstage(&mut self, page: u32) {
        self.get_mut(page).staged = false;
    }

    /// Notes whether a page's file has changed although its descriptor has not.
    pub fn set_repainted(&mut self, page: u32, repainted: bool) {
        self.get_mut(page).repainted = repainted;
    }

    /// Whether that is so for a page that has been read, and was not reported yet.
    pub fn take_repainted(&mut self, page: u32) -> bool {
        let own = self.get_mut(page);
        !own.content.is_empty() && std::mem::take(&mut own.repainted)
    }

    /// Whether nobody has read its files so far, and nobody is about to.
    pub fn was_never_read(&self, page: u32) -> bool {
        let own = self.get(page);
        own.content.is_empty() && matches!(own.state, PageState::Absent)
    }

    /// Notes whether a page belongs to a version that is no longer drawn, except by those who still hold it.
    pub fn set_retired(&mut self, page: u32, retired: bool) {
        self.get_mut(page).retired = retired;
    }

    /// The status of a page for those who hold it.
    pub fn status(&self, page: u32) -> Status {
        match &self.get(page).state {
            PageState::Resident(_) => Status::Ready,
            PageState::Failed(failure) => Status::Failed(failure.clone()),
            _ => Status::Loading,
        }
    }

    /// A page's texture, if there is one.
    pub fn texture(&self, page: u32) -> Option<Texture> {
        self.textures(page).map(|textures| textures.own)
    }

    /// The texture of a page's layer, if it has a layer of that name.
    pub fn layer(&self, page: u32, name: &str) -> Option<Texture> {
        self.textures(page)?.layers.iter().find(|(own, _)| **own == *name).map(|(_, texture)| *texture)
    }

    fn textures(&self, page: u32) -> Option<&Textures> {
        match &self.get(page).state {
            PageState::Resident(textures) => Some(textures),
            _ => None,
        }
    }

    /// Counts memory of a texture that is not a page.
    pub fn occupy(&mut self, bytes: u64) {
        self.resident += bytes;
        self.peak = self.peak.max(self.resident);
    }

    /// Stops counting that memory.
    pub fn vacate(&mut self, bytes: u64) {
        self.resident -= bytes;
    }

    /// Textures that the pump has to drop.
    pub fn take_drops(&mut self) -> Vec<Texture> {
        std::mem::take(&mut self.drops)
    }

    /// Ends leases.
    pub fn release(&mut self, page: u32, count: u32, account: &mut Account) {
        let own = self.get_mut(page);
        own.leases -= count;
        if own.leases == 0 {
            self.settle(page, account);
        }
    }

    /// Decides what happens to a page when nobody holds it: loading is given up, a texture stays as long as there is
    /// room.
    pub fn settle(&mut self, page: u32, account: &mut Account) {
        let own = &self.list[page as usize];
        if own.leases > 0 || own.staged {
            return;
        }
        match own.state {
            PageState::Queued | PageState::Decoded(_) => self.cancel(page, account),
            PageState::Resident(_) if own.retired => self.evict(page, Cause::Replaced, account),
            PageState::Resident(_) => self.rest(page),
            PageState::Absent | PageState::Failed(_) => self.free_if_retired(page),
            PageState::Decoding | PageState::Uploading | PageState::Free => {}
        }
    }

    /// Gives up loading.
    fn cancel(&mut self, page: u32, account: &mut Account) {
        let own = &mut self.list[page as usize];
        if let PageState::Decoded(_) = own.state {
            self.decoded -= own.bytes;
        }
        self.give_up(page, account);
        self.free_if_retired(page);
    }

    fn free_if_retired(&mut self, page: u32) {
        if self.get(page).retired {
            self.set(page, PageState::Free);
            self.free.push(page);
        }
    }

    /// The current moment, later than all before.
    pub fn moment(&mut self) -> u64 {
        self.moments += 1;
        self.moments
    }

    /// Notes when a page was asked for that is not wanted yet.
    pub fn set_asked(&mut self, page: u32, asked: u64) {
        self.get_mut(page).asked = Some(asked);
    }

    /// A new place in a line.
    fn place(&mut self, page: u32) -> Place {
        let since = self.moment();
        self.get_mut(page).since = since;
        (since, page)
    }

    /// Puts a texture that nobody holds at the end of the line.
    fn rest(&mut self, page: u32) {
        let place = self.place(page);
        self.idle.push_back(place);
        if self.idle.len() > 2 * self.list.len() + 64 {
            let list = &self.list;
            self.idle.retain(|(since, page)| list[*page as usize].is_idle(*since));
        }
    }

    /// The next page for a worker, unless too much is waiting for the pump already.
    pub fn next_to_decode(&mut self, most_waiting: u64) -> Option<u32> {
        while let Some((since, page)) = self.queue.front().copied() {
            let own = self.get(page);
            if own.since == since && matches!(own.state, PageState::Queued) {
                if self.decoded > 0 && self.decoded >= most_waiting {
                    return None;
                }
                self.queue.pop_front();
                self.set(page, PageState::Decoding);
                return Some(page);
            }
            self.queue.pop_front();
        }
        None
    }

    /// Reads a page once more whose file was on its way, unless nobody wants it any more.
    pub fn decode_again(&mut self, page: u32, account: &mut Account) {
        if matches!(self.get(page).state, PageState::Decoding) {
            self.set(page, PageState::Queued);
            let place = self.place(page);
            self.queue.push_back(place);
            self.settle(page, account);
        }
    }

    /// Whether pages wait for a worker.
    pub fn has_queue(&self) -> bool {
        !self.queue.is_empty()
    }

    /// Whether no page is being loaded, and no texture is to be dropped.
    pub fn is_idle(&self) -> bool {
        self.drops.is_empty() && !self.list.iter().any(|page| page.state.is_loading())
    }

    /// Whether the pump has something to do right now.
    pub fn wait_for_pump(&self) -> bool {
        !self.drops.is_empty() || self.ready() > 0
    }

    /// How many pages wait for the pump.
    pub fn ready(&self) -> usize {
        self.ready.iter().filter(|(_, (since, page))| self.get(*page).is_ready(*since)).count()
    }

    /// Takes pixels that were read together with the description of the page, unless nobody wants them.
    pub fn decoded_early(&mut self, page: u32, texels: Texels, account: &mut Account) {
        if matches!(self.get(page).state, PageState::Queued) {
            self.set(page, PageState::Decoding);
            self.decoded(page, Ok(texels), account);
        }
    }

    /// Takes the result of a worker that decoded a page.
    pub fn decoded(&mut self, page: u32, result: Result<Texels, Failure>, account: &mut Account) {
        match result {
            Ok(texels) => {
                let own = self.get_mut(page);
                own.content.clone_from(&texels.content);
                let (place, bytes) = ((own.turn, (own.since, page)), own.bytes);
                self.set(page, PageState::Decoded(texels));
                self.decoded += bytes;
                self.ready.insert(place);
            }
            Err(failure) => self.fail(page, failure, account),
        }
        // Nobody may want it any more.
        self.settle(page, account);
    }

    /// The next page to make a texture of, and its pixels. Makes room for it within the budget if possible.
    pub fn next_to_upload(&mut self, account: &mut Account) -> Option<(u32, Texels)> {
        while let Some((_, (since, page))) = self.ready.pop_first() {
            if !self.get(page).is_ready(since) {
                continue;
            }
            let state = self.set(page, PageState::Uploading);
            let bytes = self.get(page).bytes;
            self.decoded -= bytes;
            self.make_room(bytes, account);
            if let PageState::Decoded(texels) = state {
                return Some((page, texels));
            }
        }
        None
    }

    /// Takes the textures that were made of a page, or the reason why there are none.
    pub fn uploaded(&mut self, page: u32, result: Result<Textures, Failure>, account: &mut Account) {
        match result {
            Ok(textures) => {
                self.set(page, PageState::Resident(textures));
                let own = self.get(page);
                account.counters.loads += 1;
                account.counters.loaded_bytes += own.bytes;
                account.events.emit(Event::Loaded { path: own.file.path.to_string(), bytes: own.bytes });
                let bytes = own.bytes;
                self.occupy(bytes);
            }
            Err(failure) => self.fail(page, failure, account),
        }
        self.settle(page, account);
    }

    fn fail(&mut self, page: u32, failure: Failure, account: &mut Account) {
        account.counters.page_failures += 1;
        // What a new snapshot lacks is reported once, for all of it.
        if !self.get(page).staged {
            account.events.emit(Event::Failed(failure.clone()));
        }
        self.set(page, PageState::Failed(failure));
    }

    /// Evicts until this many more bytes fit into the budget, or nothing is left that may go.
    pub fn make_room(&mut self, bytes: u64, account: &mut Account) {
        while self.resident.saturating_add(bytes) > self.budget && self.evict_oldest(Cause::Budget, account) {}
        let over = self.resident.saturating_add(bytes) > self.budget;
        if over && !self.over_budget {
            account
                .events
                .emit(Event::OverBudget { resident: self.resident.saturating_add(bytes), budget: self.budget });
        }
        self.over_budget = over;
    }

    /// Evicts the least recently held page; returns whether there was one.
    pub fn evict_oldest(&mut self, cause: Cause, account: &mut Account) -> bool {
        while let Some((since, page)) = self.idle.pop_front() {
            if self.get(page).is_idle(since) {
                self.evict(page, cause, account);
                return true;
            }
        }
        false
    }

    /// Forgets all textures, which are lost with their device, and loads those again that somebody holds.
    pub fn forget_textures(&mut self, account: &mut Account) {
        let all: Vec<u32> = self.iter().map(|(page, _)| page).collect();
        self.drops.clear();
        for page in all {
            match self.get(page).state {
                PageState::Resident(_) => {
                    let bytes = self.get(page).bytes;
                    self.set(page, PageState::Absent);
                    self.resident -= bytes;
                    account.counters.evictions.count(Cause::Lost);
                    let path = self.get(page).file.path.to_string();
                    account.events.emit(Event::Evicted { path, bytes, cause: Cause::Lost });
                }
                // What was begun on that device starts again.
                PageState::Uploading => self.give_up(page, account),
                _ => continue,
            }
            let own = self.get(page);
            if own.leases > 0 || own.staged {
                self.want(page, account);
            } else {
                self.free_if_retired(page);
            }
        }
    }

    /// Gives up what was begun, without reporting a failure.
    fn give_up(&mut self, page: u32, account: &mut Account) {
        self.set(page, PageState::Absent);
        account.counters.cancelled += 1;
        account.events.emit(Event::Cancelled { path: self.get(page).file.path.to_string() });
    }

    /// Evicts every page: at the end.
    pub fn evict_all(&mut self, account: &mut Account) {
        let all: Vec<u32> = self.iter().map(|(page, _)| page).collect();
        for page in all {
            self.evict(page, Cause::Closed, account);
        }
    }

    fn evict(&mut self, page: u32, cause: Cause, account: &mut Account) {
        if let PageState::Resident(textures) = &self.list[page as usize].state {
            self.drops.extend(textures.all());
            self.set(page, PageState::Absent);
            let own = &self.list[page as usize];
            self.resident -= own.bytes;
            account.counters.evictions.count(cause);
            account.events.emit(Event::Evicted { path: own.file.path.to_string(), bytes: own.bytes, cause });
            self.free_if_retired(page);
        }
    }
}
