//! What a build depends on, so that it can be repeated when that changes.

use crate::limits::Limits;
use crate::project::Project;
use crate::settings::Also;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// The files and folders that a build depends on.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Inputs {
    /// Folders and files with sprites; for folders, everything below them counts.
    pub art: BTreeSet<PathBuf>,
    /// The project file and templates.
    pub files: BTreeSet<PathBuf>,
    /// Where results go; changes there are made by the build itself.
    pub out: PathBuf,
}

impl Inputs {
    /// What a build of these paths, or else of a project file, depends on at the moment. If the project file cannot be
    /// used, that is this file alone. `out` is the folder for results, if one was given.
    pub(crate) fn of(paths: &[PathBuf], project: Option<&Path>, out: Option<&Path>, limits: &Limits) -> Self {
        if !paths.is_empty() {
            return Self::of_paths(paths, out);
        }
        Project::open(project, limits).map_or_else(
            |_| {
                let file = Project::locate(project).unwrap_or_else(|_| crate::project::FILE.into());
                Self { files: BTreeSet::from([file]), ..Self::of_paths(&[], out) }
            },
            |project| Self::of_project(&project, out),
        )
    }

    /// What a build of these paths depends on.
    pub(crate) fn of_paths(paths: &[PathBuf], out: Option<&Path>) -> Self {
        let out = out.unwrap_or(Path::new("build")).to_owned();
        Self { art: paths.iter().cloned().collect(), files: BTreeSet::new(), out }
    }

    /// What a build of a project depends on.
    pub(crate) fn of_project(project: &Project, out: Option<&Path>) -> Self {
        let here = if project.folder.as_os_str().is_empty() { Path::new(".") } else { &project.folder };
        let out = out.unwrap_or(&project.out).to_owned();
        let mut inputs = Self { art: BTreeSet::new(), files: BTreeSet::from([project.path.clone()]), out };
        inputs.files.extend(project.also.iter().map(|path| project.folder.join(path)));
        for (_, keys) in &project.atlases {
            let root = keys.root.as_ref().map_or_else(|| here.to_owned(), |root| project.folder.join(root));
            inputs.art.insert(root);
            for also in keys.also.iter().flatten() {
                if let Also::Template(path) = also {
                    inputs.files.insert(project.folder.join(path));
                }
            }
        }
        inputs
    }

    /// All of them, for a build script's `cargo::rerun-if-changed`.
    pub fn paths(&self) -> impl Iterator<Item = &Path> {
        self.art.iter().chain(&self.files).map(PathBuf::as_path)
    }
}
