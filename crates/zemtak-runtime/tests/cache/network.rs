//! Files that come over a network: asked for, not there yet, and there some frames later, in any order.

use crate::world::{SPRITES, Witness, World, check, colour, sprite_name};
use std::collections::BTreeSet;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use zemtak_core::name::ClipName;
use zemtak_runtime::atlas::{Atlas, Built, Page};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{
    Cache, Files, Lease, NewTexture, PerFrame, Reason, Settings, Sink, SinkError, Stamp, Status, Texture,
};

/// Files of which each is on its way until it has come.
#[derive(Clone)]
struct Network {
    world: World,
    wire: Arc<Mutex<Wire>>,
}

#[derive(Default)]
struct Wire {
    asked: BTreeSet<String>,
    came: BTreeSet<String>,
    /// Pictures that the device has decoded by itself.
    pictures: Vec<(String, Size)>,
}

impl Network {
    fn new(world: World) -> Self {
        Self { world, wire: Arc::default() }
    }

    fn ask(&self, path: &str) -> io::Result<()> {
        let mut wire = self.wire.lock().unwrap();
        if wire.came.contains(path) {
            return Ok(());
        }
        wire.asked.insert(path.to_owned());
        Err(io::ErrorKind::WouldBlock.into())
    }

    /// Has one of those come that were asked for. Tells whether there was one.
    fn deliver(&self, dice: usize) -> bool {
        let mut wire = self.wire.lock().unwrap();
        let count = wire.asked.len().max(1);
        let path = wire.asked.iter().nth(dice % count).cloned();
        path.is_some_and(|path| wire.asked.remove(&path) && wire.came.insert(path))
    }
}

impl Files for Network {
    fn read(&self, path: &str, limit: u64) -> io::Result<Vec<u8>> {
        self.ask(path)?;
        self.world.files.read(path, limit)
    }

    fn ready_made(&self, path: &str) -> io::Result<Option<Size>> {
        let picture = self.wire.lock().unwrap().pictures.iter().find(|(own, _)| own == path).map(|(_, size)| *size);
        picture.map(|size| self.ask(path).map(|()| size)).transpose()
    }

    fn stamp(&self, _: &str) -> io::Result<Stamp> {
        Ok(Stamp { length: 0, version: 0 })
    }

    fn list(&self) -> io::Result<Vec<String>> {
        self.ask("the list")?;
        self.world.files.list()
    }

    fn place(&self, path: &str) -> PathBuf {
        path.into()
    }
}

/// Numbers below a bound that look random and are the same each time.
fn dice(seed: &mut u64, below: usize) -> usize {
    *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    usize::try_from(*seed >> 33).unwrap() % below
}

#[test]
fn files_may_come_at_any_time_and_in_any_order() {
    for (seed, workers) in (1..120_u64).zip([0, 2].into_iter().cycle()) {
        let (network, sink) = (Network::new(World::new(&[("a", 3), ("b", 2)])), Witness::default());
        let settings = Settings { workers: Some(workers), ..Settings::over(network.clone()) };
        let (cache, mut pump) = Cache::new(settings, sink.clone());
        let (mut state, mut held): (u64, Vec<(Lease, String, usize)>) = (seed, Vec::new());
        let mut sets = vec![cache.lease_all(["b:**"])];
        for _ in 0..200 {
            match dice(&mut state, 5) {
                0 | 1 => {
                    let (atlas, pages) = [("a", 3), ("b", 2)][dice(&mut state, 2)];
                    let page = dice(&mut state, pages);
                    let name = sprite_name(atlas, page, u32::try_from(dice(&mut state, SPRITES as usize)).unwrap());
                    held.push((cache.lease(name.as_str()), atlas.into(), page));
                }
                2 if !held.is_empty() => drop(held.swap_remove(dice(&mut state, held.len()))),
                3 if dice(&mut state, 8) == 0 => sets.clear(),
                3 if network.deliver(dice(&mut state, 1000)) => cache.files_came(),
                _ => {
                    pump.pump(PerFrame::default());
                }
            }
            check(&cache.ledger(), &sink);
        }
        // In the end all has come, and all that is held can be drawn.
        while !cache.is_idle() {
            if network.deliver(dice(&mut state, 1000)) {
                cache.files_came();
            }
            pump.pump(PerFrame::default());
        }
        for (lease, atlas, page) in &held {
            assert_eq!(sink.colour(&lease.view().unwrap()), colour(atlas, *page, 0), "seed {seed}");
        }
        check(&cache.ledger(), &sink);
    }
}

