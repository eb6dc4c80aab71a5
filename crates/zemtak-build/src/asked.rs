//! What a request asks for: its targets with their sources, and where they go.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::inputs::Inputs;
use crate::limits::Limits;
use crate::project::Project;
use crate::request::PackRequest;
use crate::store::{Access, SharedSettings};
use crate::targets::{self, Targets};
use std::path::Path;

/// The shared store as far as a build uses it: not where nothing that was learnt is to be believed, and a check writes nothing there.
fn used(shared: SharedSettings, request: &PackRequest) -> Option<SharedSettings> {
    let access = if request.check { Access::Read } else { shared.access };
    Some(SharedSettings { access, ..shared }).filter(|_| !request.fresh)
}

/// What is to be built, what from, where it goes, and with whom it is shared.
#[derive(Debug)]
pub(crate) struct Asked {
    pub inputs: Inputs,
    pub targets: Targets,
    pub limits: Limits,
    pub shared: Option<SharedSettings>,
}

impl Asked {
    /// What a request asks for as things are now.
    ///
    /// # Errors
    /// Anything wrong with the project file, the paths, what is there, or the environment.
    pub fn of(request: &PackRequest) -> Result<Self, Failure> {
        let asked = targets(request)?;
        let shared = asked.shared;
        let shared = if request.store_from_environment { SharedSettings::from_environment(shared)? } else { shared };
        Ok(Self { shared: shared.and_then(|of| used(of, request)), ..asked })
    }
}

fn targets(request: &PackRequest) -> Result<Asked, Failure> {
    let PackRequest { paths, root, name, keys, .. } = request;
    let (name, out) = (name.as_deref(), request.out.as_deref());
    if paths.is_empty() {
        let mut project = Project::open(request.project.as_deref(), &request.limits)?;
        project.limits = request.limits.over(project.limits);
        let inputs = Inputs::of_project(&project, out);
        let targets = targets::of_project(&project, name, &inputs.out, keys)?;
        let shared = request.shared.clone().or(project.shared);
        return Ok(Asked { inputs, targets, limits: project.limits, shared });
    }
    Failure::unless(paths.iter().filter_map(|path| meant_for_atlas(path)).collect(), ())?;
    let inputs = Inputs::of_paths(paths, out);
    let targets =
        targets::of_paths(paths, root.as_deref(), &inputs.out, name, keys.clone(), request.limits.follow_links())?;
    Ok(Asked { inputs, targets, limits: request.limits, shared: request.shared.clone() })
}

/// Where a path is not there, but an atlas of the project at hand has that name.
fn meant_for_atlas(path: &Path) -> Option<Problem> {
    let name = path.to_str().filter(|_| !path.exists())?;
    let project = Project::open(None, &Limits::default()).ok()?;
    project.atlases.iter().any(|(atlas, _)| atlas == name).then(|| {
        let why = "there is no such folder, but an atlas of the project has that name";
        Problem::usage(ProblemKind::NothingToPack, name, why, "to build that atlas alone, write --name before it")
    })
}
