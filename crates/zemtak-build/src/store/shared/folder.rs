//! A shared store that is a folder, such as one on a network file system.

use super::{Listed, Remote, RemoteError};
use crate::format;
use crate::write::{PendingFile, Writer};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use walkdir::WalkDir;

/// Uses are recorded at most this often.
const A_DAY: Duration = Duration::from_secs(24 * 3600);

#[derive(Debug)]
pub(super) struct FolderStore {
    pub folder: PathBuf,
    /// Values can be rebuilt, so nobody waits until they are on the disk.
    pub writer: Writer,
    /// Whether a build leaves anything there.
    pub writes: bool,
}

impl FolderStore {
    /// The folder itself is not created: one that is not mounted is reported.
    fn is_there(&self) -> Result<(), RemoteError> {
        if self.folder.is_dir() {
            return Ok(());
        }
        Err(RemoteError { why: format!("there is no folder {}", self.place()), lasting: true })
    }

    /// Records that a value was used, for whoever trims the store: many file systems do not record reads. Those who may
    /// not write there record nothing.
    fn note_use(&self, path: &Path) {
        let rested = || std::fs::metadata(path).ok()?.modified().ok()?.elapsed().ok();
        if self.writes && rested().is_some_and(|rested| rested >= A_DAY) {
            let _ = self.writer.disk.touch(path);
        }
    }
}

fn failed(path: &Path, error: &std::io::Error) -> RemoteError {
    let lasting = matches!(error.kind(), ErrorKind::PermissionDenied | ErrorKind::NotADirectory);
    RemoteError { why: format!("{}: {error}", format::path(path)), lasting }
}

impl Remote for FolderStore {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let path = self.folder.join(name);
        match self.writer.disk.read(&path, most) {
            Ok(bytes) => {
                self.note_use(&path);
                Ok(Some(bytes))
            }
            Err(error) if error.kind() == ErrorKind::NotFound => self.is_there().map(|()| None),
            Err(error) => Err(failed(&path, &error)),
        }
    }

    /// Complete or not at all, for anyone who reads meanwhile. An existing file was missing when it was asked for, or
    /// is not as it was shared: others write the same bytes under the same name.
    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError> {
        let path = self.folder.join(name);
        self.is_there()?;
        let put = || {
            let folder = path.parent().unwrap_or(&self.folder);
            self.writer.disk.create_folder(folder).map_err(|error| error.to_string())?;
            self.writer.prepare(&path, value).and_then(PendingFile::commit).map_err(|failure| failure.to_string())
        };
        put().map_err(|why| RemoteError { why, lasting: false })
    }

    fn has(&self, name: &str) -> Result<bool, RemoteError> {
        let there = self.folder.join(name).is_file();
        if there { Ok(true) } else { self.is_there().map(|()| false) }
    }

    fn list(&self, prefix: &str, each: &mut dyn FnMut(Listed)) -> Result<(), RemoteError> {
        self.is_there()?;
        let root = self.folder.join(prefix);
        for entry in WalkDir::new(&root).into_iter().filter(|_| root.exists()) {
            let failed = |error: walkdir::Error| RemoteError { why: error.to_string(), lasting: true };
            let entry = entry.map_err(failed)?;
            let name = entry.path().strip_prefix(&self.folder).ok().and_then(Path::to_str);
            let Some(name) = name.filter(|_| entry.file_type().is_file()) else { continue };
            // Somebody else has removed it meanwhile.
            let Ok(meta) = entry.metadata() else { continue };
            let used = meta.accessed().ok().max(meta.modified().ok()).unwrap_or(SystemTime::UNIX_EPOCH);
            let name = name.replace(std::path::MAIN_SEPARATOR, "/");
            each(Listed { name, bytes: meta.len(), used });
        }
        Ok(())
    }

    fn remove(&self, name: &str) -> Result<(), RemoteError> {
        let path = self.folder.join(name);
        match self.writer.disk.remove(&path) {
            Err(error) if error.kind() != ErrorKind::NotFound => Err(failed(&path, &error)),
            _ => Ok(()),
        }
    }

    fn place(&self) -> String {
        format::path(&self.folder)
    }
}
