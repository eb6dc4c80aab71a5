//! Ctrl-C: the first asks the work to stop at the next good place, so that no temporary file stays behind.

use crate::exit::Exit;
use crate::failure::Failure;
use std::sync::atomic::{AtomicBool, Ordering};

static ASKED: AtomicBool = AtomicBool::new(false);

/// Listens for Ctrl-C from now on. A second one ends the process at once.
pub fn listen() {
    // Where the system offers no such signal, Ctrl-C ends the process as it always did.
    let _ = ctrlc::set_handler(|| {
        if ASKED.swap(true, Ordering::SeqCst) {
            std::process::exit(i32::from(Exit::Interrupted.code()));
        }
    });
}

/// Whether to stop.
#[must_use]
pub fn asked() -> bool {
    ASKED.load(Ordering::Relaxed)
}

/// What a search looks at to come to an end.
#[must_use]
pub fn flag() -> &'static AtomicBool {
    &ASKED
}

/// Takes a Ctrl-C as the wish to go on with what a search has found; whether there was one.
#[must_use]
pub fn go_on() -> bool {
    ASKED.swap(false, Ordering::SeqCst)
}

/// A place where the work can stop.
///
/// # Errors
/// When the user has asked to stop.
pub fn check() -> Result<(), Failure> {
    if asked() { Err(Failure::interrupted()) } else { Ok(()) }
}
