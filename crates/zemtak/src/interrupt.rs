//! Ctrl-C and SIGTERM: the first asks the work to stop at the next good point, so that no temporary file is left
//! behind. If it takes long to reach one, as in a long search or a blocking read, the process ends anyway: results get
//! their names only once they are complete, and the next build removes temporary files.

use crate::exit::Exit;
use crate::style::WRONG;
use std::io::Write;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;
use zemtak_build::Failure;

/// How long the work may take to stop.
const PATIENCE: Duration = Duration::from_millis(400);

/// Whether the user wants to stop. Clones share the answer.
#[derive(Debug, Clone, Default)]
pub struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Listens from now on. A second signal changes nothing: `timeout` sends two at once.
    #[must_use]
    pub fn listen() -> Self {
        let interrupt = Self::default();
        let asked = interrupt.clone();
        // If the system has no such signal, Ctrl-C ends the process as usual.
        let _ = ctrlc::set_handler(move || {
            if asked.0.swap(true, Ordering::SeqCst) {
                return;
            }
            let asked = asked.clone();
            // If the system has no thread for it, the next good point is waited for.
            _ = thread::Builder::new().spawn(move || {
                thread::sleep(PATIENCE);
                if asked.asked() {
                    let _ = writeln!(anstream::stderr(), "{WRONG}error{WRONG:#}: {}", Failure::broken_off());
                    std::process::exit(i32::from(Exit::Interrupted.code()));
                }
            });
        });
        interrupt
    }

    /// Turns a write beyond the system's file size limit into an error; by default it would end the process.
    pub fn heed_file_sizes() {
        #[cfg(unix)]
        {
            // Nobody reads the flag: it is enough that a handler exists. Without one, the default applies.
            let _ = signal_hook::flag::register(signal_hook::consts::SIGXFSZ, Arc::default());
        }
    }

    /// Whether to stop.
    #[must_use]
    pub fn asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    /// Forgets that the user wanted to stop.
    pub fn forget(&self) {
        self.0.store(false, Ordering::SeqCst);
    }

    /// A point where the work can stop.
    ///
    /// # Errors
    /// The user wants to stop.
    pub fn check(&self) -> Result<(), Failure> {
        if self.asked() { Err(Failure::interrupted()) } else { Ok(()) }
    }
}
