//! How densely and how fast the layout engine fills pages, beside what it is to reach.
//!
//! `cargo bench -p zemtak-core --features parallel --bench layout` runs all of it with quick effort; after `--` stand
//! the efforts (`quick`, `normal`, `high`) and the parts (`free`, `few`, `squares`, `cut`, `pow2`, `pages`, `animations`, `growth`)
//! to run instead, and `n=19` for the squares up to one size only. `high` takes hours for all seeds: a number after `--` is how many of the 20 sets of each kind are used.

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
use zemtak_core::geometry::LONGEST_SIDE;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Effort, Family, Item, Layout, LayoutRequest, PagePolicy, Shape, Spacing, lay_out};

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

/// Endless sizes as sprites have them: log-normal sides, many repeated with up to 2 pixels of change.
fn sizes(mut dice: Dice) -> impl Iterator<Item = Size> {
    let mut batch = Vec::new();
    std::iter::from_fn(move || {
        if batch.is_empty() {
            let w = dice.log_normal(3.7, 0.7).clamp(8.0, 256.0);
            let h = (w * dice.log_normal(0.0, 0.35)).clamp(8.0, 256.0);
            let times = [1, 1, 2, 4, 8][(dice.next() % 5) as usize];
            let mut near = |side: f64| (side as i64 + (dice.next() % 5) as i64 - 2).clamp(8, 256) as u32;
            batch = (0..times).map(|_| Size::new(near(w), near(h))).collect();
            batch.reverse();
        }
        batch.pop()
    })
}

fn set(count: usize, seed: u64, may_turn: bool) -> Vec<Item> {
    let dice = Dice(seed * 1000 + count as u64);
    sizes(dice).take(count).map(|size| Item { may_turn, ..Item::new(size) }).collect()
}

/// Trimmed frames of large animations, each in a folder of its own: about 70 of them fill a page of 2048 x 2048.
fn frames(count: usize, seed: u64) -> Vec<Item> {
    let mut dice = Dice(seed * 1000 + count as u64 + 9);
    let frame = |(i, size): (usize, Size)| {
        let family = Family { number: i / 40, canvas: Size::new(900, 900), above: (dice.next() % 40) as u32 };
        Item { family: Some(family), ..Item::new(Size::new(size.w * 4, size.h * 4)) }
    };
    sizes(Dice(seed * 1000 + count as u64)).take(count).enumerate().map(frame).collect()
}

/// As many sizes as come to `area` pixels and not more.
fn set_of_area(area: u64, seed: u64) -> Vec<Item> {
    let mut left = area;
    let fits = |size: &Size| {
        let fits = size.area() <= left;
        left -= if fits { size.area() } else { 0 };
        fits
    };
    sizes(Dice(seed * 1000 + 77)).take(20_000 + (area / 4000) as usize).filter(fits).map(Item::new).collect()
}

/// A page cut at random into `count` rectangles: edge to edge in two, or now and then in five round a middle.
fn cuts(count: usize, seed: u64) -> Vec<Item> {
    let mut dice = Dice(seed * 1000 + count as u64 + 5);
    let side = ((count as f64).sqrt() * 40.0) as u32;
    let mut parts = vec![Size::new(side + (dice.next() % 100) as u32, side)];
    while parts.len() < count {
        parts.sort_by_key(|p| p.area());
        let part = parts.pop().unwrap();
        let mut at = |side: u32| side / 4 + (dice.next() % u64::from(side / 2)) as u32;
        let (x, y, x2, y2) = (at(part.w), at(part.h), at(part.w), at(part.h));
        if x2 > x + 4 && y2 > y + 4 && parts.len() + 5 <= count {
            parts.push(Size::new(x2, y));
            parts.push(Size::new(part.w - x2, y2));
            parts.push(Size::new(part.w - x, part.h - y2));
            parts.push(Size::new(x, part.h - y));
            parts.push(Size::new(x2 - x, y2 - y));
        } else if part.w > part.h {
            parts.extend([Size::new(x, part.h), Size::new(part.w - x, part.h)]);
        } else {
            parts.extend([Size::new(part.w, y), Size::new(part.w, part.h - y)]);
        }
    }
    parts.into_iter().map(Item::new).collect()
}

fn area(items: &[Item]) -> u64 {
    items.iter().map(|i| i.size.area()).sum()
}

