//! The contents of files by hash, read again only if the file system shows that they may have changed.

use crate::store::{self, Hash, Key, Nothing, Store};
use crate::write::Writer;
use std::fs::Metadata;
use std::io;
use std::path::Path;
use std::time::{Duration, SystemTime};
use zemtak_core::codec::Mark;
use zemtak_files::{Disk, FILE_BYTES, SystemDisk};

/// Changes whenever what is remembered of a file does.
const RECORD_VERSION: u32 = 1;

/// A file that changed less than this before it was read may change again within the same tick of its clock: some file
/// systems count in whole or even seconds.
const TICK: Duration = Duration::from_secs(2);

/// The same if the clock is evidently a fine one: system clocks tick at least every 10 ms.
const FINE_TICK: Duration = Duration::from_millis(40);

/// What the file system knows of a file: if this is the same, so is the content, unless the file is very young.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Stamp {
    length: u64,
    modified: u128,
    /// Change time, device and inode, if the system has them.
    changed: i128,
    device: u64,
    inode: u64,
}

impl Stamp {
    const BYTES: usize = 8 + 16 + 16 + 8 + 8;

    fn of(meta: &Metadata) -> Option<Self> {
        let modified = meta.modified().ok()?.duration_since(SystemTime::UNIX_EPOCH).ok()?.as_nanos();
        #[cfg(unix)]
        let (changed, device, inode) = {
            use std::os::unix::fs::MetadataExt;
            let changed = i128::from(meta.ctime()) * 1_000_000_000 + i128::from(meta.ctime_nsec());
            (changed, meta.dev(), meta.ino())
        };
        #[cfg(not(unix))]
        let (changed, device, inode) = (0, 0, 0);
        Some(Self { length: meta.len(), modified, changed, device, inode })
    }

    fn to_bytes(self) -> Vec<u8> {
        let Self { length, modified, changed, device, inode } = self;
        let parts: [&[u8]; 5] = [
            &length.to_le_bytes(),
            &modified.to_le_bytes(),
            &changed.to_le_bytes(),
            &device.to_le_bytes(),
            &inode.to_le_bytes(),
        ];
        parts.concat()
    }

    /// Whether the file had been left alone for a while before `now`.
    fn rested(self, now: SystemTime) -> bool {
        // The change time is the system's own; if it is a whole number of milliseconds, the clock is most likely
        // coarse.
        let fine = self.changed % 1_000_000 != 0;
        let tick = if fine { FINE_TICK } else { TICK };
        let Some(limit) = now.checked_sub(tick).and_then(|t| t.duration_since(SystemTime::UNIX_EPOCH).ok()) else {
            return false;
        };
        let limit = limit.as_nanos();
        self.modified < limit && u128::try_from(self.changed).unwrap_or(0) < limit
    }
}

/// A file's bytes and their hash.
#[derive(Debug)]
pub struct Content {
    /// The bytes.
    pub bytes: Vec<u8>,
    /// Their hash.
    pub hash: Hash,
}

impl Content {
    /// Whether it is a picture that a build or another command drew, and so never a sprite.
    #[must_use]
    pub fn is_result(&self) -> bool {
        Mark::of(&self.bytes).is_some_and(Mark::is_result)
    }
}

/// The result of looking at a file.
#[derive(Debug)]
pub enum Looked {
    /// The hash of its content, and whether that [is a result](Content::is_result), known from before.
    Known(Hash, bool),
    /// The content, because it had to be read.
    Read(Content),
}

/// Where files are, and what is known about them.
#[derive(Debug, Clone, Copy)]
pub struct Files<'a> {
    /// Where they are.
    pub disk: &'a dyn Disk,
    /// What earlier builds learnt.
    pub store: &'a dyn Store,
}

impl<'a> Files<'a> {
    /// The files that a build writes and has written, with what is known about them.
    pub fn of(writer: &'a Writer, store: &'a dyn Store) -> Self {
        Self { disk: &*writer.disk, store }
    }
}

impl Files<'static> {
    /// The files of this machine, without any knowledge of them.
    pub const UNKNOWN: Self = Self { disk: &SystemDisk, store: &Nothing };
}

