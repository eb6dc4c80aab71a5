//! Every order in which two threads and the pump can meet, tried out by a model checker:
//! `RUSTFLAGS="--cfg loom" cargo test -p loom-tests`

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test may fail loudly")]
#![cfg(all(loom, test))]

use std::collections::HashSet;
use std::io;
use std::path::PathBuf;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use zemtak_runtime::{Cache, Files, Lease, NewTexture, PerFrame, Pump, Settings, Sink, SinkError, Stamp, Texture};

/// An image of one transparent pixel.
const PIXEL: &[u8] = b"\x89PNG\r\n\x1a\n\
    \0\0\0\x0dIHDR\0\0\0\x01\0\0\0\x01\x08\x06\0\0\0\x1f\x15\xc4\x89\
    \0\0\0\x0bIDATx\x9cc`\0\x02\0\0\x05\0\x01z^\xab?\
    \0\0\0\0IEND\xaeB`\x82";

/// Two images, without locks of their own that would only add orders to try.
struct Two;

impl Files for Two {
    fn read(&self, path: &str, _: u64) -> io::Result<Vec<u8>> {
        if path == "a.png" || path == "b.png" { Ok(PIXEL.to_vec()) } else { Err(io::ErrorKind::NotFound.into()) }
    }
    fn stamp(&self, _: &str) -> io::Result<Stamp> {
        Ok(Stamp { length: 0, version: 0 })
    }
    fn list(&self) -> io::Result<Vec<String>> {
        Ok(vec![])
    }
    fn place(&self, path: &str) -> PathBuf {
        path.into()
    }
}

/// The textures that are there. The lock is one that the checker does not see.
#[derive(Clone, Default)]
struct Live(Arc<Mutex<(HashSet<Texture>, u64)>>);

impl Sink for Live {
    fn make_texture(&mut self, _: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let mut live = self.0.lock().unwrap();
        live.1 += 1;
        let texture = Texture(live.1);
        live.0.insert(texture);
        Ok(texture)
    }
    fn drop_texture(&mut self, texture: Texture) {
        assert!(self.0.lock().unwrap().0.remove(&texture), "dropped twice");
    }
}

/// Tries all orders there are; with a bound, those in which threads are interrupted no more often than that.
fn in_all_orders(bound: Option<usize>, test: impl Fn() + Sync + Send + 'static) {
    let mut checker = loom::model::Builder::new();
    checker.preemption_bound = bound;
    let orders = Arc::new(AtomicUsize::new(0));
    let counted = orders.clone();
    checker.check(move || {
        counted.fetch_add(1, Ordering::Relaxed);
        test();
    });
    let orders = orders.load(Ordering::Relaxed);
    println!("{orders} orders");
    assert!(orders > 100, "only {orders} orders: the threads never met");
}

/// A cache without room for what nobody holds, so that everything goes as soon as it may.
fn cache() -> (Cache, Pump<Live>, Live) {
    let live = Live::default();
    let settings = Settings { workers: Some(0), budget: 0, ..Settings::over(Two) };
    let (cache, pump) = Cache::new(settings, live.clone());
    (cache, pump, live)
}

/// What is leased is never dropped, and what is shown is there.
fn draw(lease: &Lease, live: &Live) {
    if let Some(view) = lease.view() {
        assert!(live.0.lock().unwrap().0.contains(&view.texture), "a leased texture is gone");
    }
}

#[test]
fn a_lease_keeps_its_texture_whenever_others_let_go() {
    in_all_orders(None, || {
        let (cache, mut pump, live) = cache();
        let first = cache.lease("a.png");
        pump.wait(&first).unwrap();
        let other = {
            let (cache, live) = (cache.clone(), live.clone());
            loom::thread::spawn(move || {
                let lease = cache.lease("a.png");
                draw(&lease, &live);
                let clone = lease.clone();
                drop(lease);
                draw(&clone, &live);
            })
        };
        drop(first);
        pump.pump(PerFrame::UNLIMITED);
        other.join().unwrap();
        pump.pump(PerFrame::UNLIMITED);
        let ledger = cache.ledger();
        assert_eq!((ledger.leases, ledger.resident_bytes, ledger.in_flight), (0, 0, 0), "{ledger}");
        assert_eq!(ledger.loads, ledger.evictions.all());
        assert!(live.0.lock().unwrap().0.is_empty());
    });
}

#[test]
fn two_who_ask_at_once_share_one_load() {
    // Without a bound these are 3,950,455 orders and take three minutes.
    in_all_orders(Some(3), || {
        let (cache, mut pump, live) = cache();
        let ask = |cache: Cache| {
            loom::thread::spawn(move || {
                let first = cache.lease("a.png");
                let second = first.clone();
                drop(first);
                second
            })
        };
        let (one, two) = (ask(cache.clone()), ask(cache.clone()));
        pump.pump(PerFrame::UNLIMITED);
        let leases = [one.join().unwrap(), two.join().unwrap()];
        leases.iter().for_each(|lease| pump.wait(lease).unwrap());
        draw(&leases[0], &live);
        assert_eq!(leases[0].view(), leases[1].view());
        assert_eq!((cache.ledger().loads, cache.ledger().requests, cache.ledger().leases), (1, 2, 2));
    });
}

#[test]
fn who_waits_is_always_woken() {
    in_all_orders(None, || {
        let (cache, mut pump, _) = cache();
        let waiting = {
            let cache = cache.clone();
            loom::thread::spawn(move || {
                let lease = cache.lease("a.png");
                let answer = lease.wait();
                drop(lease);
                answer.is_ok()
            })
        };
        // The game ends, whether the other has its texture by then or not: either way it gets an answer.
        pump.pump(PerFrame::UNLIMITED);
        drop(pump);
        let _ = waiting.join().unwrap();
        assert_eq!(cache.ledger().resident_bytes, 0);
        assert_eq!(cache.ledger().leases, 0);
    });
}
