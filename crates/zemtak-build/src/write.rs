//! Writing files whole: under a temporary name first, then renamed; the descriptor after its pages.

use crate::failure::Failure;
use crate::format;
use std::fs::{self, File};
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use tempfile::{Builder, NamedTempFile};

/// A file that is written but not in its place yet; dropped, it is gone.
#[derive(Debug)]
pub struct PendingFile {
    temporary: NamedTempFile,
    target: PathBuf,
}

/// Makes the folder for results, with those above it.
///
/// # Errors
/// Where it cannot be made.
pub fn make_folder(folder: &Path) -> Result<(), Failure> {
    fs::create_dir_all(folder).map_err(|e| Failure::io(&format::path(folder), &e))
}

/// Writes bytes under a temporary name in the folder of `target`.
///
/// # Errors
/// Where they cannot be written.
pub fn prepare(target: &Path, bytes: &[u8]) -> Result<PendingFile, Failure> {
    prepare_with(target, |file| file.write_all(bytes))
}

/// As [`prepare`], with bytes that are written piece by piece.
///
/// # Errors
/// Where they cannot be written.
pub fn prepare_with(
    target: &Path,
    fill: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> Result<PendingFile, Failure> {
    let write = || -> io::Result<NamedTempFile> {
        let mut builder = Builder::new();
        builder.prefix(".zemtak-").suffix(".part");
        #[cfg(unix)]
        {
            // As any new file: what the user's mask leaves of reading and writing for all.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(fs::Permissions::from_mode(0o666));
        }
        let mut file = builder.tempfile_in(target.parent().unwrap_or(Path::new(".")))?;
        fill(&mut file)?;
        Ok(file)
    };
    let temporary = write().map_err(|e| Failure::io(&format::path(target), &e))?;
    Ok(PendingFile { temporary, target: target.to_owned() })
}

impl PendingFile {
    /// Whether the same bytes stand in its place already.
    #[must_use]
    pub fn is_in_place(&self) -> bool {
        let same = || -> io::Result<bool> {
            let (new, old) = (File::open(self.temporary.path())?, zemtak_files::open(&self.target)?);
            if new.metadata()?.len() != old.metadata()?.len() {
                return Ok(false);
            }
            let (mut new, mut old) = (BufReader::new(new), BufReader::new(old));
            loop {
                let (a, b) = (new.fill_buf()?, old.fill_buf()?);
                let length = a.len().min(b.len());
                if length == 0 || a[..length] != b[..length] {
                    return Ok(a.is_empty() && b.is_empty());
                }
                new.consume(length);
                old.consume(length);
            }
        };
        same().unwrap_or(false)
    }

    /// Puts the file in its place in one step; what was there before is replaced.
    ///
    /// # Errors
    /// Where it cannot be renamed.
    pub fn commit(self) -> Result<(), Failure> {
        let target = self.target;
        self.temporary.persist(&target).map(drop).map_err(|e| Failure::io(&format::path(&target), &e.error))
    }
}
