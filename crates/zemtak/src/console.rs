//! What every command is handed: how to tell its answer, and whether the user has asked to stop.

use crate::interrupt::Interrupt;
use crate::progress::Watcher;
use crate::report::OutputOptions;
use zemtak_build::Limits;

/// The terminal or script that a command answers.
#[derive(Debug, Clone)]
pub struct Console {
    /// How answers are told.
    pub output: OutputOptions,
    /// Whether the user has asked to stop.
    pub interrupt: Interrupt,
    /// What a run takes on.
    pub limits: Limits,
}

impl Console {
    /// An observer for work that takes a while.
    #[must_use]
    pub fn watcher(&self) -> Watcher<'_> {
        Watcher::new(&self.interrupt, self.output.quiet, self.output.progress)
    }
}
