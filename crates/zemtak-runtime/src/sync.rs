//! Locks, from the standard library; under the model checker from that.

#[cfg(loom)]
pub(crate) use loom::sync::{Condvar, Mutex, MutexGuard};
#[cfg(loom)]
pub(crate) use loom::thread::{ThreadId, current};
use std::sync::PoisonError;
#[cfg(not(loom))]
pub(crate) use std::sync::{Condvar, Mutex, MutexGuard};
#[cfg(not(loom))]
pub(crate) use std::thread::{ThreadId, current};

/// Locks. What is locked here is whole at every point where a panic could come from, so poison means nothing.
pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Waits until notified.
pub(crate) fn wait<'m, T>(condition: &Condvar, guard: MutexGuard<'m, T>) -> MutexGuard<'m, T> {
    condition.wait(guard).unwrap_or_else(PoisonError::into_inner)
}

/// Measures how long something takes; nothing on a machine without a clock, as a bare WebAssembly one.
#[derive(Debug)]
pub(crate) struct Stopwatch(#[cfg(not(all(target_family = "wasm", target_os = "unknown")))] std::time::Instant);

#[cfg(not(all(target_family = "wasm", target_os = "unknown")))]
impl Stopwatch {
    pub(crate) fn start() -> Self {
        Self(std::time::Instant::now())
    }

    pub(crate) fn elapsed(&self) -> std::time::Duration {
        self.0.elapsed()
    }
}

#[cfg(all(target_family = "wasm", target_os = "unknown"))]
impl Stopwatch {
    pub(crate) fn start() -> Self {
        Self()
    }

    pub(crate) fn elapsed(&self) -> std::time::Duration {
        std::time::Duration::ZERO
    }
}
