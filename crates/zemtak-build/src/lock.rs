//! Only one build at a time in a folder for results.

use crate::failure::Failure;
use crate::observer::Observer;
use crate::observer::check;
use crate::{format, write};
use std::fs::{self, File, TryLockError};
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};
use zemtak_files::Disk;

/// The lock file. It stays there; the lock ends with the process.
pub const FILE: &str = ".zemtak-lock";

/// A shorter wait is not worth mentioning.
const TOLD_AFTER: Duration = Duration::from_millis(500);

/// Holds a folder for results; dropping this lets the next build start.
#[derive(Debug)]
pub struct Lock {
    _file: File,
    /// The folder, if it was created for this build.
    made: Option<PathBuf>,
}

impl Lock {
    /// Removes a folder that was created for this build and is empty.
    pub fn give_up(&mut self) {
        if let Some(folder) = self.made.take() {
            let _ = fs::remove_file(folder.join(FILE));
            let _ = fs::remove_dir(folder);
        }
    }
}

/// Creates a folder, waits until no other build is running there, and removes what a killed one left half written.
///
/// # Errors
/// The folder cannot be created or written to, or the observer cancels.
pub(crate) fn take(folder: &Path, disk: &dyn Disk, observer: &dyn Observer) -> Result<Lock, Failure> {
    let io = |error: &(dyn std::error::Error + 'static)| Failure::io(&format::path(folder), error);
    let made = (!folder.exists()).then(|| folder.to_owned());
    let path = folder.join(FILE);
    let (since, mut told) = (Instant::now(), false);
    loop {
        disk.create_folder(folder).map_err(|e| io(&e))?;
        let file = disk.open_lock(&path).map_err(|e| io(&e))?;
        match file.try_lock() {
            // The previous build may have removed its folder together with the file.
            Ok(()) if same_file(&file, &path) => {
                sign(&file);
                // Nobody else is running here, so a partial file is from a build that was killed.
                write::sweep(folder, Duration::ZERO, disk);
                return Ok(Lock { _file: file, made });
            }
            Ok(()) => {}
            Err(TryLockError::Error(error)) => return Err(io(&error)),
            Err(TryLockError::WouldBlock) => {
                if since.elapsed() >= TOLD_AFTER && !std::mem::replace(&mut told, true) {
                    observer.waits_for(folder, signature(&path, disk));
                }
                std::thread::sleep(Duration::from_millis(20));
                check(observer)?;
            }
        }
    }
}

/// Leaves the number of this process for whoever has to wait. It is only for people, so it may fail. It is as long as
/// any other and written over the one before: some file systems take milliseconds to empty a file.
fn sign(mut file: &File) {
    let _ = writeln!(file, "{:<10}", std::process::id());
}

/// A process number takes less.
const SIGNATURE_BYTES: u64 = 64;

/// The process that holds a folder, if known.
fn signature(path: &Path, disk: &dyn Disk) -> Option<u32> {
    let text = zemtak_files::text(disk.read(path, SIGNATURE_BYTES).ok()?).ok()?;
    text.trim().parse().ok()
}

#[cfg(unix)]
fn same_file(file: &File, path: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let number = |meta: fs::Metadata| (meta.dev(), meta.ino());
    file.metadata().map(number).ok() == fs::metadata(path).map(number).ok()
}

/// An open file cannot be removed here.
#[cfg(not(unix))]
fn same_file(_: &File, _: &Path) -> bool {
    true
}