#[test]
fn a_page_that_nobody_wants_any_more_is_not_read_when_it_comes() {
    let (network, sink) = (Network::new(World::new(&[("a", 1)])), Witness::default());
    let (cache, mut pump) = Cache::new(Settings { workers: Some(0), ..Settings::over(network.clone()) }, sink.clone());
    let (lease, all) = (cache.lease("a:p0/00"), cache.lease_all(["*.png"]));
    let mut frame = || pump.pump(PerFrame::default());
    frame();
    assert!(network.deliver(0) && !cache.is_idle());
    cache.files_came();
    frame();
    assert!(network.wire.lock().unwrap().asked.contains("a-0.rgba"), "the descriptor has come, its page is asked for");
    drop(lease);
    while network.deliver(0) {}
    cache.files_came();
    frame();
    assert!(cache.is_idle() && sink.seen().made == 0 && cache.ledger().cancelled == 1);
    assert!(matches!(all.failures()[0].reason(), Reason::NothingMatches), "the list has come");
}

/// Keeps what it was given of each texture: its file, and of each level the size and how many bytes.
#[derive(Clone, Default)]
struct Listing(Arc<Mutex<Vec<Given>>>);

type Given = (String, Vec<(Size, usize)>);

impl Sink for Listing {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let levels = new.levels.iter().map(|level| (level.size, level.bytes.len())).collect();
        self.0.lock().unwrap().push((new.label.to_owned(), levels));
        Ok(Texture(1))
    }

    fn make_empty(&mut self, _: &NewTexture<'_>) -> Option<Result<Texture, SinkError>> {
        panic!("there is nothing that could be written in strips")
    }

    fn drop_texture(&mut self, _: Texture) {}
}

/// Of a picture that a browser has decoded the sink is told the size of each level, however little a frame may upload.
#[test]
fn what_the_device_has_decoded_is_not_read() {
    let (world, sink) = (World::default(), Listing::default());
    let size = Size::new(64, 32);
    let mut page = Page::new("night-0.png", size, format!("blake3:{}", "0".repeat(64)));
    (page.sampling.safe_mips, page.colour) = (Some(2), zemtak_runtime::atlas::Colour::Linear);
    let mut built = Built::default();
    built.mip_levels = 2;
    let mut atlas = Atlas::new("night", built);
    let sprite = zemtak_runtime::atlas::Sprite::new(0, zemtak_runtime::geometry::Rect::new(0, 0, 8, 8), size);
    (atlas.pages, atlas.clips) = (vec![page], std::iter::empty::<(ClipName, _)>().collect());
    atlas.sprites.insert(zemtak_core::name::SpriteName::new("moth"), sprite);
    world.files.put("night.zemtak.json", atlas.to_text().unwrap().into_bytes());
    let network = Network::new(world);
    network.wire.lock().unwrap().pictures = vec![
        ("night-0.png".into(), size),
        ("title.png".into(), Size::new(9, 7)),
        ("huge.png".into(), Size::new(70_000, 1)),
    ];
    let settings = Settings { workers: Some(0), ..Settings::over(network.clone()) };
    let (cache, mut pump) = Cache::new(settings, sink.clone());
    let leases = ["night:moth", "title.png", "huge.png"].map(|name| cache.lease(name));
    while !cache.is_idle() {
        pump.pump(PerFrame { bytes: 1, ..PerFrame::default() });
        if network.deliver(0) {
            cache.files_came();
        }
    }
    let levels = [(64, 32), (32, 16), (16, 8)].map(|(w, h)| (Size::new(w, h), 0)).to_vec();
    let mut made = sink.0.lock().unwrap().clone();
    made.sort_by(|a, b| a.0.cmp(&b.0));
    assert_eq!(made, [("night-0.png".to_owned(), levels), ("title.png".to_owned(), vec![(Size::new(9, 7), 0)])]);
    assert!(leases[0].is_ready() && leases[1].view().unwrap().canvas == Size::new(9, 7));
    assert!(matches!(leases[2].status(), Status::Failed(why) if matches!(why.reason(), Reason::TooLarge(_))));
    // A picture of another size than the descriptor says is another picture.
    network.wire.lock().unwrap().pictures[0].1 = Size::new(64, 31);
    pump.device_lost();
    pump.pump(PerFrame::default());
    let Status::Failed(why) = leases[0].status() else { panic!("it is another picture") };
    assert!(why.to_string().ends_with("night-0.png has 64 x 31 pixels instead of 64 x 32"), "{why}");
}
