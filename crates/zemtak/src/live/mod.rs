//! The page of an atlas, served on this machine during builds.

mod server;

use crate::difference::Difference;
use crate::html_view::{self, Beside};
use crate::opened::Opened;
use serde_json::{Value, json};
use server::Listener;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_build::project::Placement;
use zemtak_build::{Failure, Problem, ProblemKind, by_help};

/// The server's state: atlases and listeners.
pub struct Live {
    address: String,
    shared: Arc<Shared>,
}

struct Shared {
    state: Mutex<State>,
    listeners: Mutex<Vec<Listener>>,
    /// The project file for edited pivots and points.
    project: Option<PathBuf>,
}

#[derive(Default)]
struct State {
    /// In the order of their first build.
    atlases: Vec<(String, Shown)>,
    /// How many builds of each atlas were shown, of forgotten ones too: an open page takes only what is newer.
    builds: BTreeMap<String, u64>,
    /// The errors since the build that is shown.
    errors: Option<Value>,
}

impl State {
    fn shown(&self, name: &str) -> Option<&Shown> {
        self.atlases.iter().find(|(known, _)| known == name).map(|(_, shown)| shown)
    }
}

/// A build of an atlas.
struct Shown {
    opened: Opened,
    contents: String,
    build: u64,
    news: Option<Value>,
}

impl Live {
    /// Starts serving, to those who know the address.
    ///
    /// # Errors
    /// The system provides no port or no random numbers.
    pub fn start(project: Option<PathBuf>) -> Result<Self, Failure> {
        let (state, listeners) = (Mutex::default(), Mutex::default());
        let shared = Arc::new(Shared { state, listeners, project });
        let address = server::start(Arc::clone(&shared))?;
        Ok(Self { address, shared })
    }

    /// The address of the first atlas.
    #[must_use]
    pub fn root(&self) -> &str {
        &self.address
    }

    /// The address of an atlas.
    #[must_use]
    pub fn address(&self, atlas: &str) -> String {
        format!("{}{atlas}/", self.address)
    }

    /// Shows a build of an atlas, and clears earlier errors.
    ///
    /// # Errors
    /// One of its pages cannot be read.
    pub fn publish(&self, opened: Opened) -> Result<(), Failure> {
        let contents = html_view::contents(&opened)?;
        let name = opened.atlas.name.clone();
        let mut state = self.shared.state();
        state.errors = None;
        let build = state.builds.get(&name).map_or(1, |builds| builds + 1);
        state.builds.insert(name.clone(), build);
        match state.atlases.iter_mut().find(|(known, _)| *known == name) {
            Some((_, former)) => {
                let news = Some(Difference::between(&former.opened, &opened).json());
                *former = Shown { opened, contents, build, news };
            }
            None => state.atlases.push((name.clone(), Shown { opened, contents, build, news: None })),
        }
        drop(state);
        self.shared.tell("built", &json!({ "atlas": name, "build": build }));
        Ok(())
    }

    /// Forgets the atlases that are not among these: the project no longer has them.
    pub fn keep(&self, names: &[&str]) {
        self.shared.state().atlases.retain(|(name, _)| names.contains(&name.as_str()));
    }

    /// The errors are gone, and no atlas differs from what is shown.
    pub fn mend(&self) {
        if self.shared.state().errors.take().is_some() {
            self.shared.tell("failed", &json!([]));
        }
    }

    /// Shows errors above the last good build.
    pub fn fail(&self, failure: &Failure) {
        let errors = told(failure);
        self.shared.state().errors = Some(errors.clone());
        self.shared.tell("failed", &errors);
    }
}

/// A failure for the page: for each kind of problem, and each advice, what is wrong and what to do.
fn told(failure: &Failure) -> Value {
    let mut told = Vec::new();
    for (kind, problems) in failure.by_kind() {
        for (help, problems) in by_help(&problems) {
            let reasons: String = problems.iter().map(|problem| format!("\n{}", problem.reason())).collect();
            told.push(json!({ "what": format!("{kind}{reasons}"), "help": help }));
        }
    }
    told.into()
}

