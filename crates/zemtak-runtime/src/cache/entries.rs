//! Names that were asked for: what each one stands for, and who holds it.

use super::snapshot::{PageFile, Placed, Snapshot};
use crate::failure::{Failure, Reason};
use std::panic::Location;
use std::sync::Arc;
use zemtak_core::coords::Part;

/// A snapshot in use, with the slots of its pages.
#[derive(Debug)]
pub(super) struct Version {
    pub snapshot: Snapshot,
    pub slots: Vec<u32>,
}

impl Version {
    /// A sprite's index and the slot of its page.
    pub fn find(&self, local: &str) -> Option<(u32, u32)> {
        let at = self.snapshot.find(local)?;
        Some((at, self.slot(at)))
    }

    /// The slot of a sprite's page.
    pub fn slot(&self, at: u32) -> u32 {
        self.slots[self.snapshot.placed(at).page as usize]
    }

    /// The slot of a page with the same description in its descriptor, and its files.
    pub fn page_like(&self, file: &PageFile) -> Option<(u32, &PageFile)> {
        let at = self.snapshot.pages.iter().position(|own| own.is_described_as(file))?;
        Some((self.slots[at], &self.snapshot.pages[at]))
    }

    /// Whether another version shows the same.
    pub fn is_same(&self, other: &Self) -> bool {
        self.slots == other.slots && self.snapshot.is_described_as(&other.snapshot)
    }

    /// What a full name stands for in this version.
    pub fn target(self: &Arc<Self>, name: &str) -> Target {
        match self.find(local(name)) {
            Some((at, page)) => Target::Sprite { version: self.clone(), at, page },
            None => Target::Bad(self.lacks(name)),
        }
    }

    /// Reports that it has no sprite of this full name, and what it has instead.
    pub fn lacks(&self, name: &str) -> Failure {
        let names = self.snapshot.sprites.iter().map(|(own, _)| own.as_str());
        Failure::new(name, Reason::NoSprite(nearest(local(name), names)))
    }
}

/// What a name stands for.
#[derive(Debug)]
pub(super) enum Target {
    /// Its atlas or image has not been read yet.
    Unresolved,
    /// A sprite.
    Sprite { version: Arc<Version>, at: u32, page: u32 },
    /// Nothing.
    Bad(Failure),
}

/// Who holds a sprite: the name that was given, and in debug builds the line of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Who {
    pub holder: u32,
    pub at: Option<&'static Location<'static>>,
}

/// What a lease holds: a part of a sprite, on behalf of somebody.
#[derive(Debug, Clone)]
pub(super) struct Kept {
    pub entry: u32,
    pub who: Who,
    pub parts: Option<Arc<[Part]>>,
}

/// The holder of pinned sets. These are not reported as held at the end.
pub(super) const PINS: u32 = 1;

/// A name that was asked for.
#[derive(Debug)]
pub(super) struct Entry {
    pub name: Arc<str>,
    /// The atlas or the image it belongs to, if it is a name.
    pub origin: Option<u32>,
    /// The name that it currently stands for.
    pub alias: Option<u32>,
    target: Target,
    pub leases: u32,
    /// How many of its leases are yet to be counted, because it is not known what the name stands for.
    pub waiting: u32,
    holds: Holds,
}

/// Holders, and how many leases each has. There is nearly always just one, and then nothing is allocated.
#[derive(Debug, Default)]
struct Holds {
    first: Option<(Who, u32)>,
    more: Vec<(Who, u32)>,
}

impl Holds {
    fn add(&mut self, who: Who) {
        if let Some((_, count)) = self.first.iter_mut().chain(&mut self.more).find(|(own, _)| *own == who) {
            *count += 1;
        } else if self.first.is_none() {
            self.first = Some((who, 1));
        } else {
            self.more.push((who, 1));
        }
    }

    fn take(&mut self, who: Who) {
        if let Some((_, count)) = self.first.iter_mut().chain(&mut self.more).find(|(own, _)| *own == who) {
            *count -= 1;
            if *count == 0 {
                self.first = self.first.filter(|(_, count)| *count > 0);
                self.more.retain(|(_, count)| *count > 0);
            }
        }
    }
}

impl Entry {
    pub fn new(name: Arc<str>, origin: Option<u32>, target: Target) -> Self {
        Self { name, origin, alias: None, target, leases: 0, waiting: 0, holds: Holds::default() }
    }

    /// Its name within its atlas; empty for an image.
    pub fn local(&self) -> &str {
        local(&self.name)
    }

    pub fn target(&self) -> &Target {
        &self.target
    }

    /// For [`Names::set_target`](super::names::Names::set_target) alone.
    pub fn set_target(&mut self, target: Target) {
        self.target = target;
    }

    /// The slot of its page, once it is known to be a sprite.
    pub fn page(&self) -> Option<u32> {
        match self.target {
            Target::Sprite { page, .. } => Some(page),
            _ => None,
        }
    }

    pub fn placed(&self) -> Option<&Placed> {
        match &self.target {
            Target::Sprite { version, at, .. } => Some(version.snapshot.placed(*at)),
            _ => None,
        }
    }

    pub fn hold(&mut self, who: Who) {
        self.leases += 1;
        self.holds.add(who);
    }

    pub fn unhold(&mut self, who: Who) {
        self.leases -= 1;
        self.holds.take(who);
    }

    pub fn holds(&self) -> impl Iterator<Item = &(Who, u32)> {
        self.holds.first.iter().chain(&self.holds.more)
    }
}

/// A sprite's name within its atlas; empty for an image.
fn local(name: &str) -> &str {
    name.split_once(':').map_or("", |(_, local)| local)
}

/// The name that differs only in case, or else shares the longest prefix with the wanted one.
pub(super) fn nearest<'n>(wanted: &str, names: impl Iterator<Item = &'n str> + Clone) -> Option<String> {
    if let Some(same) = names.clone().find(|name| name.eq_ignore_ascii_case(wanted)) {
        return Some(same.to_owned());
    }
    let shared = |name: &str| name.bytes().zip(wanted.bytes()).take_while(|(a, b)| a == b).count();
    let best = names.min_by_key(|name| (std::cmp::Reverse(shared(name)), name.len()))?;
    (shared(best) > 0).then(|| best.to_owned())
}
