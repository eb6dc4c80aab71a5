//! Art like that of real games, or real art: page bytes and CPU time against the least that any packing must do, and what a
//! repack takes of a fresh build. Prints each value with its aim.
//!
//! `cargo bench -p zemtak --bench art` with made-up sprites, or with a folder of PNG files:
//! `cargo bench -p zemtak --bench art -- --art DIR`. `small` takes five seconds a page and is measured with `--small`.
//!
//! The least work: read and decode every PNG on all cores, lay the images untrimmed on plain shelves by height, copy them
//! onto pages of 2048 x 2048, encode those on all cores by the `png` library with its balanced or fast setting.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    clippy::cast_possible_wrap,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss,
    reason = "a bench may fail loudly, and its numbers are small"
)]

#[path = "../tests/fixtures/mod.rs"]
mod fixtures;

use cpu_time::ProcessTime;
use fixtures::Folder;
use fixtures::art::real_art;
use rayon::prelude::*;
use std::fs;
use std::path::{Path, PathBuf};
use zemtak_build::settings::Keys;
use zemtak_build::{PackRequest, Packed, Stage};
use zemtak_core::codec::{Limits, PngEffort, decode};
use zemtak_core::pixels::Pixels;

const RUNS: usize = 3;
const SIDE: usize = 2048;

fn main() {
    let given = std::env::args().skip_while(|a| a != "--art").nth(1).map(PathBuf::from);
    let folder = Folder::new();
    let art = given.unwrap_or_else(|| {
        real_art(6000, 1).iter().for_each(|(name, bytes)| folder.write(&format!("art/{name}"), bytes));
        folder.path("art")
    });
    let files = pngs(&art);
    println!("{} PNG files, {} threads, medians of {RUNS} runs in turn", files.len(), rayon::current_num_threads());
    let balanced = against_the_least(&folder, &art, &files, PngEffort::Balanced, (0.98, 0.65));
    against_the_least(&folder, &art, &files, PngEffort::Fast, (0.90, 1.15));
    if std::env::args().any(|a| a == "--small") {
        let (cpu, packed) = pack(&folder, &art, "build", PngEffort::Small, true);
        let pages = packed.atlases[0].pages.len();
        tell("small: bytes of balanced", bytes(&packed) as f64 / balanced as f64, 0.93);
        tell("small: CPU seconds a page", cpu / pages as f64, 10.0);
    }
    edits(&folder, &files);
}

fn tell(what: &str, value: f64, aim: f64) {
    println!("{what:<56} {value:>7.3}   aim {aim}");
}

fn pngs(folder: &Path) -> Vec<PathBuf> {
    let entries = walkdir::WalkDir::new(folder).sort_by_file_name().into_iter().map(Result::unwrap);
    let files = entries.filter(|e| e.file_type().is_file()).map(walkdir::DirEntry::into_path);
    files.filter(|path| path.extension().is_some_and(|e| e == "png")).collect()
}

/// Page bytes and CPU time of a fresh pack against the least work; gives the bytes.
fn against_the_least(folder: &Folder, art: &Path, files: &[PathBuf], png: PngEffort, aims: (f64, f64)) -> u64 {
    let (mut least, mut packs) = (Vec::new(), Vec::new());
    let (mut least_bytes, mut last) = (0, None);
    for _ in 0..RUNS {
        let started = ProcessTime::now();
        least_bytes = least_work(files, png);
        least.push(started.elapsed().as_secs_f64());
        let (cpu, packed) = pack(folder, art, "build", png, true);
        packs.push(cpu);
        last = Some(packed);
    }
    let last = last.unwrap();
    let (least, packed, bytes) = (median(&mut least), median(&mut packs), bytes(&last));
    let name = format!("{png:?}").to_lowercase();
    println!("{name}: least work {least_bytes} bytes, {least:.2} s; pack {bytes} bytes, {packed:.2} s");
    tell(&format!("{name}: page bytes against the least work's"), bytes as f64 / least_bytes as f64, aims.0);
    tell(&format!("{name}: CPU time against the least work's"), packed / least, aims.1);
    let all: u64 = last.spent.by_stage().map(|(_, spent)| spent).sum();
    let prove = last.spent.by_stage().find(|(stage, _)| *stage == Stage::Prove).unwrap().1;
    tell(&format!("{name}: the proof's share of the time of all stages"), prove as f64 / all as f64, 0.08);
    bytes
}

