//! Writing files completely: under a temporary name first, then renamed; the descriptor after its pages.

use crate::failure::Failure;
use crate::format;
use std::fs::{self, File};
use std::hash::{BuildHasher, Hasher, RandomState};
use std::io::{self, BufRead, BufReader, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use zemtak_files::{Disk, SystemDisk};

/// The prefix and suffix of files that are not in place yet.
const PART: (&str, &str) = (".zemtak-", ".part");

/// A file that is written but not in place yet; dropping this removes it.
#[derive(Debug)]
pub struct PendingFile {
    disk: Arc<dyn Disk>,
    /// `None` once it is in place.
    temporary: Option<PathBuf>,
    target: PathBuf,
}

/// A file that has lost its name to another one, and is held open: the system frees it when nobody holds it any more,
/// which can take longer than to write the new one.
pub(crate) struct Replaced(#[expect(dead_code, reason = "it is only held")] Box<dyn Read + Send>);

/// Where files are written, and whether a power failure may undo it.
#[derive(Debug, Clone)]
pub(crate) struct Writer {
    /// Where to.
    pub disk: Arc<dyn Disk>,
    /// Whether files are on the disk before they are renamed into place.
    pub sync: bool,
}

/// Creates the folder for results, with its parents.
///
/// # Errors
/// It cannot be created.
pub fn make_folder(folder: &Path) -> Result<(), Failure> {
    SystemDisk.create_folder(folder).map_err(|e| Failure::io(&format::path(folder), &e))
}

/// Writes bytes under a temporary name in the folder of `target`.
///
/// # Errors
/// They cannot be written.
pub fn prepare(target: &Path, bytes: &[u8]) -> Result<PendingFile, Failure> {
    Writer::default().prepare(target, bytes)
}

/// Like [`prepare`], with bytes that are written piece by piece.
///
/// # Errors
/// They cannot be written.
pub fn prepare_with(
    target: &Path,
    fill: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> Result<PendingFile, Failure> {
    Writer::default().prepare_with(target, fill)
}

/// A partial file of this age is from a process that was killed, in a folder where others may be running.
const FORGOTTEN: Duration = Duration::from_secs(3600);

/// Removes what killed processes left half written in a folder.
pub fn sweep_forgotten(folder: &Path) {
    sweep(folder, FORGOTTEN, &SystemDisk);
}

/// Whether a file has the name of one that is not in place yet.
pub(crate) fn is_part(name: &str) -> bool {
    name.starts_with(PART.0) && name.ends_with(PART.1)
}

/// Removes what was left half written in a folder for at least this long. Anything that cannot be removed does no harm.
pub(crate) fn sweep(folder: &Path, age: Duration, disk: &dyn Disk) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let is_part = entry.file_name().to_str().is_some_and(is_part);
        // Files from the future count as new.
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
    /// They cannot be written.
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

    /// Waits until renames and removals in a folder are on the disk, if that is required.
    ///
    /// # Errors
    /// That fails.
    pub fn sync_folder(&self, folder: &Path) -> Result<(), Failure> {
        if !self.sync {
            return Ok(());
        }
        self.disk.sync_folder(folder).map_err(|e| Failure::io(&format::path(folder), &e))
    }
}

/// A name beside `target` that most likely nobody else uses.
fn temporary(target: &Path) -> PathBuf {
    let number = RandomState::new().build_hasher().finish();
    target.with_file_name(format!("{}{number:016x}{}", PART.0, PART.1))
}

impl PendingFile {
    /// Whether the same bytes are in place already.
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

    /// Holds the file that this one is going to replace, if any.
    pub(crate) fn hold_replaced(&self) -> Option<Replaced> {
        // Elsewhere an open file cannot be replaced.
        if cfg!(unix) { self.disk.open(&self.target).ok().map(Replaced) } else { None }
    }

    /// Puts the file in place in one step, replacing what was there.
    ///
    /// # Errors
    /// It cannot be renamed.
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
            // Whatever stays is removed by the next build.
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
