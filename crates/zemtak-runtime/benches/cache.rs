//! Reuse of what is there, and getting much of it ready: `cargo bench -p zemtak-runtime --bench cache`.

#![allow(missing_docs, clippy::unwrap_used, clippy::print_stdout, reason = "a bench may fail loudly")]

use criterion::{Criterion, criterion_group};
use std::collections::BTreeMap;
use std::hint::black_box;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;
use std::time::{Duration, Instant};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::name::SpriteName;
use zemtak_runtime::atlas::{Atlas, Built, Page, Sprite};
use zemtak_runtime::coords::{Placement, Sampling};
use zemtak_runtime::geometry::{Rect, Size};
use zemtak_runtime::{
    AtlasFile, Batch, BatchOrder, Cache, Files, Folder, HashCheck, Lease, Look, MemoryFiles, MemorySink, Pixels,
    Settings, Views, page_hash,
};

/// Sprites lie in rows of 25 by 20 on pages of 1000 x 800.
const COLUMNS: u32 = 25;
const ROWS: u32 = 20;
const SIDE: u32 = 40;
const PAGES: u32 = 20;

/// An atlas of 10,000 sprites on 20 pages: lanterns of many colours.
fn world() -> MemoryFiles {
    let files = MemoryFiles::new();
    let size = Size::new(COLUMNS * SIDE, ROWS * SIDE);
    let (mut pages, mut sprites) = (Vec::new(), BTreeMap::new());
    for page in 0..PAGES {
        let png = encode_png(&lanterns(size, page), PngEffort::Balanced).unwrap();
        let file = format!("night-{page}.png");
        pages.push(Page::new(&file, size, page_hash(&png)));
        files.put(&file, png);
        for i in 0..COLUMNS * ROWS {
            let rect = Rect::new(i % COLUMNS * SIDE, i / COLUMNS * SIDE, SIDE, SIDE);
            let name = SpriteName::new(&format!("lantern/p{page}/{i:03}"));
            sprites.insert(name, sprite(page as usize, rect, size));
        }
    }
    let mut atlas = Atlas::new("night", Built::default());
    (atlas.pages, atlas.sprites) = (pages, sprites);
    files.put("night.zemtak.json", atlas.to_text().unwrap().into_bytes());
    files
}

/// Discs with a glow, and a little noise as drawings have.
fn lanterns(size: Size, page: u32) -> Pixels {
    let mut pixels = Pixels::transparent(size).unwrap();
    let mut dice = page.wrapping_mul(2_654_435_761) | 1;
    for y in 0..size.h {
        for (x, pixel) in (0..).zip(pixels.row_mut(y).chunks_exact_mut(4)) {
            dice = dice.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let [dx, dy] = [x % SIDE, y % SIDE].map(|v| v.abs_diff(SIDE / 2));
            let far = dx * dx + dy * dy;
            if far < 330 {
                let glow = u8::try_from(255 - far / 2).unwrap_or(0);
                let hue = u8::try_from((x / SIDE * 9 + y / SIDE * 5 + page * 7) % 200).unwrap_or(0);
                let noise = u8::try_from(dice >> 29).unwrap_or(0);
                pixel.copy_from_slice(&[glow, hue + noise, 255 - hue, if far < 300 { 255 } else { 120 }]);
            }
        }
    }
    pixels
}

fn sprite(page: usize, rect: Rect, size: Size) -> Sprite {
    let mut sprite = Sprite::new(page, rect, size);
    sprite.pivot = [20.0, 40.0];
    sprite
}

fn reuse(c: &mut Criterion) {
    let (cache, mut pump) = Cache::new(Settings::over(world()), MemorySink::new());
    let name = "night:lantern/p7/123";
    let held = cache.lease(name);
    pump.wait(&held).unwrap();
    let id = cache.id(name);
    let mut group = c.benchmark_group("cache");
    let lock = std::sync::Mutex::new(0_u64);
    let turn = || *lock.lock().unwrap() += 1;
    group.bench_function("floor: lock and unlock twice", |b| b.iter(|| (turn(), turn())));
    group.bench_function("lease by id", |b| b.iter_custom(|times| many(times, || cache.lease(id))));
    group.bench_function("lease by name", |b| b.iter_custom(|times| many(times, || cache.lease(name))));
    group.bench_function("lease by id, and give back", |b| b.iter(|| black_box(cache.lease(id))));
    group.bench_function("lease by name, and give back", |b| b.iter(|| black_box(cache.lease(name))));
    group.bench_function("what a lease shows", |b| b.iter(|| black_box(held.view())));
    drop(held);
    group.bench_function("lease by id what nobody holds, and give back", |b| b.iter(|| black_box(cache.lease(id))));
    group.finish();
}

/// The time of making many things, without that of dropping them.
fn many<T>(times: u64, make: impl Fn() -> T) -> Duration {
    let mut took = Duration::ZERO;
    let mut left = usize::try_from(times).unwrap();
    let mut made = Vec::with_capacity(1024);
    while left > 0 {
        let count = left.min(1024);
        let begin = Instant::now();
        made.extend((0..count).map(|_| make()));
        took += begin.elapsed();
        made.clear();
        left -= count;
    }
    took
}

