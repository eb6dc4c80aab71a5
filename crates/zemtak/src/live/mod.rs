//! The page of an atlas, served on this machine while builds go on.

mod server;

use crate::difference::Difference;
use crate::html_view::{self, Beside};
use crate::opened::Opened;
use serde_json::{Value, json};
use server::Listener;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_build::project::Placement;
use zemtak_build::{Failure, Problem, ProblemKind, helps};

/// What is served, and who listens.
pub struct Live {
    address: String,
    shared: Arc<Shared>,
}

struct Shared {
    state: Mutex<State>,
    listeners: Mutex<Vec<Listener>>,
    /// The project file into which pivots and points are written.
    project: Option<PathBuf>,
}

#[derive(Default)]
struct State {
    /// In the order in which they came.
    atlases: Vec<(String, Shown)>,
    /// What is wrong with the build since the one that is shown.
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
    /// Serves from now on, to those who know the address.
    ///
    /// # Errors
    /// The system gives no port or no random numbers.
    pub fn start(project: Option<PathBuf>) -> Result<Self, Failure> {
        let (state, listeners) = (Mutex::default(), Mutex::default());
        let shared = Arc::new(Shared { state, listeners, project });
        let address = server::start(Arc::clone(&shared))?;
        Ok(Self { address, shared })
    }

    /// Where the first atlas is shown, whichever that is.
    #[must_use]
    pub fn root(&self) -> &str {
        &self.address
    }

    /// Where an atlas is shown.
    #[must_use]
    pub fn address(&self, atlas: &str) -> String {
        format!("{}{atlas}/", self.address)
    }

    /// Shows a build of an atlas. What was wrong before is not any more.
    ///
    /// # Errors
    /// One of its pages cannot be read.
    pub fn publish(&self, opened: Opened) -> Result<(), Failure> {
        let contents = html_view::contents(&opened)?;
        let name = opened.atlas.name.clone();
        let mut state = self.shared.state();
        state.errors = None;
        let at = state.atlases.iter().position(|(known, _)| *known == name);
        let build = match at.and_then(|at| state.atlases.get_mut(at)) {
            Some((_, former)) => {
                let (build, news) = (former.build + 1, Difference::between(&former.opened, &opened).json());
                *former = Shown { opened, contents, build, news: Some(news) };
                build
            }
            None => {
                state.atlases.push((name.clone(), Shown { opened, contents, build: 1, news: None }));
                1
            }
        };
        drop(state);
        self.shared.tell("built", &json!({ "atlas": name, "build": build }));
        Ok(())
    }

    /// Nothing is wrong any more, and no atlas differs from what is shown.
    pub fn mend(&self) {
        if self.shared.state().errors.take().is_some() {
            self.shared.tell("failed", &json!([]));
        }
    }

    /// Shows what is wrong, above the last good build.
    pub fn fail(&self, failure: &Failure) {
        let errors = told(failure);
        self.shared.state().errors = Some(errors.clone());
        self.shared.tell("failed", &errors);
    }
}

/// A failure for the page: of each kind of problem what is wrong and what to do.
fn told(failure: &Failure) -> Value {
    let kind = |(kind, problems): (ProblemKind, Vec<&Problem>)| {
        let reasons: String = problems.iter().map(|problem| format!("\n{}", problem.reason())).collect();
        json!({ "what": format!("{kind}{reasons}"), "help": helps(&problems).join("; ") })
    };
    failure.by_kind().into_iter().map(kind).collect()
}

/// What the page asks to be written.
#[derive(serde::Deserialize)]
struct Asked {
    rules: Vec<Placement>,
    write: bool,
    /// The text of the file whose difference was shown, by its hash.
    #[serde(default)]
    was: String,
}

impl Shared {
    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Tells all who listen; those who are gone are forgotten.
    fn tell(&self, event: &str, what: &Value) {
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        listeners.retain_mut(|listener| listener.tell(event, what).is_ok());
    }

    /// Tells one who comes later what there is, and keeps telling.
    fn listen(&self, mut listener: Listener) {
        // Nothing is told to others meanwhile, so that this one misses nothing.
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        let state = self.state();
        let builds = state.atlases.iter().map(|(name, shown)| json!({ "atlas": name, "build": shown.build }));
        let mut told = builds.map(|build| listener.tell("built", &build)).collect::<std::io::Result<Vec<()>>>();
        if let Some(errors) = &state.errors {
            told = told.and_then(|_| listener.tell("failed", errors).map(|()| Vec::new()));
        }
        if told.is_ok() {
            listeners.push(listener);
        }
    }

    fn first(&self) -> Option<String> {
        self.state().atlases.first().map(|(name, _)| name.clone())
    }

    /// What an atlas's page is filled with: all of the page, or its data alone.
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

    /// Shows how the project file would differ with what is asked, or writes just that.
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
