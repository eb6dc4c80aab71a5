//! A request for a build, and its result.

use crate::inputs::Inputs;
use crate::limits::Limits;
use crate::settings::Keys;
use crate::store::{Hash, SharedSettings, SharedTally};
use crate::summary::{State, Summary};
use crate::timings::Spent;
use crate::warning::Warning;
use crate::work::Account;
use std::collections::HashSet;
use std::path::PathBuf;

/// What to pack, where to, and how.
///
/// Relative paths are relative to the working folder. The build works on the threads of the current rayon pool.
///
/// ```
/// use zemtak_build::PackRequest;
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let here = tempfile::tempdir()?;
/// # let pixels = zemtak_core::pixels::Pixels::transparent(zemtak_core::geometry::Size::new(8, 8)).unwrap();
/// # let png = zemtak_core::codec::encoded_png(&pixels, zemtak_core::codec::PngEffort::Fast, None)?.prove()?;
/// # std::fs::create_dir(here.path().join("art"))?;
/// # std::fs::write(here.path().join("art/moth.png"), png)?;
/// # std::env::set_current_dir(here.path())?;
/// let packed = PackRequest::of_paths(["art"]).name("night").out("build").run(&())?;
/// assert_eq!(packed.atlases[0].sprites, 1);
/// assert!(std::path::Path::new("build/night-0.png").exists());
/// # Ok(())
/// # }
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct PackRequest {
    /// Folders and files with sprites; none for the atlases of a project file.
    pub paths: Vec<PathBuf>,
    /// The project file, or its folder. Default: the nearest one, in the working folder or above it.
    pub project: Option<PathBuf>,
    /// What names are relative to. Default: the folder if there is only one, else the common parent.
    pub root: Option<PathBuf>,
    /// The folder for results. Default: that of the project file, else `build`.
    pub out: Option<PathBuf>,
    /// The atlas's name; in a project, the only atlas to build.
    pub name: Option<String>,
    /// Atlas keys that were given. They override those of a project file.
    pub keys: Keys,
    /// Whether to explain the layout. Default: no.
    pub explain: bool,
    /// Write nothing, and report what is out of date. Default: off.
    pub check: bool,
    /// Build everything anew, ignoring what earlier builds learnt. Default: off.
    pub fresh: bool,
    /// Keep boxes where they are if they can stay. Default: off.
    pub keep: bool,
    /// Report how each atlas differs from what is in place. Default: off.
    pub tell_changes: bool,
    /// Do not wait until results are on the disk before they are put in place: faster, but a power failure may then
    /// leave incomplete files. Default: off.
    pub unsynced: bool,
    /// Limits of the run, including memory. They override those of the project file.
    pub limits: Limits,
    /// Whether the environment may say where builds share what they learn: [`SharedSettings::from_environment`].
    /// Default: no.
    pub store_from_environment: bool,
    /// Where builds share what they learn. Overrides the project file.
    pub shared: Option<SharedSettings>,
    /// Replace files in the folder for results that no build wrote. Default: off; they are then an error.
    pub force: bool,
}

impl PackRequest {
    /// The atlases of a project file, or of the one in a folder.
    #[must_use]
    pub fn of_project(file: impl Into<PathBuf>) -> Self {
        Self { project: Some(file.into()), ..Self::default() }
    }

    /// One atlas of folders and image files.
    #[must_use]
    pub fn of_paths<P: Into<PathBuf>>(paths: impl IntoIterator<Item = P>) -> Self {
        Self { paths: paths.into_iter().map(Into::into).collect(), ..Self::default() }
    }

    /// Sets the folder for results.
    #[must_use]
    pub fn out(mut self, folder: impl Into<PathBuf>) -> Self {
        self.out = Some(folder.into());
        self
    }

    /// Sets the atlas's name; in a project, chooses the only atlas to build.
    #[must_use]
    pub fn name(mut self, name: impl Into<String>) -> Self {
        self.name = Some(name.into());
        self
    }

    /// Sets atlas keys.
    #[must_use]
    pub fn keys(mut self, keys: Keys) -> Self {
        self.keys = keys;
        self
    }

    /// Sets the limits of the run.
    #[must_use]
    pub fn limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// What a build depends on at the moment.
    #[must_use]
    pub fn inputs(&self) -> Inputs {
        Inputs::of(&self.paths, self.project.as_deref(), self.out.as_deref(), &self.limits)
    }
}

/// What was built.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Packed {
    /// Each atlas and each other size of it, in the order of the project.
    pub atlases: Vec<Summary>,
    /// What is odd about the project as a whole; see also [`Packed::all_warnings`].
    pub warnings: Vec<Warning>,
    /// The files of all atlases; for each atlas the pages first, the descriptor last.
    pub files: Vec<OutputFile>,
    /// Files made from all atlases together.
    pub joint: Vec<OutputFile>,
    /// What it was built from.
    pub inputs: Inputs,
    /// Where the parts of the atlases came from, and what that saved.
    pub account: Account,
    /// Traffic with the shared store; `None` if there is none.
    pub shared: Option<SharedTally>,
    /// How long it took.
    pub seconds: f64,
    /// Where the time went.
    pub spent: Spent,
}

/// A file that a build wrote or found to be up to date.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct OutputFile {
    /// Where it is.
    pub path: PathBuf,
    /// The BLAKE3 hash of its bytes.
    pub hash: Hash,
    /// Whether this build wrote it; for a check, whether a build would.
    pub changed: bool,
}

impl Packed {
    fn joint_changed(&self) -> bool {
        self.joint.iter().any(|file| file.changed)
    }

    /// What is odd about the project and its atlases; what all sizes of an atlas have in common, once.
    #[must_use]
    pub fn all_warnings(&self) -> Vec<Warning> {
        let mut told = HashSet::new();
        let of_atlases = self.atlases.iter().flat_map(|atlas| {
            let whose = atlas.base.as_ref().unwrap_or(&atlas.name);
            atlas.all_warnings().into_iter().map(move |warning| (whose, warning))
        });
        let of_atlases = of_atlases.filter(|(whose, warning)| told.insert((*whose, warning.to_string())));
        self.warnings.iter().cloned().chain(of_atlases.map(|(_, warning)| warning)).collect()
    }

    /// Whether anything was written.
    #[must_use]
    pub fn wrote(&self) -> bool {
        self.atlases.iter().any(|s| s.state == State::Built) || self.joint_changed()
    }

    /// Whether a check found something out of date.
    #[must_use]
    pub fn out_of_date(&self) -> bool {
        self.atlases.iter().any(|s| s.state == State::OutOfDate) || self.joint_changed()
    }
}
