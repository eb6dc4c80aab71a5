//! A build reads the images that changed since the last one, and no other.

#![cfg(unix)]
#![allow(missing_docs, clippy::unwrap_used, reason = "a test may fail loudly")]

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{self, Read};
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use zemtak_build::PackRequest;
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_files::{Disk, Fill, SystemDisk};

/// This machine's disk, which notes the names of all files that are read.
#[derive(Debug, Default)]
struct Noting(Mutex<BTreeSet<String>>);

impl Noting {
    fn note(&self, path: &Path) {
        self.0.lock().unwrap().insert(path.file_name().unwrap().to_string_lossy().into_owned());
    }
}

impl Disk for Noting {
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>> {
        self.note(path);
        SystemDisk.read(path, limit)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Read + Send>> {
        self.note(path);
        SystemDisk.open(path)
    }

    fn open_lock(&self, path: &Path) -> io::Result<File> {
        SystemDisk.open_lock(path)
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        SystemDisk.create_folder(path)
    }

    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()> {
        SystemDisk.write(path, sync, fill)
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        SystemDisk.rename(from, to)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        SystemDisk.remove(path)
    }

    fn touch(&self, path: &Path) -> io::Result<()> {
        SystemDisk.touch(path)
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        SystemDisk.sync_folder(path)
    }
}

/// Writes an image, and waits until a later change of it could be told by its time.
fn write(path: &Path, grey: u8) {
    let pixels = Pixels::from_rgba(Size::new(9, 7), [grey, grey, grey, 255].repeat(63)).unwrap();
    fs::write(path, encode_png(&pixels, PngEffort::Fast).unwrap()).unwrap();
    let coarse = fs::metadata(path).unwrap().ctime_nsec() % 1_000_000 == 0;
    std::thread::sleep(Duration::from_millis(if coarse { 2100 } else { 100 }));
}

#[test]
fn only_images_that_changed_are_read() {
    let game = tempfile::tempdir().unwrap();
    let art = game.path().join("art");
    fs::create_dir(&art).unwrap();
    ["lamp.png", "moth.png", "reed.png"].iter().zip(1..).for_each(|(name, grey)| write(&art.join(name), grey));
    let read = || {
        let disk = Arc::new(Noting::default());
        PackRequest::of_paths([&art]).out(game.path().join("out")).name("night").run_on(disk.clone(), &()).unwrap();
        let read = disk.0.lock().unwrap();
        ["lamp.png", "moth.png", "reed.png"].into_iter().filter(|name| read.contains(*name)).collect::<Vec<_>>()
    };
    assert_eq!(read(), ["lamp.png", "moth.png", "reed.png"]);
    assert_eq!(read(), [""; 0]);
    write(&art.join("moth.png"), 90);
    assert_eq!(read(), ["moth.png"]);
    assert_eq!(read(), [""; 0]);
    // Its time says that it may have changed; it is read once more, and all else is as it was.
    File::options().write(true).open(art.join("reed.png")).unwrap().set_modified(std::time::UNIX_EPOCH).unwrap();
    std::thread::sleep(Duration::from_millis(100));
    assert_eq!(read(), ["reed.png"]);
    assert_eq!(read(), [""; 0]);
}
