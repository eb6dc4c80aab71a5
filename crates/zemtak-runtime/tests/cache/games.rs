//! What real games need beside a lease: many views at once, tasks that wait, a device that is lost, clips that change.

use crate::world::{Witness, World, check, colour};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::task::{Context, Poll, Wake, Waker};
use std::time::Duration;
use zemtak_runtime::atlas::{Mode, parse};
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::{Middle, Part, Picture, Placement, Sampling, Stretched};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{
    Cache, Cause, Event, FRAMES_KEPT, Files, Lease, PerFrame, Pixels, Playing, Pump, Reason, Settings, Status, View,
    Views,
};

fn game() -> (World, Witness, Cache, Pump<Witness>) {
    let (world, sink) = (World::new(&[("a", 3), ("b", 1)]), Witness::default());
    let stand_in = Pixels::from_rgba(Size::new(2, 2), [255, 0, 255, 255].repeat(4)).unwrap();
    let settings = Settings { workers: Some(0), stand_in: Some(stand_in), ..Settings::over(world.files.clone()) };
    let (cache, pump) = Cache::new(settings, sink.clone());
    (world, sink, cache, pump)
}

#[test]
fn many_views_at_once_are_those_of_each() {
    let (_, _, cache, mut pump) = game();
    let names = ["a:p0/00", "b:p0/02", "a:p2/01", "a:none", "late.png"];
    let mut held: Vec<Lease> = names.iter().map(|name| cache.lease(*name)).collect();
    held.push(held[0].part(Part { x: 1, y: 1, w: 2, h: 2 }).unwrap());
    let set = cache.lease_all(["a:**"]);
    let (mut views, mut of_set) = (Views::new(), Views::new());
    let mut look = |held: &[Lease]| {
        Lease::views(held, &mut views);
        assert_eq!(views[..], held.iter().map(Lease::view).collect::<Vec<_>>());
        set.views(&mut of_set);
        assert_eq!(of_set[..], (0..set.names().len()).map(|at| set.view(at)).collect::<Vec<_>>());
        views.len()
    };
    // Nothing, the stand-in, the sprites, gone with the device, there again; other leases in between, and fewer.
    look(&held);
    pump.pump(PerFrame { uploads: 0, ..PerFrame::UNLIMITED });
    look(&held);
    let _ = pump.wait(&set);
    look(&held);
    pump.device_lost();
    look(&held);
    let _ = pump.wait(&set);
    held.swap(0, 2);
    look(&held);
    held[1] = held[5].part(Part { x: 0, y: 0, w: 1, h: 1 }).unwrap();
    look(&held);
    held[1] = held[5].part(Part { x: 1, y: 0, w: 1, h: 2 }).unwrap();
    look(&held);
    assert_eq!(look(&held[..2]), 2);
    assert_eq!(look(&held), 6);
    Lease::views([], &mut views);
    assert!(views.is_empty());
}

#[test]
fn the_last_four_seconds_are_kept_and_no_more() {
    let (_, _, cache, mut pump) = game();
    let mut frames = Vec::new();
    (0..FRAMES_KEPT + 60).for_each(|_| {
        pump.pump(PerFrame::default());
    });
    cache.frames(&mut frames);
    let numbers: Vec<u64> = frames.iter().map(|frame| frame.number).collect();
    assert_eq!(numbers, (61..=60 + FRAMES_KEPT as u64).collect::<Vec<_>>());
    let room = frames.capacity();
    cache.frames(&mut frames);
    assert_eq!((frames.len(), frames.capacity()), (FRAMES_KEPT, room));
}

#[test]
fn the_clips_of_an_atlas_are_listed_without_loading_a_page() {
    let (_, sink, cache, mut pump) = game();
    assert_eq!(cache.clips("a").unwrap(), None);
    (0..2).for_each(|_| {
        pump.pump(PerFrame::UNLIMITED);
    });
    let made = cache.clips("a").unwrap().unwrap();
    assert_eq!(made.keys().collect::<Vec<_>>(), ["a:p0", "a:p1", "a:p2"]);
    let fly = cache.lease_clip("a:p0");
    pump.wait(&fly).unwrap();
    assert_eq!(made["a:p0"], fly.info().unwrap());
    assert_eq!(sink.seen().made, 2, "the stand-in, and the page of the clip that was leased");
    // Nothing there, no name, and the end.
    assert_eq!(cache.clips("none").unwrap(), None);
    pump.pump(PerFrame::UNLIMITED);
    assert_eq!(cache.clips("none").unwrap_err().to_string(), "none: no root has it; looked for none.zemtak.json");
    assert!(matches!(cache.clips("../a").unwrap_err().reason(), Reason::Name));
    drop(pump);
    assert!(matches!(cache.clips("late").unwrap_err().reason(), Reason::Closed));
}

