//! A small world of atlases in memory, each pixel of which tells its page and version; and a sink that believes nothing.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_runtime::atlas::{Atlas, Built, Clip, Page, Rate, Sprite, Step};
use zemtak_runtime::geometry::{Rect, Size};
use zemtak_runtime::{
    Cache, MemoryFiles, NewTexture, PerFrame, Pump, RAW_PAGE, Settings, Sink, SinkError, Texture, View, page_hash,
};

/// How many sprites each page has, side by side, and how many pixels each has a side.
pub const SPRITES: u32 = 3;
pub const SIDE: u32 = 4;

/// The colour of stand-ins.
pub const STAND_IN: [u8; 4] = [255, 0, 255, 255];

/// Bytes of a page as a texture.
pub const PAGE_LEN: usize = (SPRITES * SIDE * SIDE * 4) as usize;
pub const PAGE: u64 = PAGE_LEN as u64;

/// Atlases `a`, `b` … of some pages each.
#[derive(Clone, Default)]
pub struct World {
    pub files: MemoryFiles,
}

/// The colour of a page: its atlas, its index, its version.
pub fn colour(atlas: &str, page: usize, version: u8) -> [u8; 4] {
    [atlas.as_bytes()[0], u8::try_from(page).unwrap(), version, 255]
}

pub fn sprite_name(atlas: &str, page: usize, index: u32) -> String {
    format!("{atlas}:p{page}/{index:02}")
}

impl World {
    pub fn new(atlases: &[(&str, usize)]) -> Self {
        let world = Self::default();
        for (atlas, pages) in atlases {
            world.write(atlas, &vec![0; *pages]);
        }
        world
    }

    /// Writes an atlas whose pages have these versions.
    pub fn write(&self, name: &str, versions: &[u8]) {
        let mut pages = Vec::new();
        for (i, version) in versions.iter().enumerate() {
            let pixels = colour(name, i, *version).repeat((SPRITES * SIDE * SIDE) as usize);
            let file = format!("{name}-{i}.{RAW_PAGE}");
            pages.push(page(&file, &pixels));
            self.files.put(&file, pixels);
        }
        let atlas = atlas(name, pages);
        self.files.put(&format!("{name}.zemtak.json"), atlas.to_text().unwrap().into_bytes());
    }
}

/// An atlas of one page with many sprites on it, all of them twins.
pub fn crowd(name: &str, count: u32) -> World {
    let world = World::new(&[(name, 1)]);
    let pixels = colour(name, 0, 0).repeat((SPRITES * SIDE * SIDE) as usize);
    let page = page(&format!("{name}-0.{RAW_PAGE}"), &pixels);
    let mut twin = sprite(0, Rect::new(0, 0, SIDE, SIDE), page.size());
    twin.tags.clear();
    let mut atlas = atlas(name, vec![page]);
    let name_of = |i: u32| zemtak_core::name::SpriteName::new(&format!("moth/fly/{i:05}"));
    atlas.sprites = (0..count).map(|i| (name_of(i), twin.clone())).collect();
    atlas.clips.clear();
    world.files.put(&format!("{name}.zemtak.json"), atlas.to_text().unwrap().into_bytes());
    world
}

fn page(file: &str, pixels: &[u8]) -> Page {
    Page::new(file, Size::new(SPRITES * SIDE, SIDE), page_hash(pixels))
}

/// Each page has `SPRITES` sprites, and a clip of them that is named as the page.
fn atlas(name: &str, pages: Vec<Page>) -> Atlas {
    let (mut sprites, mut clips) = (BTreeMap::new(), BTreeMap::new());
    for (p, page) in pages.iter().enumerate() {
        let mut steps = Vec::new();
        for i in 0..SPRITES {
            let rect = Rect::new(i * SIDE, 0, SIDE, SIDE);
            let full = sprite_name(name, p, i);
            let local = zemtak_core::name::SpriteName::new(full.split_once(':').unwrap().1);
            let mut step = Step::new(local.clone());
            step.events.push(format!("step {i}"));
            steps.push(step);
            sprites.insert(local, sprite(p, rect, page.size()));
        }
        let mut clip = Clip::new(steps);
        clip.fps = Some(Rate::Number(10.0));
        clips.insert(zemtak_core::name::ClipName::new(&format!("p{p}")), clip);
    }
    let mut atlas = Atlas::new(name, Built::default());
    (atlas.pages, atlas.sprites, atlas.clips) = (pages, sprites, clips);
    atlas
}

