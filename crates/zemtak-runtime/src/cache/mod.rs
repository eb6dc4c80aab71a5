//! The resource cache: loads each texture once, shares it, and frees it in time.

mod account;
mod asked;
mod clips;
mod counters;
mod entries;
mod frames;
mod jobs;
mod kept;
mod lease;
mod lease_set;
mod ledger;
mod lookup;
mod lookups;
mod names;
mod origins;
mod page;
mod pages;
mod playing;
mod pump;
mod queue;
mod reading;
mod ready;
mod reload;
mod sets;
mod settings;
mod shared;
mod snapshot;
mod state;
mod status;
mod tasks;
mod upload;
mod view;
mod views;
mod wanted;

pub use asked::{Asked, Id};
pub use clips::ClipInfo;
pub use counters::Evictions;
pub use frames::{FRAMES_KEPT, FrameLine};
pub use kept::LeaseKey;
pub use lease::Lease;
pub use lease_set::LeaseSet;
pub use ledger::{Held, Ledger, TextureLine};
pub use playing::{ClipLease, Moment, Playing};
pub use pump::{PerFrame, Pump, Pumped};
pub use ready::Ready;
pub use settings::Settings;
pub use snapshot::Details;
pub use status::{Progress, Status};
pub use view::View;
pub use views::Views;
pub use wanted::{Awaited, Handle};

use crate::event::Event;
use crate::failure::{Failure, Reason};
use crate::sink::Sink;
use entries::{PINS, Who};
use reading::Reading;
use shared::Shared;
use std::collections::BTreeMap;
use std::panic::Location;
use std::sync::Arc;
use zemtak_core::atlas::PixelKind;
use zemtak_core::codec::Limits;

/// Loads each texture once, shares it, and frees it in time. Clones are cheap and share the same cache.
///
/// ```
/// use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
///
/// let (cache, mut pump) = Cache::new(Settings::over(MemoryFiles::new()), MemorySink::new());
/// let title = cache.lease("title.png");
/// let failure = pump.wait(&title).unwrap_err();
/// assert_eq!(failure.to_string(), "title.png: no root has it; looked for title.png");
/// ```
#[derive(Debug, Clone)]
pub struct Cache {
    shared: Arc<Shared>,
    holder: u32,
}

impl Cache {
    /// A cache whose textures go into a sink, and the pump that makes and drops them. The pump belongs on the thread of
    /// the graphics API; dropping it drops all textures.
    pub fn new<S: Sink>(settings: Settings, sink: S) -> (Self, Pump<S>) {
        let Settings { roots, budget, workers, hash, decoded_ahead, limits, image_sampler, stand_in, watch } = settings;
        let limits = Limits { side: limits.side.min(sink.largest_side()), ..limits };
        let kinds = [PixelKind::Rgba8, PixelKind::Bc1, PixelKind::Bc3, PixelKind::Bc7];
        let takes = kinds.into_iter().filter(|kind| sink.takes(*kind)).collect();
        let reading = Reading { roots, hash, decoded_ahead, limits, image_sampler, takes };
        let shared = Arc::new(Shared::new(reading, budget));
        let pump = Pump::new(shared.clone(), sink, workers, stand_in, watch);
        (Self { shared, holder: 0 }, pump)
    }

    /// The same cache under another name: the ledger reports what is leased through it as held by this name, such as
    /// that of a scene or a system.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let meadow = cache.named("meadow");
    /// let moth = meadow.lease("moth.png");
    /// assert_eq!(cache.ledger().held[0].holder, "meadow");
    /// ```
    #[must_use]
    pub fn named(&self, holder: &str) -> Self {
        let mut state = self.shared.lock();
        // Pins have no name, so a name that a game gives is never theirs.
        let known = (0..state.holders.len()).find(|i| *i != PINS as usize && *state.holders[*i] == *holder);
        let place = known.unwrap_or_else(|| {
            state.holders.push(holder.into());
            state.holders.len() - 1
        });
        Self { shared: self.shared.clone(), holder: u32::try_from(place).unwrap_or(0) }
    }

    /// The id of a name, which is faster to look up. Loads nothing.
    ///
    /// A name is `night:moth/fly/03`, a sprite of the atlas `night`; `worlds/night:moth/fly/03`, if its descriptor is
    /// in a folder; `title.png`, a loose image; or an alias.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.id("moth.png");
    /// // As often as you like, without looking the name up again:
    /// let lease = cache.lease(moth);
    /// assert_eq!(&*lease.name(), "moth.png");
    /// ```
    #[must_use]
    pub fn id(&self, name: &str) -> Id {
        Id { entry: self.shared.lock().intern(name), cache: self.shared.number }
    }

