//! Ctrl-C: the first asks the work to stop at the next good place, so that no temporary file stays behind.

use crate::exit::Exit;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use zemtak_build::Failure;

/// Whether the user has asked to stop. Clones share the answer.
#[derive(Debug, Clone, Default)]
pub struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Listens for Ctrl-C from now on. A second one ends the process at once.
    #[must_use]
    pub fn listen() -> Self {
        let interrupt = Self::default();
        let asked = interrupt.clone();
        // Where the system offers no such signal, Ctrl-C ends the process as it always did.
        let _ = ctrlc::set_handler(move || {
            if asked.0.swap(true, Ordering::SeqCst) {
                std::process::exit(i32::from(Exit::Interrupted.code()));
            }
        });
        interrupt
    }

    /// Whether to stop.
    #[must_use]
    pub fn asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    /// Forgets that the user has asked.
    pub fn forget(&self) {
        self.0.store(false, Ordering::SeqCst);
    }

    /// A place where the work can stop.
    ///
    /// # Errors
    /// When the user has asked to stop.
    pub fn check(&self) -> Result<(), Failure> {
        if self.asked() { Err(Failure::interrupted()) } else { Ok(()) }
    }
}
