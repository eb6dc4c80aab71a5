//! Whether the files beside a descriptor belong to the same build.

use crate::failure::Problem;
use crate::{format, forms, store};
use std::fmt;
use std::path::Path;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX};
use zemtak_files::FILE_BYTES;

/// A file beside a descriptor that does not belong to it.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stray {
    /// It belongs to another build.
    OtherBuild {
        /// The file.
        file: String,
        /// The build that it names, if any.
        build: Option<String>,
    },
    /// It belongs to this build, but was changed since.
    Changed {
        /// The file.
        file: String,
    },
}

impl Stray {
    /// What kind it is, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::OtherBuild { .. } => "other_build",
            Self::Changed { .. } => "changed_companion",
        }
    }

    /// The file's name.
    #[must_use]
    pub fn file(&self) -> &str {
        match self {
            Self::OtherBuild { file, .. } | Self::Changed { file } => file,
        }
    }
}

impl fmt::Display for Stray {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::OtherBuild { file, build: Some(build) } => {
                write!(f, "{file} is of build {build}, not of the descriptor's")
            }
            Self::OtherBuild { file, build: None } => write!(f, "{file} is not of the descriptor's build"),
            Self::Changed { file } => write!(f, "{file} was changed since it was written"),
        }
    }
}

/// The files beside a descriptor that are not as its build wrote them: companions that it names, and other forms of the
/// same atlas that an earlier build left. Missing companions are not reported: games take along what they need.
///
/// # Errors
/// For each file that cannot be read, in its place; or one for the folder.
#[must_use]
pub fn strays(descriptor: &Path, atlas: &Atlas) -> Vec<Result<Stray, Problem>> {
    let folder = format::folder_of(descriptor);
    let listed = std::fs::read_dir(folder).and_then(Iterator::collect::<Result<Vec<_>, _>>);
    let entries = match listed {
        Ok(entries) => entries,
        Err(error) => return vec![Err(Problem::io(&format::path(folder), &error))],
    };
    let mut names: Vec<String> = entries.iter().filter_map(|entry| entry.file_name().into_string().ok()).collect();
    names.sort_unstable();
    names.iter().filter_map(|name| stray(folder, name, atlas)).collect()
}

fn stray(folder: &Path, name: &str, atlas: &Atlas) -> Option<Result<Stray, Problem>> {
    let named = atlas.companions.get(name);
    if named.is_none() && !forms::is_name_of_form(name, &atlas.name) {
        return None;
    }
    let file = name.to_owned();
    let path = folder.join(name);
    let bytes = match zemtak_files::read(&path, FILE_BYTES) {
        Ok(bytes) => bytes,
        Err(error) => return Some(Err(Problem::io(&format::path(&path), &error))),
    };
    let Some(hash) = named else {
        // Somebody's own file may have such a name.
        return forms::is_form(&bytes).then(|| Ok(Stray::OtherBuild { file, build: forms::build_of(&bytes) }));
    };
    if store::of_written(hash) == Some(store::hash(&bytes)) {
        return None;
    }
    let build = if name.ends_with(FILE_SUFFIX) { None } else { forms::build_of(&bytes) };
    let same = build.is_some() && build == atlas.build_id;
    Some(Ok(if same { Stray::Changed { file } } else { Stray::OtherBuild { file, build } }))
}
