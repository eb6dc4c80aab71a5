//! What a game does with a cache, told step by step.

use crate::world::{Game, PAGE, PAGE_LEN, SIDE, STAND_IN, Witness, World, colour, sprite_name};
use std::time::Duration;
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::{Part, PartError, Placement, Sampling};
use zemtak_runtime::geometry::{Rect, Size};
use zemtak_runtime::{
    Cache, Cause, Event, Files, HashCheck, Lease, MemoryFiles, PerFrame, Pixels, RAW_PAGE, Reason, Settings, Status,
    Views,
};

fn png(size: Size, rgba: [u8; 4]) -> Vec<u8> {
    let pixels = Pixels::from_rgba(size, rgba.repeat((size.w * size.h) as usize)).unwrap();
    encode_png(&pixels, PngEffort::Fast).unwrap()
}

#[test]
fn a_part_of_a_part_keeps_the_texture_when_all_else_is_dropped() {
    let mut game = Game::new(|s| s);
    let whole = game.cache.lease("a:p0/01");
    game.pump.wait(&whole).unwrap();
    let wing = whole.part(Part { x: 1, y: 0, w: 4, h: 4 }).unwrap();
    let tip = wing.part(Part { x: 2, y: 1, w: 2, h: 2 }).unwrap();
    // The sprite's left column is a transparent border.
    assert!(matches!(whole.part(Part { x: 0, y: 0, w: 1, h: 4 }), Err(PartError::InBorder(_))));
    drop((whole, wing));
    game.cache.trim();
    game.pump();
    let view = tip.view().unwrap();
    assert_eq!(view.visible.area.stored(), Rect::new(SIDE + 2, 1, 2, 2));
    assert_eq!(view.uv.0, [0.5, 0.25, 8.0 / 12.0, 0.75]);
    assert_eq!(game.sink.colour(&view), colour("a", 0, 0));
    drop(tip);
    game.cache.trim();
    game.pump();
    assert_eq!(game.sink.used(), 0);
}

#[test]
fn an_override_comes_first_and_brings_its_own_pages() {
    let shipped = World::new(&[("a", 1), ("b", 1)]);
    let modded = World::default();
    modded.write("a", &[9]);
    modded.files.put("title.png", png(Size::new(2, 2), [1, 2, 3, 255]));
    shipped.files.put("title.png", png(Size::new(8, 8), [0; 4]));
    let settings = Settings { workers: Some(1), ..Settings::over(modded.files.clone()) };
    let sink = Witness::default();
    let (cache, mut pump) = Cache::new(settings.and_then(shipped.files.clone()), sink.clone());
    let [a, b, title] = ["a:p0/00", "b:p0/00", "title.png"].map(|name| cache.lease(name));
    pump.wait(&a).unwrap();
    pump.wait(&b).unwrap();
    pump.wait(&title).unwrap();
    assert_eq!(sink.colour(&a.view().unwrap()), colour("a", 0, 9));
    assert_eq!(sink.colour(&b.view().unwrap()), colour("b", 0, 0));
    let view = title.view().unwrap();
    assert_eq!((view.canvas, view.pivot, view.uv.0), (Size::new(2, 2), [1.0, 1.0], [0.0, 0.0, 1.0, 1.0]));
    // The override loses its page: the shipped one must not be drawn with the override's descriptor.
    drop(a);
    cache.trim();
    pump.pump(PerFrame::UNLIMITED);
    modded.files.remove(&format!("a-0.{RAW_PAGE}"));
    let failure = pump.wait(&cache.lease("a:p0/00")).unwrap_err();
    assert!(failure.to_string().contains("a-0.rgba: it cannot be read"), "{failure}");
}

