//! Reading ahead: what a build will ask for is fetched before it does, judging by the previous build like it.
//!
//! On a machine that knows nothing yet, a build asks for thousands of values, most of them one after another, and each
//! takes a round trip to the store. What builds asked for is recorded in the store; the next one fetches that at once,
//! several values at a time, while it still looks at its files. For whatever has changed since, the wrong values
//! arrive, and nobody asks for them.

use super::{Kind, PAUSE, READERS, Used, Value, lock, start};
use crate::store::Hash;
use serde::{Deserialize, Serialize};
use std::collections::{HashMap, HashSet, VecDeque};
use std::ops::Deref;
use std::sync::{Arc, Condvar, Mutex, PoisonError};

/// What a build asked for, in this order.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct AskedFor(pub Vec<(Kind, Hash)>);

/// Values that are fetched before anybody asks.
#[derive(Debug)]
pub(super) struct Ahead {
    state: Mutex<State>,
    changed: Condvar,
    /// The most bytes that may wait until they are asked for.
    most: u64,
}

#[derive(Debug, Default)]
struct State {
    wanted: VecDeque<(Kind, Hash)>,
    /// What was asked for before it was fetched.
    asked: HashSet<Hash>,
    under_way: HashSet<Hash>,
    there: HashMap<Hash, Value>,
    bytes: u64,
    closed: bool,
}

/// What reading ahead knows about a value.
pub(super) enum Told {
    /// Here it is.
    There(Value),
    /// It has to be asked for.
    Unknown,
    /// Nobody wants it any more.
    Cancelled,
}

impl Ahead {
    /// Starts fetching these values.
    pub fn start(wanted: AskedFor, most: u64, used: &Arc<Used>) -> Reading {
        let state = Mutex::new(State { wanted: wanted.0.into(), ..State::default() });
        let ahead = Arc::new(Self { state, changed: Condvar::new(), most });
        let (from, used) = (ahead.clone(), used.clone());
        let read = Arc::new(move || {
            while let Some((kind, key)) = from.next() {
                let value = if used.health().off { None } else { used.get(kind, &key) };
                from.came(&key, value);
            }
        });
        // What no thread reads ahead is asked for when it is needed.
        start(READERS, &read);
        Reading(ahead)
    }

    /// What to fetch next, once there is room for it.
    fn next(&self) -> Option<(Kind, Hash)> {
        let mut state = lock(&self.state);
        loop {
            if state.closed {
                return None;
            }
            if state.bytes < self.most {
                let (kind, key) = state.wanted.pop_front()?;
                if !state.asked.contains(&key) && !state.there.contains_key(&key) && state.under_way.insert(key) {
                    return Some((kind, key));
                }
                continue;
            }
            state = self.changed.wait(state).unwrap_or_else(PoisonError::into_inner);
        }
    }

    fn came(&self, key: &Hash, value: Option<Value>) {
        let mut state = lock(&self.state);
        state.under_way.remove(key);
        if let Some(value) = value {
            state.bytes += value.bytes.len() as u64;
            state.there.insert(*key, value);
        }
        self.changed.notify_all();
    }

    /// The value of a key, if it arrived; while it is on its way, this waits.
    pub fn take(&self, key: &Hash, cancelled: &dyn Fn() -> bool) -> Told {
        let mut state = lock(&self.state);
        loop {
            if let Some(value) = state.there.remove(key) {
                state.bytes -= value.bytes.len() as u64;
                self.changed.notify_all();
                return Told::There(value);
            }
            if !state.under_way.contains(key) {
                state.asked.insert(*key);
                return Told::Unknown;
            }
            state = self.changed.wait_timeout(state, PAUSE).unwrap_or_else(PoisonError::into_inner).0;
            if cancelled() {
                return Told::Cancelled;
            }
        }
    }
}

/// Fetches ahead until it is dropped.
#[derive(Debug)]
pub(super) struct Reading(Arc<Ahead>);

impl Deref for Reading {
    type Target = Ahead;

    fn deref(&self) -> &Ahead {
        &self.0
    }
}

impl Drop for Reading {
    fn drop(&mut self) {
        lock(&self.0.state).closed = true;
        self.0.changed.notify_all();
    }
}
