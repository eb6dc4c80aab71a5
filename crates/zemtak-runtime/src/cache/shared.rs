//! What all handles of a cache share: the state and its lock, and what never changes.

use super::reading::Reading;
use super::state::State;
use super::status::Status;
use super::wanted::Wanted;
use crate::failure::{Failure, Reason};
use crate::sync::{Changes, Condvar, Mutex, MutexGuard, current, lock, wait};
use std::fmt;
use std::sync::atomic::{AtomicU32, Ordering};

pub(super) struct Shared {
    state: Mutex<State>,
    /// Workers wait here for something to do.
    work: Condvar,
    /// Others wait here for something to be done.
    done: Condvar,
    pub reading: Reading,
    /// Counts changes of what leases show.
    pub changes: Changes,
    /// Distinguishes caches.
    pub number: u32,
}

impl fmt::Debug for Shared {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Shared").field("number", &self.number).finish_non_exhaustive()
    }
}

impl Shared {
    pub fn new(reading: Reading, budget: u64) -> Self {
        static NUMBER: AtomicU32 = AtomicU32::new(0);
        let number = NUMBER.fetch_add(1, Ordering::Relaxed);
        let changes = Changes::default();
        let state = Mutex::new(State::new(budget, changes.clone()));
        Self { state, work: Condvar::new(), done: Condvar::new(), reading, changes, number }
    }

    pub fn lock(&self) -> MutexGuard<'_, State> {
        lock(&self.state)
    }

    /// Changes the state, and wakes workers if that gave them something to do.
    pub fn ask<T>(&self, change: impl FnOnce(&mut State) -> T) -> T {
        let mut state = self.lock();
        let result = change(&mut state);
        self.wake(&state);
        result
    }

    /// Wakes workers if there is something to do for them.
    pub fn wake(&self, state: &State) {
        if state.queue.sleeping > 0 && state.has_jobs() {
            self.work.notify_all();
        }
    }

    /// Wakes all who wait for something to be done.
    pub fn tell(&self) {
        self.done.notify_all();
    }

    /// Ends all waiting, for good.
    pub fn end(&self) {
        self.work.notify_all();
        self.done.notify_all();
    }

    /// Sleeps until there may be something for a worker to do.
    pub fn sleep<'s>(&self, mut state: MutexGuard<'s, State>) -> MutexGuard<'s, State> {
        state.queue.sleeping += 1;
        state = wait(&self.work, state);
        state.queue.sleeping -= 1;
        state
    }

    /// Sleeps until something has been done.
    pub fn until_told<'s>(&self, state: MutexGuard<'s, State>) -> MutexGuard<'s, State> {
        wait(&self.done, state)
    }

    /// Waits on a thread that does not pump.
    pub fn wait(&self, wanted: Wanted) -> Result<(), Failure> {
        let mut state = self.lock();
        loop {
            match wanted.status(&state) {
                Status::Ready => return Ok(()),
                Status::Failed(failure) => return Err(failure),
                Status::Loading if state.pump_thread == current().id() => {
                    return Err(Failure::new("waiting", Reason::OnPumpThread));
                }
                Status::Loading => state = self.until_told(state),
            }
        }
    }
}
