//! How textures come to the device: small ones together, large ones in strips, and what was asked for first before the rest.

use crate::world::{Game, PAGE};
use std::collections::BTreeMap;
use std::sync::{Arc, Condvar, Mutex};
use std::time::Duration;
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{
    Cache, Files, Lease, MemoryFiles, MemorySink, NewTexture, PerFrame, Pixels, Rows, Settings, Sink, SinkError, Stamp,
    Status, Texture,
};

fn png(size: Size, rgba: [u8; 4]) -> Vec<u8> {
    let pixels = Pixels::from_rgba(size, rgba.repeat((size.w * size.h) as usize)).unwrap();
    encode_png(&pixels, PngEffort::Fast).unwrap()
}

/// A sink that fills large textures row by row, and looks at every row that it is given.
#[derive(Default)]
struct Striped {
    made: u64,
    whole: usize,
    /// The rows of each texture so far, level by level, and the most bytes that came in a frame.
    rows: BTreeMap<u64, Vec<Vec<u8>>>,
    in_frame: usize,
    fail_at: Option<usize>,
    dropped: Vec<u64>,
}

impl Sink for Striped {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        (self.made, self.whole) = (self.made + 1, self.whole + 1);
        self.in_frame += new.levels[0].bytes.len();
        Ok(Texture(self.made))
    }

    fn make_empty(&mut self, new: &NewTexture<'_>) -> Option<Result<Texture, SinkError>> {
        self.made += 1;
        self.rows.insert(self.made, new.levels.iter().map(|_| Vec::new()).collect());
        Some(Ok(Texture(self.made)))
    }

    fn write_rows(&mut self, texture: Texture, rows: &Rows<'_>) -> Result<(), SinkError> {
        let level = &mut self.rows.get_mut(&texture.0).unwrap()[rows.level as usize];
        let row_bytes = rows.width as usize * 4;
        assert_eq!((level.len(), rows.bytes.len()), (rows.first as usize * row_bytes, rows.rows as usize * row_bytes));
        if self.fail_at.is_some_and(|at| level.len() >= at) {
            return Err(SinkError::Other("the device was lost".into()));
        }
        level.extend_from_slice(rows.bytes);
        self.in_frame += rows.bytes.len();
        Ok(())
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.dropped.push(texture.0);
    }
}

/// A page that is larger than a frame may take comes in strips: every row once, in order, and drawn only when all are there.
#[test]
fn a_large_page_is_made_over_several_frames() {
    let size = Size::new(300, 200);
    let data: Vec<u8> =
        (0..size.w * size.h).flat_map(|i| [i % 251, i / 300, 7, 255].map(|n| u8::try_from(n).unwrap())).collect();
    let pixels = Pixels::from_rgba(size, data).unwrap();
    let files = MemoryFiles::new();
    files.put("sky.png", encode_png(&pixels, PngEffort::Fast).unwrap());
    files.put("dot.png", png(Size::new(2, 2), [1, 2, 3, 255]));
    let settings = || Settings { workers: Some(0), ..Settings::over(files.clone()) };
    let frame = PerFrame { bytes: 50_000, ..PerFrame::UNLIMITED };
    let (cache, mut pump) = Cache::new(settings(), Striped::default());
    let (sky, dot) = (cache.lease("sky.png"), cache.lease("dot.png"));
    let mut frames = 0;
    while !(sky.is_ready() && dot.is_ready()) {
        pump.sink_mut().in_frame = 0;
        assert!(!sky.is_ready() || dot.view().is_none());
        pump.pump(frame);
        assert!(pump.sink().in_frame <= 50_000 + 1200, "{}", pump.sink().in_frame);
        frames += 1;
    }
    // 240,000 bytes, in strips of whole rows.
    assert!((5..=7).contains(&frames), "{frames}");
    let texture = sky.view().unwrap().texture;
    assert_eq!(pump.sink().rows[&texture.0], [pixels.as_bytes().to_vec()]);
    assert_eq!(pump.sink().whole, 1, "what is small is made at once");
    // Nobody wants it any more while it is begun: it is finished, and then goes as any other.
    let (cache, mut pump) = Cache::new(settings(), Striped::default());
    let sky = cache.lease("sky.png");
    (0..3).for_each(|_| _ = pump.pump(frame));
    assert!(!sky.is_ready() && pump.sink().rows.len() == 1);
    drop((sky, pump.finish()));
    // One that fails half way leaves nothing behind.
    let (cache, mut pump) = Cache::new(settings(), Striped { fail_at: Some(60_000), ..Striped::default() });
    let sky = cache.lease("sky.png");
    (0..9).for_each(|_| _ = pump.pump(frame));
    assert!(matches!(sky.status(), Status::Failed(f) if f.to_string().contains("the device was lost")));
    assert_eq!((pump.sink().dropped.clone(), cache.ledger().resident_bytes), (vec![1], 0));
}

