//! Numbers that stand for things: one that was given back is known by its generation, one of another kind by its highest bits.

use crate::code::Code;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Things of one kind by their handles.
#[derive(Debug)]
pub struct Handles<T> {
    kind: u64,
    slots: Mutex<Slots<T>>,
}

#[derive(Debug)]
struct Slots<T> {
    /// Each with its generation, which counts how often the place was given back.
    places: Vec<(u32, Option<T>)>,
    free: Vec<u32>,
}

/// A generation has so many bits; a place whose generations are used up is not taken again.
const GENERATIONS: u32 = 1 << 28;

impl<T> Handles<T> {
    /// None yet. Each kind has its own number, from 1 to 15.
    pub const fn new(kind: u64) -> Self {
        Self { kind, slots: Mutex::new(Slots { places: Vec::new(), free: Vec::new() }) }
    }

    fn lock(&self) -> MutexGuard<'_, Slots<T>> {
        self.slots.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Keeps a thing, and gives its handle, which is not 0.
    pub fn put(&self, thing: T) -> Result<u64, Code> {
        let mut slots = self.lock();
        let place = match slots.free.pop() {
            Some(place) => place,
            None => {
                slots.places.push((0, None));
                u32::try_from(slots.places.len() - 1).map_err(|_| Code::OutOfRange)?
            }
        };
        let slot = &mut slots.places[place as usize];
        slot.1 = Some(thing);
        Ok(self.kind << 60 | u64::from(slot.0) << 32 | u64::from(place))
    }

    fn place(&self, handle: u64) -> Option<(usize, u32)> {
        let generation = u32::try_from(handle >> 32 & u64::from(GENERATIONS - 1)).ok()?;
        let place = usize::try_from(handle & u64::from(u32::MAX)).ok()?;
        (handle >> 60 == self.kind).then_some((place, generation))
    }

    /// Uses a thing. Nothing else may use one of the same kind meanwhile.
    pub fn with<R>(&self, handle: u64, use_it: impl FnOnce(&mut T) -> R) -> Result<R, Code> {
        let (place, generation) = self.place(handle).ok_or(Code::Stale)?;
        match self.lock().places.get_mut(place) {
            Some((at, Some(thing))) if *at == generation => Ok(use_it(thing)),
            _ => Err(Code::Stale),
        }
    }

    /// Gives a thing back.
    pub fn take(&self, handle: u64) -> Result<T, Code> {
        let (place, generation) = self.place(handle).ok_or(Code::Stale)?;
        let mut slots = self.lock();
        match slots.places.get_mut(place) {
            Some((at, thing @ Some(_))) if *at == generation => {
                let thing = thing.take();
                *at += 1;
                if *at < GENERATIONS {
                    slots.free.push(u32::try_from(place).map_err(|_| Code::Bug)?);
                }
                thing.ok_or(Code::Bug)
            }
            _ => Err(Code::Stale),
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        let slots = self.lock();
        slots.places.len() - slots.free.len()
    }
}
