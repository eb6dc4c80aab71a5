//! Many sprites at once: lists, globs, whole atlases, clips.

use super::entries::{Version, Who};
use super::state::{State, Status, WorkItem, nearest};
use crate::failure::{Failure, Reason};
use std::sync::Arc;
use zemtak_core::atlas::Clip;
use zemtak_core::clip::Timeline;
use zemtak_core::name::ClipName;

/// Sprites that are held together.
#[derive(Debug)]
pub(super) struct HeldSet {
    pub who: Who,
    pub held: Vec<u32>,
    /// How many lookups wait until it is known what they find.
    pub pending: u32,
    pub failures: Vec<Failure>,
    pub clip: Option<ClipOf>,
}

/// The clip that a set is.
#[derive(Debug)]
pub(super) struct ClipOf {
    pub origin: u32,
    pub name: Box<str>,
    pub ready: Option<Arc<ReadyClip>>,
}

/// A clip that is known.
#[derive(Debug)]
pub(super) struct ReadyClip {
    pub timeline: Timeline,
    /// Words of each step.
    pub events: Vec<Vec<String>>,
}

/// What a set waits for.
#[derive(Debug, Clone)]
pub(super) struct PendingLookup {
    pub set: u32,
    pub what: What,
}

#[derive(Debug, Clone)]
pub(super) enum What {
    /// All names that a glob matches.
    Glob(Glob),
    /// The steps of the set's clip.
    Clip,
}

/// A glob, as it was asked for and ready to match.
#[derive(Debug, Clone)]
pub(super) struct Glob {
    pub asked: String,
    glob: zemtak_core::glob::Glob,
}

impl Glob {
    fn new(asked: &str, glob: &str) -> Result<Self, Failure> {
        let glob = zemtak_core::glob::Glob::new(glob);
        let glob = glob.map_err(|error| Failure::new(asked, Reason::Glob(error.to_string())))?;
        Ok(Self { asked: asked.to_owned(), glob })
    }

    pub fn matches(&self, name: &str) -> bool {
        // A name may hold characters that mean something in a glob.
        self.glob.as_str() == name || self.glob.matches(name)
    }
}

impl State {
    /// Makes a set of names and globs.
    pub fn set(&mut self, names: &[&str], who: Who) -> u32 {
        let id = self.new_set(who, None);
        for name in names {
            if let Err(failure) = self.add_to_set(id, name, who) {
                self.set_fails(id, failure);
            }
        }
        id
    }

    /// Makes a set of the steps of a clip.
    pub fn clip(&mut self, asked: &str, who: Who) -> u32 {
        let entry = self.intern(asked);
        let name = self.entries[self.follow(entry) as usize].name.clone();
        let split = super::state::origin_of(&name).filter(|origin| origin.ends_with(':'));
        let Some(origin) = split else {
            let id = self.new_set(who, None);
            self.set_fails(id, Failure::new(asked, Reason::Name));
            return id;
        };
        let clip = name[origin.len()..].into();
        let origin = self.origin(origin);
        let id = self.new_set(who, Some(ClipOf { origin, name: clip, ready: None }));
        self.lookup(origin, PendingLookup { set: id, what: What::Clip });
        id
    }

    fn new_set(&mut self, who: Who, clip: Option<ClipOf>) -> u32 {
        self.sets_made += 1;
        let set = HeldSet { who, held: Vec::new(), pending: 0, failures: Vec::new(), clip };
        self.sets.insert(self.sets_made, set);
        self.sets_made
    }

    fn add_to_set(&mut self, id: u32, name: &str, who: Who) -> Result<(), Failure> {
        let pattern = name.contains(['*', '?', '[', '{']);
        let Some((atlas, sprites)) = name.split_once(':').filter(|_| pattern) else {
            if pattern {
                let glob = Glob::new(name, name)?;
                self.pend(id, 1);
                self.work_items.push_back(WorkItem::List(PendingLookup { set: id, what: What::Glob(glob) }));
                return Ok(());
            }
            let entry = self.intern(name);
            let held = self.take(entry, who);
            self.in_set(id, held);
            return Ok(());
        };
        let glob = Glob::new(name, sprites)?;
        // A name that begins like any other of that atlas.
        let origin = super::state::origin_of(&format!("{atlas}:*")).map(str::to_owned);
        let origin = origin.ok_or_else(|| Failure::new(name, Reason::Name))?;
        let origin = self.origin(&origin);
        self.lookup(origin, PendingLookup { set: id, what: What::Glob(glob) });
        Ok(())
    }

    fn pend(&mut self, id: u32, count: u32) {
        if let Some(set) = self.sets.get_mut(&id) {
            set.pending += count;
        }
    }

    fn in_set(&mut self, id: u32, entry: u32) {
        if let Some(set) = self.sets.get_mut(&id) {
            set.held.push(entry);
        }
    }

    fn set_fails(&mut self, id: u32, failure: Failure) {
        if let Some(set) = self.sets.get_mut(&id) {
            set.failures.push(failure.clone());
        }
        self.failed(failure);
    }

