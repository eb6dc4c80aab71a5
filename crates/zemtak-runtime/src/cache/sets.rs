//! Sprites that are held together, and what such sets still wait for.

use super::entries::Who;
use crate::failure::Failure;
use std::collections::BTreeMap;
use std::sync::Arc;
use zemtak_core::clip::{Entered, Timeline};

/// Sprites that are held together.
#[derive(Debug)]
pub(super) struct HeldSet {
    pub who: Who,
    pub held: Vec<u32>,
    /// How many lookups are still waiting for a result.
    pub pending: u32,
    pub failures: Vec<Failure>,
    pub clip: Option<ClipOf>,
}

/// The clip that a set stands for.
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
    /// Events of each step.
    pub events: Vec<Vec<String>>,
}

impl ReadyClip {
    /// The events of these steps, in order.
    pub fn events_of<'c, S: Iterator<Item = usize>>(
        &'c self,
        steps: S,
    ) -> impl Iterator<Item = &'c String> + use<'c, S> {
        steps.flat_map(|step| self.events.get(step).into_iter().flatten())
    }

    /// How many events these steps have: in a time that does not grow beyond that of one period, because a game that
    /// was suspended for days advances by days.
    pub fn count_events(&self, entered: Entered<'_>) -> u64 {
        let period = self.timeline.turns();
        let count = |steps: Entered<'_>, most: usize| self.events_of(steps.take(most)).count() as u64;
        let periods = entered.count_left() / period as u64;
        if periods == 0 {
            return count(entered, period);
        }
        let last = entered.after(periods * period as u64);
        periods.saturating_mul(count(entered, period)).saturating_add(count(last, period))
    }

    /// One of these events, from 0; in as short a time.
    pub fn event(&self, entered: Entered<'_>, index: u64) -> Option<&String> {
        let period = self.timeline.turns();
        let each = self.events_of(entered.take(period)).count() as u64;
        let (periods, rest) = (index.checked_div(each)?, index.checked_rem(each)?);
        let from = entered.after(periods.checked_mul(period as u64)?);
        self.events_of(from.take(period)).nth(usize::try_from(rest).ok()?)
    }
}

/// All living sets. Requests to one that is gone change nothing.
#[derive(Debug, Default)]
pub(super) struct Sets {
    sets: BTreeMap<u32, HeldSet>,
    made: u32,
}

impl Sets {
    pub fn add(&mut self, who: Who, clip: Option<ClipOf>) -> u32 {
        self.made += 1;
        self.sets.insert(self.made, HeldSet { who, held: Vec::new(), pending: 0, failures: Vec::new(), clip });
        self.made
    }

    pub fn get(&self, id: u32) -> Option<&HeldSet> {
        self.sets.get(&id)
    }

    pub fn get_mut(&mut self, id: u32) -> Option<&mut HeldSet> {
        self.sets.get_mut(&id)
    }

    pub fn remove(&mut self, id: u32) -> Option<HeldSet> {
        self.sets.remove(&id)
    }

    /// Makes a set wait for one more lookup.
    pub fn pend(&mut self, id: u32) {
        if let Some(set) = self.get_mut(id) {
            set.pending += 1;
        }
    }

    /// Ends the wait for a lookup. Returns who holds the set, if it still lives.
    pub fn found(&mut self, id: u32) -> Option<Who> {
        let set = self.get_mut(id)?;
        set.pending -= 1;
        Some(set.who)
    }

    pub fn hold(&mut self, id: u32, entry: u32) {
        if let Some(set) = self.get_mut(id) {
            set.held.push(entry);
        }
    }

    pub fn fail(&mut self, id: u32, failure: Failure) {
        if let Some(set) = self.get_mut(id) {
            set.failures.push(failure);
        }
    }

    /// The sets that are clips of an atlas.
    pub fn clips_of(&self, origin: u32) -> impl Iterator<Item = (u32, &ClipOf)> {
        self.sets.iter().filter_map(move |(id, set)| {
            let clip = set.clip.as_ref().filter(|clip| clip.origin == origin)?;
            Some((*id, clip))
        })
    }
}