/// Also where the other has come as far.
#[test]
fn views_are_of_one_cache_at_a_time() {
    let [(_, _, ours, mut our_pump), (_, _, theirs, mut their_pump)] = [game(), game()];
    let [our, their] = [ours.lease("a:p0/00"), theirs.lease("a:p0/01")];
    our_pump.wait(&our).unwrap();
    their_pump.wait(&their).unwrap();
    assert_ne!(our.view(), their.view());
    let mut views = Views::new();
    for lease in [&our, &their] {
        Lease::views([lease], &mut views);
        assert_eq!(views[..], [lease.view()]);
    }
    Lease::views([&our, &their], &mut views);
    assert_eq!(views[..], [our.view(), None]);
}

/// Found by taking a counter away: nothing of the pages changes then.
#[test]
fn a_sprite_that_only_moved_its_pivot_is_seen_with_it() {
    let (world, _, cache, mut pump) = game();
    let (moth, mut views) = (cache.lease("a:p0/00"), Views::new());
    pump.wait(&moth).unwrap();
    Lease::views([&moth], &mut views);
    let file = "a.zemtak.json";
    let text = String::from_utf8(world.files.read(file, u64::MAX).unwrap()).unwrap();
    let mut atlas = parse(&text).unwrap().atlas;
    atlas.sprites.values_mut().for_each(|sprite| sprite.pivot = [0.5, 1.5]);
    world.files.put(file, atlas.to_text().unwrap().into_bytes());
    cache.reload("a:p0/00");
    let moved = || moth.view().unwrap().pivot == [0.5, 1.5];
    while !moved() {
        pump.pump(PerFrame::UNLIMITED);
    }
    Lease::views([&moth], &mut views);
    assert_eq!((views[0], views[0].unwrap().pivot), (moth.view(), [0.5, 1.5]));
}

/// A part of a view is the view of the part, also of one that is not there yet.
#[test]
fn a_part_of_a_view_is_the_view_of_the_part() {
    let (_, _, cache, mut pump) = game();
    let (outer, inner) = (Part { x: 1, y: 0, w: 3, h: 4 }, Part { x: -1, y: 1, w: 2, h: 9 });
    let moth = cache.lease("a:p1/01");
    pump.pump(PerFrame { uploads: 0, ..PerFrame::UNLIMITED });
    for ready in [false, true] {
        if ready {
            pump.wait(&moth).unwrap();
        } else {
            while moth.details().is_none() {
                pump.pump(PerFrame { uploads: 1, ..PerFrame::UNLIMITED });
                if moth.is_ready() {
                    break;
                }
            }
        }
        let view = moth.view().unwrap();
        let by_lease = moth.part(outer).unwrap().part(inner).unwrap().view().unwrap();
        assert_eq!(view.part(outer).unwrap().part(inner).unwrap(), by_lease);
        assert!(view.part(Part { x: 90, y: 0, w: 1, h: 1 }).is_err());
    }
}

struct Count(AtomicUsize);

impl Wake for Count {
    fn wake(self: Arc<Self>) {
        self.0.fetch_add(1, Ordering::SeqCst);
    }
}

/// A task is woken by pumps until what it waits for is there, and never again.
#[test]
fn tasks_wait_without_a_thread() {
    let (_, _, cache, mut pump) = game();
    let count = Arc::new(Count(AtomicUsize::new(0)));
    let waker = Waker::from(count.clone());
    let mut context = Context::from_waker(&waker);
    let (moth, all, none) = (cache.lease("a:p0/00"), cache.lease_all(["a:**"]), cache.lease("none.png"));
    let mut futures = [Box::pin(moth.ready()), Box::pin(all.ready()), Box::pin(none.ready())];
    let mut ended = [None, None, None];
    for _ in 0..20 {
        for (future, ended) in futures.iter_mut().zip(&mut ended).filter(|(_, ended)| ended.is_none()) {
            if let Poll::Ready(result) = future.as_mut().poll(&mut context) {
                *ended = Some(result);
            }
        }
        let woken = count.0.load(Ordering::SeqCst);
        let waits = ended.iter().any(Option::is_none);
        pump.pump(PerFrame { uploads: 1, ..PerFrame::UNLIMITED });
        assert_eq!(count.0.load(Ordering::SeqCst) - woken, usize::from(waits), "one for all three");
    }
    let [moth, all, none] = ended.map(Option::unwrap);
    assert!(moth.is_ok() && all.is_ok() && none.unwrap_err().to_string().contains("no root has it"));
}

