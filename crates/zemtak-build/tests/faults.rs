//! A disk that fails, and a machine that loses its power, at every single step of a build: after each the results are usable, nobody
//! says that all is well when it is not, and the next build mends everything.

#![allow(
    missing_docs,
    clippy::panic,
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    reason = "a test may fail loudly"
)]

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tempfile::TempDir;
use zemtak_build::{Failure, PackRequest, Packed};
use zemtak_core::atlas::{Atlas, parse};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_files::{Disk, Fill, SystemDisk};

/// Files by name.
type Files = BTreeMap<String, Vec<u8>>;

fn sprite(seed: u8) -> Vec<u8> {
    let size = Size::new(6 + u32::from(seed % 5), 7);
    let pixel = |at: u32| [seed.wrapping_mul(37), (at * 5) as u8, seed, 255];
    let pixels = (0..size.w * size.h).flat_map(pixel).collect();
    encode_png(&Pixels::from_rgba(size, pixels).unwrap(), PngEffort::Fast).unwrap()
}

/// Three atlases, two of them with another size, at the first or the second state of their art.
fn write_game(game: &Path, names: &str, second: bool) {
    let project = format!(
        "format = 1\n[defaults]\nnames = \"{names}\"\n[atlas.day]\nroot = \"day\"\nalso = [\"csv\"]\n\
         sizes = [{{ suffix = \"-half\", factor = 0.5 }}]\n[atlas.night]\nroot = \"night\"\n\
         sizes = [{{ suffix = \"-half\", factor = 0.5 }}]\n[atlas.menu]\nroot = \"menu\"\nalso = [\"template:names.txt.jinja\"]\n"
    );
    fs::write(game.join("zemtak.toml"), project).unwrap();
    fs::write(game.join("names.txt.jinja"), "{{ name }}\n").unwrap();
    for (atlas, base) in [("day", 1), ("night", 20), ("menu", 40)] {
        fs::create_dir_all(game.join(atlas)).unwrap();
        for n in 0..3_u8 {
            let changed = second && n == 1 && atlas != "menu";
            fs::write(game.join(format!("{atlas}/s{n}.png")), sprite(base + n + if changed { 9 } else { 0 })).unwrap();
        }
    }
    if second {
        fs::write(game.join("menu/more.png"), sprite(77)).unwrap();
    }
}

/// The disk of this machine, without waiting until anything is really there: that would take most of the time, and here
/// it is known what was waited for.
fn written(path: &Path, fill: Fill<'_>) -> io::Result<()> {
    SystemDisk.write(path, false, fill)
}

fn folder_synced(path: &Path) -> io::Result<()> {
    fs::metadata(path).map(drop)
}

/// Builds on one thread, so that a step is the same one each time.
fn pack(game: &Path, disk: Arc<dyn Disk>) -> Result<Packed, Failure> {
    pack_by(1, game, disk)
}

fn pack_by(threads: usize, game: &Path, disk: Arc<dyn Disk>) -> Result<Packed, Failure> {
    let request = PackRequest::of_project(game.join("zemtak.toml")).out(game.join("out"));
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    pool.install(|| request.run_on(disk, &()))
}

/// The files of a folder; those that begin with a point are the build's own.
fn files(folder: &Path, own: bool) -> Files {
    let entries =
        fs::read_dir(folder).into_iter().flatten().map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let wanted = entries.filter(|name| own || !name.starts_with('.'));
    wanted.map(|name| (name.clone(), fs::read(folder.join(name)).unwrap())).collect()
}

fn put(folder: &Path, files: &Files) {
    let _ = fs::remove_dir_all(folder);
    fs::create_dir_all(folder).unwrap();
    files.iter().for_each(|(name, bytes)| fs::write(folder.join(name), bytes).unwrap());
}

/// A game whose first state was built and whose second is to be.
struct Game {
    folder: TempDir,
    names: &'static str,
    /// The results of the first state with what the build keeps for itself, and those of the second.
    first: Files,
    second: Files,
}