    /// Leases a sprite by name or id. This never fails and never waits: ask the lease for its status.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.lease("moth.png");
    /// assert!(!moth.is_ready());
    /// pump.wait(&moth)?;
    /// assert_eq!(moth.view().unwrap().canvas.w, 32);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[track_caller]
    pub fn lease<'n>(&self, what: impl Into<Asked<'n>>) -> Lease {
        let who = self.who();
        let entry = self.shared.ask(|state| state.take_asked(what.into(), self.shared.number, who));
        Lease::new(self.shared.clone(), entry, who)
    }

    /// Leases many sprites together: names, globs such as `night:moth/**` or `icons/*.png`, or whole atlases such as
    /// `night:**`.
    ///
    /// In globs `*` and `?` match anything but `/`, `**` matches whole folders, `[a-c]` matches one of several
    /// characters, `{a,b}` one of several texts; `\` takes a character literally.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let all = cache.lease_all(["*.png"]);
    /// pump.wait(&all)?;
    /// assert_eq!(all.names().len(), 2);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[track_caller]
    pub fn lease_all<'n>(&self, names: impl IntoIterator<Item = &'n str>) -> LeaseSet {
        self.set(names, self.who())
    }

    /// Loads many sprites and keeps them in memory, as [`Cache::lease_all`] does, until the set is dropped. The ledger
    /// does not count them as held at the end of the game.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let pinned = cache.pin(["title.png"]);
    /// pump.wait(&pinned)?;
    /// cache.trim();
    /// pump.pump(zemtak_runtime::PerFrame::default());
    /// assert_eq!(cache.ledger().resident_bytes, 32 * 16 * 4);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[track_caller]
    pub fn pin<'n>(&self, names: impl IntoIterator<Item = &'n str>) -> LeaseSet {
        self.set(names, Who { holder: PINS, ..self.who() })
    }

    fn set<'n>(&self, names: impl IntoIterator<Item = &'n str>, who: Who) -> LeaseSet {
        let names: Vec<&str> = names.into_iter().collect();
        let set = self.shared.ask(|state| state.lease_set(&names, who));
        LeaseSet::new(self.shared.clone(), set)
    }

    /// Leases all sprites of a clip, such as `night:moth/fly`.
    #[track_caller]
    pub fn lease_clip(&self, name: &str) -> ClipLease {
        let who = self.who();
        let set = self.shared.ask(|state| state.lease_clip(name, who));
        ClipLease::new(LeaseSet::new(self.shared.clone(), set))
    }

    /// The clips of an atlas by their full names, as [`Cache::lease_clip`] takes them. `None` until its descriptor is
    /// read; asking requests that, and loads no page.
    ///
    /// # Errors
    /// The descriptor cannot be loaded.
    ///
    /// ```no_run
    /// # fn menu(cache: &zemtak_runtime::Cache) -> Result<(), zemtak_runtime::Failure> {
    /// for (name, clip) in cache.clips("night")?.unwrap_or_default() {
    ///     println!("{name}: {} steps in {:?}", clip.steps, clip.length); // night:moth/fly: 6 steps in 480ms
    /// }
    /// # Ok(())
    /// # }
    /// ```
    pub fn clips(&self, atlas: &str) -> Result<Option<BTreeMap<String, ClipInfo>>, Failure> {
        self.shared.ask(|state| state.clips(atlas))
    }

    /// Makes a name of the game's own stand for another name from now on. Existing leases stay as they are.
    ///
    /// # Errors
    /// The name leads back to the alias.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// cache.alias("courier", "moth.png")?;
    /// assert_eq!(&*cache.lease("courier").name(), "moth.png");
    /// cache.alias("courier", "title.png")?;
    /// assert_eq!(&*cache.lease("courier").name(), "title.png");
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn alias(&self, alias: &str, name: &str) -> Result<(), Failure> {
        let mut state = self.shared.lock();
        let (from, to) = (state.intern(alias), state.intern(name));
        if state.names.alias(from, to) { Ok(()) } else { Err(Failure::new(alias, Reason::AliasLoop)) }
    }

    /// Makes a name mean itself again.
    pub fn forget_alias(&self, alias: &str) {
        let mut state = self.shared.lock();
        let entry = state.intern(alias);
        state.names.get_mut(entry).alias = None;
    }

    /// Changes the budget. The next pump applies it.
    pub fn set_budget(&self, bytes: u64) {
        self.shared.lock().pages.budget = bytes;
    }

    /// Makes the next pump drop all textures that nobody holds.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// pump.wait(&cache.lease("moth.png"))?; // given back at once
    /// assert_eq!(cache.ledger().resident_bytes, 32 * 16 * 4);
    /// cache.trim();
    /// pump.pump(zemtak_runtime::PerFrame::default());
    /// assert_eq!(cache.ledger().resident_bytes, 0);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn trim(&self) {
        self.shared.lock().trim = true;
    }

    /// Reads the atlas or image of a name again. What has changed replaces the old one behind all leases at once, as
    /// soon as everything of it that is held has been loaded; if it is broken, the old one stays.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.lease("moth.png");
    /// pump.wait(&moth)?;
    /// # let larger = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(64, 16)).unwrap();
    /// # let larger = zemtak_core::codec::encode_png(&larger, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// files.put("moth.png", larger);
    /// cache.reload("moth.png");
    /// while moth.view().unwrap().canvas.w == 32 {
    ///     pump.pump(zemtak_runtime::PerFrame::default()); // until then the old one is drawn
    /// }
    /// assert_eq!(moth.view().unwrap().canvas.w, 64);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn reload(&self, name: &str) {
        self.shared.ask(|state| {
            let entry = state.meaning(name);
            if let Some(origin) = state.names.get(entry).origin {
                state.reload(origin);
            }
        });
    }

    /// Whether nothing is in progress: everything that was asked for is resident or has failed, new versions have taken
    /// over, and the next pump has nothing to make or drop. This stays true until something is asked for, changed or
    /// given back.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.lease("moth.png");
    /// assert!(!cache.is_idle());
    /// while !cache.is_idle() {
    ///     pump.pump(zemtak_runtime::PerFrame::default());
    /// }
    /// assert!(moth.is_ready());
    /// ```
    #[must_use]
    pub fn is_idle(&self) -> bool {
        self.shared.lock().is_idle()
    }

    /// Asks once more for files that were on their way ([`Files::read`](crate::Files::read)): for a game whose files
    /// come over a network, and which has no threads that could wait for them.
    pub fn files_came(&self) {
        self.shared.ask(state::State::files_came);
        self.shared.tell();
    }

    /// Checks the files of all atlases and images, and reloads those that have changed.
    pub fn reload_changed(&self) {
        self.shared.ask(|state| state.queue.look());
    }

    /// Tries again to load something that could not be loaded.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let lantern = cache.lease("lantern.png");
    /// assert!(pump.wait(&lantern).is_err());
    /// # files.put("lantern.png", zemtak_runtime::Files::read(&files, "moth.png", 9999).unwrap());
    /// // The file has come meanwhile.
    /// cache.retry("lantern.png");
    /// assert!(pump.wait(&lantern).is_ok());
    /// ```
    pub fn retry(&self, name: &str) {
        self.shared.ask(|state| {
            let entry = state.meaning(name);
            state.retry(Some(entry));
        });
    }

    /// Tries again to load everything that could not be loaded.
    pub fn retry_all(&self) {
        self.shared.ask(|state| state.retry(None));
    }

    /// What happened since the last call, in order.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// pump.wait(&cache.lease("moth.png"))?;
    /// for event in cache.events() {
    ///     if let zemtak_runtime::Event::Loaded { path, bytes } = event {
    ///         assert_eq!((path.as_str(), bytes), ("moth.png", 32 * 16 * 4));
    ///     }
    /// }
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[must_use]
    pub fn events(&self) -> Vec<Event> {
        self.shared.lock().account.events.take()
    }

    /// The account of what was loaded, reused, evicted and is still held.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let (one, two) = (cache.lease("moth.png"), cache.lease("moth.png"));
    /// pump.wait(&two)?;
    /// let ledger = cache.ledger();
    /// assert_eq!((ledger.requests, ledger.loads, ledger.leases), (2, 1, 2));
    /// println!("{ledger}");
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[must_use]
    pub fn ledger(&self) -> Ledger {
        Ledger::of(&self.shared.lock())
    }

    /// The account over time: what each of the last [`FRAMES_KEPT`] pumps did, oldest first, for a game to draw.
    /// Overwrites the list; if you keep it from frame to frame, this allocates nothing.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.lease("moth.png");
    /// pump.wait(&moth)?;
    /// let mut frames = Vec::new();
    /// cache.frames(&mut frames);
    /// assert_eq!((frames[0].requests, frames[0].misses), (1, 1));
    /// assert_eq!(frames.iter().map(|frame| frame.made_bytes).sum::<u64>(), 32 * 16 * 4);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn frames(&self, into: &mut Vec<FrameLine>) {
        into.clear();
        into.extend(self.shared.lock().account.frames.iter());
    }

    #[track_caller]
    fn who(&self) -> Who {
        let at = if cfg!(debug_assertions) { Some(Location::caller()) } else { None };
        Who { holder: self.holder, at }
    }
}
