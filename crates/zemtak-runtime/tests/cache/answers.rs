//! What a cache says of itself, number by number and word by word.

use crate::world::{PAGE, SIDE, Witness, World, check};
use std::fs;
use std::sync::{Arc, Mutex};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_runtime::atlas::{Colour, Filter, Wrap};
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::{Part, Sampling};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{
    Cache, Event, Files, Folder, HashCheck, Id, MemoryFiles, MemorySink, NewTexture, PerFrame, Pixels, Pumped,
    RAW_PAGE, Reason, Sampler, Settings, Sink, SinkError, Status, Texture, Views,
};

fn settings(world: &World) -> Settings {
    Settings { workers: Some(0), ..Settings::over(world.files.clone()) }
}

fn png(size: Size, rgba: [u8; 4]) -> Vec<u8> {
    let pixels = Pixels::from_rgba(size, rgba.repeat((size.w * size.h) as usize)).unwrap();
    encode_png(&pixels, PngEffort::Fast).unwrap()
}

#[test]
fn a_ledger_counts_each_thing_once() {
    let (world, sink) = (World::new(&[("a", 3)]), Witness::default());
    let (cache, mut pump) = Cache::new(settings(&world), sink.clone());
    let held = ["a:p0/00", "a:p1/00", "a:p1/01"].map(|name| cache.lease(name));
    let (gone, nothing) = (cache.lease("a:p2/00"), cache.lease("a:none"));
    let ledger = cache.ledger();
    assert_eq!((ledger.requests, ledger.waiting, ledger.refused), (5, 5, 0));
    assert!(ledger.to_string().contains("\n    0 refused, 0 withdrawn, 5 waiting\n"), "{ledger}");
    drop(gone);
    assert_eq!((cache.ledger().withdrawn, cache.ledger().waiting), (1, 4));
    assert!(!cache.is_idle());
    assert_eq!(
        pump.pump(PerFrame { uploads: 1, bytes: 1, ..PerFrame::UNLIMITED }),
        Pumped::default(),
        "the descriptor was read"
    );
    assert!(!cache.is_idle());
    // One page is made a frame, and the other waits.
    let first = pump.pump(PerFrame { uploads: 2, bytes: 1, ..PerFrame::UNLIMITED });
    assert_eq!((first.made, first.dropped), (1, 0));
    while !cache.is_idle() {
        pump.pump(PerFrame::default());
    }
    let ledger = cache.ledger();
    check(&ledger, &sink);
    assert_eq!((ledger.loads, ledger.loaded_bytes, ledger.resident_bytes), (2, 2 * PAGE, 2 * PAGE));
    assert_eq!((ledger.leased_bytes, ledger.refused, ledger.other_failures), (2 * PAGE, 1, 1));
    assert!(!ledger.to_string().contains("0 refused, 1 withdrawn"), "{ledger}");
    assert!(matches!(&cache.events()[..], [Event::Opened { .. }, Event::Failed(f), ..] if f.name() == "a:none"));
    let states: Vec<_> = ledger.textures.iter().map(|line| (line.path.as_str(), line.state)).collect();
    let file = |page: usize| format!("a-{page}.{RAW_PAGE}");
    assert_eq!(states, [(&*file(0), "resident"), (&*file(1), "resident"), (&*file(2), "absent")]);
    assert!(ledger.held.iter().any(|held| held.sprite == "a:none (failed)"), "{ledger}");
    drop((held, nothing));
    cache.trim();
    assert_eq!(pump.pump(PerFrame::default()).dropped, 2);
    assert_eq!(cache.ledger().leased_bytes, 0);
}