struct Run {
    effort: Effort,
    seeds: u64,
    only: Option<u32>,
}

impl Run {
    fn lay_out(&self, items: &[Item], policy: &PagePolicy) -> (Layout, f64) {
        let started = Instant::now();
        let request = LayoutRequest { effort: self.effort, ..LayoutRequest::new(items, Spacing::default(), policy) };
        let layout = lay_out(&request).unwrap();
        (layout, started.elapsed().as_secs_f64())
    }

    /// The mean share that is filled, in percent, and the mean time.
    fn filled(&self, seeds: u64, policy: &PagePolicy, set: impl Fn(u64) -> Vec<Item>) -> (f64, f64) {
        let (mut filled, mut time) = (0.0, 0.0);
        for seed in 0..seeds {
            let items = set(seed);
            let (layout, seconds) = self.lay_out(&items, policy);
            time += seconds;
            filled += area(&items) as f64 / layout.area() as f64;
        }
        (filled / seeds as f64 * 100.0, time / seeds as f64)
    }

    fn of(&self, by_effort: [f64; 3]) -> f64 {
        by_effort[self.effort as usize]
    }

    fn free(&self) {
        let targets = [
            (50, [98.3, 98.9, 99.2], [99.0, 99.5, 99.7]),
            (100, [98.5, 99.0, 99.3], [99.2, 99.5, 99.7]),
            (500, [99.3, 99.5, 99.65], [99.6, 99.8, 99.85]),
            (1000, [99.5, 99.7, 99.8], [99.7, 99.8, 99.9]),
            (10_000, [99.8, 99.85, 99.9], [99.8, 99.85, 99.9]),
            (100_000, [99.9, 99.95, 99.96], [99.9, 99.95, 99.96]),
        ];
        println!("rectangles     upright  target    time     turning  target    time");
        for (count, upright, turning) in targets {
            let seeds = if count > 2000 { self.seeds.min(2) } else { self.seeds };
            let (up, up_time) = self.filled(seeds, &one_free_page(2.0), |seed| set(count, seed, false));
            let (turn, turn_time) = self.filled(seeds, &one_free_page(2.0), |seed| set(count, seed, true));
            let (up_to, turn_to) = (self.of(upright), self.of(turning));
            println!(
                "{count:>10}   {up:>7.2} %  {up_to:>6} {up_time:>5.2} s   {turn:>7.2} %  {turn_to:>6} {turn_time:>5.2} s"
            );
        }
    }

    fn few(&self) {
        println!("rectangles     upright     time   longest     turning     time   longest");
        for count in [4, 6, 8, 10, 12, 13] {
            let run = |may_turn: bool| {
                let mut longest: f64 = 0.0;
                let (mut filled, mut all) = (0.0, 0.0);
                for seed in 0..self.seeds {
                    let items = set(count, seed, may_turn);
                    let (layout, time) = self.lay_out(&items, &one_free_page(2.0));
                    (longest, all) = (longest.max(time), all + time);
                    filled += area(&items) as f64 / layout.area() as f64;
                }
                let seeds = self.seeds as f64;
                format!("{:>7.2} %  {:>6.3} s  {longest:>6.3} s", filled / seeds * 100.0, all / seeds)
            };
            println!("{count:>10}   {}   {}", run(false), run(true));
        }
    }

    fn squares(&self) {
        let best = [
            (6, 99),
            (7, 154),
            (8, 210),
            (9, 300),
            (10, 405),
            (11, 513),
            (12, 667),
            (13, 836),
            (14, 1035),
            (15, 1265),
            (16, 1512),
            (17, 1794),
            (18, 2139),
            (19, 2491),
            (20, 2890),
            (21, 3344),
            (22, 3822),
            (23, 4352),
            (24, 4928),
            (25, 5547),
            (26, 6230),
            (27, 6956),
            (28, 7749),
        ];
        println!("squares 1..n   area   optimum    above    time");
        for (n, optimum) in best.into_iter().filter(|(n, _)| self.only.is_none_or(|only| only == *n)) {
            let items: Vec<Item> = (1..=n).map(|side| Item::new(Size::new(side, side))).collect();
            let (layout, time) = self.lay_out(&items, &one_free_page(8.0));
            let above = (layout.area() as f64 / f64::from(optimum) - 1.0) * 100.0;
            println!("{n:>12} {:>6}   {optimum:>7}   {above:>4.2} %   {time:>5.2} s", layout.area());
        }
    }

