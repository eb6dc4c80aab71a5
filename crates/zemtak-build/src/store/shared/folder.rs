//! A shared store that is a folder, such as one on a network file system.

use super::{Remote, RemoteError};
use crate::format;
use crate::write::{PendingFile, Writer};
use std::io::ErrorKind;
use std::path::PathBuf;

#[derive(Debug)]
pub(super) struct FolderStore {
    pub folder: PathBuf,
    /// Values can be made anew, so nobody waits until they are on the disk.
    pub writer: Writer,
}

impl FolderStore {
    /// The folder itself is not made: one that is not mounted is told.
    fn is_there(&self) -> Result<(), RemoteError> {
        if self.folder.is_dir() {
            return Ok(());
        }
        Err(RemoteError { why: format!("there is no folder {}", self.place()), lasting: true })
    }
}

impl Remote for FolderStore {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let path = self.folder.join(name);
        match self.writer.disk.read(&path, most) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(error) if error.kind() == ErrorKind::NotFound => self.is_there().map(|()| None),
            Err(error) => {
                let lasting = matches!(error.kind(), ErrorKind::PermissionDenied | ErrorKind::NotADirectory);
                Err(RemoteError { why: format!("{}: {error}", format::path(&path)), lasting })
            }
        }
    }

    /// Whole or not at all, for whoever reads meanwhile. What is there already was missing when it was asked for, or not as it was
    /// shared: others write the same bytes under the same name.
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

    fn place(&self) -> String {
        format::path(&self.folder)
    }
}
