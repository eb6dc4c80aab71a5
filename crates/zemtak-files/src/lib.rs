//! Untrusted files: read completely, within a limit, and without ever blocking.
//!
//! A named pipe in place of a file blocks whoever opens it forever, and a device such as `/dev/zero` never ends. So a
//! path is examined before it is opened, only regular files are opened, and no more is read than was asked for,
//! whatever length the file system reports.
//!
//! ```
//! let folder = tempfile::tempdir()?;
//! let path = folder.path().join("list.txt");
//! std::fs::write(&path, "moth\n")?;
//! assert_eq!(zemtak_files::read_text(&path, 100)?, "moth\n");
//! assert_eq!(zemtak_files::read(&path, 4).unwrap_err().to_string(), "5 bytes are over the limit of 4");
//! assert_eq!(zemtak_files::read(folder.path(), 4).unwrap_err().to_string(), "a folder, not a regular file");
//! # Ok::<(), std::io::Error>(())
//! ```

mod disk;

pub use disk::{Disk, Fill, SystemDisk};

use std::fs::{self, File, FileType};
use std::io::{self, Error, ErrorKind, Read};
use std::path::Path;

/// The largest text that a person writes, such as a project file: 64 MiB.
pub const TEXT_BYTES: u64 = 64 << 20;

/// The largest picture, or other file that a program writes: 1 GiB.
pub const FILE_BYTES: u64 = 1 << 30;

/// The path does not lead to a regular file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NotRegular(&'static str);

impl std::error::Error for NotRegular {}

impl std::fmt::Display for NotRegular {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}, not a regular file", self.0)
    }
}

impl NotRegular {
    /// Whether an error of this crate means that.
    #[must_use]
    pub fn is(error: &Error) -> bool {
        error.get_ref().and_then(|error| error.downcast_ref::<Self>()).is_some()
    }
}

/// A file is larger than allowed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TooLarge {
    /// Its bytes: at least this many, if it grew while it was read.
    pub bytes: u64,
    /// The limit.
    pub limit: u64,
}

impl std::error::Error for TooLarge {}

impl std::fmt::Display for TooLarge {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { bytes, limit } = self;
        write!(f, "{bytes} bytes are over the limit of {limit}")
    }
}

impl From<TooLarge> for Error {
    fn from(error: TooLarge) -> Self {
        Self::new(ErrorKind::FileTooLarge, error)
    }
}

impl TooLarge {
    /// The sizes in an error of this crate, if it is about that.
    #[must_use]
    pub fn of(error: &Error) -> Option<Self> {
        error.get_ref()?.downcast_ref().copied()
    }
}

/// Opens a regular file for reading. Follows links.
///
/// # Errors
/// The system's reason; or it is not a regular file, and the error says what it is.
pub fn open(path: &Path) -> io::Result<File> {
    // Opening may block already, so the type is checked first.
    regular(fs::metadata(path)?.file_type())?;
    let file = File::open(path)?;
    regular(file.metadata()?.file_type())?;
    Ok(file)
}

/// The bytes of a regular file of at most `limit` bytes.
///
/// # Errors
/// As for [`open`]; or it is too large: [`TooLarge::of`].
pub fn read(path: &Path, limit: u64) -> io::Result<Vec<u8>> {
    let file = open(path)?;
    let length = file.metadata()?.len();
    if length > limit {
        return Err(TooLarge { bytes: length, limit }.into());
    }
    read_from(file, length, limit)
}

/// The text of a regular file of at most `limit` bytes.
///
/// # Errors
/// As for [`read`]; or it is not UTF-8.
pub fn read_text(path: &Path, limit: u64) -> io::Result<String> {
    text(read(path, limit)?)
}

/// All of a stream of at most `limit` bytes, such as standard input.
///
/// # Errors
/// The system's reason; or it is too large.
pub fn read_all(from: impl Read, limit: u64) -> io::Result<Vec<u8>> {
    read_from(from, 0, limit)
}

