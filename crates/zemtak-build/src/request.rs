//! What is asked of a build, and what it comes to.

use crate::inputs::Inputs;
use crate::limits::Limits;
use crate::settings::Keys;
use crate::store::{Hash, SharedSettings, SharedTally};
use crate::summary::{State, Summary};
use crate::timings::Spent;
use crate::warning::Warning;
use crate::work::Account;
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
    /// The project file, or its folder. By default the nearest one, in the working folder or above it.
    pub project: Option<PathBuf>,
    /// What names are relative to. By default the folder if there is one, else the common parent.
    pub root: Option<PathBuf>,
    /// The folder for results. By default that of the project file, else `build`.
    pub out: Option<PathBuf>,
    /// The atlas's name; of a project, the only atlas to build.
    pub name: Option<String>,
    /// The atlas keys that were said. They win over those of a project file.
    pub keys: Keys,
    /// Whether to explain the layout. It is not by default.
    pub explain: bool,
    /// Write nothing, and tell what is out of date. Off by default.
    pub check: bool,
    /// Build everything anew, whatever earlier builds learnt. Off by default.
    pub fresh: bool,
    /// Keep boxes where they are if they can stay. Off by default.
    pub keep: bool,
    /// Tell of each atlas how it differs from what is in place. Off by default.
    pub tell_changes: bool,
    /// Do not wait until results are on the disk before they take their names: faster, but a loss of power may then leave
    /// files that are not whole. Off by default.
    pub unsynced: bool,
    /// What the run takes on before it refuses, memory among it. What is said here wins over the project file.
    pub limits: Limits,
    /// Whether the environment says where builds share what they learn: [`SharedSettings::from_environment`]. It does not by default.
    pub store_from_environment: bool,
    /// Where builds share what they learn; what is said here wins over the project file.
    pub shared: Option<SharedSettings>,
    /// Replace files that no build wrote where results go. Off by default: then they are an error.
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

    /// Sets the atlas's name; of a project, chooses the only atlas to build.
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

    /// Sets what the run takes on before it refuses.
    #[must_use]
    pub fn limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// What a build depends on as things are now.
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
    /// What is odd about the project as a whole; see also [`Summary::all_warnings`].
    pub warnings: Vec<Warning>,
    /// The files of all atlases; of each atlas the pages first, the descriptor last.
    pub files: Vec<OutputFile>,
    /// Files made of all atlases together.
    pub joint: Vec<OutputFile>,
    /// What it was built from.
    pub inputs: Inputs,
    /// Where the parts of the atlases came from, and what that saved.
    pub account: Account,
    /// What came from the shared store and what went there; nothing where there is none.
    pub shared: Option<SharedTally>,
    /// How long it took.
    pub seconds: f64,
    /// Where the time went.
    pub spent: Spent,
}

/// A file that a build wrote, or found to be as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct OutputFile {
    /// Where it is.
    pub path: PathBuf,
    /// The BLAKE3 hash of its bytes.
    pub hash: Hash,
    /// Whether it was written by this build; of a check, whether it would be.
    pub changed: bool,
}

impl Packed {
    fn joint_changed(&self) -> bool {
        self.joint.iter().any(|file| file.changed)
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
