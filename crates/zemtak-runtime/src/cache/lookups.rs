//! What a set finds when it is asked for, and once its atlas has been read: names, globs, whole atlases, clips.

use super::entries::{Version, Who, nearest};
use super::lookup::{Glob, PendingLookup, What};
use super::origins::origin_of;
use super::queue::WorkItem;
use super::sets::{ClipOf, ReadyClip};
use super::state::State;
use crate::failure::{Failure, Reason};
use std::sync::Arc;
use zemtak_core::atlas::Clip;
use zemtak_core::clip::Timeline;
use zemtak_core::name::ClipName;

impl State {
    /// Makes a set from names and globs.
    pub fn lease_set(&mut self, names: &[&str], who: Who) -> u32 {
        let id = self.sets.add(who, None);
        for name in names {
            if let Err(failure) = self.add_to_set(id, name, who) {
                self.set_fails(id, failure);
            }
        }
        id
    }

    /// Makes a set from the steps of a clip.
    pub fn lease_clip(&mut self, asked: &str, who: Who) -> u32 {
        let entry = self.meaning(asked);
        let name = self.names.get(entry).name.clone();
        let Some(origin) = origin_of(&name).filter(|origin| origin.ends_with(':')) else {
            let id = self.sets.add(who, None);
            self.set_fails(id, Failure::new(asked, Reason::Name));
            return id;
        };
        let clip = name[origin.len()..].into();
        let origin = self.origins.intern(origin);
        let id = self.sets.add(who, Some(ClipOf { origin, name: clip, ready: None }));
        self.look_up(origin, PendingLookup { set: id, what: What::Clip });
        id
    }

    fn add_to_set(&mut self, id: u32, name: &str, who: Who) -> Result<(), Failure> {
        if !Glob::is_meant_by(name) {
            let entry = self.intern(name);
            self.take_into(id, entry, who);
            return Ok(());
        }
        let Some((atlas, sprites)) = name.split_once(':') else {
            let glob = Glob::new(name, name)?;
            self.sets.pend(id);
            self.queue.push(WorkItem::List(PendingLookup { set: id, what: What::Glob(glob) }));
            return Ok(());
        };
        let glob = Glob::new(name, sprites)?;
        // A name with the same prefix as all others of that atlas.
        let origin = origin_of(&format!("{atlas}:*")).map(|origin| self.origins.intern(origin));
        let origin = origin.ok_or_else(|| Failure::new(name, Reason::Name))?;
        self.look_up(origin, PendingLookup { set: id, what: What::Glob(glob) });
        Ok(())
    }

    /// Adds a lease to a set.
    fn take_into(&mut self, id: u32, entry: u32, who: Who) {
        let held = self.take(entry, who);
        self.sets.hold(id, held);
    }

    fn set_fails(&mut self, id: u32, failure: Failure) {
        self.sets.fail(id, failure.clone());
        self.account.failed(failure);
    }

    /// Looks up at once if the atlas is known, else when it has been read.
    fn look_up(&mut self, origin: u32, lookup: PendingLookup) {
        self.sets.pend(lookup.set);
        let own = self.origins.get_mut(origin);
        match (own.version.clone(), own.failed.clone()) {
            (Some(version), _) => self.grant(origin, &version, &lookup),
            (None, Some(failure)) => self.deny(origin, lookup, &failure),
            (None, None) => {
                own.lookups.push(lookup);
                self.open(origin);
            }
        }
    }

    /// Adds to a set what a lookup finds, now that the atlas is known.
    pub fn grant(&mut self, origin: u32, version: &Arc<Version>, lookup: &PendingLookup) {
        let Some(who) = self.sets.found(lookup.set) else { return };
        let What::Glob(glob) = &lookup.what else { return self.grant_clip(lookup.set, version) };
        let names = (0..).zip(&version.snapshot.sprites);
        let found: Vec<u32> = names.filter(|(_, (name, _))| glob.matches(name.as_str())).map(|(at, _)| at).collect();
        if found.is_empty() {
            self.set_fails(lookup.set, Failure::new(&glob.asked, Reason::NothingMatches));
        }
        self.names.reserve(found.len());
        for at in found {
            let entry = self.names.intern_sprite(origin, version, at, &mut self.origins);
            self.take_into(lookup.set, entry, who);
        }
    }

