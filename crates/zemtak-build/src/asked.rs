//! What a request asks for: its targets with their sources, and where results go.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::inputs::Inputs;
use crate::journal::Journal;
use crate::limits::Limits;
use crate::project::Project;
use crate::request::PackRequest;
use crate::settings::AtlasSettings;
use crate::store::{Access, SharedSettings};
use crate::targets::{self, Chosen, Targets};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use zemtak_files::{Disk, SystemDisk};

/// The shared store as far as a build uses it: not at all if everything is to be built anew, and read-only for a check.
fn used(shared: SharedSettings, request: &PackRequest) -> Option<SharedSettings> {
    let access = if request.check { Access::Read } else { shared.access };
    Some(SharedSettings { access, ..shared }).filter(|_| !request.fresh)
}

/// What to build, from what, where it goes, and with whom it is shared.
#[derive(Debug)]
pub(crate) struct Asked {
    pub inputs: Inputs,
    pub targets: Targets,
    pub limits: Limits,
    pub shared: Option<SharedSettings>,
}

impl Asked {
    /// What a request asks for, given the current files.
    ///
    /// # Errors
    /// Anything wrong with the project file, the paths, the files, or the environment.
    pub fn of(request: &PackRequest, disk: &dyn Disk, journal: &Journal) -> Result<Self, Failure> {
        Self::choose(request, Chosen::Asked(request.name.as_deref()), disk, journal)
    }

    /// The same for some of the atlases of [`Outline::of`].
    ///
    /// # Errors
    /// See [`of`](Self::of).
    pub fn these(request: &PackRequest, names: &BTreeSet<String>) -> Result<Self, Failure> {
        Self::choose(request, Chosen::These(names), &SystemDisk, &Journal::default())
    }

    fn choose(request: &PackRequest, chosen: Chosen<'_>, disk: &dyn Disk, journal: &Journal) -> Result<Self, Failure> {
        let PackRequest { paths, root, keys, .. } = request;
        let (name, out) = (request.name.as_deref(), request.out.as_deref());
        let (inputs, targets, limits, shared) = if paths.is_empty() {
            let project = project(request, disk)?;
            let inputs = Inputs::of_project(&project, out);
            let targets = targets::of_project(&project, chosen, &inputs.out, keys, journal)?;
            (inputs, targets, project.limits, project.shared)
        } else {
            Failure::unless(paths.iter().filter_map(|path| meant_for_atlas(path)).collect(), ())?;
            let inputs = Inputs::of_paths(paths, out);
            let limits = &request.limits;
            let targets = targets::of_paths(paths, root.as_deref(), &inputs.out, name, keys.clone(), limits, journal)?;
            (inputs, targets, request.limits, None)
        };
        Ok(Self { inputs, targets, limits, shared: shared_of(request, shared)? })
    }
}

/// The atlases that a request asks for, without looking at any image.
pub(crate) struct Outline {
    /// Their names and settings.
    pub atlases: Vec<(String, AtlasSettings)>,
    /// Where results go.
    pub out: PathBuf,
    pub limits: Limits,
    /// See [`Asked`].
    pub shared: Option<SharedSettings>,
}

impl Outline {
    /// What a request asks for.
    ///
    /// # Errors
    /// Anything wrong with the project file or the environment.
    pub fn of(request: &PackRequest) -> Result<Self, Failure> {
        let name = request.name.as_deref();
        if request.paths.is_empty() {
            let project = project(request, &SystemDisk)?;
            let atlases = targets::outline(&project, name, &request.keys)?;
            let out = Inputs::of_project(&project, request.out.as_deref()).out;
            return Ok(Self { atlases, out, limits: project.limits, shared: shared_of(request, project.shared)? });
        }
        let name = name.map_or_else(|| targets::name_of(&request.paths), |name| Ok(name.to_owned()))?;
        let atlases = vec![(name, targets::settle(request.keys.clone())?)];
        let out = Inputs::of_paths(&request.paths, request.out.as_deref()).out;
        Ok(Self { atlases, out, limits: request.limits, shared: shared_of(request, None)? })
    }
}

fn project(request: &PackRequest, disk: &dyn Disk) -> Result<Project, Failure> {
    let mut project = Project::open_on(request.project.as_deref(), &request.limits, disk)?;
    project.limits = request.limits.over(project.limits);
    Ok(project)
}

/// Where builds share what they learn: according to the request, the environment, the project file, in this order.
fn shared_of(request: &PackRequest, project: Option<SharedSettings>) -> Result<Option<SharedSettings>, Failure> {
    let shared = request.shared.clone().or(project);
    let shared = if request.store_from_environment { SharedSettings::from_environment(shared)? } else { shared };
    Ok(shared.and_then(|of| used(of, request)))
}

/// If a path does not exist, but an atlas of the project has that name.
fn meant_for_atlas(path: &Path) -> Option<Problem> {
    let name = path.to_str().filter(|_| !path.exists())?;
    let project = Project::open(None, &Limits::default()).ok()?;
    project.atlases.iter().any(|(atlas, _)| atlas == name).then(|| {
        let why = "there is no such folder, but an atlas of the project has that name";
        Problem::usage(ProblemKind::NothingToPack, name, why, "to build that atlas alone, write --name before it")
    })
}
