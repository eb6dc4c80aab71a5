//! `zemtak view --live`: serves the page of an atlas on this machine and updates it with every build.

use crate::console::Console;
use crate::document::Document;
use crate::live::Live;
use crate::opened::Opened;
use crate::report::OutputOptions;
use crate::wrap::print_note;
use serde_json::json;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime};
use zemtak_build::project::Project;
use zemtak_build::{Failure, format};

/// How often the descriptor is checked for changes.
const GLANCE: Duration = Duration::from_millis(100);

/// How long files may be inconsistent before that is an error: a build puts its pages in place one after another.
const PATIENCE: Duration = Duration::from_secs(1);

/// Serves until Ctrl-C, and returns how many builds were shown.
///
/// # Errors
/// The atlas cannot be read at the start, or the page cannot be served.
pub fn run(descriptor: &Path, project: Option<&Path>, console: &Console) -> Result<usize, Failure> {
    let first = Opened::read(descriptor, console.allowance())?;
    let live = Live::start(project_of(&first, project, console))?;
    let address = live.address(&first.atlas.name);
    let mut follower = Follower { seen: stamp(descriptor), text: first.text().to_owned(), wrong_since: None };
    live.publish(first)?;
    tell_address(&address, console.output);
    let mut builds = 1;
    while !console.interrupt.asked() {
        std::thread::sleep(GLANCE);
        if follower.follow(descriptor, &live, console)? {
            builds += 1;
        }
    }
    Ok(builds)
}

/// Prints the address.
pub fn tell_address(address: &str, output: OutputOptions) {
    output.print_event(&Document::event("serving", json!({ "address": address })));
    if !output.json {
        // Even with --quiet: nobody would find the page without it.
        print_note(&format!("open {address} in a browser on this machine; Ctrl-C ends it"));
    }
}

/// The project file of this build.
fn project_of(opened: &Opened, named: Option<&Path>, console: &Console) -> Option<PathBuf> {
    let project = Project::open(named, &console.limits).ok()?;
    let base = opened.atlas.base.as_ref().unwrap_or(&opened.atlas.name);
    let same = |a: &Path, b: &Path| a.canonicalize().ok().zip(b.canonicalize().ok()).is_some_and(|(a, b)| a == b);
    let is_its = same(&project.out, format::folder_of(opened.descriptor()));
    (is_its && project.atlases.iter().any(|(name, _)| name == base)).then_some(project.path)
}

/// The modification time and length of a file.
fn stamp(path: &Path) -> Option<(SystemTime, u64)> {
    let meta = std::fs::metadata(path).ok()?;
    Some((meta.modified().ok()?, meta.len()))
}

/// The state of a descriptor that was shown.
struct Follower {
    seen: Option<(SystemTime, u64)>,
    text: String,
    /// Since when it cannot be shown, and whether that was reported.
    wrong_since: Option<(Instant, bool)>,
}

impl Follower {
    /// Shows the current build, if it is a new one.
    fn follow(&mut self, descriptor: &Path, live: &Live, console: &Console) -> Result<bool, Failure> {
        // Taken before the file is read: a change in between is noticed the next time.
        let now = stamp(descriptor);
        if now == self.seen && self.wrong_since.is_none() {
            return Ok(false);
        }
        match Opened::read(descriptor, console.allowance()) {
            Ok(opened) => {
                (self.seen, self.wrong_since) = (now, None);
                if opened.text() == self.text {
                    live.mend();
                    return Ok(false);
                }
                opened.text().clone_into(&mut self.text);
                live.publish(opened)?;
                Ok(true)
            }
            Err(failure) => {
                self.seen = now;
                let (since, told) = self.wrong_since.get_or_insert((Instant::now(), false));
                if !*told && since.elapsed() >= PATIENCE {
                    live.fail(&failure);
                    *told = true;
                }
                Ok(false)
            }
        }
    }
}
