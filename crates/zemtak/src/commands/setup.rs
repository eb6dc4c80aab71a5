//! `zemtak setup`: installs shell completions and manual pages where shells and `man` look for them.

use crate::output;
use crate::report::Report;
use serde_json::{Value, json};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use zemtak_build::{Failure, Problem, format, write};
use zemtak_files::TEXT_BYTES;

/// What to install, and where.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetupRequest {
    /// The folder that contains `share`; by default `.local` in the home folder.
    pub prefix: Option<PathBuf>,
    /// The files by their paths below it.
    pub files: Vec<(PathBuf, Vec<u8>)>,
    /// Whether other files may be replaced.
    pub force: bool,
}

/// What was installed.
#[derive(Debug)]
pub struct Setup {
    prefix: PathBuf,
    files: Vec<PathBuf>,
    /// How many of them are new or changed.
    written: usize,
}

/// Writes the files that are missing or changed.
///
/// # Errors
/// There is no home folder, foreign files have these names, or something cannot be written.
pub fn run(request: SetupRequest) -> Result<Setup, Failure> {
    let home = || Some(PathBuf::from(std::env::var_os("HOME")?).join(".local"));
    let Some(prefix) = request.prefix.or_else(home) else {
        let error = std::io::Error::new(ErrorKind::NotFound, "HOME is not set");
        return Err(Failure::io("the home folder", &error));
    };
    let differs = |(path, bytes): &&(PathBuf, Vec<u8>)| output::has(&prefix.join(path), bytes) != Some(true);
    let files: Vec<PathBuf> = request.files.iter().map(|(path, _)| path.clone()).collect();
    let changed: Vec<&(PathBuf, Vec<u8>)> = request.files.iter().filter(differs).collect();
    let strangers: Vec<Problem> = changed
        .iter()
        .map(|(path, _)| prefix.join(path))
        .filter(|path| !request.force && is_strange(path))
        .map(|path| output::stranger(&path))
        .collect();
    Failure::unless(strangers, ())?;
    for (path, bytes) in &changed {
        let target = prefix.join(path);
        write::make_folder(format::folder_of(&target))?;
        write::prepare(&target, bytes)?.commit()?;
    }
    Ok(Setup { prefix: prefix.clone(), files, written: changed.len() })
}

/// Appears in a comment of each installed file, so that a later version recognises it.
pub const MARK: &str = "Installed by zemtak setup";

/// Whether a file exists that no version of this tool installed.
fn is_strange(path: &Path) -> bool {
    match zemtak_files::read(path, TEXT_BYTES) {
        Ok(bytes) => !bytes.windows(MARK.len()).any(|part| part == MARK.as_bytes()),
        Err(error) => error.kind() != ErrorKind::NotFound,
    }
}

impl Report for Setup {
    fn text(&self, verbose: bool) -> String {
        let files = format::count(self.files.len(), "file", "files");
        let mut out = format!("{}: {files}, {} new\n", format::name(&format::path(&self.prefix)), self.written);
        if verbose {
            self.files.iter().for_each(|file| out.push_str(&format!("  {}\n", format::name(&format::path(file)))));
        }
        out.push_str("  manual pages: man zemtak, man zemtak-pack and so on\n");
        out.push_str("  completions for bash, fish and zsh, from the next shell on; zsh looks for them in the folders of fpath:\n");
        // To be pasted into a file that zsh reads.
        let functions = format::path(&self.prefix.join("share/zsh/site-functions"));
        let functions = shlex::try_quote(&functions).unwrap_or_default();
        out.push_str(&format!("    fpath+=({}); autoload -U compinit; compinit\n", format::name(&functions)));
        out
    }

    fn json(&self) -> Value {
        let files: Vec<String> = self.files.iter().map(|file| format::path(file)).collect();
        json!({ "prefix": format::path(&self.prefix), "files": files, "written": self.written })
    }

    fn kind(&self) -> &'static str {
        "setup"
    }
}
