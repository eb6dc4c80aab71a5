//! Inspecting stores, both the one beside the results and the shared one: their content, whether it is intact, and
//! making them smaller.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::inputs::Inputs;
use crate::limits::Limits;
use crate::observer::Observer;
use crate::observer::check;
use crate::project::Project;
use crate::store::{
    Access, Checked, FILE, FileStore, RemoteError, SharedSettings, StoreInfo, TrimBounds, Trimmed, Upkeep,
};
use crate::write::Writer;
use crate::{format, lock};
use std::path::PathBuf;

/// Which stores to inspect.
///
/// ```
/// use zemtak_build::StoreRequest;
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let store = tempfile::tempdir()?;
/// let request = StoreRequest::of_url(store.path().display().to_string());
/// assert_eq!(request.info(&())?[0].values, 0);
/// # Ok(())
/// # }
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct StoreRequest {
    /// The address of a shared store: then only that one. Default: the store beside the results, and the project's
    /// shared one.
    pub url: Option<String>,
    /// The project file, or its folder. Default: the nearest one, in the working folder or above it.
    pub project: Option<PathBuf>,
    /// The folder for results. Default: that of the project file, else `build`.
    pub out: Option<PathBuf>,
    /// Whether the environment may say where the shared store is: [`SharedSettings::from_environment`]. Default: no.
    pub store_from_environment: bool,
}

/// The stores of a request.
struct Stores {
    /// The folder of the one beside the results.
    local: Option<PathBuf>,
    shared: Option<SharedSettings>,
}

impl StoreRequest {
    /// The shared store at an address.
    #[must_use]
    pub fn of_url(url: impl Into<String>) -> Self {
        Self { url: Some(url.into()), ..Self::default() }
    }

    fn stores(&self) -> Result<Stores, Failure> {
        if let Some(url) = &self.url {
            let shared = SharedSettings::new(url);
            let shared = if self.store_from_environment { shared.with_secret_of_environment()? } else { shared };
            return Ok(Stores { local: None, shared: Some(shared) });
        }
        // Even without a project there may be results.
        let project = match (&self.project, Project::locate(None)) {
            (None, Err(_)) => None,
            _ => Some(Project::open(self.project.as_deref(), &Limits::default())?),
        };
        let out = match &project {
            Some(project) => Inputs::of_project(project, self.out.as_deref()).out,
            None => Inputs::of_paths(&[], self.out.as_deref()).out,
        };
        let shared = project.and_then(|project| project.shared);
        let shared = if self.store_from_environment { SharedSettings::from_environment(shared)? } else { shared };
        let stores = Stores { local: Some(out).filter(|out| out.join(FILE).exists()), shared };
        if stores.local.is_none() && stores.shared.is_none() {
            let why = "nothing was built here yet, and no shared store is set";
            let help = "name one with --url, set ZEMTAK_STORE, or go where the project file is";
            return Err(Problem::usage(ProblemKind::NoStore, "", why, help).into());
        }
        Ok(stores)
    }

    /// What each store holds.
    ///
    /// # Errors
    /// There is none, or the inspection was interrupted.
    pub fn info(&self, observer: &dyn Observer) -> Result<Vec<StoreInfo>, Failure> {
        let Stores { local, shared } = self.stores()?;
        let mut all: Vec<StoreInfo> = local.map(|out| FileStore::info(&out)).into_iter().collect();
        if let Some(shared) = &shared {
            let told = with_upkeep(shared, observer, |upkeep| {
                upkeep.info().or_else(|error| {
                    let (store, trouble) = (upkeep.remote.place(), Some(error.why));
                    Ok(StoreInfo { store, shared: true, trouble, ..StoreInfo::default() })
                })
            })?;
            all.push(told);
        }
        Ok(all)
    }

    /// Makes each store smaller: the least recently used values go first. With `dry_run` it only reports.
    ///
    /// # Errors
    /// There is none, its content is unknown, something cannot be removed, or trimming was interrupted.
    pub fn trim(&self, bounds: TrimBounds, dry_run: bool, observer: &dyn Observer) -> Result<Vec<Trimmed>, Failure> {
        let Stores { local, shared } = self.stores()?;
        may_remove(shared.as_ref().filter(|_| !dry_run))?;
        if shared.is_none() && bounds.bytes.is_none() {
            let why = "only a shared store knows when its values were last used, and none is set";
            let help = "set ZEMTAK_STORE or name a store with --url; the local one is made smaller by --max-size";
            return Err(Problem::usage(ProblemKind::NoStore, "", why, help).into());
        }
        let mut all = Vec::new();
        if let Some((out, most)) = local.zip(bounds.bytes) {
            let writer = Writer::default();
            let _lock = lock::take(&out, &*writer.disk, observer)?;
            let mut store = FileStore::open(&out, &writer);
            all.push(store.trim(most));
            if !dry_run {
                store.save()?;
            }
        }
        if let Some(shared) = &shared {
            all.push(with_upkeep(shared, observer, |upkeep| upkeep.trim(bounds, dry_run))?);
        }
        Ok(all)
    }

    /// Checks each value against its hash. With `remove`, damaged ones are removed.
    ///
    /// # Errors
    /// There is none, its content is unknown or cannot be read, something cannot be removed, or the check was
    /// interrupted.
    pub fn check(&self, remove: bool, observer: &dyn Observer) -> Result<Vec<Checked>, Failure> {
        let Stores { local, shared } = self.stores()?;
        may_remove(shared.as_ref().filter(|_| remove))?;
        let mut all: Vec<Checked> = Vec::new();
        if let Some(out) = local {
            let mut told = FileStore::check(&out);
            if remove && !told.damaged.is_empty() {
                let path = out.join(FILE);
                Writer::default().disk.remove(&path).map_err(|error| Failure::io(&format::path(&path), &error))?;
                told.removed = true;
            }
            all.push(told);
        }
        if let Some(shared) = &shared {
            all.push(with_upkeep(shared, observer, |upkeep| upkeep.check(remove))?);
        }
        Ok(all)
    }
}

/// Refuses to remove anything from a store that may only be read.
fn may_remove(shared: Option<&SharedSettings>) -> Result<(), Failure> {
    let Some(shared) = shared.filter(|shared| shared.access == Access::Read) else { return Ok(()) };
    let why = "access to this store is \"read\", so nothing is removed from it";
    let help = "set ZEMTAK_STORE_ACCESS=write, or name the store with --url";
    Err(Problem::usage(ProblemKind::ConflictingOptions, &shared.place(), why, help).into())
}

fn with_upkeep<T>(
    settings: &SharedSettings,
    observer: &dyn Observer,
    work: impl FnOnce(&Upkeep<'_>) -> Result<T, RemoteError>,
) -> Result<T, Failure> {
    let remote = settings.remote(&Writer::default(), &Limits::default())?;
    let cancelled = || observer.cancelled();
    let upkeep = Upkeep { remote: &*remote, seal: &settings.seal(), cancelled: &cancelled };
    let done = work(&upkeep).map_err(|error| Problem::of_store(&remote.place(), error.why))?;
    check(observer)?;
    Ok(done)
}