/// Decodes the pages on all cores, keeps them, and does nothing else: the least that there is to do.
fn floor(atlas: &AtlasFile) -> Duration {
    let begin = Instant::now();
    let next = AtomicUsize::new(0);
    let decode = || {
        let pages =
            std::iter::repeat_with(|| next.fetch_add(1, Ordering::Relaxed)).take_while(|page| *page < PAGES as usize);
        pages.map(|page| atlas.read_page(page, HashCheck::No).unwrap()).collect::<Vec<Pixels>>()
    };
    let cores = thread::available_parallelism().unwrap().get();
    let pages = thread::scope(|scope| {
        let threads: Vec<_> = (0..cores).map(|_| scope.spawn(decode)).collect();
        threads.into_iter().flat_map(|thread| thread.join().unwrap()).collect::<Vec<Pixels>>()
    });
    let took = begin.elapsed();
    assert_eq!(pages.len(), PAGES as usize);
    took
}

/// From an empty cache to 10,000 leases that can be drawn.
fn ready(folder: &std::path::Path) -> Duration {
    let settings = Settings { hash: HashCheck::No, budget: u64::MAX, ..Settings::over(Folder::new(folder)) };
    let begin = Instant::now();
    let (cache, mut pump) = Cache::new(settings, MemorySink::new());
    let all = cache.lease_all(["night:**"]);
    pump.wait(&all).unwrap();
    assert_eq!(all.progress().done, 10_000);
    begin.elapsed()
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

fn ten_thousand() {
    let (folder, files) = (tempfile::tempdir().unwrap(), world());
    for path in files.list().unwrap() {
        std::fs::write(folder.path().join(&path), files.read(&path, u64::MAX).unwrap()).unwrap();
    }
    let atlas = AtlasFile::open(&folder.path().join("night.zemtak.json")).unwrap();
    let (mut least, mut own) = (vec![], vec![]);
    for _ in 0..21 {
        least.push(floor(&atlas));
        own.push(ready(folder.path()));
    }
    // The best of all is what a busy machine disturbs least.
    for (what, of) in [("median", median as fn(Vec<Duration>) -> Duration), ("best", best)] {
        let (least, own) = (of(least.clone()), of(own.clone()));
        let ratio = own.as_secs_f64() / least.as_secs_f64();
        println!(
            "10,000 sprites of {PAGES} pages ready, {what}: {own:.1?}; decoding the pages on all cores: {least:.1?}; ratio {ratio:.3}"
        );
    }
}

fn best(times: Vec<Duration>) -> Duration {
    times.into_iter().min().unwrap_or_default()
}

/// A frame of 10,000 sprites that are held: from leases to views, and from views to the bytes of a batch.
fn frame(criterion: &mut Criterion) {
    let (cache, mut pump) = Cache::new(Settings { budget: u64::MAX, ..Settings::over(world()) }, MemorySink::new());
    let all = cache.lease_all(["night:**"]);
    pump.wait(&all).unwrap();
    let held: Vec<Lease> = all.names().iter().map(|name| cache.lease(&**name)).collect();
    let mut views = Views::new();
    let mut group = criterion.benchmark_group("10,000 held sprites");
    group.bench_function("a view each", |b| b.iter(|| held.iter().filter_map(Lease::view).count()));
    group.bench_function("all views together", |b| {
        b.iter(|| {
            Lease::views(&held, &mut views);
            views.len()
        });
    });
    let mut backwards: Vec<Lease> = held.clone();
    backwards.reverse();
    group.bench_function("all views together, of others than before (half of the time)", |b| {
        b.iter(|| {
            Lease::views(&backwards, &mut views);
            Lease::views(&held, &mut views);
            views.len()
        });
    });
    drop(backwards);
    // Another thread that leases and gives back all the time.
    let stop = AtomicBool::new(false);
    thread::scope(|scope| {
        scope.spawn(|| {
            while !stop.load(Ordering::Relaxed) {
                drop(cache.lease("night:lantern/p3/007"));
            }
        });
        group.bench_function("all views together, beside a thread that leases", |b| {
            b.iter(|| {
                Lease::views(&held, &mut views);
                views.len()
            });
        });
        stop.store(true, Ordering::Relaxed);
    });
    let (mut batch, mut bytes) = (Batch::new(), Vec::new());
    let placement = |i: usize| Placement { at: [(i % 640) as f64, (i / 640) as f64], ..Placement::default() };
    group.bench_function("the bytes of their vertices (floor)", |b| {
        b.iter(|| {
            bytes.clear();
            (0..40_000_u32).for_each(|i| bytes.extend_from_slice(&[i; 5].map(u32::to_le_bytes).concat_bytes()));
            bytes.len()
        });
    });
    group.bench_function("from leases to vertices", |b| {
        b.iter(|| {
            batch.clear();
            Lease::views(&held, &mut views);
            for (i, view) in views.iter().enumerate() {
                if let Some(view) = view {
                    batch.add(view, &placement(i), &Sampling::default(), Look::default());
                }
            }
            batch.lay_out(BatchOrder::ByTexture);
            batch.vertices().len()
        });
    });
    group.finish();
}

/// Five words as twenty bytes.
trait Bytes {
    fn concat_bytes(self) -> [u8; 20];
}

impl Bytes for [[u8; 4]; 5] {
    fn concat_bytes(self) -> [u8; 20] {
        std::array::from_fn(|i| self[i / 4][i % 4])
    }
}

criterion_group!(benches, reuse, frame);

fn main() {
    ten_thousand();
    benches();
}
