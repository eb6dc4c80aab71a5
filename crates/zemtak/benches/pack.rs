//! Whole packs against the least work: decode all files on all cores, copy the pixels once, encode the pages once with
//! the same PNG setting. Prints both and their ratio for each setting. Then repacks of a project against a fresh build.
//!
//! `cargo bench -p zemtak --bench pack`, or with a number of sprites: `cargo bench -p zemtak --bench pack -- 10000`.
//! With `repack` only the repacks are measured; with `--to DIR` the sprites are written there, to try things by hand, and nothing is measured.

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

use fixtures::{Folder, corpus};
use rayon::prelude::*;
use std::fs;
use std::path::PathBuf;
use std::time::Instant;
use zemtak_build::PackRequest;
use zemtak_build::settings::Keys;
use zemtak_core::codec::{PngEffort, decode, encode_png};
use zemtak_core::pixels::Pixels;

const RUNS: usize = 7;
const REPACKS: usize = 3;

fn main() {
    let count = std::env::args().filter_map(|a| a.parse().ok()).next().unwrap_or(1000);
    let to = std::env::args().skip_while(|a| a != "--to").nth(1);
    if let Some(folder) = to {
        for (name, bytes) in corpus(count, 1) {
            let file = PathBuf::from(&folder).join(name);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, bytes).unwrap();
        }
        return;
    }
    let folder = Folder::new();
    if std::env::args().any(|a| a == "repack") {
        return repacks(&folder, count);
    }
    let files: Vec<PathBuf> = corpus(count, 1)
        .into_iter()
        .map(|(name, bytes)| {
            folder.write(&format!("art/{name}"), bytes);
            folder.path(&format!("art/{name}"))
        })
        .collect();
    println!(
        "{count} mixed PNGs up to 256 px, {} threads, median of {RUNS} runs each, in turn; small once",
        rayon::current_num_threads()
    );
    println!("{:>10} {:>12} {:>12} {:>8} {:>12}", "png", "least work", "pack", "ratio", "page bytes");
    let efforts =
        [("fast", PngEffort::Fast, RUNS), ("balanced", PngEffort::Balanced, RUNS), ("small", PngEffort::Small, 1)];
    for (word, png, runs) in efforts {
        let keys = Keys { png: Some(png), ..Keys::default() };
        let art = [folder.path("art")];
        let mut request = PackRequest::of_paths(art).out(folder.path("build")).name("bench").keys(keys);
        request.fresh = true;
        let mut bytes = 0;
        let (mut floors, mut packs) = (Vec::new(), Vec::new());
        let pages = {
            request.run(&()).unwrap();
            page_pixels(&folder)
        };
        for _ in 0..runs {
            let started = Instant::now();
            least_work(&files, &pages, png);
            floors.push(started.elapsed().as_secs_f64());
            let started = Instant::now();
            let packed = request.run(&()).unwrap();
            packs.push(started.elapsed().as_secs_f64());
            bytes = packed.atlases[0].pages.iter().map(|page| page.file_bytes).sum::<u64>();
        }
        let (floor, pack) = (median(&mut floors), median(&mut packs));
        println!("{word:>10} {floor:>10.3} s {pack:>10.3} s {:>8.2} {bytes:>12}", pack / floor);
    }
    repacks(&folder, count);
}

/// Repacks of ten atlases against a fresh build of all: with nothing changed, and with one sprite changed.
fn repacks(folder: &Folder, count: usize) {
    let atlases = (0..10).map(|i| format!("[atlas.a{i}]\ntake = [\"{i}/**\"]\n"));
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nroot = \"ten\"\n{}", atlases.collect::<String>()));
    for (n, (name, bytes)) in corpus(count, 2).into_iter().enumerate() {
        folder.write(&format!("ten/{}/{name}", n % 10), bytes);
    }
    // Files that were written a moment ago are read again each time, as their clock may be too coarse.
    std::thread::sleep(std::time::Duration::from_secs(3));
    let request = PackRequest::of_project(folder.path("zemtak.toml"));
    let time = |request: &PackRequest| {
        let started = Instant::now();
        request.run(&()).unwrap();
        started.elapsed().as_secs_f64()
    };
    let (mut fresh, mut same, mut one) = (Vec::new(), Vec::new(), Vec::new());
    for run in 0..REPACKS {
        let mut anew = request.clone();
        anew.fresh = true;
        fresh.push(time(&anew));
        std::thread::sleep(std::time::Duration::from_secs(3));
        time(&request);
        same.push(time(&request));
        let (_, bytes) = corpus(20, 40 + run as u64).swap_remove(run);

        folder.write("ten/3/changed.png", bytes);
        one.push(time(&request));
    }
    let (fresh, same, one) = (median(&mut fresh), median(&mut same), median(&mut one));
    println!("{count} sprites in ten atlases: fresh {fresh:.3} s");
    println!("  nothing changed {same:.3} s, {:.1} % of it; target 3", 100.0 * same / fresh);
    println!("  one sprite changed {one:.3} s, {:.1} % of it; target 15", 100.0 * one / fresh);
}

fn median(times: &mut [f64]) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

fn page_pixels(folder: &Folder) -> Vec<Pixels> {
    let file = zemtak_runtime::AtlasFile::open(&folder.path("build/bench.zemtak.json")).unwrap();
    (0..file.atlas().pages.len()).map(|i| file.read_page(i, zemtak_runtime::HashCheck::No).unwrap()).collect()
}

/// Decode, copy, encode; the copy goes to scratch memory, what is encoded are the finished pages.
fn least_work(files: &[PathBuf], pages: &[Pixels], png: PngEffort) {
    let copied: usize = files
        .par_iter()
        .map(|path| {
            let decoded = decode(&fs::read(path).unwrap(), None, &Default::default()).unwrap();
            std::hint::black_box(decoded.pixels.as_bytes().to_vec()).len()
        })
        .sum();
    let encoded: usize = pages.par_iter().map(|page| encode_png(page, png).unwrap().len()).sum();
    std::hint::black_box((copied, encoded));
}
