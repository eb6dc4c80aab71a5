//! Texture coordinates and quads a second, on one core. `cargo bench -p zemtak-core --bench coords`.

#![allow(missing_docs, clippy::unwrap_used, reason = "a bench may fail loudly")]

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use zemtak_core::coords::{Area, Flip, Part, Picture, Placement, Sampling, VAxis, quad};
use zemtak_core::geometry::{Rect, Size};

/// So many different sprites that none stays in a register.
const COUNT: u32 = 1000;

fn coordinates(c: &mut Criterion) {
    let page = Size::new(2048, 1024);
    let pictures: Vec<Picture> = (0..COUNT)
        .map(|i| {
            let area = Area::new(page, Rect::new(i % 50 * 40, i / 50 * 40, 28, 30), i % 3 == 0).unwrap();
            Picture { area, canvas: Size::new(40, 40), inset: [4, 5] }
        })
        .collect();
    let how = Sampling { v: VAxis::Up, flip: Flip { x: true, y: false }, shrink: 0.5 };
    let mut group = c.benchmark_group("coords");
    group.throughput(Throughput::Elements(COUNT.into()));
    group.bench_function("rect", |b| b.iter(|| pictures.iter().for_each(|p| _ = black_box(p.area.rect(&how)))));
    group.bench_function("corners", |b| b.iter(|| pictures.iter().for_each(|p| _ = black_box(p.area.corners(&how)))));
    group.bench_function("matrix", |b| b.iter(|| pictures.iter().for_each(|p| _ = black_box(p.area.matrix(&how)))));
    group.bench_function("unorm16", |b| b.iter(|| pictures.iter().for_each(|p| _ = black_box(p.area.unorm16(&how)))));
    let parts = [Part { x: 2, y: 3, w: 30, h: 30 }, Part { x: 1, y: 1, w: 9, h: 9 }];
    group.bench_function("rect of a part of a part", |b| {
        b.iter(|| pictures.iter().for_each(|p| _ = black_box(p.part(&parts).map(|v| v.area.rect(&how)))));
    });
    let placement = Placement { at: [3.0, 4.0], degrees: 15.0, ..Placement::default() };
    let drawn = |p: &Picture| p.part(&[]).map(|shown| quad(&shown, [20.0, 40.0], &placement, &how));
    group.bench_function("quad", |b| b.iter(|| pictures.iter().for_each(|p| _ = black_box(drawn(p)))));
    group.finish();
}

criterion_group!(benches, coordinates);
criterion_main!(benches);