/// All that somebody holds comes back on the new device, and what nobody holds is gone with the old one.
#[test]
fn a_lost_device_loses_no_lease() {
    let (_, sink, cache, mut pump) = game();
    let held = ["a:p0/00", "b:p0/00"].map(|name| cache.lease(name));
    let id = cache.id("a:p1/00");
    drop(cache.lease(id));
    let idle = cache.lease("a:p1/00");
    pump.pump(PerFrame::UNLIMITED);
    let begun = cache.lease("a:p2/00");
    drop(idle);
    sink.seen().textures.clear();
    let _ = cache.events();
    pump.device_lost();
    check(&cache.ledger(), &sink);
    assert!(held.iter().all(|lease| matches!(lease.status(), Status::Loading)));
    let lost = cache.events().into_iter().filter(|event| matches!(event, Event::Evicted { cause: Cause::Lost, .. }));
    assert_eq!((lost.count(), cache.ledger().evictions.lost), (3, 3));
    pump.pump(PerFrame::UNLIMITED);
    check(&cache.ledger(), &sink);
    assert_eq!(sink.colour(&held[0].view().unwrap()), colour("a", 0, 0));
    assert_eq!(sink.colour(&begun.view().unwrap()), colour("a", 2, 0));
    // The stand-in, and three pages: not the one that nobody holds.
    assert_eq!(sink.seen().textures.len(), 4);
    let again = cache.lease(id);
    pump.wait(&again).unwrap();
    assert_eq!(sink.colour(&again.view().unwrap()), colour("a", 1, 0));
}

#[test]
fn a_clip_tells_what_it_is_and_another_goes_on_where_it_was() {
    let (world, _, cache, mut pump) = game();
    let text = String::from_utf8(world.files.read("b.zemtak.json", 1 << 20).unwrap()).unwrap();
    world.files.put("b.zemtak.json", text.replace("\"fps\": 10", "\"fps\": 20").into_bytes());
    let (walk, run) = (cache.lease_clip("a:p0"), cache.lease_clip("b:p0"));
    assert_eq!(walk.info(), None);
    pump.wait(&walk).unwrap();
    pump.wait(&run).unwrap();
    let info = walk.info().unwrap();
    assert_eq!((info.mode, info.steps), (Mode::Loop, 3));
    let mut moth = walk.play(Ratio::ONE);
    let third = info.length / 3;
    assert_eq!(moth.advance(third + third / 2).step, 1);
    moth.restart();
    assert_eq!(moth.advance(Duration::ZERO).step, 0);
    moth.seek(third * 2 + third / 2);
    let now = moth.advance(Duration::ZERO);
    assert_eq!((now.step, now.played, now.entered().count()), (2, 0, 0));
    moth.go_over_to(&run);
    let now = moth.advance(Duration::ZERO);
    assert_eq!((now.step, now.view), (2, cache.lease("b:p0/02").view()));
    // Through its end it goes on as any clip.
    assert_eq!(moth.advance(third / 2).step, 0);
    // It jumps and goes over in the same frame, there and back: from where it jumped to.
    moth.seek(third * 3 / 4);
    moth.go_over_to(&walk);
    moth.go_over_to(&run);
    assert_eq!(moth.advance(Duration::ZERO).step, 1);
}