#[test]
fn after_the_end_everything_is_refused_and_nothing_is_left() {
    let world = World::new(&[("a", 1)]);
    let stand_in = Pixels::transparent(Size::new(8, 2)).unwrap();
    let (cache, mut pump) = Cache::new(Settings { stand_in: Some(stand_in), ..settings(&world) }, MemorySink::new());
    let moth = cache.lease("a:p0/00");
    pump.wait(&moth).unwrap();
    assert_eq!(cache.ledger().resident_bytes, PAGE + 8 * 2 * 4);
    let last = pump.finish();
    assert_eq!((last.resident_bytes, last.evictions.closed, last.leases), (0, 1, 1));
    let late = cache.lease("a:p0/01");
    assert!(matches!(late.status(), Status::Failed(f) if matches!(f.reason(), Reason::Closed)));
    assert_eq!(cache.ledger().refused, 1);
    assert_eq!(format!("{late:?}"), r#"Lease { name: "a:p0/01", parts: None }"#);
}

#[test]
fn a_view_has_the_corners_and_the_middle_of_what_is_drawn() {
    let world = World::new(&[("a", 1)]);
    let stand_in = Pixels::transparent(Size::new(8, 2)).unwrap();
    let (cache, mut pump) = Cache::new(Settings { stand_in: Some(stand_in), ..settings(&world) }, MemorySink::new());
    let (moth, none) = (cache.lease("a:p0/01"), cache.lease("none.png"));
    let _ = pump.wait(&none);
    pump.wait(&moth).unwrap();
    let (left, right) = (1.0 / 3.0, 2.0 / 3.0);
    let corners = moth.view().unwrap().corners(&Sampling::default());
    assert_eq!(corners, [[left, 0.0], [right, 0.0], [right, 1.0], [left, 1.0]]);
    let stand_in = none.view().unwrap();
    assert!(stand_in.stand_in);
    assert_eq!((stand_in.pivot, stand_in.canvas), ([4.0, 1.0], Size::new(8, 2)));
    assert_eq!(moth.details().unwrap().tags, ["demo"]);
}

/// Notes how textures are to be sampled.
#[derive(Default, Clone)]
struct Notes(Arc<Mutex<Vec<Sampler>>>);

impl Sink for Notes {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let mut notes = self.0.lock().unwrap();
        notes.push(new.sampler);
        Ok(Texture(notes.len() as u64))
    }

    fn drop_texture(&mut self, _: Texture) {}
}

#[test]
fn loose_images_are_sampled_as_the_settings_say() {
    let (files, notes) = (MemoryFiles::new(), Notes::default());
    files.put("sky.png", png(Size::new(4, 4), [1, 2, 3, 255]));
    let sampler = Sampler { filter: Filter::Linear, wrap: Wrap::Repeat, colour: Colour::Linear, ..Sampler::default() };
    let settings = Settings { image_sampler: sampler, workers: Some(0), ..Settings::over(files) };
    let (cache, mut pump) = Cache::new(settings, notes.clone());
    pump.wait(&cache.lease("sky.png")).unwrap();
    assert_eq!(*notes.0.lock().unwrap(), [sampler]);
}

#[test]
fn an_image_that_was_painted_over_at_its_size_is_drawn_anew() {
    let (world, sink) = (World::new(&[]), Witness::default());
    let size = Size::new(4, 4);
    world.files.put("sky.png", png(size, [1, 2, 3, 255]));
    let (cache, mut pump) = Cache::new(settings(&world), sink.clone());
    let sky = cache.lease("sky.png");
    pump.wait(&sky).unwrap();
    world.files.put("sky.png", png(size, [9, 8, 7, 255]));
    cache.reload("sky.png");
    (0..3).for_each(|_| _ = pump.pump(PerFrame::UNLIMITED));
    assert_eq!(sink.colour(&sky.view().unwrap()), [9, 8, 7, 255]);
    // A broken one is told of, each time, and the good one stays.
    for times in 1..=2 {
        world.files.put("sky.png", b"no picture".to_vec());
        cache.reload("sky.png");
        (0..3).for_each(|_| _ = pump.pump(PerFrame::UNLIMITED));
        assert_eq!(cache.ledger().other_failures, times);
    }
    assert_eq!(sink.colour(&sky.view().unwrap()), [9, 8, 7, 255]);
}

#[test]
fn a_set_keeps_the_failures_that_a_retry_does_not_mend() {
    let world = World::new(&[("a", 1)]);
    let (cache, mut pump) = Cache::new(settings(&world), Witness::default());
    let all = cache.lease_all(["b:**", "a:nothing/**", "c:**"]);
    assert!(pump.wait(&all).is_err());
    assert_eq!(all.failures().len(), 3);
    world.write("b", &[0]);
    cache.retry_all();
    assert!(pump.wait(&all).is_err());
    let left: Vec<String> = all.failures().iter().map(|failure| failure.name().to_owned()).collect();
    assert_eq!(left, ["a:nothing/**", "c"], "{:?}", all.failures());
    assert_eq!(all.names().len(), 3);
}

#[test]
fn a_clip_plays_at_the_speed_that_was_set_before_it_was_known() {
    let world = World::new(&[("a", 1)]);
    let (cache, mut pump) = Cache::new(settings(&world), Witness::default());
    let clip = cache.lease_clip("a:p0");
    let mut moth = clip.play(Ratio::ONE);
    moth.set_speed(Ratio::ZERO);
    pump.wait(&clip).unwrap();
    assert_eq!(moth.advance_by(150_000_000).step, 0);
    moth.set_speed(Ratio::ONE);
    assert_eq!(moth.advance_by(150_000_000).step, 1);
}