#[test]
fn aliases_are_pointed_elsewhere_while_leases_stay() {
    let mut game = Game::new(|s| s);
    game.cache.alias("courier", "a:p0/00").unwrap();
    game.cache.alias("hero", "courier").unwrap();
    let id = game.cache.id("hero");
    let before = game.cache.lease(id);
    game.cache.alias("courier", "b:p0/00").unwrap();
    let after = game.cache.lease(id);
    game.pump();
    assert_eq!(game.colour(before.view()), colour("a", 0, 0));
    assert_eq!(game.colour(after.clone().view()), colour("b", 0, 0));
    assert_eq!((&*before.name(), &*after.name()), ("a:p0/00", "b:p0/00"));
    let failure = game.cache.alias("courier", "hero").unwrap_err();
    assert_eq!(failure.to_string(), "courier: the alias leads back to itself");
    // A real name may be pointed elsewhere too, as a language does with a title.
    game.cache.alias("a:p0/00", "a:p1/00").unwrap();
    let other = game.cache.lease("a:p0/00");
    let clone = before.clone();
    game.pump();
    assert_eq!(game.colour(other.view()), colour("a", 1, 0));
    assert_eq!(game.colour(clone.view()), colour("a", 0, 0));
    game.cache.forget_alias("a:p0/00");
    assert_eq!(&*game.cache.lease("a:p0/00").name(), "a:p0/00");
    let (foreign, _) = Cache::new(Settings::default(), Witness::default());
    assert!(matches!(foreign.lease(id).status(), Status::Failed(f) if matches!(f.reason(), Reason::ForeignId)));
}

#[test]
fn the_stand_in_is_drawn_in_the_sprites_place_until_a_retry_brings_it() {
    let stand_in = Pixels::from_rgba(Size::new(2, 2), STAND_IN.repeat(4)).unwrap();
    let mut game = Game::new(|s| Settings { stand_in: Some(stand_in), ..s });
    let lost = game.world.files.remove(&format!("a-0.{RAW_PAGE}")).unwrap();
    let moth = game.cache.lease("a:p0/00");
    game.pump();
    let view = moth.view().unwrap();
    assert!(view.stand_in);
    assert_eq!((game.sink.colour(&view), view.canvas), (STAND_IN, Size::new(SIDE + 2, SIDE)));
    // It fills the canvas about the sprite's own pivot.
    let quad = view.quad(&Placement::default(), &Sampling::default());
    assert_eq!((quad.positions[0], quad.positions[2]), ([-3.0, -4.0], [3.0, 0.0]));
    assert_eq!((quad.uv[0], quad.uv[2]), ([0.0, 0.0], [1.0, 1.0]));
    assert!(matches!(game.cache.events().last(), Some(Event::Failed(f)) if f.path().is_some()));
    game.world.files.put(&format!("a-0.{RAW_PAGE}"), lost);
    assert!(!moth.is_ready());
    game.cache.retry("a:p0/00");
    game.pump();
    assert_eq!((moth.view().unwrap().stand_in, game.colour(moth.view())), (false, colour("a", 0, 0)));
}

#[test]
fn a_new_version_takes_over_at_once_and_a_broken_one_never() {
    // Hashes are held against new versions even where they are not otherwise.
    let mut game = Game::new(|s| Settings { hash: HashCheck::No, ..s });
    let held = ["a:p0/00", "a:p1/00", "a:p2/00"].map(|name| game.cache.lease(name));
    game.pump();
    let mut views = Views::new();
    let mut colours = |game: &Game| {
        Lease::views(&held, &mut views);
        [0, 1, 2].map(|at| game.colour(views[at])[2])
    };
    let textures = game.sink.seen().made;
    game.world.write("a", &[1, 0, 2]);
    game.cache.reload_changed();
    // With one texture a frame it takes some, and until all are there nothing changes.
    let mut seen = Vec::new();
    for _ in 0..8 {
        game.pump.pump(PerFrame { uploads: 1, bytes: 1, ..PerFrame::UNLIMITED });
        seen.push(colours(&game));
    }
    seen.dedup();
    assert_eq!(seen, [[0, 0, 0], [1, 0, 2]]);
    assert_eq!(game.sink.seen().made - textures, 2, "the page that stayed the same is not made again");
    assert_eq!(game.sink.used(), 3 * PAGE);
    // Half written: a page whose bytes are not those that its descriptor promises.
    let _ = game.cache.events();
    game.world.write("a", &[3, 3, 3]);
    game.world.files.put(&format!("a-2.{RAW_PAGE}"), vec![0; PAGE_LEN]);
    game.cache.reload("a:p0/00");
    (0..3).for_each(|_| game.pump());
    assert_eq!(colours(&game), [1, 0, 2]);
    let told = game.cache.events();
    assert!(told.iter().any(|e| matches!(e, Event::KeptOld(f) if f.to_string().contains("another hash"))), "{told:?}");
    assert_eq!(game.sink.used(), 3 * PAGE, "what was loaded of the broken version is gone");
    game.world.write("a", &[3, 3, 3]);
    game.cache.reload_changed();
    (0..3).for_each(|_| game.pump());
    assert_eq!(colours(&game), [3, 3, 3]);
    assert_eq!(game.cache.ledger().replaced, 2);
}

