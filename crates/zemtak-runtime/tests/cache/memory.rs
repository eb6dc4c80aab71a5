//! What the cache itself takes, as docs/performance.md says it.

use crate::world::{Witness, crowd};
use zemtak_runtime::{Cache, Lease, PerFrame, Settings, Views};

const SPRITES: u32 = 10_000;

#[test]
fn a_sprite_takes_little_until_it_is_asked_for_and_not_much_then() {
    let world = crowd("a", SPRITES);
    let settings = Settings { workers: Some(0), ..Settings::over(world.files) };
    let (cache, mut pump) = Cache::new(settings, Witness::default());
    let mut kept = None;
    let known = allocation_counter::measure(|| {
        kept = Some(cache.lease("a:moth/fly/00000"));
        pump.wait(kept.as_ref().unwrap()).unwrap();
    });
    let mut all = None;
    let asked = allocation_counter::measure(|| {
        all = Some(cache.lease_all(["a:**"]));
        pump.pump(PerFrame::UNLIMITED);
    });
    assert_eq!(all.unwrap().progress().done, SPRITES as usize);
    let each = |bytes: i64| bytes / i64::from(SPRITES);
    println!("{} bytes a sprite known, {} more when asked for", each(known.bytes_current), each(asked.bytes_current));
    assert!((100..=200).contains(&each(known.bytes_current)), "{known:?}");
    assert!((100..=250).contains(&each(asked.bytes_current)), "{asked:?}");
}

/// What a game does each frame takes no memory from the heap.
#[test]
fn leasing_and_drawing_what_is_there_take_no_memory() {
    let world = crowd("a", 100);
    let settings = Settings { workers: Some(0), ..Settings::over(world.files) };
    let (cache, mut pump) = Cache::new(settings, Witness::default());
    let held = cache.lease("a:moth/fly/00007");
    pump.wait(&held).unwrap();
    let id = cache.id("a:moth/fly/00007");
    let mut views = Views::new();
    let mut frame = || {
        let lease = cache.lease(id);
        let clone = lease.clone();
        assert_eq!(clone.view(), held.view());
        Lease::views([&lease, &held, &clone], &mut views);
        pump.pump(PerFrame::default());
    };
    // In debug builds the first lease from another line of the program takes a note.
    frame();
    let taken = allocation_counter::measure(|| (0..100).for_each(|_| frame()));
    assert_eq!(taken.count_total, 0, "{taken:?}");
}

/// Found by a game that asked for an atlas that was not there in every frame: each time it kept 6 KB.
#[test]
fn what_cannot_be_had_leaves_nothing_behind() {
    let world = crowd("a", 10);
    let settings = Settings { workers: Some(0), ..Settings::over(world.files) };
    let (cache, mut pump) = Cache::new(settings, Witness::default());
    let mut frame = || {
        drop(cache.lease_all(["none:**", "a:none/*"]));
        drop(cache.lease_clip("none:moth/fly"));
        pump.pump(PerFrame::default());
        cache.events().clear();
    };
    (0..100).for_each(|_| frame());
    let taken = allocation_counter::measure(|| (0..1000).for_each(|_| frame()));
    assert!(taken.bytes_current < 1000, "{taken:?}");
    // Nor does what is given back before anybody has looked for it.
    let unread = || drop(cache.lease_all(["later:**", "later:moth/*"]));
    unread();
    let taken = allocation_counter::measure(|| (0..1000).for_each(|_| unread()));
    assert!(taken.bytes_current < 1000, "{taken:?}");
}
