//! The promise of memory for a run, measured by an allocator that counts: six GIFs of 66 bytes once took 1.5 GB with two threads
//! and 2.9 GB with four.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use peak_alloc::PeakAlloc;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use zemtak_build::settings::Keys;
use zemtak_build::{Allowance, Cause, Failure, Limits, PackRequest, Packed, ScanRequest};
use zemtak_core::geometry::Size;

#[global_allocator]
static ALLOCATOR: PeakAlloc = PeakAlloc;

const MIB: u64 = 1 << 20;

/// Noise of 16 bits a channel, which takes the most memory to decode.
fn deep_png(side: u32, seed: u8) -> Vec<u8> {
    let mut dice = u32::from(seed) + 1;
    let samples: Vec<u8> = (0..side * side * 8)
        .map(|_| {
            dice = dice.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (dice >> 28) as u8
        })
        .collect();
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, side, side);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Sixteen);
    encoder.set_compression(png::Compression::Fast);
    encoder.write_header().unwrap().write_image_data(&samples).unwrap();
    bytes
}

/// A bar that moves: each frame is small, but all of them together are not.
fn gif(side: u16, frames: u16) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = gif::Encoder::new(&mut bytes, side, side, &[0, 0, 0, 200, 120, 40]).unwrap();
    for number in 0..frames {
        let mut pixels = vec![0; usize::from(side) * usize::from(side)];
        pixels[usize::from(number) * usize::from(side)..][..usize::from(side)].fill(1);
        let buffer = pixels.into();
        encoder.write_frame(&gif::Frame { width: side, height: side, buffer, ..gif::Frame::default() }).unwrap();
    }
    drop(encoder);
    bytes
}

fn art() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for number in 0..9 {
        fs::write(folder.path().join(format!("deep{number}.png")), deep_png(500, number)).unwrap();
    }
    fs::write(folder.path().join("bar.gif"), gif(400, 40)).unwrap();
    folder
}

/// The most memory that was taken at a time beyond what was there before, in MiB, and what came out.
fn peak<T>(threads: usize, work: impl FnOnce() -> T + Send) -> (u64, T)
where
    T: Send,
{
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    let before = ALLOCATOR.current_usage();
    ALLOCATOR.reset_peak_usage();
    let done = pool.install(work);
    (ALLOCATOR.peak_usage().saturating_sub(before) as u64 / MIB, done)
}

fn pack(art: &Path, out: &Path, memory: u64) -> Result<Packed, Failure> {
    let mut limits = Limits::default();
    limits.memory = Some(memory);
    let sizes = Some(vec!["-half=0.5".parse().unwrap()]);
    let keys = Keys { sizes, page_max: Some(Size::new(1024, 1024)), ..Keys::default() };
    PackRequest::of_paths([art]).out(out).name("art").keys(keys).limits(limits).run(&())
}

fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let entries = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let results = entries.filter(|name| !name.starts_with('.'));
    results.map(|name| (name.clone(), fs::read(folder.join(name)).unwrap())).collect()
}

/// One test, as others would count for it.
#[test]
fn a_run_keeps_to_its_memory_whatever_the_number_of_threads() {
    let (art, out) = (art(), tempfile::tempdir().unwrap());
    let results = |memory: u64, threads: usize| {
        let folder = out.path().join(format!("{memory}-{threads}"));
        let (peak, packed) = peak(threads, || pack(art.path(), &folder, memory));
        packed.unwrap();
        (peak, files(&folder))
    };
    // Nine pictures of 1 MB take 5 MB each while they are decoded, and the 40 frames take 25 MB in all.
    let (without_end, plenty) = results(4096 * MIB, 8);
    assert!(without_end > 48, "{without_end} MiB are too few for a test");
    for threads in [1, 8] {
        let (peak, tight) = results(32 * MIB, threads);
        assert!(peak <= 32, "{peak} MiB with {threads} threads");
        assert_eq!(tight, plenty, "with {threads} threads");
    }
    let mut limits = Limits::default();
    limits.memory = Some(32 * MIB);
    let scan = ScanRequest { paths: vec![art.path().into()], limits, ..ScanRequest::default() };
    let (scanning, scanned) = peak(8, || scan.run(&()));
    assert!(scanning <= 32 && scanned.unwrap().sprites.len() == 49, "{scanning} MiB");
    // What never fits is refused at once, and the error says what would be enough.
    let failure = pack(art.path(), &out.path().join("none"), 8 * MIB).unwrap_err();
    let said = failure.to_string();
    assert!(failure.cause() == Cause::Usage && said.contains("deep8.png") && said.contains("--memory"), "{said}");
    assert!(Allowance::new(Limits::default()).limits().memory.is_none());
}