/// What was touched but is as it was takes nobody's place; what was painted over is drawn, told and kept from breaking.
#[test]
fn a_page_is_known_by_its_file_and_not_by_its_descriptor_alone() {
    for hash in [HashCheck::No, HashCheck::Yes] {
        let mut game = Game::new(|s| Settings { hash, ..s });
        let held = ["a:p0/00", "a:p1/00"].map(|name| game.cache.lease(name));
        game.pump();
        let file = format!("a-1.{RAW_PAGE}");
        let packed = game.world.files.read(&file, 1 << 20).unwrap();
        let reload = |game: &mut Game| {
            let _ = game.cache.events();
            game.cache.reload_changed();
            (0..3).for_each(|_| game.pump());
            (game.cache.events(), held.each_ref().map(|lease| game.colour(lease.view())))
        };
        let before = held.each_ref().map(|lease| game.colour(lease.view()));
        let textures = game.sink.seen().made;
        game.world.files.put(&file, packed.clone());
        let (told, seen) = reload(&mut game);
        assert!(told.is_empty() && seen == before, "{told:?}");
        assert_eq!((game.sink.seen().made, game.cache.ledger().replaced), (textures, 0));
        // Asked for by name it is no other story.
        game.cache.reload("a:p0/00");
        (0..3).for_each(|_| game.pump());
        assert!(game.cache.events().is_empty());
        // Painted in place, of the same size.
        let painted = [9, 8, 7, 255];
        game.world.files.put(&file, painted.repeat(PAGE_LEN / 4));
        let (told, seen) = reload(&mut game);
        if hash == HashCheck::Yes {
            assert!(matches!(&told[..], [Event::KeptOld(f)] if f.to_string().contains("another hash")), "{told:?}");
            assert_eq!(seen, before);
        } else {
            let repainted = |e: &Event| matches!(e, Event::Repainted { path } if *path == file);
            assert!(told.iter().any(repainted) && told.iter().any(|e| matches!(e, Event::Replaced { .. })), "{told:?}");
            assert_eq!(seen, [before[0], painted]);
        }
        // Cut short: the old one stays, and the account says so.
        let (shown, kept) = (seen, game.cache.ledger().kept_old);
        game.world.files.put(&file, packed[..7].to_vec());
        let (told, seen) = reload(&mut game);
        assert!(matches!(&told[..], [Event::KeptOld(f)] if f.path().is_some()), "{told:?}");
        assert_eq!((seen, game.cache.ledger().kept_old), (shown, kept + 1));
        // As it was packed again it is drawn so.
        game.world.files.put(&file, packed);
        let (_, seen) = reload(&mut game);
        assert_eq!(seen, before);
    }
}

/// A page that nobody holds yet, but that the new version will draw from, must not be evicted to make room for the new
/// version's other pages.
#[test]
fn what_a_new_version_will_need_is_not_evicted_for_it() {
    let mut game = Game::new(|s| Settings { budget: 3 * PAGE, ..s });
    let held = ["a:p0/00", "a:p2/00"].map(|name| game.cache.lease(name));
    let idle = game.cache.lease("a:p1/00");
    game.pump();
    drop(idle);
    // The first sprite moves to the second page, and the third page is painted anew.
    game.world.write("a", &[0, 0, 1]);
    let text = String::from_utf8(game.world.files.read("a.zemtak.json", 1 << 20).unwrap()).unwrap();
    let text = text.replace("\"p0/00\": { \"page\": 0", "\"p0/00\": { \"page\": 1");
    game.world.files.put("a.zemtak.json", text.into_bytes());
    game.cache.reload_changed();
    (0..3).for_each(|_| game.pump());
    assert_eq!(game.colour(held[0].view()), colour("a", 1, 0));
    assert_eq!(game.colour(held[1].view()), colour("a", 2, 1));
    assert_eq!(game.cache.ledger().loads, 4, "three at first, and the one that is new");
}