/// Small images come together, and what was asked for first comes first, however long it took to read.
#[test]
fn small_images_share_a_frame_and_the_first_asked_for_is_the_first_there() {
    let files = MemoryFiles::new();
    let names: Vec<String> = (0..64).map(|i| format!("icon-{i:02}.png")).collect();
    names.iter().for_each(|name| files.put(name, png(Size::new(16, 16), [1, 2, 3, 255])));
    let (cache, mut pump) = Cache::new(Settings { workers: Some(0), ..Settings::over(files) }, MemorySink::new());
    let held: Vec<Lease> = names.iter().map(|name| cache.lease(name)).collect();
    // Time is left out: it is the machine's.
    let pumped = pump.pump(PerFrame { time: Duration::MAX, ..PerFrame::default() });
    assert_eq!(pumped.made, 64);
    assert!(held.iter().all(Lease::is_ready));
    // The sky takes longest to read, and was asked for first.
    let files = MemoryFiles::new();
    let gate = Arc::new(Gate { files: files.clone(), open: Mutex::new(false), told: Condvar::new() });
    ["sky.png", "a.png", "b.png"].iter().for_each(|name| files.put(name, png(Size::new(4, 4), [1, 2, 3, 255])));
    let settings = Settings { workers: Some(2), roots: vec![gate.clone()], ..Settings::over(MemoryFiles::new()) };
    let (cache, mut pump) = Cache::new(settings, MemorySink::new());
    let held = ["sky.png", "a.png", "b.png"].map(|name| cache.lease(name));
    let nothing = PerFrame { uploads: 0, ..PerFrame::UNLIMITED };
    while pump.pump(nothing).ready < 2 {}
    *gate.open.lock().unwrap() = true;
    gate.told.notify_all();
    while pump.pump(nothing).ready < 3 {}
    pump.pump(PerFrame { uploads: 1, ..PerFrame::UNLIMITED });
    assert_eq!(held.each_ref().map(Lease::is_ready), [true, false, false]);
}

/// Files of which one is read only when it is let.
struct Gate {
    files: MemoryFiles,
    open: Mutex<bool>,
    told: Condvar,
}

impl Files for Gate {
    fn read(&self, path: &str, limit: u64) -> std::io::Result<Vec<u8>> {
        if path == "sky.png" {
            drop(self.told.wait_while(self.open.lock().unwrap(), |open| !*open).unwrap());
        }
        self.files.read(path, limit)
    }

    fn stamp(&self, path: &str) -> std::io::Result<Stamp> {
        self.files.stamp(path)
    }

    fn list(&self) -> std::io::Result<Vec<String>> {
        self.files.list()
    }

    fn place(&self, path: &str) -> std::path::PathBuf {
        self.files.place(path)
    }
}

#[test]
fn a_frame_ends_at_its_byte_border_and_the_first_texture_is_made_however_large() {
    let mut game = Game::new(|s| s);
    let all = game.cache.lease_all(["a:**"]);
    let mut frame = |bytes: u64| game.pump.pump(PerFrame { uploads: 8, bytes, ..PerFrame::UNLIMITED }).made;
    assert_eq!((frame(1), frame(PAGE), frame(PAGE)), (1, 1, 1));
    assert!(matches!(all.status(), Status::Ready));

    let mut game = Game::new(|s| s);
    let all = game.cache.lease_all(["a:**"]);
    assert_eq!(game.pump.pump(PerFrame { uploads: 8, bytes: PAGE + 1, ..PerFrame::UNLIMITED }).made, 2);
    drop(all);
}

#[test]
fn workers_pause_where_enough_waits_for_the_pump() {
    let mut game = Game::new(|s| Settings { workers: Some(2), decoded_ahead: PAGE, ..s });
    let all = game.cache.lease_all(["a:**"]);
    let nothing = PerFrame { uploads: 0, bytes: 0, ..PerFrame::UNLIMITED };
    while game.pump.pump(nothing).ready == 0 {
        std::thread::yield_now();
    }
    // Both may have taken a page before the first was ready; more are not begun.
    std::thread::sleep(Duration::from_millis(50));
    assert!(game.pump.pump(nothing).ready <= 2);
    game.pump.wait(&all).unwrap();
}