/// A game that was suspended advances by days at once, and by C a number may be anything: events are counted, and each
/// is to be had, without going through all of them. They were copied one by one, until memory was full.
#[test]
fn events_are_told_after_any_length_of_time() {
    let (world, _, cache, mut pump) = game();
    let text = String::from_utf8(world.files.read("a.zemtak.json", 1 << 20).unwrap()).unwrap();
    let few = text.replace("\"step 0\"", "").replace("\"step 1\"", "\"flap\", \"hum\"");
    world.files.put("a.zemtak.json", few.into_bytes());
    let (fly, other) = (cache.lease_clip("a:p0"), cache.lease_clip("b:p0"));
    let mut moth = fly.play(Ratio::ONE);
    assert_eq!((moth.advance(Duration::ZERO).event_count(), moth.event(0)), (0, None));
    pump.wait(&fly).unwrap();
    for milliseconds in [0, 150, 50, 100, 250, -700, 3_050, -10_000, 100] {
        let now = moth.advance_by(milliseconds * 1_000_000);
        let (events, count): (Vec<String>, u64) = (now.events().map(str::to_owned).collect(), now.event_count());
        assert_eq!((0..count + 2).map_while(|at| moth.event(at)).collect::<Vec<_>>(), events, "{milliseconds}");
        assert_eq!(count, events.len() as u64, "{milliseconds}");
    }
    // Three events in three steps of a tenth of a second, for 292 years. It plays on from step 1.
    moth.seek(Duration::from_millis(150));
    moth.advance(Duration::ZERO);
    let steps = (i64::MAX as u64 + 150_000_000) / 100_000_000 - 1;
    let now = moth.advance_by(i64::MAX);
    assert_eq!((now.event_count(), now.entered().next()), (steps / 3 * 3 + [0, 1, 1][(steps % 3) as usize], Some(2)));
    let count = now.event_count();
    let at = |moth: &Playing, index: u64| moth.event(index).map(str::to_owned);
    let heard = [0, 1, 2, 3, 3_000_000_002, count].map(|index| at(&moth, index));
    assert_eq!(
        heard,
        [Some("step 2"), Some("flap"), Some("hum"), Some("step 2"), Some("hum"), None].map(|e| e.map(str::to_owned))
    );
    // They stay what they are until the next advance.
    moth.go_over_to(&other);
    assert_eq!(moth.event(1), Some("flap"));
    moth.advance(Duration::ZERO);
    assert_eq!(moth.event(0), None);
}

/// What stands in the way of a name is told: another case, an atlas without a sprite, a near name.
#[test]
fn a_wrong_name_says_what_is_there_instead() {
    let (world, _, cache, mut pump) = game();
    world.files.put("Title.png", vec![1]);
    world.files.put("worlds/a.zemtak.json", vec![1]);
    for (name, told) in [
        ("title.png", "no root has it, but one has Title.png: names are told apart by their case"),
        ("Worlds/a:p0/00", "no root has it, but one has worlds/a.zemtak.json: names are told apart by their case"),
        ("a", "it is an atlas; name a sprite of it, as a:moth/fly/03, or all, as a:**"),
        ("a:P0/00", "the atlas has no sprite of that name; the nearest is p0/00"),
        ("a:p0/09", "the atlas has no sprite of that name; the nearest is p0/00"),
        ("c", "no root has it; looked for c"),
    ] {
        let failure = pump.wait(&cache.lease(name)).unwrap_err();
        // Of an atlas that cannot be had the name is its own.
        let atlas = name.split(':').next().unwrap();
        let expected = [name, atlas].map(|name| format!("{name}: {told}"));
        assert!(expected.contains(&failure.to_string()), "{failure}");
    }
}

/// A view is stretched as its sprite is; a part of one is not, since nobody knows the rest.
#[test]
fn a_view_is_stretched_by_its_bands() {
    let (_, _, cache, mut pump) = game();
    let panel = cache.lease("a:p0/00");
    pump.wait(&panel).unwrap();
    let view = panel.view().unwrap();
    let (placement, sampling) = (Placement::default(), Sampling::default());
    let quads = |view: &View| {
        view.stretched([2, 1, 1, 1], [20.0, 9.0], Middle::Stretched, placement, sampling).collect::<Vec<_>>()
    };
    let picture = Picture {
        area: view.visible.area,
        canvas: view.canvas,
        inset: [view.visible.on_canvas.x, view.visible.on_canvas.y],
    };
    let expected = Stretched::new(picture, [2, 1, 1, 1], [20.0, 9.0], Middle::Stretched);
    assert_eq!(quads(&view), expected.quads(view.pivot, placement, sampling).collect::<Vec<_>>());
    assert!(quads(&view).len() > 4);
    assert!(quads(&view.part(Part { x: 0, y: 0, w: 3, h: 3 }).unwrap()).is_empty());
    assert_eq!(quads(&cache.lease("late.png").view().unwrap()).len(), 1, "the stand-in");
}