#[test]
fn what_a_new_version_lacks_stays_for_those_who_hold_it() {
    let mut game = Game::new(|s| s);
    let last = game.cache.lease("a:p2/00");
    game.pump();
    game.world.write("a", &[5, 5]);
    game.cache.reload_changed();
    (0..2).for_each(|_| game.pump());
    assert_eq!(game.colour(last.view()), colour("a", 2, 0));
    drop(last);
    game.pump();
    assert_eq!(game.sink.used(), 0, "nobody can ask for it any more, so it does not stay");
    let again = game.cache.lease("a:p2/00");
    assert!(matches!(again.status(), Status::Failed(_)));
    // It comes back with the next version.
    game.world.write("a", &[5, 5, 6]);
    game.cache.reload_changed();
    (0..2).for_each(|_| game.pump());
    assert_eq!(game.colour(again.view()), colour("a", 2, 6));
}

#[test]
fn watched_files_are_noticed_and_mended_ones_too() {
    let mut game = Game::new(|s| Settings { watch: Some(Duration::ZERO), ..s });
    let (moth, title) = (game.cache.lease("a:p0/00"), game.cache.lease("title.png"));
    (0..2).for_each(|_| game.pump());
    assert!(matches!(title.status(), Status::Failed(_)));
    game.world.write("a", &[7, 0, 0]);
    game.world.files.put("title.png", png(Size::new(3, 1), [4, 5, 6, 255]));
    (0..4).for_each(|_| game.pump());
    assert_eq!(game.colour(moth.view()), colour("a", 0, 7));
    assert_eq!(game.colour(title.view()), [4, 5, 6, 255]);
    game.world.files.put("title.png", png(Size::new(9, 1), [7, 8, 9, 255]));
    (0..4).for_each(|_| game.pump());
    assert_eq!((title.view().unwrap().canvas, game.colour(title.view())), (Size::new(9, 1), [7, 8, 9, 255]));
}

#[test]
fn the_budget_spares_what_is_held_and_pinned() {
    let mut game = Game::new(|s| Settings { budget: 2 * PAGE, ..s });
    let pinned = game.cache.pin(["b:**"]);
    let first = game.cache.lease("a:p0/00");
    game.pump();
    drop(first);
    // Room for two: the pinned page stays, the one that nobody holds goes.
    let second = game.cache.lease("a:p1/00");
    game.pump();
    let evicted =
        |event: &Event| matches!(event, Event::Evicted { path, cause: Cause::Budget, .. } if path == "a-0.rgba");
    assert!(game.cache.events().iter().any(evicted));
    let third = game.cache.lease("a:p2/00");
    game.pump();
    assert!(
        game.cache.events().iter().any(|e| matches!(e, Event::OverBudget { resident, .. } if *resident == 3 * PAGE))
    );
    let ledger = game.cache.ledger();
    assert!(ledger.over_budget && ledger.pins == 3 && ledger.leased_bytes == 3 * PAGE, "{ledger}");
    drop((second, third, pinned));
    game.pump();
    let ledger = game.cache.ledger();
    assert!(!ledger.over_budget && ledger.resident_bytes == 2 * PAGE, "{ledger}");
}

