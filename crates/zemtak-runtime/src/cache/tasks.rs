//! Tasks that wait for a pump to do something.

use std::task::Waker;

/// The waiting tasks.
#[derive(Debug, Default)]
pub(super) struct Tasks(Vec<Waker>);

impl Tasks {
    /// Makes the next pump wake a task, once.
    pub fn wait(&mut self, waker: &Waker) {
        if !self.0.iter().any(|waiting| waiting.will_wake(waker)) {
            self.0.push(waker.clone());
        }
    }

    /// Those to wake now, without the lock: an executor may run them at once.
    pub fn take(&mut self) -> Vec<Waker> {
        std::mem::take(&mut self.0)
    }
}
