//! Locks from the standard library, or from the model checker when that runs.

#[cfg(loom)]
use loom::sync::Arc;
#[cfg(loom)]
use loom::sync::atomic::{AtomicU64, Ordering};
#[cfg(loom)]
pub(crate) use loom::sync::{Condvar, Mutex, MutexGuard};
#[cfg(loom)]
pub(crate) use loom::thread::{ThreadId, current};
#[cfg(not(loom))]
use std::sync::Arc;
use std::sync::PoisonError;
#[cfg(not(loom))]
use std::sync::atomic::{AtomicU64, Ordering};
#[cfg(not(loom))]
pub(crate) use std::sync::{Condvar, Mutex, MutexGuard};
#[cfg(not(loom))]
pub(crate) use std::thread::{ThreadId, current};

/// Locks. Whatever is locked here is consistent at every point where a panic could occur, so poisoning can be ignored.
pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Waits until notified.
pub(crate) fn wait<'m, T>(condition: &Condvar, guard: MutexGuard<'m, T>) -> MutexGuard<'m, T> {
    condition.wait(guard).unwrap_or_else(PoisonError::into_inner)
}

/// How often what leases show has changed. Clones share the count. It changes under the lock of the state; to find out
/// whether it has changed since the last time needs no lock.
#[derive(Debug, Clone, Default)]
pub(crate) struct Changes(Arc<AtomicU64>);

impl Changes {
    pub(crate) fn count(&self) {
        self.0.fetch_add(1, Ordering::Release);
    }

    pub(crate) fn so_far(&self) -> u64 {
        self.0.load(Ordering::Acquire)
    }
}

/// Measures how long something takes; nothing on a machine without a clock, such as bare WebAssembly.
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