#[test]
fn a_set_tells_its_progress_and_cancels_when_dropped() {
    let mut game = Game::new(|s| s);
    game.world.files.put("icons/letter.png", png(Size::new(2, 2), [1; 4]));
    game.world.files.put("icons/stamp.png", png(Size::new(2, 2), [2; 4]));
    let set = game.cache.lease_all(["a:p[01]/*", "icons/*.png", "b:p0/99", "c:**", "oh/*.gif"]);
    assert!(!set.progress().complete);
    game.pump.pump(PerFrame { uploads: 1, bytes: 1, ..PerFrame::UNLIMITED });
    let _ = game.pump.wait(&set);
    let progress = set.progress();
    assert_eq!((progress.done, progress.failed, progress.total, progress.complete), (8, 3, 11, true));
    assert_eq!((progress.bytes, progress.total_bytes), (2 * PAGE + 32, 2 * PAGE + 32));
    let reasons: Vec<String> = set.failures().iter().map(ToString::to_string).collect();
    assert_eq!(
        reasons,
        [
            "c: no root has it; looked for c.zemtak.json",
            "oh/*.gif: nothing matches",
            "b:p0/99: the atlas has no sprite of that name; the nearest is p0/00"
        ]
    );
    // A name with characters of globs in it means itself, too.
    game.world.files.put("icons/box[1].png", png(Size::new(2, 2), [3; 4]));
    let odd = game.cache.lease_all(["icons/box[1].png"]);
    game.pump.wait(&odd).unwrap();
    assert_eq!(odd.names().len(), 1);
    drop(odd);
    let names: Vec<String> = set.names().iter().map(ToString::to_string).collect();
    assert!(names.contains(&"icons/stamp.png".into()) && names.contains(&sprite_name("a", 1, 2)), "{names:?}");
    drop(set);
    game.cache.trim();
    game.pump();
    // Dropped before it is there, nothing is loaded.
    let loads = game.cache.ledger().loads;
    drop(game.cache.lease_all(["a:**"]));
    game.pump();
    let ledger = game.cache.ledger();
    assert_eq!((ledger.loads, ledger.cancelled), (loads, 3), "{ledger}");
}

/// A set whose atlas could not be read stayed empty for good, even when a retry found the atlas.
#[test]
fn a_set_gets_what_a_retry_finds() {
    let mut game = Game::new(|s| s);
    let descriptor = game.world.files.remove("a.zemtak.json").unwrap();
    let (set, clip) = (game.cache.lease_all(["a:p1/*", "b:**"]), game.cache.lease_clip("a:p0"));
    game.pump();
    let late = game.cache.lease_all(["a:p2/*"]);
    assert!(game.pump.wait(&set).is_err() && game.pump.wait(&clip).is_err() && game.pump.wait(&late).is_err());
    assert_eq!((set.progress().done, set.progress().failed), (3, 1));
    game.world.files.put("a.zemtak.json", descriptor);
    game.cache.retry_all();
    for set in [&set, clip.sprites(), &late] {
        game.pump.wait(set).unwrap();
    }
    assert_eq!((set.progress().done, set.progress().failed, late.progress().done), (6, 0, 3));
    assert!(clip.play(Ratio::ONE).advance(Duration::ZERO).view.is_some());
}

#[test]
fn waiting_on_the_wrong_thread_ends_with_a_reason() {
    let mut game = Game::new(|s| s);
    let moth = game.cache.lease("a:p0/00");
    assert!(matches!(moth.wait().unwrap_err().reason(), Reason::OnPumpThread));
    game.pump.wait(&moth).unwrap();
    let (cache, ledger) = (game.cache.clone(), game.pump.finish());
    // At the end it names who holds on, and from where.
    let held = &ledger.held[0];
    assert_eq!((held.sprite.as_str(), held.leases), ("a:p0/00", 1));
    assert!(held.at.as_ref().unwrap().contains("stories.rs:"), "{ledger}");
    assert!(moth.view().is_none());
    assert!(matches!(cache.lease("a:p1/00").wait().unwrap_err().reason(), Reason::Closed));
}

#[test]
fn a_playing_clip_shows_each_step_with_its_own_sprite() {
    let mut game = Game::new(|s| s);
    let clip = game.cache.named("meadow").lease_clip("a:p1");
    let mut moth = clip.play(Ratio::ONE);
    assert!(moth.advance(Duration::from_secs(1)).view.is_none(), "time begins when the clip is known");
    game.pump.wait(&clip).unwrap();
    // Ten frames a second: 250 ms enter two more steps.
    let now = moth.advance(Duration::from_millis(250));
    assert_eq!(now.entered().collect::<Vec<_>>(), [1, 2]);
    assert_eq!(now.events().collect::<Vec<_>>(), ["step 1", "step 2"]);
    let view = now.view.unwrap();
    assert_eq!((now.step, view.visible.area.stored().x, view.pivot), (2, 2 * SIDE, [3.0, 4.0]));
    assert_eq!(moth.advance(Duration::from_millis(50)).played, 1);
    moth.set_speed(Ratio::ZERO);
    assert_eq!(moth.advance(Duration::from_secs(9)).step, 0);
    drop((moth, clip));
    game.cache.trim();
    game.pump();
    assert_eq!((game.sink.used(), game.cache.ledger().leases), (0, 0));
    // A clip that comes with a later version was refused for ever, since its set kept the first failure.
    let later = game.cache.lease_clip("a:p3");
    assert!(game.pump.wait(&later).is_err());
    game.world.write("a", &[0, 0, 0, 0]);
    game.cache.reload("a:p0/00");
    (0..2).for_each(|_| game.pump());
    game.pump.wait(&later).unwrap();
    let bad = game.cache.lease_clip("a:nothing");
    let failure = game.pump.wait(&bad).unwrap_err();
    assert_eq!(failure.to_string(), "a:nothing: the atlas has no clip of that name");
}