#[test]
fn files_are_read_up_to_their_limit_from_the_first_root_that_has_them() {
    let folder = tempfile::tempdir().unwrap();
    let (first, second) = (folder.path().join("first"), folder.path().join("second"));
    fs::create_dir_all(second.join("icons")).unwrap();
    let picture = png(Size::new(SIDE, SIDE), [5, 6, 7, 255]);
    let length = picture.len() as u64;
    fs::write(second.join("icons/a.png"), &picture).unwrap();
    let memory = MemoryFiles::new();
    memory.put("icons/a.png", picture.clone());
    let disk = Folder::new(&second);
    for files in [&disk as &dyn Files, &memory] {
        assert_eq!(files.read("icons/a.png", length).unwrap(), picture);
        assert!(files.read("icons/a.png", length - 1).is_err());
        assert_eq!(files.list().unwrap(), ["icons/a.png"]);
    }
    assert_eq!(disk.place("icons/a.png"), second.join("icons/a.png"));
    // A root that is not there has nothing, and the next is asked.
    let roots: Vec<Arc<dyn Files>> = vec![Arc::new(Folder::new(&first)), Arc::new(disk)];
    let sink = Witness::default();
    let settings = Settings { roots, workers: Some(0), ..Settings::over(MemoryFiles::new()) };
    let (cache, mut pump) = Cache::new(settings, sink.clone());
    let icons = cache.lease_all(["icons/*.png"]);
    pump.wait(&icons).unwrap();
    assert_eq!(sink.colour(&icons.view(0).unwrap()), [5, 6, 7, 255]);
    let none = cache.lease("none.png");
    let told = pump.wait(&none).unwrap_err().to_string();
    let looked = [first.join("none.png"), second.join("none.png")].map(|path| path.display().to_string());
    assert_eq!(told, format!("none.png: no root has it; looked for {}", looked.join(", ")));
}

#[test]
fn a_failure_names_the_file_to_blame_once() {
    let world = World::new(&[("a", 1)]);
    world.files.put(&format!("a-0.{RAW_PAGE}"), vec![0; 7]);
    world.files.put("sky.png", b"no picture".to_vec());
    let (cache, mut pump) = Cache::new(Settings { hash: HashCheck::No, ..settings(&world) }, Witness::default());
    let page = pump.wait(&cache.lease("a:p0/00")).unwrap_err();
    assert_eq!(page.to_string(), "a-0.rgba: a-0.rgba has not the bytes of 12 x 4 pixels");
    let image = pump.wait(&cache.lease("sky.png")).unwrap_err();
    assert_eq!(image.name(), "sky.png");
    assert_eq!(
        image.to_string(),
        "sky.png: sky.png: it cannot be decoded: not an image: it begins with \"no picture\""
    );
}

#[test]
fn a_lease_kept_under_a_number_is_a_lease() {
    let (world, other) = (World::new(&[("a", 1)]), World::new(&[("b", 1)]));
    let (cache, mut pump) = Cache::new(settings(&world), Witness::default());
    let (elsewhere, _pump) = Cache::new(settings(&other), Witness::default());
    let meadow = cache.named("meadow");
    let keys = ["a:p0/00", "a:p0/01"].map(|name| meadow.lease_key(name).unwrap());
    let lease = cache.kept(keys[0]).unwrap();
    pump.wait(&lease).unwrap();
    let part = lease.part(Part { x: 1, y: 1, w: 2, h: 2 }).unwrap();
    let part_key = cache.keep(&part).unwrap();
    assert_eq!((cache.ledger().leases, cache.kept_count()), (5, 3));
    assert!(cache.ledger().held.iter().all(|held| held.holder == "meadow"), "{}", cache.ledger());
    assert_eq!(cache.view_of(keys[0]), Some(lease.view()));
    let mut views = Views::new();
    assert!(cache.views_of([keys[1], part_key, keys[0]], &mut views));
    assert_eq!(views[1..], [part.view(), lease.view()]);
    // A lease and an id of another cache, and a number that no id has, lead to nothing and do no harm.
    assert_eq!(cache.keep(&elsewhere.lease("b:p0/00")), None);
    for id in [elsewhere.id("b:p0/00"), Id::from_bits(cache.id("a:p0/00").to_bits() | u64::from(u32::MAX))] {
        assert!(matches!(cache.lease(id).status(), Status::Failed(_)));
    }
    assert_eq!(Id::from_bits(cache.id("a:p0/00").to_bits()), cache.id("a:p0/00"));
    drop((lease, part));
    assert!(cache.give_back(keys[0]) && !cache.give_back(keys[0]));
    assert!(!cache.views_of([keys[1], keys[0]], &mut views));
    assert!(views[0].is_some() && views[1].is_none() && cache.kept(keys[0]).is_none());
    // The place is taken anew; the old number still means nothing.
    let again = cache.lease_key("a:p0/00").unwrap();
    assert!(again != keys[0] && cache.view_of(keys[0]).is_none());
    cache.give_all_back();
    assert_eq!((cache.ledger().leases, cache.kept_count(), cache.view_of(again)), (0, 0, None));
}
