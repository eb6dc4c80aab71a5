//! `zemtak watch`: packs, and packs again whenever a source, a template or the project file changes.

use super::pack::{self, PackReport};
use super::view::live::tell_address;
use crate::console::Console;
use crate::document::Document;
use crate::live::Live;
use crate::notice::Notice;
use crate::opened::Opened;
use crate::report::{OutputOptions, Report, print_warning};
use crate::wrap::print_note;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use zemtak_build::project::Project;
use zemtak_build::{Failure, PackRequest, Packed, State, WatchEvent, WatchOptions, format, watch};

/// What to pack, again and again.
#[derive(Debug, Clone, PartialEq)]
pub struct WatchRequest {
    /// As for `zemtak pack`.
    pub pack: pack::PackCommand,
    /// How changes are noticed.
    pub options: WatchOptions,
    /// Whether PNG pages are written fast because no effort was requested.
    pub fast: bool,
    /// Whether each build is shown in a browser.
    pub view: bool,
}

/// How many builds succeeded and failed until Ctrl-C.
#[derive(Debug, Clone, Default)]
pub struct WatchReport {
    builds: usize,
    failures: usize,
    /// The current errors.
    wrong: Option<Failure>,
    /// Warnings that were shown and still hold.
    told: Vec<Notice>,
}

/// Packs until Ctrl-C. A failed build is reported and does not end the watch; the last good build stays.
///
/// # Errors
/// The page cannot be served.
pub fn run(request: &WatchRequest, console: &Console) -> Result<WatchReport, Failure> {
    let mut watched = WatchReport::default();
    let output = console.output;
    let mut shown = if request.view { Some(Shown::start(&request.pack.pack, output)?) } else { None };
    let watcher = console.watcher().taking_best(request.pack.take_best);
    let pack = request.pack.pack.clone().limits(console.limits);
    watch(&pack, request.options, &watcher, |event| match event {
        WatchEvent::Watching { places, polling } => {
            tell_places(&places, polling.as_deref(), request.fast && watched.builds == 0, output);
        }
        WatchEvent::Changed(paths) => tell_changed(&paths, output),
        WatchEvent::Built(Ok(packed)) => {
            let failed = shown.as_mut().and_then(|shown| shown.show(&packed, console).err());
            watched.tell(PackReport::new(*packed, &request.pack), output);
            failed.into_iter().for_each(|failure| watched.tell_failure(failure, output));
        }
        WatchEvent::Built(Err(failure)) => {
            shown.iter().for_each(|shown| shown.live.fail(&failure));
            watched.tell_failure(failure, output);
        }
        _ => {}
    });
    Ok(watched)
}

/// The page that shows each build.
struct Shown {
    live: Live,
    /// The descriptors that it shows.
    descriptors: BTreeSet<String>,
}

impl Shown {
    fn start(pack: &PackRequest, output: OutputOptions) -> Result<Self, Failure> {
        let project = if pack.paths.is_empty() { Project::locate(pack.project.as_deref()).ok() } else { None };
        let live = Live::start(project)?;
        tell_address(live.root(), output);
        Ok(Self { live, descriptors: BTreeSet::new() })
    }

    fn show(&mut self, packed: &Packed, console: &Console) -> Result<(), Failure> {
        let names: Vec<&str> = packed.atlases.iter().map(|atlas| atlas.name.as_str()).collect();
        self.live.keep(&names);
        // One that comes back is shown again.
        self.descriptors.retain(|known| packed.atlases.iter().any(|atlas| atlas.descriptor == *known));
        for atlas in &packed.atlases {
            if atlas.state == State::Built || !self.descriptors.contains(&atlas.descriptor) {
                self.live.publish(Opened::read(Path::new(&atlas.descriptor), console.allowance())?)?;
                self.descriptors.insert(atlas.descriptor.clone());
            }
        }
        self.live.mend();
        Ok(())
    }
}

fn paths_text(paths: &[PathBuf]) -> Vec<String> {
    paths.iter().map(|path| format::path(path)).collect()
}

fn tell_places(places: &[PathBuf], polling: Option<&str>, fast: bool, output: OutputOptions) {
    let places = paths_text(places);
    output.print_event(&Document::event("watching", json!({ "places": places, "polling": polling })));
    if output.json || output.quiet {
        return;
    }
    let fast = if fast { "; PNG pages are written fast, 'zemtak pack' makes them smaller" } else { "" };
    print_note(&format!("watching {}{fast}; Ctrl-C ends it", format::first_of(&places)));
    if let Some(why) = polling {
        print_warning(&format!("some changes go unreported, so zemtak looks every two seconds: {why}"));
    }
}

fn tell_changed(paths: &[PathBuf], output: OutputOptions) {
    if paths.is_empty() {
        return;
    }
    let paths = paths_text(paths);
    output.print_event(&Document::event("changed", json!({ "paths": paths })));
    if !output.json && !output.quiet {
        print_note(&format!("changed: {}", format::first_of(&paths)));
    }
}

impl WatchReport {
    fn tell(&mut self, report: PackReport, output: OutputOptions) {
        let mended = self.wrong.take().is_some();
        self.builds += 1;
        let told = std::mem::replace(&mut self.told, report.warnings());
        if self.builds == 1 {
            let _ = output.print(&report);
        } else if report.wrote() || mended {
            let _ = output.print(&report.in_short(told));
        }
    }

    /// A lasting error is reported and counted once.
    fn tell_failure(&mut self, failure: Failure, output: OutputOptions) {
        if self.wrong.as_ref() != Some(&failure) {
            self.failures += 1;
            let _ = output.print_failure(&failure);
        }
        self.wrong = Some(failure);
    }
}

impl Report for WatchReport {
    fn text(&self, _: bool) -> String {
        let builds = format::count(self.builds, "build", "builds");
        let failed = if self.failures > 0 { format!(", {} failed", self.failures) } else { String::new() };
        format!("{builds}{failed}\n")
    }

    fn kind(&self) -> &'static str {
        "watch"
    }

    fn json(&self) -> Value {
        json!({ "builds": self.builds, "failures": self.failures })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use zemtak_build::{Problem, ProblemKind};

    /// A watch tries again every few seconds for as long as something is wrong.
    #[test]
    fn an_error_that_lasts_is_counted_once() {
        let failure = |why: &str| Failure::from(Problem::usage(ProblemKind::InvalidValue, "", why, ""));
        let mut watched = WatchReport::default();
        for why in ["gone", "gone", "broken", "gone"] {
            watched.tell_failure(failure(why), OutputOptions { quiet: true, ..OutputOptions::default() });
        }
        assert_eq!((watched.failures, watched.wrong), (3, Some(failure("gone"))));
    }
}
