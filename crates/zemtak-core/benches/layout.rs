//! How densely and how fast the layout engine fills the smallest free page.
//!
//! Sets: width log-normal (mu 3.7, sigma 0.7) held to 8..256, height = width times log-normal (0, 0.35) held likewise,
//! each size repeated 1, 1, 2, 4 or 8 times with up to 2 pixels of change. No gutter, margin or extrusion, one page,
//! aspect at most 2. Prints the mean share of the page that is filled and the mean time of a layout.
//!
//! `cargo bench -p zemtak-core --features parallel --bench layout`, with numbers of rectangles after `--` for others.

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

use std::time::Instant;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Item, LONGEST_SIDE, PagePolicy, Shape, Spacing, lay_out};

struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn unit(&mut self) -> f64 {
        (self.next() >> 11) as f64 / (1u64 << 53) as f64
    }

    fn log_normal(&mut self, mu: f64, sigma: f64) -> f64 {
        let normal = (-2.0 * self.unit().max(1e-12).ln()).sqrt() * (self.unit() * std::f64::consts::TAU).cos();
        (mu + sigma * normal).exp()
    }
}

fn set(count: usize, seed: u64, may_turn: bool) -> Vec<Item> {
    let mut dice = Dice(seed * 1000 + count as u64);
    let mut items = Vec::with_capacity(count);
    while items.len() < count {
        let w = dice.log_normal(3.7, 0.7).clamp(8.0, 256.0);
        let h = (w * dice.log_normal(0.0, 0.35)).clamp(8.0, 256.0);
        let times = [1, 1, 2, 4, 8][(dice.next() % 5) as usize];
        for _ in 0..times {
            let mut near = |side: f64| (side as i64 + (dice.next() % 5) as i64 - 2).clamp(8, 256) as u32;
            items.push(Item { size: Size::new(near(w), near(h)), may_turn });
        }
    }
    items.truncate(count);
    items
}

fn main() {
    let asked: Vec<usize> = std::env::args().filter_map(|a| a.parse().ok()).collect();
    let counts = if asked.is_empty() { vec![50, 100, 500, 1000, 10_000] } else { asked };
    let policy = PagePolicy {
        max: Size::new(LONGEST_SIDE, LONGEST_SIDE),
        shape: Shape::Free,
        count: Some(1),
        ..PagePolicy::default()
    };
    let none = Spacing { gutter: 0, margin: 0, extrude: 0 };
    println!("{:>10} {:>10} {:>10} {:>10} {:>10}", "rectangles", "upright", "time", "turning", "time");
    for count in counts {
        let seeds = if count > 2000 { 4 } else { 20 };
        print!("{count:>10}");
        for may_turn in [false, true] {
            let (mut filled, mut time) = (0.0, 0.0);
            for seed in 0..seeds {
                let items = set(count, seed, may_turn);
                let started = Instant::now();
                let layout = lay_out(&items, none, &policy).unwrap();
                time += started.elapsed().as_secs_f64();
                let area: u64 = items.iter().map(|i| i.size.area()).sum();
                filled += area as f64 / layout.area() as f64;
            }
            print!(" {:>8.2} % {:>8.3} s", filled / seeds as f64 * 100.0, time / seeds as f64);
        }
        println!();
    }
}
