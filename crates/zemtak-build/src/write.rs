//! Writing files whole: under a temporary name first, then renamed; the descriptor after its pages.

use crate::failure::Failure;
use crate::format;
use std::fs::{self, File};
use std::hash::{BuildHasher, Hasher, RandomState};
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use zemtak_files::{Disk, SystemDisk};

/// How names of files begin and end that are not in their place yet.
const PART: (&str, &str) = (".zemtak-", ".part");

/// A file that is written but not in its place yet; dropped, it is gone.
#[derive(Debug)]
pub struct PendingFile {
    disk: Arc<dyn Disk>,
    /// Nothing once it is in its place.
    temporary: Option<PathBuf>,
    target: PathBuf,
}

/// Where files are written, and whether a loss of power may undo it.
#[derive(Debug, Clone)]
pub(crate) struct Writer {
    /// Where to.
    pub disk: Arc<dyn Disk>,
    /// Whether files are on the disk before they take their names.
    pub sync: bool,
}

/// Makes the folder for results, with those above it.
///
/// # Errors
/// Where it cannot be made.
pub fn make_folder(folder: &Path) -> Result<(), Failure> {
    SystemDisk.create_folder(folder).map_err(|e| Failure::io(&format::path(folder), &e))
}

/// Writes bytes under a temporary name in the folder of `target`.
///
/// # Errors
/// Where they cannot be written.
pub fn prepare(target: &Path, bytes: &[u8]) -> Result<PendingFile, Failure> {
    Writer::default().prepare(target, bytes)
}

/// As [`prepare`], with bytes that are written piece by piece.
///
/// # Errors
/// Where they cannot be written.
pub fn prepare_with(
    target: &Path,
    fill: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> Result<PendingFile, Failure> {
    Writer::default().prepare_with(target, fill)
}

/// A part that is as old as this is of a process that was killed, in a folder where others may be at work.
const FORGOTTEN: Duration = Duration::from_secs(3600);

/// Clears away what killed processes left half written in a folder.
pub fn sweep_forgotten(folder: &Path) {
    sweep(folder, FORGOTTEN, &SystemDisk);
}

/// Whether a file has the name of one that is not in its place yet.
pub(crate) fn is_part(name: &str) -> bool {
    name.starts_with(PART.0) && name.ends_with(PART.1)
}

/// Clears away what was left half written in a folder for at least so long. What cannot be removed does no harm.
pub(crate) fn sweep(folder: &Path, age: Duration, disk: &dyn Disk) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let is_part = entry.file_name().to_str().is_some_and(is_part);
        // What is of the future counts as new.
        let rested = || entry.metadata().ok()?.modified().ok()?.elapsed().ok();
        if is_part && (age.is_zero() || rested().is_some_and(|rested| rested >= age)) {
            let _ = disk.remove(&entry.path());
        }
    }
}

impl Default for Writer {
    /// On this machine, without waiting for its disk.
    fn default() -> Self {
        Self { disk: Arc::new(SystemDisk), sync: false }
    }
}

impl Writer {
    /// Writes bytes under a temporary name in the folder of `target`.
    ///
    /// # Errors
    /// Where they cannot be written.
    pub fn prepare(&self, target: &Path, bytes: &[u8]) -> Result<PendingFile, Failure> {
        self.prepare_with(target, |file| file.write_all(bytes))
    }

    fn prepare_with(
        &self,
        target: &Path,
        fill: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> Result<PendingFile, Failure> {
        let failed = |error: io::Error| Failure::io(&format::path(target), &error);
        let mut fill = Some(fill);
        loop {
            let temporary = temporary(target);
            let mut once = |file: &mut dyn Write| fill.take().map_or(Ok(()), |fill| fill(file));
            match self.disk.write(&temporary, self.sync, &mut once) {
                Ok(()) => {
                    let (disk, target) = (Arc::clone(&self.disk), target.to_owned());
                    return Ok(PendingFile { disk, temporary: Some(temporary), target });
                }
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists && fill.is_some() => {}
                Err(error) => return Err(failed(error)),
            }
        }
    }

    /// Has what was renamed and removed in a folder on the disk, if anything has to be.
    ///
    /// # Errors
    /// Where that cannot be.
    pub fn sync_folder(&self, folder: &Path) -> Result<(), Failure> {
        if !self.sync {
            return Ok(());
        }
        self.disk.sync_folder(folder).map_err(|e| Failure::io(&format::path(folder), &e))
    }
}

/// A name beside `target` that nobody else uses, most likely.
fn temporary(target: &Path) -> PathBuf {
    let number = RandomState::new().build_hasher().finish();
    target.with_file_name(format!("{}{number:016x}{}", PART.0, PART.1))
}

impl PendingFile {
    /// Whether the same bytes stand in its place already.
    #[must_use]
    pub fn is_in_place(&self) -> bool {
        let same = || -> io::Result<bool> {
            let Some(temporary) = &self.temporary else { return Ok(true) };
            let (new, old) = (zemtak_files::open(temporary)?, zemtak_files::open(&self.target)?);
            if new.metadata()?.len() != old.metadata()?.len() {
                return Ok(false);
            }
            same_bytes(new, old)
        };
        same().unwrap_or(false)
    }

    /// Puts the file in its place in one step; what was there before is replaced.
    ///
    /// # Errors
    /// Where it cannot be renamed.
    pub fn commit(mut self) -> Result<(), Failure> {
        let Some(temporary) = self.temporary.take() else { return Ok(()) };
        let renamed = self.disk.rename(&temporary, &self.target);
        renamed.map_err(|error| {
            let failure = Failure::io(&format::path(&self.target), &error);
            self.temporary = Some(temporary);
            failure
        })
    }
}

impl Drop for PendingFile {
    fn drop(&mut self) {
        if let Some(temporary) = &self.temporary {
            // What stays is swept by the next build.
            let _ = self.disk.remove(temporary);
        }
    }
}

fn same_bytes(new: File, old: File) -> io::Result<bool> {
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
}