/// The text of a stream of at most `limit` bytes.
///
/// # Errors
/// As for [`read_all`]; or it is not UTF-8.
pub fn read_all_text(from: impl Read, limit: u64) -> io::Result<String> {
    text(read_all(from, limit)?)
}

fn read_from(from: impl Read, about: u64, limit: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    // The length is only what the file system claims, so that much memory may not be available.
    bytes.try_reserve(usize::try_from(about.min(limit)).unwrap_or(0)).map_err(Error::other)?;
    // It may have grown since its type was checked.
    from.take(limit.saturating_add(1)).read_to_end(&mut bytes)?;
    let read = bytes.len() as u64;
    if read > limit { Err(TooLarge { bytes: read, limit }.into()) } else { Ok(bytes) }
}

/// Bytes as text.
///
/// # Errors
/// They are not UTF-8.
pub fn text(bytes: Vec<u8>) -> io::Result<String> {
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Error::new(ErrorKind::InvalidData, format!("not UTF-8 text, from byte {at} on"))
    })
}

fn regular(kind: FileType) -> io::Result<()> {
    if kind.is_file() {
        return Ok(());
    }
    let error = if kind.is_dir() { ErrorKind::IsADirectory } else { ErrorKind::InvalidInput };
    Err(Error::new(error, NotRegular(what_it_is(kind))))
}

#[cfg(unix)]
fn what_it_is(kind: FileType) -> &'static str {
    use std::os::unix::fs::FileTypeExt;
    match () {
        () if kind.is_dir() => "a folder",
        () if kind.is_fifo() => "a named pipe",
        () if kind.is_socket() => "a socket",
        () => "a device",
    }
}

#[cfg(not(unix))]
fn what_it_is(kind: FileType) -> &'static str {
    if kind.is_dir() { "a folder" } else { "something else" }
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    #[test]
    fn nothing_but_a_regular_file_is_opened() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        rustix::fs::mknodat(rustix::fs::CWD, at("pipe"), rustix::fs::FileType::Fifo, 0o600.into(), 0).unwrap();
        let _socket = std::os::unix::net::UnixListener::bind(at("socket")).unwrap();
        fs::write(at("file"), "moth").unwrap();
        for (link, to) in [("there", "file"), ("to-pipe", "pipe"), ("dangling", "nothing"), ("round", "round")] {
            symlink(at(to), at(link)).unwrap();
        }
        let said = |path: &Path| read(path, 10).map_err(|error| error.to_string());
        assert_eq!(said(&at("there")).unwrap(), b"moth");
        for (name, why) in
            [("pipe", "a named pipe"), ("to-pipe", "a named pipe"), ("socket", "a socket"), (".", "a folder")]
        {
            assert!(said(&at(name)).unwrap_err().starts_with(why), "{name}");
        }
        assert!(said(Path::new("/dev/zero")).unwrap_err().starts_with("a device"));
        assert!(said(&at("dangling")).is_err() && said(&at("round")).is_err() && said(&at("nothing")).is_err());
    }

    /// A file system with virtual files reports a length of 0.
    #[test]
    fn no_more_is_read_than_was_asked_for() {
        let known = Path::new("/proc/self/status");
        if known.exists() {
            assert!(read(known, 1 << 20).unwrap().len() > 100);
            let error = read(known, 10).unwrap_err();
            assert_eq!((error.kind(), TooLarge::of(&error).unwrap().bytes), (ErrorKind::FileTooLarge, 11));
        }
        assert!(TooLarge::of(&read_all(io::repeat(b'x'), 5).unwrap_err()).is_some());
        assert_eq!(read_all(&b"moths"[..], 5).unwrap(), b"moths");
        let not_text = read_all_text(&b"mo\xff"[..], 5).unwrap_err();
        assert_eq!(not_text.to_string(), "not UTF-8 text, from byte 2 on");
    }
}