impl Game {
    fn new(names: &'static str) -> Self {
        let (folder, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        write_game(folder.path(), names, false);
        pack(folder.path(), FaultyDisk::without_fault()).unwrap();
        let first = files(&folder.path().join("out"), true);
        write_game(folder.path(), names, true);
        write_game(other.path(), names, true);
        pack(other.path(), FaultyDisk::without_fault()).unwrap();
        let second = files(&other.path().join("out"), false);
        assert!(first.len() > 10 && second.iter().any(|(name, bytes)| first.get(name) != Some(bytes)));
        Self { folder, names, first, second }
    }

    fn out(&self) -> PathBuf {
        self.folder.path().join("out")
    }

    /// Builds the second state where the first is in place, on another disk.
    fn build(&self, disk: Arc<dyn Disk>) -> Result<Packed, Failure> {
        put(&self.out(), &self.first);
        pack(self.folder.path(), disk)
    }

    /// Holds that whatever happened, a game can go on with what is there, and the next build mends all.
    fn check(&self, what: &str) {
        let there = files(&self.out(), false);
        for (name, bytes) in &there {
            let known = [self.first.get(name), self.second.get(name)];
            assert!(known.contains(&Some(bytes)), "{what}: {name} is neither the old nor the new one");
        }
        for name in self.second.keys().filter(|name| name.ends_with(".zemtak.json")) {
            let Some(text) = there.get(name) else {
                assert!(!self.first.contains_key(name), "{what}: {name} is gone");
                continue;
            };
            let atlas: Atlas = parse(std::str::from_utf8(text).unwrap()).unwrap().atlas;
            for page in &atlas.pages {
                let hash = |bytes: &Vec<u8>| format!("blake3:{}", blake3::hash(bytes).to_hex());
                let whole = there.get(&page.file).is_some_and(|bytes| hash(bytes) == page.hash);
                // With plain names a page may be of another build, which its hash tells.
                assert!(whole || self.names == "plain", "{what}: {name} has no {}", page.file);
            }
        }
        pack(self.folder.path(), FaultyDisk::without_fault()).unwrap_or_else(|failure| panic!("{what}: {failure}"));
        assert!(files(&self.out(), false) == self.second, "{what}: the next build does not mend it");
        let left = files(&self.out(), true).into_keys().find(|name| name.ends_with(".part"));
        assert_eq!(left, None, "{what}");
    }
}

/// What goes wrong at a step.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Fault {
    Full,
    Denied,
    NoHandles,
    /// A read gives half of the file, a write comes to half of it and then fails.
    Half,
    /// The folder for results is gone.
    FolderGone,
    /// It works, but so late that all other threads have gone on.
    Late,
}

impl Fault {
    fn error(self) -> io::Error {
        match self {
            Self::Full | Self::Half => io::ErrorKind::StorageFull.into(),
            Self::Denied => io::ErrorKind::PermissionDenied.into(),
            // EMFILE
            Self::NoHandles => io::Error::from_raw_os_error(24),
            Self::FolderGone | Self::Late => io::ErrorKind::NotFound.into(),
        }
    }
}

/// A disk that fails at one step.
#[derive(Debug)]
struct FaultyDisk {
    out: PathBuf,
    at: usize,
    fault: Fault,
    steps: AtomicUsize,
}

impl FaultyDisk {
    fn new(game: &Game, at: usize, fault: Fault) -> Arc<Self> {
        Arc::new(Self { out: game.out(), at, fault, steps: AtomicUsize::new(0) })
    }

    /// One on which all goes well.
    fn without_fault() -> Arc<Self> {
        Arc::new(Self { out: PathBuf::new(), at: usize::MAX, fault: Fault::Late, steps: AtomicUsize::new(0) })
    }

    /// Whether this is the step.
    fn now(&self) -> bool {
        self.steps.fetch_add(1, Ordering::SeqCst) == self.at
    }

    fn step<T>(&self, work: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        match self.fault {
            _ if !self.now() => {}
            // The system itself says so.
            Fault::FolderGone => _ = fs::remove_dir_all(&self.out),
            Fault::Late => std::thread::sleep(Duration::from_millis(5)),
            fault => return Err(fault.error()),
        }
        work()
    }
}

