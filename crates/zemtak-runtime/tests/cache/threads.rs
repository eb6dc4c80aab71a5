//! Random work from many threads at once: nothing is lost, leaked or freed under somebody.

use crate::world::{PAGE, SPRITES, Witness, World, check, colour, sprite_name};
use proptest::prelude::*;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;
use zemtak_runtime::{Cache, Lease, PerFrame, RAW_PAGE, Settings, Status};

/// Numbers that follow from a seed (xorshift; Marsaglia, 2003).
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 % most as u64).unwrap()
    }
}

/// Asks, holds, clones, drops and waits at random. Everything is dropped at the end.
fn player(cache: &Cache, seed: u64, steps: usize) {
    let mut dice = Dice(seed | 1);
    let mut held: Vec<Lease> = Vec::new();
    for _ in 0..steps {
        let atlas = ["a", "b"][dice.below(2)];
        let name = sprite_name(atlas, dice.below(3), u32::try_from(dice.below(SPRITES as usize)).unwrap());
        match dice.below(12) {
            0..4 => held.push(cache.lease(&name)),
            4 => held.push(cache.lease(cache.id(&name))),
            5..9 if !held.is_empty() => drop(held.swap_remove(dice.below(held.len()))),
            9 if !held.is_empty() => held.push(held[dice.below(held.len())].clone()),
            10 => drop(cache.lease_all([format!("{atlas}:p1/*").as_str(), name.as_str()])),
            11 => {
                let lease = cache.lease(&name);
                // Whether it can be had is up to the others, but an answer comes.
                if lease.wait().is_ok() {
                    held.push(lease);
                }
            }
            _ => cache.trim(),
        }
    }
}

/// Changes files under everybody, breaks them at times, and asks for reloads.
fn painter(world: &World, cache: &Cache, seed: u64, steps: usize) {
    let mut dice = Dice(seed | 1);
    for version in 1..=steps {
        let atlas = ["a", "b"][dice.below(2)];
        let version = u8::try_from(version).unwrap();
        world.write(atlas, &[version, 0, version]);
        if dice.below(4) == 0 {
            world.files.remove(&format!("{atlas}-0.{RAW_PAGE}"));
        }
        if dice.below(2) == 0 {
            cache.reload(&format!("{atlas}:x"));
        } else {
            cache.reload_changed();
        }
        if dice.below(3) == 0 {
            cache.retry_all();
        }
        thread::yield_now();
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn many_threads_lose_leak_and_free_nothing(seed in any::<u64>(), budget in 1..5_u64, workers in 0..3_usize) {
        let (world, sink) = (World::new(&[("a", 3), ("b", 3)]), Witness::default());
        let settings = Settings { budget: budget * PAGE, workers: Some(workers), ..Settings::over(world.files.clone()) };
        let (cache, pump) = Cache::new(settings, sink.clone());
        let (running, watching) = (AtomicUsize::new(3), AtomicBool::new(false));
        let finished = || { running.fetch_sub(1, Ordering::Release); };
        let mut pump = thread::scope(|scope| {
            // Should this thread fail, the pump goes with it, and nobody waits for ever.
            let mut pump = pump;
            for i in 0..2 {
                let (cache, finished) = (cache.named("player"), &finished);
                scope.spawn(move || { player(&cache, seed.rotate_left(i * 7), 60); finished(); });
            }
            scope.spawn(|| { painter(&world, &cache, seed ^ 99, 12); finished(); });
            // This thread is the game: it draws what it holds, and pumps.
            let mine = cache.lease("a:p1/00");
            while running.load(Ordering::Acquire) > 0 {
                pump.pump(PerFrame { uploads: 1, bytes: PAGE, ..PerFrame::UNLIMITED });
                if let Some(view) = mine.view() {
                    let seen = sink.colour(&view);
                    assert_eq!(&seen[..2], &colour("a", 1, 0)[..2], "a sprite shows another page");
                    watching.store(true, Ordering::Relaxed);
                }
                check_counts(&cache);
                // On few cores the others must have their turn.
                thread::yield_now();
            }
            pump
        });
        drain(&cache, &mut pump);
        let ledger = cache.ledger();
        check(&ledger, &sink);
        prop_assert_eq!((ledger.leases, ledger.in_flight, ledger.leased_bytes), (0, 0, 0), "{}", ledger);
        cache.trim();
        pump.pump(PerFrame::UNLIMITED);
        prop_assert_eq!(sink.used(), 0);
        // And everything still works: the newest version of what is whole can be had.
        world.write("a", &[200, 200, 200]);
        cache.reload("a:p0/00");
        drain(&cache, &mut pump);
        let again = cache.lease("a:p0/00");
        prop_assert!(pump.wait(&again).is_ok());
        prop_assert_eq!(sink.colour(&again.view().unwrap()), colour("a", 0, 200));
    }
}

/// Pumps until nothing is under way any more.
fn drain(cache: &Cache, pump: &mut zemtak_runtime::Pump<Witness>) {
    while !cache.is_idle() {
        pump.pump(PerFrame::UNLIMITED);
        thread::yield_now();
    }
}

fn check_counts(cache: &Cache) {
    let l = cache.ledger();
    assert_eq!(l.requests, l.reuses + l.coalesced + l.started + l.refused + l.withdrawn + l.waiting, "{l}");
    assert_eq!(l.loads_begun, l.loads + l.page_failures + l.cancelled + l.in_flight, "{l}");
}

/// A page is loaded once, however many threads ask for it at the same moment.
#[test]
fn a_page_is_loaded_once_however_many_ask() {
    let (world, sink) = (World::new(&[("a", 1)]), Witness::default());
    let (cache, mut pump) = Cache::new(Settings::over(world.files.clone()), sink.clone());
    let asked = AtomicUsize::new(0);
    thread::scope(|scope| {
        for i in 0..8 {
            let (cache, asked) = (cache.clone(), &asked);
            scope.spawn(move || {
                let leases: Vec<Lease> =
                    (0..50).map(|k| cache.lease(&sprite_name("a", 0, (i + k) % SPRITES))).collect();
                asked.fetch_add(1, Ordering::Release);
                leases.iter().for_each(|lease| lease.wait().unwrap());
                assert!(leases.iter().all(|lease| matches!(lease.status(), Status::Ready)));
            });
        }
        while asked.load(Ordering::Acquire) < 8 || !cache.ledger().held.is_empty() {
            pump.pump(PerFrame::default());
            thread::yield_now();
        }
    });
    let ledger = cache.ledger();
    check(&ledger, &sink);
    assert_eq!((ledger.requests, ledger.loads, ledger.started), (400, 1, 1), "{ledger}");
}

/// As the docs promise: all but the pump and its sink goes to any thread.
#[test]
fn handles_go_to_any_thread() {
    fn anywhere<T: Send + Sync>() {}
    anywhere::<Cache>();
    anywhere::<Lease>();
    anywhere::<zemtak_runtime::LeaseSet>();
    anywhere::<zemtak_runtime::ClipLease>();
    anywhere::<zemtak_runtime::Playing>();
    anywhere::<zemtak_runtime::Views>();
}