    /// Tells a set that a lookup failed with its atlas. It is repeated if the atlas can be read later.
    pub fn deny(&mut self, origin: u32, lookup: PendingLookup, failure: &Failure) {
        if self.sets.found(lookup.set).is_some() {
            self.sets.fail(lookup.set, failure.clone());
            self.origins.get_mut(origin).failed_lookups.push(lookup);
        }
    }

    /// Repeats a lookup that failed with its atlas.
    pub fn look_up_again(&mut self, origin: u32, lookup: PendingLookup, failed: Option<&Failure>) {
        let Some(set) = self.sets.get_mut(lookup.set) else { return };
        set.failures.retain(|own| failed.is_none_or(|failed| !own.is_same(failed)));
        set.pending += 1;
        self.origins.get_mut(origin).lookups.push(lookup);
    }

    /// Adds the loose images that match a glob to a set.
    pub fn listed(&mut self, lookup: &PendingLookup, names: Result<Vec<String>, Failure>) {
        let (id, What::Glob(glob)) = (lookup.set, &lookup.what) else { return };
        let Some(who) = self.sets.found(id) else { return };
        match names {
            Ok(names) if names.is_empty() => self.set_fails(id, Failure::new(&glob.asked, Reason::NothingMatches)),
            Ok(names) => {
                for name in names {
                    let entry = self.intern(&name);
                    self.take_into(id, entry, who);
                }
            }
            Err(failure) => self.set_fails(id, failure),
        }
    }

    /// Makes a set hold the steps of its clip, in order, and releases what it held before.
    pub fn grant_clip(&mut self, id: u32, version: &Version) {
        let Some(set) = self.sets.get(id) else { return };
        let (who, Some(clip)) = (set.who, &set.clip) else { return };
        let atlas = self.origins.get(clip.origin).name.clone();
        let (ready, steps) = match read_clip(version, &atlas, &clip.name) {
            Ok(clip) => clip,
            Err(failure) => return self.set_fails(id, failure),
        };
        let mut held = Vec::with_capacity(steps.len());
        for step in &steps {
            let entry = self.intern(step);
            held.push(self.take(entry, who));
        }
        let Some(set) = self.sets.get_mut(id) else { return };
        let before = std::mem::replace(&mut set.held, held);
        // What an earlier version lacked may be there now.
        set.failures.clear();
        if let Some(clip) = &mut set.clip {
            clip.ready = Some(Arc::new(ready));
        }
        for entry in before {
            self.release(entry, who);
        }
    }

    /// Releases a set and what it holds.
    pub fn drop_set(&mut self, id: u32) {
        let Some(set) = self.sets.remove(id) else { return };
        if set.pending > 0 || !set.failures.is_empty() {
            self.origins.forget_lookups(id);
        }
        for entry in set.held {
            self.release(entry, set.who);
        }
    }
}

/// A clip that is ready to play, and the full names of the sprites of its steps.
fn read_clip(version: &Version, atlas: &str, name: &str) -> Result<(ReadyClip, Vec<String>), Failure> {
    let asked = &[atlas, name].concat();
    let clips = &version.snapshot.clips;
    let Some(clip) = clips.get(&ClipName::new(name)) else {
        let near = nearest(name, clips.keys().map(ClipName::as_str));
        return Err(Failure::new(asked, Reason::NoClip(near)));
    };
    let timeline = Timeline::of(clip).map_err(|error| Failure::new(asked, error))?;
    let events = clip.steps.iter().map(|step| step.events.clone()).collect();
    Ok((ReadyClip { timeline, events }, step_names(version, atlas, clip)))
}

/// The full names of the sprites of a clip's steps: of its own atlas, or of one next to it.
fn step_names(version: &Version, atlas: &str, clip: &Clip) -> Vec<String> {
    let folder = atlas.rfind('/').map_or("", |slash| &atlas[..=slash]);
    let full = |name: &str| {
        if name.contains(':') && version.snapshot.find(name).is_none() {
            format!("{folder}{name}")
        } else {
            format!("{atlas}{name}")
        }
    };
    clip.steps.iter().map(|step| full(step.sprite.as_str())).collect()
}
