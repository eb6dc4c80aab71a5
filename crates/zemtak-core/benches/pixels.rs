//! The loops that touch every pixel, in bytes a second, beside a plain copy of the same bytes as the floor.
//!
//! `cargo bench -p zemtak-core --bench pixels`.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a bench may fail loudly"
)]

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use zemtak_core::atlas::{Alpha, Colour, PixelKind};
use zemtak_core::codec::{PngEffort, decode, encode_png};
use zemtak_core::compose::{Stamp, compose};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::mips::{Light, half};
use zemtak_core::pixels::Pixels;
use zemtak_core::texture::{Texture, unpack};

/// A disc with a soft edge in a transparent border, with some structure in its colour.
fn sprite(side: u32) -> Pixels {
    let pixel = |x: u32, y: u32| {
        let away = f64::from(x).hypot(f64::from(y)) - f64::from(side) * 1.1;
        [(x * 3) as u8, (y * 5) as u8, (x ^ y) as u8, (255.0 - away * 40.0).clamp(0.0, 255.0) as u8]
    };
    let data = (0..side * side).flat_map(|i| pixel(i % side, i / side)).collect();
    Pixels::from_rgba(Size::new(side, side), data).unwrap()
}

fn loops(criterion: &mut Criterion) {
    let picture = sprite(512);
    let file = encode_png(&picture, PngEffort::Balanced).unwrap();
    let mut group = criterion.benchmark_group("pixels");
    group.throughput(Throughput::Bytes(picture.as_bytes().len() as u64)).sample_size(30);
    group.bench_function("copy (floor)", |b| b.iter(|| black_box(&picture).clone()));
    group.bench_function("visible box", |b| b.iter(|| black_box(&picture).visible_box(1)));
    group.bench_function("turned", |b| b.iter(|| black_box(&picture).turned()));
    group.bench_function("clear hidden colour", |b| {
        b.iter_batched_ref(|| picture.clone(), Pixels::clear_hidden_colour, criterion::BatchSize::LargeInput);
    });
    group.bench_function("compose", |b| {
        let stamp = Stamp { pixels: &picture, rect: Rect::new(2, 2, 512, 512), turned: false };
        b.iter(|| compose(Size::new(516, 516), [black_box(stamp)], 2).unwrap());
    });
    group.bench_function("decode png", |b| b.iter(|| decode(black_box(&file), None, &Default::default()).unwrap()));
    group.bench_function("encode png, fast", |b| b.iter(|| encode_png(black_box(&picture), PngEffort::Fast).unwrap()));
    group.bench_function("encode png, balanced", |b| {
        b.iter(|| encode_png(black_box(&picture), PngEffort::Balanced).unwrap());
    });
    group.finish();
}

/// A level of a page, beside one read and write of its bytes and beside the plainest filter: four numbers, added and divided.
fn levels(criterion: &mut Criterion) {
    let page = sprite(2048);
    let mut group = criterion.benchmark_group("half of a page of 2048");
    group.throughput(Throughput::Bytes(page.as_bytes().len() as u64)).sample_size(20);
    group.bench_function("copy (floor)", |b| b.iter(|| black_box(&page).clone()));
    group.bench_function("plain means (floor)", |b| b.iter(|| plain_half(black_box(&page))));
    for (name, light) in [("plain numbers", Light::Plain), ("as light", Light::Linear)] {
        group.bench_function(name, |b| b.iter(|| half(black_box(&page), Alpha::Straight, light).unwrap()));
    }
    group.finish();
}

fn plain_half(page: &Pixels) -> Vec<u8> {
    let (w, h) = (page.size().w as usize / 2, page.size().h / 2);
    let mut out = Vec::with_capacity(w * h as usize * 4);
    for y in 0..h {
        let pairs = page.row(2 * y).chunks_exact(8).zip(page.row(2 * y + 1).chunks_exact(8));
        for (above, below) in pairs {
            let mean = |k: usize| [above[k], above[k + 4], below[k], below[k + 4]].map(u32::from).iter().sum::<u32>();
            out.extend([0, 1, 2, 3].map(|k| ((mean(k) + 2) / 4) as u8));
        }
    }
    out
}

/// A page of 2048 x 2048 in blocks, packed and unpacked. Its pixels are hard for blocks: steps of colour in
/// every one, and a soft edge.
fn blocks(criterion: &mut Criterion) {
    let page = sprite(2048);
    let mut group = criterion.benchmark_group("a page of 2048 in blocks");
    group.throughput(Throughput::Bytes(page.as_bytes().len() as u64)).sample_size(10);
    for kind in [PixelKind::Bc1, PixelKind::Bc3, PixelKind::Bc7] {
        let settings = (Alpha::Straight, Colour::Srgb);
        let pack = || Texture::new(black_box(&page), &[], kind, settings).unwrap();
        group.bench_function(kind.word(), |b| b.iter(pack));
        let packed = pack().levels.remove(0);
        group.bench_function(format!("{} unpacked", kind.word()), |b| {
            b.iter(|| unpack(black_box(&packed), kind, page.size()).unwrap());
        });
    }
    group.finish();
}

criterion_group!(benches, loops, levels, blocks);
criterion_main!(benches);
