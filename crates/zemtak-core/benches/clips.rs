//! A crowd of a hundred thousand players, on one core. `cargo bench -p zemtak-core --bench clips`.

#![allow(missing_docs, clippy::unwrap_used, reason = "a bench may fail loudly")]

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use zemtak_core::atlas::Mode;
use zemtak_core::clip::{Player, Ratio, SECOND, Timeline};

const CROWD: i64 = 100_000;

fn crowd(c: &mut Criterion) {
    let fps = Ratio::parse("12").unwrap();
    let timeline =
        Timeline::new(Mode::Loop, fps, &[None, None, Some(40_000_000), None, None, None, None, None]).unwrap();
    let speeds = ["1", "0.5", "-1", "1.25"].map(|text| Ratio::parse(text).unwrap());
    let player =
        |i: i64| Player::starting_at(speeds[usize::try_from(i % 4).unwrap()], &timeline, i * 7_919_000 % SECOND);
    let mut players: Vec<Player> = (0..CROWD).map(player).collect();
    let mut group = c.benchmark_group("clips");
    group.throughput(Throughput::Elements(CROWD.unsigned_abs()));
    group.bench_function("advance by a sixtieth of a second", |b| {
        b.iter(|| {
            for player in &mut players {
                let _ = player.advance(&timeline, SECOND / 60);
                black_box(player.step(&timeline));
            }
        });
    });
    group.finish();
}

criterion_group!(benches, crowd);
criterion_main!(benches);
