//! A counted hold on a sprite, and what it shows.

use super::entries::{Kept, Who};
use super::ready::Ready;
use super::shared::Shared;
use super::snapshot::Details;
use super::status::Status;
use super::view::{View, view};
use super::views::Views;
use super::wanted::{Awaited, Handle, Wanted};
use crate::failure::Failure;
use crate::sink::Texture;
use std::fmt;
use std::sync::Arc;
use zemtak_core::coords::{Part, PartError};

/// A counted hold on a sprite: its texture stays resident as long as there is a lease on it or on a part of it.
///
/// A clone is a lease of its own. Dropping a lease gives it back, and nothing else does, so no lease is given back
/// twice or used afterwards.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png.clone());
/// # files.put("title.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// let first = cache.lease("moth.png");
/// let second = first.clone();
/// pump.wait(&first)?;
/// drop(first);
/// assert!(second.view().is_some());
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
pub struct Lease {
    shared: Arc<Shared>,
    entry: u32,
    who: Who,
    parts: Option<Arc<[Part]>>,
}

impl Lease {
    /// A lease that has been counted already.
    pub(super) fn new(shared: Arc<Shared>, entry: u32, who: Who) -> Self {
        Self { shared, entry, who, parts: None }
    }

    /// A lease on what is kept.
    pub(super) fn of(shared: Arc<Shared>, Kept { entry, who, parts }: Kept) -> Self {
        Self { shared, entry, who, parts }
    }

    /// What it holds, if it belongs to that cache.
    pub(super) fn held(&self, shared: &Arc<Shared>) -> Option<Kept> {
        let (entry, who, parts) = (self.entry, self.who, self.parts.clone());
        Arc::ptr_eq(&self.shared, shared).then_some(Kept { entry, who, parts })
    }

    /// The sprite's full name; for an alias, the name that it stood for.
    #[must_use]
    pub fn name(&self) -> Arc<str> {
        self.shared.lock().names.get(self.entry).name.clone()
    }

    /// Whether it is loading, ready or failed.
    #[must_use]
    pub fn status(&self) -> Status {
        self.shared.lock().status(self.entry)
    }

    /// Whether it can be drawn.
    #[must_use]
    pub fn is_ready(&self) -> bool {
        matches!(self.status(), Status::Ready)
    }

    /// What to draw: the sprite or, while it is not there, the stand-in. `None` if there is no stand-in either, and for
    /// a part of which nothing is stored.
    #[must_use]
    pub fn view(&self) -> Option<View> {
        view(&self.shared.lock(), self.entry, self.parts.as_deref().unwrap_or_default())
    }

    /// The texture of a layer of the sprite's page, such as `normal`: the same corners show it. `None` while the page
    /// is not resident, and if it has no such layer.
    #[must_use]
    pub fn layer(&self, name: &str) -> Option<Texture> {
        let state = self.shared.lock();
        state.pages.layer(state.names.get(self.entry).page()?, name)
    }

    /// What many leases show at one moment, in order; whatever is unchanged since the last frame is not looked up
    /// again. A lease of another cache than the first one's shows nothing.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, Lease, MemoryFiles, MemorySink, Settings, Views};
    /// # let (cache, _pump) = Cache::new(Settings::over(MemoryFiles::new()), MemorySink::new());
    /// let crowd: Vec<Lease> = (0..100).map(|i| cache.lease(format!("night:moth/fly/{i:02}").as_str())).collect();
    /// let mut views = Views::new(); // kept from frame to frame
    /// Lease::views(&crowd, &mut views);
    /// assert_eq!(views.len(), 100);
    /// ```
    pub fn views<'l>(leases: impl IntoIterator<Item = &'l Self>, into: &mut Views) {
        let mut leases = leases.into_iter().peekable();
        let Some(first) = leases.peek().map(|first| &first.shared) else { return into.clear() };
        let own = leases.map(|lease| (Arc::ptr_eq(&lease.shared, first).then_some(lease.entry), lease.parts.as_ref()));
        into.ask(own);
        if !into.are_up_to_date(first) {
            into.look(&first.lock(), first);
        }
    }

    /// What the descriptor says about the sprite beyond its place; `None` until that is known.
    #[must_use]
    pub fn details(&self) -> Option<Arc<Details>> {
        let state = self.shared.lock();
        let placed = state.names.get(self.entry).placed()?;
        Some(placed.details.clone().unwrap_or_default())
    }

    /// A lease on a part of the sprite, or on a part of this part: in canvas pixels, relative to what it is a part of.
    ///
    /// # Errors
    /// Nothing of the part is stored. If the sprite is not known yet, that shows later: there is nothing to view then.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// use zemtak_runtime::coords::Part;
    ///
    /// let moth = cache.lease("moth.png");
    /// pump.wait(&moth)?;
    /// let wing = moth.part(Part { x: 16, y: 0, w: 16, h: 16 }).unwrap();
    /// drop(moth); // the wing keeps the texture
    /// assert_eq!(wing.view().unwrap().uv.0, [0.5, 0.0, 1.0, 1.0]);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn part(&self, part: Part) -> Result<Self, PartError> {
        let former = self.parts.as_deref().unwrap_or_default();
        let parts: Arc<[Part]> = former.iter().copied().chain([part]).collect();
        let state = self.shared.lock();
        if let Some(placed) = state.names.get(self.entry).placed() {
            placed.picture.part(&parts)?;
        }
        drop(state);
        let mut lease = self.clone();
        lease.parts = Some(parts);
        Ok(lease)
    }

    /// Waits until the sprite is ready, in a task of any executor; completes when a pump has made the texture.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, Failure, Lease};
    /// async fn enter(cache: &Cache) -> Result<Lease, Failure> {
    ///     let title = cache.lease("title.png");
    ///     title.ready().await?;
    ///     Ok(title)
    /// }
    /// ```
    #[must_use = "a future does nothing unless it is awaited"]
    pub fn ready(&self) -> Ready<'_> {
        Ready::new(&self.shared, Wanted::Entry(self.entry))
    }

    /// Waits until the sprite is ready. On the thread that pumps, wait with [`Pump::wait`](super::Pump::wait) instead.
    ///
    /// # Errors
    /// It cannot be loaded, or this is the thread that pumps.
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
    /// let loading = std::thread::spawn(move || moth.wait().is_ok());
    /// while !loading.is_finished() {
    ///     pump.pump(zemtak_runtime::PerFrame::default());
    /// }
    /// assert!(loading.join().unwrap());
    /// ```
    pub fn wait(&self) -> Result<(), Failure> {
        self.shared.wait(Wanted::Entry(self.entry))
    }
}

impl Awaited for Lease {
    fn awaited(&self) -> Handle {
        Handle(Wanted::Entry(self.entry))
    }
}

impl Clone for Lease {
    fn clone(&self) -> Self {
        let mut state = self.shared.lock();
        state.share(self.entry, self.who);
        drop(state);
        Self { shared: self.shared.clone(), entry: self.entry, who: self.who, parts: self.parts.clone() }
    }
}

impl Drop for Lease {
    fn drop(&mut self) {
        self.shared.lock().release(self.entry, self.who);
    }
}

impl fmt::Debug for Lease {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Lease").field("name", &self.name()).field("parts", &self.parts).finish()
    }
}
