//! Everything a build does with files, as an interface: tests put a disk there that fails, or that forgets what was not
//! synced.

use std::fmt::Debug;
use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::Path;
use std::time::SystemTime;

/// Writes a file's bytes.
pub type Fill<'f> = &'f mut dyn FnMut(&mut dyn Write) -> io::Result<()>;

/// A place for files.
pub trait Disk: Send + Sync + Debug {
    /// The bytes of a regular file of at most `limit` bytes, as [`read`](crate::read).
    ///
    /// # Errors
    /// As for [`read`](crate::read).
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>>;

    /// A regular file to read piece by piece, as [`open`](crate::open) does.
    ///
    /// # Errors
    /// As for [`open`](crate::open).
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read + Send>>;

    /// Opens a file that is to be locked, and creates it if it does not exist.
    ///
    /// # Errors
    /// The system's reason.
    fn open_lock(&self, path: &Path) -> io::Result<File>;

    /// Creates a folder with its parents; an existing one stays.
    ///
    /// # Errors
    /// The system's reason.
    fn create_folder(&self, path: &Path) -> io::Result<()>;

    /// Creates a new file. With `sync` it is on the disk when this returns, whatever happens then.
    ///
    /// # Errors
    /// The system's reason; [`io::ErrorKind::AlreadyExists`] if there is something with that name.
    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()>;

    /// Renames a file in one step, replacing anything that has the new name.
    ///
    /// # Errors
    /// The system's reason.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Removes a file.
    ///
    /// # Errors
    /// The system's reason.
    fn remove(&self, path: &Path) -> io::Result<()>;

    /// Marks a file as changed now, without changing it.
    ///
    /// # Errors
    /// The system's reason.
    fn touch(&self, path: &Path) -> io::Result<()>;

    /// Waits until the names in a folder are on the disk: renames and removals there are then permanent.
    ///
    /// # Errors
    /// The system's reason.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
}

/// The file system of this machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct SystemDisk;

impl Disk for SystemDisk {
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>> {
        crate::read(path, limit)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Read + Send>> {
        Ok(Box::new(crate::open(path)?))
    }

    fn open_lock(&self, path: &Path) -> io::Result<File> {
        File::options().create(true).truncate(false).write(true).open(path)
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        fs::create_dir_all(path)
    }

    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()> {
        let mut file = File::create_new(path)?;
        let written = fill(&mut file).and_then(|()| if sync { file.sync_all() } else { Ok(()) });
        if written.is_err() {
            // Its content is of no use to anybody.
            let _ = fs::remove_file(path);
        }
        written
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        fs::remove_file(path)
    }

    fn touch(&self, path: &Path) -> io::Result<()> {
        crate::regular(fs::metadata(path)?.file_type())?;
        File::options().append(true).open(path)?.set_modified(SystemTime::now())
    }

    #[cfg(unix)]
    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        use rustix::io::Errno;
        match File::open(path)?.sync_all() {
            // Some file systems, such as network ones, do not support it.
            Err(error) if Errno::from_io_error(&error) == Some(Errno::INVAL) => Ok(()),
            synced => synced,
        }
    }

    /// Folders cannot be opened here; the system writes their names by itself.
    #[cfg(not(unix))]
    fn sync_folder(&self, _: &Path) -> io::Result<()> {
        Ok(())
    }
}
