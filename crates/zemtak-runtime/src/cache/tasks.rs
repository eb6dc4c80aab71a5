//! Tasks that wait for something that a pump does.

use std::task::Waker;

/// The tasks that wait.
#[derive(Debug, Default)]
pub(super) struct Tasks(Vec<Waker>);

impl Tasks {
    /// Has a task woken by the next pump, once.
    pub fn wait(&mut self, waker: &Waker) {
        if !self.0.iter().any(|waiting| waiting.will_wake(waker)) {
            self.0.push(waker.clone());
        }
    }

    /// Those that are to be woken now, without the lock: an executor may go on with them at once.
    pub fn take(&mut self) -> Vec<Waker> {
        std::mem::take(&mut self.0)
    }
}