    /// Looks up at once where the atlas is known, or later.
    fn lookup(&mut self, origin: u32, lookup: PendingLookup) {
        self.pend(lookup.set, 1);
        let own = &mut self.origins[origin as usize];
        match (own.version.clone(), own.failed.clone()) {
            (Some(version), _) => self.grant(origin, &version, &lookup),
            (None, Some(failure)) => {
                own.failed_lookups.push(lookup.clone());
                self.deny(&lookup, &failure);
            }
            (None, None) => {
                own.lookups.push(lookup);
                self.open(origin);
            }
        }
    }

    /// Adds to a set what a lookup finds, now that the atlas is known.
    pub fn grant(&mut self, origin: u32, version: &Arc<Version>, lookup: &PendingLookup) {
        let Some(set) = self.sets.get_mut(&lookup.set) else { return };
        set.pending -= 1;
        let who = set.who;
        match &lookup.what {
            What::Glob(glob) => {
                let names = (0..).zip(&version.snapshot.sprites);
                let found: Vec<u32> =
                    names.filter(|(_, (name, _))| glob.matches(name.as_str())).map(|(at, _)| at).collect();
                if found.is_empty() {
                    self.set_fails(lookup.set, Failure::new(&glob.asked, Reason::NothingMatches));
                }
                self.reserve(found.len());
                for at in found {
                    let entry = self.intern_sprite(origin, version, at);
                    let held = self.take(entry, who);
                    self.in_set(lookup.set, held);
                }
            }
            What::Clip => self.grant_clip(lookup.set, version),
        }
    }

    /// Adds names that a glob matched to a set.
    pub fn hold_all(&mut self, id: u32, asked: &str, names: &[String], who: Who) {
        if names.is_empty() {
            self.set_fails(id, Failure::new(asked, Reason::NothingMatches));
        }
        for name in names {
            let entry = self.intern(name);
            let held = self.take(entry, who);
            self.in_set(id, held);
        }
    }

    /// Tells a set that a lookup of it failed. The reason was told already.
    pub fn deny(&mut self, lookup: &PendingLookup, failure: &Failure) {
        if let Some(set) = self.sets.get_mut(&lookup.set) {
            set.pending -= 1;
            set.failures.push(failure.clone());
        }
    }

    /// Has a set hold the steps of its clip, in their order, and lets go what it held before.
    pub fn grant_clip(&mut self, id: u32, version: &Version) {
        let Some(ClipOf { origin, name, .. }) = self.sets.get(&id).and_then(|set| set.clip.as_ref()) else {
            return;
        };
        let atlas = self.origins[*origin as usize].name.clone();
        let asked = format!("{atlas}{name}");
        let (ready, steps) = match read_clip(version, &asked, &atlas, name) {
            Ok(clip) => clip,
            Err(failure) => return self.set_fails(id, failure),
        };
        let Some(who) = self.sets.get(&id).map(|set| set.who) else { return };
        let held: Vec<u32> = steps
            .iter()
            .map(|step| {
                let entry = self.intern(step);
                self.take(entry, who)
            })
            .collect();
        let Some(set) = self.sets.get_mut(&id) else { return };
        let before = std::mem::replace(&mut set.held, held);
        // What an earlier version lacked is there now.
        set.failures.clear();
        if let Some(clip) = &mut set.clip {
            clip.ready = Some(Arc::new(ready));
        }
        for entry in before {
            self.release(entry, who);
        }
    }

    /// Lets a set go, and what it holds.
    pub fn drop_set(&mut self, id: u32) {
        let Some(set) = self.sets.remove(&id) else { return };
        if set.pending > 0 || !set.failures.is_empty() {
            for origin in &mut self.origins {
                origin.lookups.retain(|lookup| lookup.set != id);
                origin.failed_lookups.retain(|lookup| lookup.set != id);
            }
        }
        for entry in set.held {
            self.release(entry, set.who);
        }
    }

    /// How far a set is: ready when all of it is, failed when the rest is there.
    pub fn look_at_set(&self, id: u32) -> Status {
        let Some(set) = self.sets.get(&id) else { return Status::Loading };
        if self.closed {
            return Status::Failed(Failure::new("a set", Reason::Closed));
        }
        let mut failure = set.failures.first().cloned();
        for entry in &set.held {
            match self.look(*entry) {
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
}

/// A clip made ready, and the full names of the sprites of its steps.
fn read_clip(version: &Version, asked: &str, atlas: &str, name: &str) -> Result<(ReadyClip, Vec<String>), Failure> {
    let clips = &version.snapshot.clips;
    let Some(clip) = clips.get(&ClipName::new(name)) else {
        let near = nearest(name, clips.keys().map(ClipName::as_str));
        return Err(Failure::new(asked, Reason::NoClip(near)));
    };
    let timeline = Timeline::of(clip).map_err(|error| Failure::new(asked, error))?;
    let events = clip.steps.iter().map(|step| step.events.clone()).collect();
    Ok((ReadyClip { timeline, events }, step_names(version, atlas, clip)))
}

/// The full names of the sprites of a clip's steps: of its own atlas, or of one beside it.
pub(super) fn step_names(version: &Version, atlas: &str, clip: &Clip) -> Vec<String> {
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
