//! Numbers that stand for objects: one that was given back is recognised by its generation, one of another kind by its
//! highest bits.

use crate::code::Code;
use std::sync::{Mutex, MutexGuard, PoisonError};
use zemtak_runtime::{Id, LeaseKey, Slots};

/// The kind of object that a handle stands for: its highest four bits.
#[derive(Debug, Clone, Copy)]
pub enum Kind {
    Lease = 1,
    Set = 2,
    Clip = 3,
    Playing = 4,
    Id = 5,
    Batch = 6,
}

impl Kind {
    /// The handle for a number of 60 bits.
    fn handle(self, number: u64) -> Result<u64, Code> {
        if number >> 60 == 0 { Ok((self as u64) << 60 | number) } else { Err(Code::OutOfRange) }
    }

    /// The number in a handle of this kind.
    fn number(self, handle: u64) -> Result<u64, Code> {
        let number = handle ^ (self as u64) << 60;
        if number >> 60 == 0 { Ok(number) } else { Err(Code::Stale) }
    }
}

/// The handle of a lease that the cache keeps.
pub fn of_lease(key: Option<LeaseKey>) -> Result<u64, Code> {
    Kind::Lease.handle(key.ok_or(Code::OutOfRange)?.0)
}

/// The lease of a handle.
pub fn lease(handle: u64) -> Result<LeaseKey, Code> {
    Kind::Lease.number(handle).map(LeaseKey)
}

/// The handle of a name that was looked up.
pub fn of_id(id: Id) -> Result<u64, Code> {
    Kind::Id.handle(id.to_bits())
}

/// The name of a handle.
pub fn id(handle: u64) -> Result<Id, Code> {
    Kind::Id.number(handle).map(Id::from_bits)
}

/// Objects of one kind by their handles.
#[derive(Debug)]
pub struct Handles<T> {
    kind: Kind,
    slots: Mutex<Slots<T>>,
}

impl<T> Handles<T> {
    /// Empty.
    pub fn new(kind: Kind) -> Self {
        Self { kind, slots: Mutex::default() }
    }

    fn lock(&self) -> MutexGuard<'_, Slots<T>> {
        self.slots.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Keeps an object, and returns its handle, which is not 0.
    pub fn put(&self, thing: T) -> Result<u64, Code> {
        self.kind.handle(self.lock().put(thing).ok_or(Code::OutOfRange)?)
    }

    /// Uses an object. No other object of the same kind can be used meanwhile.
    pub fn with<R>(&self, handle: u64, use_it: impl FnOnce(&mut T) -> R) -> Result<R, Code> {
        let key = self.kind.number(handle)?;
        self.lock().get_mut(key).map(use_it).ok_or(Code::Stale)
    }

    /// Gives an object back.
    pub fn take(&self, handle: u64) -> Result<T, Code> {
        let key = self.kind.number(handle)?;
        self.lock().take(key).ok_or(Code::Stale)
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.lock().len()
    }
}
