//! Ctrl-C and SIGTERM: the first asks the work to stop at the next good place, so that no temporary file stays behind. Where none comes
//! soon, as in a long search or a read that waits, the process ends without: results have their names only once they are whole, and
//! what is left under temporary names goes with the next build.

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

/// Whether the user has asked to stop. Clones share the answer.
#[derive(Debug, Clone, Default)]
pub struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Listens from now on. A second one ends the process at once.
    #[must_use]
    pub fn listen() -> Self {
        let interrupt = Self::default();
        let asked = interrupt.clone();
        // Where the system offers no such signal, Ctrl-C ends the process as it always did.
        let _ = ctrlc::set_handler(move || {
            if asked.0.swap(true, Ordering::SeqCst) {
                end();
            }
            let asked = asked.clone();
            thread::spawn(move || {
                thread::sleep(PATIENCE);
                if asked.asked() {
                    let _ = writeln!(anstream::stderr(), "{WRONG}error{WRONG:#}: {}", Failure::broken_off());
                    end();
                }
            });
        });
        interrupt
    }

    /// Has a write beyond the size that the system allows a file come back with an error, in place of the end of the process.
    pub fn heed_file_sizes() {
        #[cfg(unix)]
        {
            // Nobody looks at the flag: that there is somebody who is told is enough. Where there is not, it ends as it always did.
            let _ = signal_hook::flag::register(signal_hook::consts::SIGXFSZ, Arc::default());
        }
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

fn end() -> ! {
    std::process::exit(i32::from(Exit::Interrupted.code()))
}