impl Disk for FaultyDisk {
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>> {
        if self.fault == Fault::Half && self.now() {
            return SystemDisk.read(path, limit).map(|bytes| bytes[..bytes.len() / 2].to_vec());
        }
        self.step(|| SystemDisk.read(path, limit))
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Read + Send>> {
        if self.fault == Fault::Half && self.now() {
            return Ok(Box::new(SystemDisk.open(path)?.take(fs::metadata(path)?.len() / 2)));
        }
        self.step(|| SystemDisk.open(path))
    }

    fn open_lock(&self, path: &Path) -> io::Result<File> {
        self.step(|| SystemDisk.open_lock(path))
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|| SystemDisk.create_folder(path))
    }

    fn write(&self, path: &Path, _: bool, fill: Fill<'_>) -> io::Result<()> {
        if self.fault == Fault::Half && self.now() {
            let mut bytes = Vec::new();
            fill(&mut bytes)?;
            fs::write(path, &bytes[..bytes.len() / 2])?;
            return Err(self.fault.error());
        }
        self.step(|| written(path, fill))
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.step(|| SystemDisk.rename(from, to))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.step(|| SystemDisk.remove(path))
    }

    fn touch(&self, path: &Path) -> io::Result<()> {
        self.step(|| SystemDisk.touch(path))
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|| folder_synced(path))
    }
}

#[test]
fn whatever_fails_at_any_step_nothing_is_lost_with_hashed_names() {
    fails_at_any_step("hashed");
}

#[test]
fn whatever_fails_at_any_step_nothing_is_lost_with_plain_names() {
    fails_at_any_step("plain");
}

/// Each failure is told or does no harm, and the next build mends everything.
fn fails_at_any_step(names: &'static str) {
    let game = Game::new(names);
    let without = FaultyDisk::without_fault();
    game.build(without.clone()).unwrap();
    let steps = without.steps.load(Ordering::SeqCst);
    assert!(steps > 40, "{steps}");
    let mut failed = 0;
    for at in 0..steps {
        for fault in [Fault::Full, Fault::Denied, Fault::NoHandles, Fault::Half, Fault::FolderGone] {
            // The first two differ in words alone.
            if fault == Fault::Denied && at % 3 > 0 {
                continue;
            }
            let what = format!("{names}, {fault:?} at step {at} of {steps}");
            match game.build(FaultyDisk::new(&game, at, fault)) {
                Ok(_) => {
                    let there = files(&game.out(), false);
                    let well = game.second.iter().all(|(name, bytes)| there.get(name) == Some(bytes));
                    assert!(well, "{what}: all was said to be well");
                }
                Err(_) => failed += 1,
            }
            // What is gone altogether was not the build's doing.
            if fault != Fault::FolderGone {
                game.check(&what);
            }
        }
    }
    assert!(failed > steps, "{failed} of {steps}");
}

#[test]
fn a_disk_that_is_late_at_any_step_changes_nothing_with_hashed_names() {
    late_at_any_step("hashed");
}

#[test]
fn a_disk_that_is_late_at_any_step_changes_nothing_with_plain_names() {
    late_at_any_step("plain");
}

fn late_at_any_step(names: &'static str) {
    let game = Game::new(names);
    for at in 0.. {
        let disk = FaultyDisk::new(&game, at, Fault::Late);
        put(&game.out(), &game.first);
        let what = format!("{names}, late at step {at}");
        pack_by(3, game.folder.path(), disk.clone()).unwrap_or_else(|failure| panic!("{what}: {failure}"));
        assert!(files(&game.out(), false) == game.second, "{what}");
        if disk.steps.load(Ordering::SeqCst) <= at {
            assert!(at > 40, "{at}");
            break;
        }
    }
}

/// What happened to the names in a folder and is not sure to be on the disk.
#[derive(Debug, Clone)]
enum Change {
    /// The file's bytes as they would be read after a loss of power.
    Create(String, Vec<u8>),
    Rename(String, String),
    Remove(String),
}

#[derive(Debug, Default)]
struct Surface {
    /// What is on the disk.
    sure: Files,
    changes: Vec<Change>,
    /// What each file would hold, by the name that it has now.
    bytes: Files,
    steps: usize,
}

/// A disk that loses its power before a step, and with it what was not synced.
#[derive(Debug)]
struct ForgetfulDisk {
    at: usize,
    surface: Mutex<Surface>,
}