#[test]
fn the_ledger_reads_the_same_as_a_table_and_as_json() {
    let mut game = Game::new(|s| s);
    let meadow = game.cache.named("meadow");
    // A scene that happens to be called like pins is held like any other.
    let third = game.cache.named("pinned").lease("a:p0/01");
    let _held = (meadow.lease("a:p0/00"), meadow.lease("a:p0/00"), third);
    game.pump();
    let ledger = game.cache.ledger();
    let text: String = ledger.to_string();
    for line in ["requests 3: 0 reused, 2 joined a load, 1 began one", "    a-0.rgba: resident, 192 bytes, 3 leases"] {
        assert!(text.lines().any(|own| own == line), "{text}");
    }
    assert!(text.contains("    a:p0/00: 1 by meadow at "), "{text}");
    let json: serde_json::Value = serde_json::from_str(&ledger.to_json()).unwrap();
    assert_eq!(json["requests"], 3);
    assert_eq!(json["textures"][0]["path"], "a-0.rgba");
    assert_eq!(json["held"].as_array().unwrap().len(), 3);
    assert_eq!((ledger.leases, ledger.pins), (3, 0));
}

/// Files that answer as slowly as a bad disk would, so that workers are still at it when the game goes on.
#[test]
fn a_game_that_ends_while_files_are_read_ends_at_once_and_whole() {
    struct Slow(MemoryFiles);
    impl zemtak_runtime::Files for Slow {
        fn read(&self, path: &str, limit: u64) -> std::io::Result<Vec<u8>> {
            std::thread::sleep(Duration::from_millis(20));
            self.0.read(path, limit)
        }
        fn stamp(&self, path: &str) -> std::io::Result<zemtak_runtime::Stamp> {
            self.0.stamp(path)
        }
        fn list(&self) -> std::io::Result<Vec<String>> {
            self.0.list()
        }
        fn place(&self, path: &str) -> std::path::PathBuf {
            self.0.place(path)
        }
    }
    let sink = Witness::default();
    let files = Slow(World::new(&[("a", 3)]).files);
    let (cache, mut pump) = Cache::new(Settings { workers: Some(2), ..Settings::over(files) }, sink.clone());
    let leases: Vec<_> = (0..3).map(|page| cache.lease(&sprite_name("a", page, 0))).collect();
    pump.wait(&leases[0]).unwrap();
    // Whatever each gets while the game ends, it gets an answer; and after that there is nothing any more.
    let waiting = std::thread::spawn(move || {
        leases.iter().for_each(|lease| drop(lease.wait()));
        leases
    });
    drop(pump);
    for lease in waiting.join().unwrap() {
        assert!(matches!(lease.wait().unwrap_err().reason(), Reason::Closed));
        assert!(lease.view().is_none());
    }
    assert_eq!(sink.used(), 0);
}

#[test]
fn events_that_nobody_fetches_are_counted_as_lost() {
    let mut game = Game::new(|s| s);
    for i in 0..zemtak_runtime::EVENTS_KEPT + 7 {
        let _ = game.cache.lease(&format!("none-{i}.png"));
    }
    game.pump();
    let (lost, kept) = (game.cache.ledger().events_lost, game.cache.events().len());
    assert_eq!((lost, kept), (7, zemtak_runtime::EVENTS_KEPT));
}
