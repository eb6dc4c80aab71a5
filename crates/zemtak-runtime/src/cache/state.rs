//! What a cache knows: names, atlases and images, pages, sets, work. One lock guards all of it; no file is read and no
//! texture made under that lock.
//!
//! Each part has its own module. This one has what concerns several of them at once: leases.

use super::account::Account;
use super::asked::Asked;
use super::entries::{Kept, Target, Who};
use super::names::Names;
use super::origins::Origins;
use super::pages::Pages;
use super::queue::WorkQueue;
use super::sets::Sets;
use super::status::Status;
use super::tasks::Tasks;
use crate::failure::{Failure, Reason};
use crate::sink::Texture;
use crate::slots::Slots;
use crate::sync::{Changes, ThreadId, current};
use std::sync::Arc;
use zemtak_core::geometry::Size;

#[derive(Debug)]
pub(super) struct State {
    pub names: Names,
    pub origins: Origins,
    pub pages: Pages,
    pub sets: Sets,
    pub queue: WorkQueue,
    pub account: Account,
    /// The names of holders that the game gave.
    pub holders: Vec<Arc<str>>,
    /// Whether the next pump drops what nobody holds.
    pub trim: bool,
    stand_in: Option<(Texture, Size)>,
    changes: Changes,
    pub pump_thread: ThreadId,
    /// Whether the pump is gone.
    pub closed: bool,
    /// Tasks that wait without a thread.
    pub tasks: Tasks,
    /// Leases that are kept under numbers.
    pub kept: Slots<Kept>,
}

impl State {
    pub fn new(budget: u64, changes: Changes) -> Self {
        Self {
            names: Names::new(changes.clone()),
            origins: Origins::default(),
            pages: Pages::within(budget, changes.clone()),
            sets: Sets::default(),
            queue: WorkQueue::default(),
            account: Account::default(),
            holders: vec!["".into(), "pinned".into()],
            trim: false,
            stand_in: None,
            changes,
            pump_thread: current().id(),
            closed: false,
            tasks: Tasks::default(),
            kept: Slots::default(),
        }
    }

    pub fn stand_in(&self) -> Option<(Texture, Size)> {
        self.stand_in
    }

    /// Sets another stand-in, or none; returns the previous one.
    pub fn set_stand_in(&mut self, stand_in: Option<(Texture, Size)>) -> Option<(Texture, Size)> {
        self.changes.count();
        std::mem::replace(&mut self.stand_in, stand_in)
    }

    /// The index of a name.
    pub fn intern(&mut self, name: &str) -> u32 {
        self.names.intern(name, &mut self.origins)
    }

    /// The index of what a name currently stands for.
    pub fn meaning(&mut self, name: &str) -> u32 {
        let entry = self.intern(name);
        self.names.follow(entry)
    }

    /// Reads an atlas or image that was not read yet.
    pub fn open(&mut self, origin: u32) {
        let asked = self.pages.moment();
        self.origins.open(origin, asked, &mut self.queue);
    }

    /// Counts a lease that was asked for, and loads what it needs. Returns the entry that is held.
    pub fn take(&mut self, asked: u32, who: Who) -> u32 {
        let index = self.names.follow(asked);
        let entry = self.names.get_mut(index);
        entry.hold(who);
        let counters = &mut self.account.counters;
        counters.requests += 1;
        let there = entry.page().is_some_and(|page| matches!(self.pages.status(page), Status::Ready));
        counters.misses += u64::from(!there);
        match *entry.target() {
            Target::Sprite { page, .. } if !self.closed => self.pages.lease(page, 1, &mut self.account),
            Target::Sprite { page, .. } => {
                self.pages.share(page, 1);
                counters.refused += 1;
            }
            Target::Unresolved => {
                entry.waiting += 1;
                counters.waiting += 1;
                if let Some(origin) = entry.origin {
                    self.open(origin);
                }
            }
            Target::Bad(_) => counters.refused += 1,
        }
        index
    }

    /// The same for a name, or for an id of a cache with that number.
    pub fn take_asked(&mut self, asked: Asked<'_>, cache: u32, who: Who) -> u32 {
        let entry = match asked {
            Asked::Name(name) => self.intern(name),
            Asked::Id(id) if id.cache == cache && self.names.has(id.entry) => id.entry,
            Asked::Id(_) => Names::FOREIGN,
        };
        self.take(entry, who)
    }

    /// Counts one more lease of a holder that has one already. This is not a request.
    pub fn share(&mut self, index: u32, who: Who) {
        let entry = self.names.get_mut(index);
        entry.hold(who);
        if let Some(page) = entry.page() {
            self.pages.share(page, 1);
        }
    }

    /// Ends a lease.
    pub fn release(&mut self, index: u32, who: Who) {
        let entry = self.names.get_mut(index);
        entry.unhold(who);
        match *entry.target() {
            Target::Sprite { page, .. } => {
                // A sprite that the newest version lacks is available only as long as somebody holds it.
                let gone = entry.leases == 0 && self.pages.get(page).retired;
                self.pages.release(page, 1, &mut self.account);
                if gone {
                    let failure = Failure::new(&entry.name, Reason::NoSprite(None));
                    self.names.set_target(index, Target::Bad(failure));
                }
            }
            Target::Unresolved if entry.waiting > 0 => {
                entry.waiting -= 1;
                self.account.counters.waiting -= 1;
                self.account.counters.withdrawn += 1;
            }
            Target::Unresolved | Target::Bad(_) => {}
        }
    }

    /// The status of a name.
    pub fn status(&self, entry: u32) -> Status {
        let entry = self.names.get(entry);
        match entry.target() {
            Target::Bad(failure) => Status::Failed(failure.clone()),
            _ if self.closed => Status::Failed(Failure::new(&entry.name, Reason::Closed)),
            Target::Unresolved => Status::Loading,
            Target::Sprite { page, .. } => self.pages.status(*page),
        }
    }

    /// The status of a set: ready when all of it is, failed when something cannot be loaded and the rest is resident.
    pub fn set_status(&self, id: u32) -> Status {
        let Some(set) = self.sets.get(id) else { return Status::Loading };
        if self.closed {
            return Status::Failed(Failure::new("a set", Reason::Closed));
        }
        let mut failure = set.failures.first().cloned();
        for entry in &set.held {
            match self.status(*entry) {
                Status::Loading => return Status::Loading,
                Status::Failed(own) => failure = failure.or(Some(own)),
                Status::Ready => {}
            }
        }
        match failure {
            _ if set.pending > 0 => Status::Loading,
            Some(failure) => Status::Failed(failure),
            None => Status::Ready,
        }
    }

    /// Whether there is work for a worker.
    pub fn has_jobs(&self) -> bool {
        !self.queue.is_empty() || self.pages.has_queue()
    }

    /// Whether nothing is in progress, and nothing waits for a worker or the pump.
    pub fn is_idle(&self) -> bool {
        !self.trim && self.queue.is_idle() && self.origins.is_idle() && self.pages.is_idle()
    }
}
