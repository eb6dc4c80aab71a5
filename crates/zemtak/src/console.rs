//! What every command is given: how to show its answer, whether the user wants to stop, and how many resources it may
//! use.

use crate::interrupt::Interrupt;
use crate::progress::Watcher;
use crate::report::OutputOptions;
use std::path::PathBuf;
use std::sync::OnceLock;
use zemtak_build::project::Project;
use zemtak_build::{Allowance, Limits};

/// The terminal or script that called the command.
#[derive(Debug)]
pub struct Console {
    /// How answers are shown.
    pub output: OutputOptions,
    /// Whether the user wants to stop.
    pub interrupt: Interrupt,
    /// Limits from the command line.
    pub limits: Limits,
    /// The project file, if one was named.
    project: Option<PathBuf>,
    allowance: OnceLock<Allowance>,
}

impl Console {
    /// A console without any resources taken yet.
    #[must_use]
    pub fn new(output: OutputOptions, limits: Limits, project: Option<PathBuf>) -> Self {
        Self { output, interrupt: Interrupt::listen(), limits, project, allowance: OnceLock::new() }
    }

    /// An observer for work that takes a while.
    #[must_use]
    pub fn watcher(&self) -> Watcher<'_> {
        Watcher::new(&self.interrupt, self.output.quiet, self.output.progress)
    }

    /// The limits for a command that does not build the project: the command line's, then those of the project at hand.
    /// The file is read on first use; an invalid one counts as none, because the command does not build it.
    #[must_use]
    pub fn allowance(&self) -> &Allowance {
        self.allowance.get_or_init(|| {
            let project = Project::open(self.project.as_deref(), &self.limits);
            Allowance::new(self.limits.over(project.map(|project| project.limits).unwrap_or_default()))
        })
    }
}