/// A change that the page requests.
#[derive(serde::Deserialize)]
struct Asked {
    rules: Vec<Placement>,
    write: bool,
    /// The hash of the file for which the difference was shown.
    #[serde(default)]
    was: String,
}

impl Shared {
    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Sends to all listeners, and drops those that are gone.
    fn tell(&self, event: &str, what: &Value) {
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        listeners.retain(|listener| listener.tell(event, what));
    }

    /// Sends the current state to a new listener, and keeps it informed.
    fn listen(&self, listener: Listener) {
        // The lock is held meanwhile, so that the new listener misses nothing.
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        let state = self.state();
        let mut builds = state.atlases.iter().map(|(name, shown)| json!({ "atlas": name, "build": shown.build }));
        let is_told = builds.all(|build| listener.tell("built", &build))
            && state.errors.iter().all(|errors| listener.tell("failed", errors));
        if is_told {
            listeners.push(listener);
        }
    }

    fn first(&self) -> Option<String> {
        self.state().atlases.first().map(|(name, _)| name.clone())
    }

    /// The contents of an atlas's page: the whole page, or only its data.
    fn page(&self, name: &str, whole: bool) -> Option<Result<String, Failure>> {
        let state = self.state();
        let shown = state.shown(name)?;
        let live = html_view::Live {
            build: shown.build,
            news: shown.news.clone(),
            atlases: state.atlases.iter().map(|(name, _)| name.clone()).collect(),
            project: self.project.is_some(),
        };
        let beside = Beside { before: None, live: Some(&live) };
        Some(match whole {
            true => html_view::page(name, &shown.contents, &beside),
            false => Ok(html_view::data(&shown.contents, &beside)),
        })
    }

    /// Shows how the project file would change, or writes exactly that change.
    fn amend(&self, name: &str, body: &str) -> Result<Value, Failure> {
        let usage = |why: String| Problem::usage(ProblemKind::InvalidValue, "the page", why, "load the page again");
        let asked: Asked = serde_json::from_str(body).map_err(|error| usage(error.to_string()))?;
        let file = self.project.as_ref().ok_or_else(|| usage("there is no project file".into()))?;
        let base = self.state().shown(name).map(|shown| {
            let atlas = &shown.opened.atlas;
            atlas.base.clone().unwrap_or_else(|| atlas.name.clone())
        });
        let base = base.ok_or_else(|| usage(format!("there is no atlas {name}")))?;
        let amended = zemtak_build::project::amend(file, &base, &asked.rules)?;
        if asked.write {
            amended.write(&asked.was)?;
        }
        Ok(json!({ "file": amended.file(), "difference": amended.difference(), "was": amended.was() }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Read, Write};
    use std::net::TcpStream;
    use std::sync::mpsc::channel;
    use std::time::Duration;

    /// A page asks for events.
    fn page(address: &str) -> TcpStream {
        let (host, path) = address.strip_prefix("http://").unwrap().split_once('/').unwrap();
        let mut stream = TcpStream::connect(host).unwrap();
        write!(stream, "GET /{path}events HTTP/1.1\r\nHost: {host}\r\n\r\n").unwrap();
        stream
    }

    /// A watch stood still for as long as a page of its did not read: a browser puts pages to sleep.
    #[test]
    fn nobody_waits_for_a_page_that_does_not_read() {
        let live = Live::start(None).unwrap();
        let (mut reads, sleeps) = (page(live.root()), page(live.root()));
        while live.shared.listeners.lock().unwrap().len() < 2 {
            std::thread::yield_now();
        }
        // Together far more than the system keeps for a connection.
        let (shared, errors, events) = (Arc::clone(&live.shared), "x".repeat(1 << 16), 300);
        let (done, is_done) = channel();
        std::thread::spawn(move || {
            for _ in 0..events {
                shared.tell("failed", &json!(errors));
                // This page keeps up.
                reads.read_exact(&mut vec![0; errors.len()]).unwrap();
            }
            done.send(()).unwrap();
        });
        is_done.recv_timeout(Duration::from_secs(60)).expect("somebody waits");
        assert_eq!(live.shared.listeners.lock().unwrap().len(), 1, "the one that sleeps is dropped");
        drop(sleeps);
    }
}
