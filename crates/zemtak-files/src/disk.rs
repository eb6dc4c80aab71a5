//! What a build does with files, as a seam: tests put a disk there that fails, or that forgets what was not synced.

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
    /// As there.
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>>;

    /// A regular file to be read bit by bit, as [`open`](crate::open).
    ///
    /// # Errors
    /// As there.
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>>;

    /// Opens a file that is to be locked, and makes it if it is not there.
    ///
    /// # Errors
    /// As the system says.
    fn open_lock(&self, path: &Path) -> io::Result<File>;

    /// Makes a folder and those above it; one that is there already stays.
    ///
    /// # Errors
    /// As the system says.
    fn create_folder(&self, path: &Path) -> io::Result<()>;

    /// Makes a new file. With `sync` it is on the disk when this comes back, whatever happens then.
    ///
    /// # Errors
    /// As the system says; [`io::ErrorKind::AlreadyExists`] if there is something of that name.
    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()>;

    /// Gives a file another name in one step; what had that name is replaced.
    ///
    /// # Errors
    /// As the system says.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Removes a file.
    ///
    /// # Errors
    /// As the system says.
    fn remove(&self, path: &Path) -> io::Result<()>;

    /// Says of a file that it was changed now, without changing it.
    ///
    /// # Errors
    /// As the system says.
    fn touch(&self, path: &Path) -> io::Result<()>;

    /// Has the names in a folder on the disk when it comes back: what was renamed and removed there stays so.
    ///
    /// # Errors
    /// As the system says.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
}

/// The file system of this machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct SystemDisk;

impl Disk for SystemDisk {
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>> {
        crate::read(path, limit)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        Ok(Box::new(crate::open(path)?))
    }

    fn open_lock(&self, path: &Path) -> io::Result<File> {
        File::options().create(true).append(true).open(path)
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        fs::create_dir_all(path)
    }

    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()> {
        let mut file = File::create_new(path)?;
        let written = fill(&mut file).and_then(|()| if sync { file.sync_all() } else { Ok(()) });
        if written.is_err() {
            // What it holds is of no use to anybody.
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
            // Some file systems, such as those of networks, have no such thing.
            Err(error) if Errno::from_io_error(&error) == Some(Errno::INVAL) => Ok(()),
            synced => synced,
        }
    }

    /// Folders cannot be opened here; the system writes their names down by itself.
    #[cfg(not(unix))]
    fn sync_folder(&self, _: &Path) -> io::Result<()> {
        Ok(())
    }
}