    fn cut(&self) {
        println!("page cut in    filled  target    time");
        for (count, target) in [(50, 97.8), (100, 98.6), (200, 98.8), (500, 99.4)] {
            let (filled, time) = self.filled(self.seeds, &one_free_page(2.0), |seed| cuts(count, seed));
            println!("{count:>11} {filled:>7.2} %  {target:>6} {time:>5.2} s");
        }
    }

    fn pow2(&self) {
        println!("page side   share of sets that fit, target 1    time");
        for (side, percent) in [(512u32, 980), (1024, 985), (2048, 993)] {
            let policy = PagePolicy { max: Size::new(side, side), ..PagePolicy::default() };
            let (mut fit, mut time) = (0.0, 0.0);
            for seed in 0..self.seeds {
                let items = set_of_area(u64::from(side).pow(2) * percent / 1000, seed);
                let (layout, seconds) = self.lay_out(&items, &policy);
                fit += f64::from(u8::from(layout.pages.len() == 1));
                time += seconds;
            }
            let n = self.seeds as f64;
            println!(
                "{side:>9}   {:>5.2} ({:.1} % filled)               {:>5.2} s",
                fit / n,
                percent as f64 / 10.0,
                time / n
            );
        }
    }

    fn pages(&self) {
        println!("pages by area   pages found (mean)    time");
        for k in [2, 4, 8] {
            let seeds = self.seeds.min(4);
            let (mut pages, mut time) = (0, 0.0);
            for seed in 0..seeds {
                let items = set_of_area((k << 22) * 995 / 1000, seed);
                let (layout, seconds) = self.lay_out(&items, &PagePolicy::default());
                pages += layout.pages.len();
                time += seconds;
            }
            println!("{k:>13}   {:>10.2}          {:>5.2} s", pages as f64 / seeds as f64, time / seeds as f64);
        }
    }

    fn animations(&self) {
        println!("frames of animations    pages    time    a frame");
        for count in [1000, 4000, 16_000] {
            let items = frames(count, 1);
            let (layout, time) = self.lay_out(&items, &PagePolicy::default());
            println!("{count:>20} {:>8} {time:>6.2} s  {:>5.0} us", layout.pages.len(), time / count as f64 * 1e6);
        }
    }

    fn growth(&self) {
        let time = |count: usize, seeds: u64| {
            self.filled(seeds, &one_free_page(2.0), |seed| set(count, seed, false)).1 / count as f64
        };
        let (small, large) = (time(1000, 10), time(100_000, 2));
        println!("time per rectangle at 100,000 is {:.2} of that at 1,000; target 2.5", large / small);
    }
}

fn one_free_page(aspect: f64) -> PagePolicy {
    PagePolicy {
        max: Size::new(LONGEST_SIDE, LONGEST_SIDE),
        shape: Shape::Free,
        count: Some(1),
        aspect,
        ..PagePolicy::default()
    }
}

fn main() {
    let asked: Vec<String> = std::env::args().skip(1).collect();
    let wants = |word: &str| asked.iter().any(|a| a == word);
    let seeds = asked.iter().find_map(|a| a.parse().ok()).unwrap_or(20);
    let only = asked.iter().find_map(|a| a.strip_prefix("n=")?.parse().ok());
    let efforts = [("quick", Effort::Quick), ("normal", Effort::Normal), ("high", Effort::High)];
    let none = !efforts.iter().any(|(word, _)| wants(word));
    type Part = (&'static str, fn(&Run));
    let parts: [Part; 8] = [
        ("free", Run::free),
        ("few", Run::few),
        ("squares", Run::squares),
        ("cut", Run::cut),
        ("pow2", Run::pow2),
        ("pages", Run::pages),
        ("animations", Run::animations),
        ("growth", Run::growth),
    ];
    let all = !parts.iter().any(|(word, _)| wants(word));
    for (word, effort) in efforts.into_iter().filter(|(word, _)| wants(word) || (none && *word == "quick")) {
        println!("effort {word}");
        for (_, part) in parts.iter().filter(|(word, _)| all || wants(word)) {
            part(&Run { effort, seeds, only });
        }
    }
}