fn name(path: &Path) -> String {
    path.file_name().unwrap().to_str().unwrap().to_owned()
}

impl ForgetfulDisk {
    fn step<T>(&self, work: impl FnOnce(&mut Surface) -> io::Result<T>) -> io::Result<T> {
        let mut surface = self.surface.lock().unwrap();
        surface.steps += 1;
        if surface.steps > self.at { Err(io::Error::other("no power")) } else { work(&mut surface) }
    }
}

impl Disk for ForgetfulDisk {
    fn read(&self, path: &Path, limit: u64) -> io::Result<Vec<u8>> {
        SystemDisk.read(path, limit)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Read + Send>> {
        SystemDisk.open(path)
    }

    fn open_lock(&self, path: &Path) -> io::Result<File> {
        SystemDisk.open_lock(path)
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        SystemDisk.create_folder(path)
    }

    fn write(&self, path: &Path, sync: bool, fill: Fill<'_>) -> io::Result<()> {
        self.step(|surface| {
            written(path, fill)?;
            let bytes = if sync { fs::read(path)? } else { Vec::new() };
            surface.bytes.insert(name(path), bytes.clone());
            surface.changes.push(Change::Create(name(path), bytes));
            Ok(())
        })
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.step(|surface| {
            SystemDisk.rename(from, to)?;
            surface.changes.push(Change::Rename(name(from), name(to)));
            Ok(())
        })
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.step(|surface| {
            SystemDisk.remove(path)?;
            surface.changes.push(Change::Remove(name(path)));
            Ok(())
        })
    }

    fn touch(&self, path: &Path) -> io::Result<()> {
        SystemDisk.touch(path)
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|surface| {
            folder_synced(path)?;
            let changes = std::mem::take(&mut surface.changes);
            changes.iter().for_each(|change| apply(&mut surface.sure, change, &surface.bytes));
            Ok(())
        })
    }
}

fn apply(files: &mut Files, change: &Change, bytes: &Files) {
    match change {
        Change::Create(name, bytes) => _ = files.insert(name.clone(), bytes.clone()),
        // The file may have got its name on the disk before the one that it was made with.
        Change::Rename(from, to) => {
            let moved = files.remove(from).or_else(|| bytes.get(from).cloned());
            files.extend(moved.map(|bytes| (to.clone(), bytes)));
        }
        Change::Remove(name) => _ = files.remove(name),
    }
}

#[test]
fn a_loss_of_power_at_any_step_leaves_whole_files() {
    for names in ["hashed", "plain"] {
        let game = Game::new(names);
        let disk = |at| {
            let surface = Surface { sure: game.first.clone(), ..Surface::default() };
            Arc::new(ForgetfulDisk { at, surface: Mutex::new(surface) })
        };
        let without = disk(usize::MAX);
        game.build(without.clone()).unwrap();
        let steps = without.surface.lock().unwrap().steps;
        let mut seen = 0;
        for at in 0..=steps {
            let disk = disk(at);
            let built = game.build(disk.clone());
            let Surface { sure, changes, bytes, .. } = std::mem::take(&mut *disk.surface.lock().unwrap());
            // What was changed since comes to the disk as far as some change, or but for one of them.
            let mut lost: Vec<Vec<Change>> = (0..=changes.len()).map(|some| changes[..some].to_vec()).collect();
            lost.extend((0..changes.len()).map(|left_out| {
                let rest = changes.iter().enumerate().filter(|(at, _)| *at != left_out);
                rest.map(|(_, change)| change.clone()).collect()
            }));
            for (number, changes) in lost.iter().enumerate() {
                let mut after = sure.clone();
                changes.iter().for_each(|change| apply(&mut after, change, &bytes));
                put(&game.out(), &after);
                let what = format!("{names}, no power after step {at} of {steps}, {number}");
                if built.is_ok() {
                    let of_atlases = |files: Files| -> Files {
                        files.into_iter().filter(|(name, _)| game.second.contains_key(name)).collect()
                    };
                    assert!(of_atlases(after) == game.second, "{what}: what was said to be done is not");
                }
                game.check(&what);
                seen += 1;
            }
        }
        assert!(seen > 100, "{seen}");
    }
}