/// Looks at a file. Reads it only if it may have changed since its content was last learnt.
///
/// # Errors
/// It cannot be read.
pub fn look(path: &Path, files: Files<'_>) -> io::Result<Looked> {
    let stamp = Stamp::of(&std::fs::metadata(path)?);
    match stamp.and_then(|stamp| known(&files.store.get(&key(path)?)?, stamp)) {
        Some((hash, is_result)) => Ok(Looked::Known(hash, is_result)),
        None => read(path, files).map(Looked::Read),
    }
}

/// The hash of a file's content.
///
/// # Errors
/// It cannot be read.
pub fn hash(path: &Path, files: Files<'_>) -> io::Result<Hash> {
    look(path, files).map(|looked| match looked {
        Looked::Known(hash, _) | Looked::Read(Content { hash, .. }) => hash,
    })
}

/// Reads a file, and remembers its hash.
///
/// # Errors
/// It cannot be read, or is too large.
pub fn read(path: &Path, files: Files<'_>) -> io::Result<Content> {
    let now = SystemTime::now();
    // Taken before reading: any write in the meantime changes the stamp.
    let meta = std::fs::metadata(path)?;
    let bytes = files.disk.read(path, FILE_BYTES)?;
    let content = Content { hash: store::hash_by_all(&bytes), bytes };
    if let (Some(stamp), Some(key)) = (Stamp::of(&meta).filter(|s| s.rested(now)), key(path)) {
        let mut value = stamp.to_bytes();
        value.extend_from_slice(&content.hash);
        value.push(u8::from(content.is_result()));
        files.store.put(key, value);
    }
    Ok(content)
}

fn key(path: &Path) -> Option<Hash> {
    let path = std::path::absolute(path).ok()?;
    Some(Key::new("file", &[RECORD_VERSION]).bytes(path.as_os_str().as_encoded_bytes()).finish())
}

fn known(value: &[u8], stamp: Stamp) -> Option<(Hash, bool)> {
    let (there, rest) = value.split_at_checked(Stamp::BYTES)?;
    let (hash, is_result) = rest.split_first_chunk::<32>()?;
    (there == stamp.to_bytes()).then_some((*hash, is_result == [1]))
}

#[cfg(test)]
mod tests {
    use super::*;

    const NOW: u64 = 1_800_000_000_123;

    /// A file that was written and changed so many milliseconds and nanoseconds before now.
    fn stamp(modified: u64, changed: u64, fine: u32) -> Stamp {
        let at = |ago: u64| u128::from(NOW - ago) * 1_000_000;
        let changed = i128::try_from(at(changed)).unwrap() + i128::from(fine);
        Stamp { length: 7, modified: at(modified), changed, device: 3, inode: 5 }
    }

    /// Whoever writes twice within a tick of the clock leaves a stamp that does not tell: then the file is read again.
    #[test]
    fn a_file_is_trusted_once_it_was_left_alone_for_a_tick() {
        let now = SystemTime::UNIX_EPOCH + Duration::from_millis(NOW);
        let rested = |modified, changed, fine| stamp(modified, changed, fine).rested(now);
        assert!(rested(3000, 2001, 0) && !rested(3000, 2000, 0), "a coarse clock");
        assert!(rested(3000, 41, 1) && !rested(3000, 40, 1), "a fine one");
        assert!(!rested(41, 30, 1), "it was renamed or its times were set");
        assert!(!rested(30, 41, 1), "it was written");
        assert!(!stamp(3000, 3000, 1).rested(SystemTime::UNIX_EPOCH), "the clock stands still");
    }

    #[test]
    fn only_the_same_stamp_knows_the_content() {
        let of = stamp(3000, 2000, 1);
        let record = [of.to_bytes(), vec![9; 32], vec![1]].concat();
        assert_eq!(known(&record, of), Some(([9; 32], true)));
        let others = [
            Stamp { length: 8, ..of },
            Stamp { modified: of.modified + 1, ..of },
            Stamp { changed: of.changed + 1, ..of },
            Stamp { device: 4, ..of },
            Stamp { inode: 6, ..of },
        ];
        assert!(others.iter().all(|other| known(&record, *other).is_none()));
        assert_eq!(known(&record[..Stamp::BYTES + 31], of), None);
    }
}
