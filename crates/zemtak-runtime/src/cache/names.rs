//! All names that were asked for, and which of them stand for others.

use super::entries::{Entry, Target, Version};
use super::origins::{Origins, origin_of};
use crate::failure::{Failure, Reason};
use crate::sync::Changes;
use std::collections::HashMap;
use std::sync::Arc;

/// All names that were asked for. A name keeps its index as long as the cache lives: that is its id.
#[derive(Debug)]
pub(super) struct Names {
    entries: Vec<Entry>,
    by_name: HashMap<Arc<str>, u32>,
    changes: Changes,
}

impl Names {
    /// The index that stands for an id of another cache.
    pub const FOREIGN: u32 = 0;

    pub fn new(changes: Changes) -> Self {
        let foreign = Failure::new("an id", Reason::ForeignId);
        let foreign = Entry::new("an id of another cache".into(), None, Target::Bad(foreign));
        Self { entries: vec![foreign], by_name: HashMap::new(), changes }
    }

    pub fn has(&self, entry: u32) -> bool {
        (entry as usize) < self.entries.len()
    }

    pub fn get(&self, entry: u32) -> &Entry {
        &self.entries[entry as usize]
    }

    pub fn get_mut(&mut self, entry: u32) -> &mut Entry {
        &mut self.entries[entry as usize]
    }

    /// Makes a name stand for something else from now on: whoever has looked at it looks again.
    pub fn set_target(&mut self, entry: u32, target: Target) {
        self.changes.count();
        self.get_mut(entry).set_target(target);
    }

    pub fn iter(&self) -> impl Iterator<Item = &Entry> {
        self.entries.iter()
    }

    pub fn indices(&self) -> impl Iterator<Item = u32> + use<> {
        (0..).take(self.entries.len())
    }

    /// Reserves room for this many names.
    pub fn reserve(&mut self, count: usize) {
        self.entries.reserve(count);
        self.by_name.reserve(count);
    }

    /// The index of a name, a new one if it was never asked for.
    pub fn intern(&mut self, name: &str, origins: &mut Origins) -> u32 {
        if let Some(entry) = self.by_name.get(name) {
            return *entry;
        }
        let Some(origin) = origin_of(name) else {
            let target = Target::Bad(Failure::new(name, Reason::Name));
            return self.add(Entry::new(name.into(), None, target));
        };
        let index = origins.intern(origin);
        let origin = origins.get(index);
        let target = match (&origin.version, &origin.failed) {
            (Some(version), _) => version.target(name),
            (None, Some(failure)) => Target::Bad(failure.clone()),
            (None, None) => Target::Unresolved,
        };
        let entry = self.add(Entry::new(name.into(), Some(index), target));
        origins.get_mut(index).entries.push(entry);
        entry
    }

    /// The index of a sprite of a known atlas, given its index in that version.
    pub fn intern_sprite(&mut self, origin: u32, version: &Arc<Version>, at: u32, origins: &mut Origins) -> u32 {
        let own = origins.get_mut(origin);
        let name = [&own.name, version.snapshot.name(at)].concat();
        if let Some(entry) = self.by_name.get(name.as_str()) {
            return *entry;
        }
        let target = Target::Sprite { version: version.clone(), at, page: version.slot(at) };
        let entry = self.add(Entry::new(name.into(), Some(origin), target));
        own.entries.push(entry);
        entry
    }

    fn add(&mut self, entry: Entry) -> u32 {
        let index = u32::try_from(self.entries.len()).unwrap_or(Self::FOREIGN);
        self.by_name.insert(entry.name.clone(), index);
        self.entries.push(entry);
        index
    }

    /// The entry that a name stands for.
    pub fn follow(&self, mut entry: u32) -> u32 {
        // Aliases never form a circle: see `alias`.
        while let Some(next) = self.get(entry).alias {
            entry = next;
        }
        entry
    }

    /// Makes a name stand for another one from now on. Returns whether it may: not if that one already stands for it.
    pub fn alias(&mut self, from: u32, to: u32) -> bool {
        let former = self.get_mut(from).alias.take();
        let circle = self.follow(to) == from;
        self.get_mut(from).alias = if circle { former } else { Some(to) };
        !circle
    }
}
