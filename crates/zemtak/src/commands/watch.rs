//! `zemtak watch`: packs, and packs again whenever a source, a template or the project file changes.

use super::pack::{self, PackReport};
use crate::console::Console;
use crate::report::Report;
use serde_json::{Value, json};
use std::time::Duration;
use zemtak_build::{Failure, format, watch};

/// What to pack, again and again.
#[derive(Debug, Clone, PartialEq)]
pub struct WatchRequest {
    /// As for `zemtak pack`.
    pub pack: pack::PackCommand,
    /// How long nothing must change before a pack, so that a file is whole that is being written.
    pub settle: Duration,
}

/// How often builds came out well and not, until Ctrl-C.
#[derive(Debug, Clone, Default)]
pub struct WatchReport {
    builds: usize,
    failures: usize,
    /// What is wrong now.
    wrong: Option<Failure>,
}

/// Packs until Ctrl-C. A build that fails is told and survived; the last good one stays.
///
/// # Errors
/// Files cannot be watched at all.
pub fn run(request: &WatchRequest, console: &Console) -> Result<WatchReport, Failure> {
    let mut watched = WatchReport::default();
    let watcher = console.watcher().taking_best(request.pack.take_best);
    watch(&request.pack.pack, request.settle, &watcher, |built| match built {
        Ok(packed) => watched.tell(PackReport::new(packed, &request.pack), console),
        Err(failure) => watched.tell_failure(failure, console),
    })?;
    Ok(watched)
}

impl WatchReport {
    fn tell(&mut self, report: PackReport, console: &Console) {
        let mended = self.wrong.take().is_some();
        self.builds += 1;
        if self.builds == 1 {
            let _ = console.output.print(&report);
        } else if report.wrote() || mended {
            let _ = console.output.print(&report.in_short());
        }
    }

    /// What goes on being wrong is told once.
    fn tell_failure(&mut self, failure: Failure, console: &Console) {
        self.failures += 1;
        if self.wrong.as_ref() != Some(&failure) {
            let _ = console.output.print_failure(&failure);
        }
        self.wrong = Some(failure);
    }
}

impl Report for WatchReport {
    fn text(&self, _: bool) -> String {
        let builds = format::count(self.builds, "build", "builds");
        format!("{builds}, {} that failed\n", format::number(self.failures as u64))
    }

    fn kind(&self) -> &'static str {
        "watch"
    }

    fn json(&self) -> Value {
        json!({ "builds": self.builds, "failures": self.failures })
    }
}