fn sprite(page: usize, rect: Rect, size: Size) -> Sprite {
    let mut sprite = Sprite::new(page, rect, size);
    sprite.canvas = Size::new(SIDE + 2, SIDE);
    sprite.inset = [1, 0];
    sprite.pivot = [3.0, 4.0];
    sprite.tags.push("demo".into());
    sprite
}

/// Keeps the first pixel of each texture, and fails loudly when one is dropped twice. Clones are the same.
#[derive(Clone, Default)]
pub struct Witness(Arc<Mutex<Seen>>);

#[derive(Default)]
pub struct Seen {
    pub textures: HashMap<Texture, ([u8; 4], u64)>,
    gone: HashSet<Texture>,
    pub memory: Option<u64>,
    pub lost: u32,
    pub made: u64,
}

impl Witness {
    /// A test that failed elsewhere must not hide why.
    pub fn seen(&self) -> MutexGuard<'_, Seen> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn used(&self) -> u64 {
        self.seen().textures.values().map(|(_, bytes)| bytes).sum()
    }

    /// The colour of what a view shows; the view of a texture that is gone fails.
    pub fn colour(&self, view: &View) -> [u8; 4] {
        let seen = self.seen();
        seen.textures.get(&view.texture).unwrap_or_else(|| panic!("{:?} is drawn but gone", view.texture)).0
    }
}

impl Sink for Witness {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let mut seen = self.seen();
        let bytes = zemtak_runtime::texture_bytes(new.kind, new.size(), new.mips());
        if seen.lost > 0 {
            seen.lost -= 1;
            return Err(SinkError::Other("the device was lost".into()));
        }
        let used: u64 = seen.textures.values().map(|(_, bytes)| bytes).sum();
        if seen.memory.is_some_and(|memory| used + bytes > memory) {
            return Err(SinkError::OutOfMemory);
        }
        seen.made += 1;
        let texture = Texture(seen.made);
        seen.textures.insert(texture, (new.levels[0].bytes[..4].try_into().unwrap(), bytes));
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        let mut seen = self.seen();
        assert!(seen.gone.insert(texture), "{texture:?} is dropped twice");
        assert!(seen.textures.remove(&texture).is_some(), "{texture:?} was never made");
    }
}

/// What must hold of every ledger.
pub fn check(ledger: &zemtak_runtime::Ledger, sink: &Witness) {
    let l = ledger;
    let requests = l.reuses + l.coalesced + l.started + l.refused + l.withdrawn + l.waiting;
    assert_eq!(l.requests, requests, "{l}");
    assert_eq!(l.loads_begun, l.loads + l.page_failures + l.cancelled + l.in_flight, "{l}");
    assert_eq!(l.resident_bytes, sink.used(), "{l}");
    // The stand-in is no load.
    let textures = sink.seen().textures.values().filter(|(colour, _)| *colour != STAND_IN).count() as u64;
    assert_eq!(l.loads - l.evictions.all(), textures, "{l}");
    assert!(l.peak_bytes >= l.resident_bytes);
}

/// A cache over two atlases, without workers, and the sink that it draws to.
pub struct Game {
    pub world: World,
    pub sink: Witness,
    pub cache: Cache,
    pub pump: Pump<Witness>,
}

impl Game {
    pub fn new(change: impl FnOnce(Settings) -> Settings) -> Self {
        let (world, sink) = (World::new(&[("a", 3), ("b", 1)]), Witness::default());
        let settings = Settings { workers: Some(0), ..Settings::over(world.files.clone()) };
        let (cache, pump) = Cache::new(change(settings), sink.clone());
        Self { world, sink, cache, pump }
    }

    pub fn colour(&self, view: Option<View>) -> [u8; 4] {
        self.sink.colour(&view.unwrap())
    }

    pub fn pump(&mut self) {
        self.pump.pump(PerFrame::UNLIMITED);
        check(&self.cache.ledger(), &self.sink);
    }
}
