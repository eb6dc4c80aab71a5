//! What every command is handed: how to tell its answer, whether the user has asked to stop, and how much it may take.

use crate::interrupt::Interrupt;
use crate::progress::Watcher;
use crate::report::OutputOptions;
use std::path::PathBuf;
use std::sync::OnceLock;
use zemtak_build::project::Project;
use zemtak_build::{Allowance, Limits};

/// The terminal or script that a command answers.
#[derive(Debug)]
pub struct Console {
    /// How answers are told.
    pub output: OutputOptions,
    /// Whether the user has asked to stop.
    pub interrupt: Interrupt,
    /// What a run takes on, as the command line says.
    pub limits: Limits,
    /// The project file, where one was named.
    project: Option<PathBuf>,
    allowance: OnceLock<Allowance>,
}

impl Console {
    /// One that has taken nothing yet.
    #[must_use]
    pub fn new(output: OutputOptions, limits: Limits, project: Option<PathBuf>) -> Self {
        Self { output, interrupt: Interrupt::listen(), limits, project, allowance: OnceLock::new() }
    }

    /// An observer for work that takes a while.
    #[must_use]
    pub fn watcher(&self) -> Watcher<'_> {
        Watcher::new(&self.interrupt, self.output.quiet, self.output.progress)
    }

    /// What a command may take that does not build the project: what the command line says, and then the project at hand. The
    /// file is read when that is first asked; one that is wrong is none here, for the command does not build it.
    #[must_use]
    pub fn allowance(&self) -> &Allowance {
        self.allowance.get_or_init(|| {
            let project = Project::open(self.project.as_deref(), &self.limits);
            Allowance::new(self.limits.over(project.map(|project| project.limits).unwrap_or_default()))
        })
    }
}