/// A pack as the tool does it: its CPU time and what it came to.
fn pack(folder: &Folder, art: &Path, out: &str, png: PngEffort, fresh: bool) -> (f64, Packed) {
    let keys = Keys { png: Some(png), ..Keys::default() };
    let mut request = PackRequest::of_paths([art]).out(folder.path(out)).name("bench").keys(keys);
    request.fresh = fresh;
    let started = ProcessTime::now();
    let packed = request.run(&()).unwrap();
    (started.elapsed().as_secs_f64(), packed)
}

fn bytes(packed: &Packed) -> u64 {
    packed.atlases[0].pages.iter().map(|page| page.file_bytes).sum()
}

/// One atlas of a thousand: what a repack takes of a fresh build.
fn edits(folder: &Folder, files: &[PathBuf]) {
    for (n, file) in files.iter().step_by((files.len() / 1000).max(1)).take(1000).enumerate() {
        folder.write(&format!("some/{}/{n}.png", n / 8), fs::read(file).unwrap());
    }
    let art = folder.path("some");
    let pack = |fresh: bool| pack(folder, &art, "some-build", PngEffort::Balanced, fresh).0;
    let rest = || std::thread::sleep(std::time::Duration::from_millis(100));
    let (mut fresh, mut same, mut changed, mut added) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for run in 0..RUNS {
        rest();
        fresh.push(pack(true));
        rest();
        pack(false);
        same.push(pack(false));
        let target = folder.path(&format!("some/{}/{}.png", 50 + run, (50 + run) * 8));
        let mut picture = decode(&fs::read(&target).unwrap(), None, &Limits::default()).unwrap().pixels;
        let middle = picture.as_bytes().len() / 8 * 4;
        // The same box with another colour in its middle.
        picture.as_bytes_mut()[middle] ^= 0x55;
        fs::write(&target, fixtures::png(&picture)).unwrap();
        rest();
        changed.push(pack(false));
        folder.write(&format!("some/{}/new{run}.png", 30 + run), fixtures::png(&picture.turned()));
        rest();
        added.push(pack(false));
    }
    let fresh = median(&mut fresh);
    println!("an atlas of 1,000 sprites: fresh {fresh:.3} s of CPU");
    tell("nothing changed, of a fresh build", median(&mut same) / fresh, 0.03);
    tell("one sprite's pixels changed, of a fresh build", median(&mut changed) / fresh, 0.05);
    tell("one sprite added, of a fresh build", median(&mut added) / fresh, 0.15);
}

fn median(times: &mut [f64]) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

/// The least work; gives the bytes of its pages.
fn least_work(files: &[PathBuf], png: PngEffort) -> u64 {
    let read = |path: &PathBuf| decode(&fs::read(path).unwrap(), None, &Limits::default()).ok().map(|d| d.pixels);
    let mut images: Vec<Pixels> = files.par_iter().filter_map(read).collect();
    images.retain(|image| image.size().w as usize <= SIDE && image.size().h as usize <= SIDE);
    images.sort_by_key(|image| std::cmp::Reverse(image.size().h));
    let mut pages: Vec<Vec<u8>> = Vec::new();
    let (mut x, mut y, mut row) = (SIDE, SIDE, 0);
    for image in &images {
        let (w, h) = (image.size().w as usize, image.size().h as usize);
        if x + w > SIDE {
            (x, y, row) = (0, y + row, 0);
        }
        if y + h > SIDE || pages.is_empty() {
            pages.push(vec![0; SIDE * SIDE * 4]);
            (x, y, row) = (0, 0, 0);
        }
        let page = pages.last_mut().unwrap();
        for (j, pixels) in image.as_bytes().chunks_exact(w * 4).enumerate() {
            page[((y + j) * SIDE + x) * 4..][..w * 4].copy_from_slice(pixels);
        }
        (x, row) = (x + w, row.max(h));
    }
    let compression = if png == PngEffort::Fast { png::Compression::Fast } else { png::Compression::Balanced };
    let encode = |page: &Vec<u8>| {
        let mut out = Vec::new();
        let mut encoder = png::Encoder::new(&mut out, SIDE as u32, SIDE as u32);
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_compression(compression);
        encoder.write_header().unwrap().write_image_data(page).unwrap();
        out.len() as u64
    };
    pages.par_iter().map(encode).sum()
}
