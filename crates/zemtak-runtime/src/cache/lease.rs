//! A counted hold on a sprite, and what it shows.

use super::entries::Who;
use super::ready::Ready;
use super::shared::Shared;
use super::snapshot::Details;
use super::state::State;
use super::status::Status;
use super::wanted::{Awaited, Handle, Wanted};
use crate::failure::Failure;
use crate::sink::Texture;
use std::fmt;
use std::sync::Arc;
use zemtak_core::coords::{
    Area, Middle, Part, PartError, Picture, Placement, Quad, Sampling, Stretched, UvRect, Visible, quad,
};
use zemtak_core::geometry::{Rect, Size};

/// A name that was looked up: copied at will, good for as long as the cache, and faster than the name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Id {
    pub(super) entry: u32,
    pub(super) cache: u32,
}

/// What a lease is asked for by: a name or an id.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub enum Asked<'n> {
    /// A name.
    Name(&'n str),
    /// An id.
    Id(Id),
}

impl<'n> From<&'n str> for Asked<'n> {
    fn from(name: &'n str) -> Self {
        Self::Name(name)
    }
}

impl<'n> From<&'n String> for Asked<'n> {
    fn from(name: &'n String) -> Self {
        Self::Name(name)
    }
}

impl From<Id> for Asked<'_> {
    fn from(id: Id) -> Self {
        Self::Id(id)
    }
}

/// A counted hold on a sprite: its texture stays as long as a lease on it or on a part of it lives.
///
/// A clone is a lease of its own. Dropping one gives it back; there is no other way, so nothing is given back twice or
/// used after that.
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

/// What a lease shows just now: good until the next pump.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View {
    /// The texture to bind.
    pub texture: Texture,
    /// What is stored of the sprite or part, in texture coordinates: left, top, right, bottom, V down.
    pub uv: UvRect,
    /// The point by which it is placed and turned, in canvas pixels.
    pub pivot: [f64; 2],
    /// The sprite's full size in pixels.
    pub canvas: Size,
    /// Where it is stored, and where that lies on the canvas.
    pub visible: Visible,
    /// Whether it is the stand-in, since the sprite is not there, or not yet.
    pub stand_in: bool,
}

impl View {
    /// The four vertices and six indices that draw it.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// use zemtak_runtime::coords::{Placement, Sampling};
    ///
    /// let moth = cache.lease("moth.png");
    /// pump.wait(&moth)?;
    /// let placement = Placement { at: [100.0, 50.0], ..Placement::default() };
    /// let quad = moth.view().unwrap().quad(&placement, &Sampling::default());
    /// assert_eq!(quad.positions[0], [84.0, 42.0]);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    #[must_use]
    pub fn quad(&self, placement: &Placement, sampling: &Sampling) -> Quad {
        quad(&self.visible, self.pivot, placement, sampling)
    }

    /// What a part of it shows, in canvas pixels, relative to what this is a view of: without a lock or a lease, so that a floor of
    /// tiles cut from one sprite is cheap. Of a stand-in all is drawn where the part would be.
    ///
    /// # Errors
    /// Nothing of the part is stored.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("tiles.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// use zemtak_runtime::coords::Part;
    ///
    /// let tiles = cache.lease("tiles.png");
    /// pump.wait(&tiles)?;
    /// let floor = tiles.view().unwrap().part(Part { x: 16, y: 0, w: 16, h: 16 }).unwrap();
    /// assert_eq!(floor.uv.0, [0.5, 0.0, 1.0, 1.0]);
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn part(&self, part: Part) -> Result<Self, PartError> {
        if self.stand_in {
            let size = self.visible.on_canvas.size();
            let room = Area::new(size, Rect::at(0, 0, size), false).map_err(|_| PartError::Empty)?;
            let visible = Visible { area: room, ..self.visible }.part(part)?;
            return Ok(Self { visible: Visible { area: self.visible.area, ..visible }, ..*self });
        }
        let visible = self.visible.part(part)?;
        Ok(Self { uv: UvRect::of(visible.area.stored(), visible.area.page()), visible, ..*self })
    }

    /// The quads that draw the sprite stretched to a size in canvas pixels, with the bands of its [`Details`]: what lies in them
    /// keeps its size, the middle fills the rest. None for a part, of which nobody knows the whole.
    pub fn stretched(
        &self,
        bands: [u32; 4],
        to: [f64; 2],
        middle: Middle,
        placement: Placement,
        sampling: Sampling,
    ) -> impl Iterator<Item = Quad> + use<> {
        let Visible { area, on_canvas: on, outside, in_border, .. } = self.visible;
        let Size { w, h } = self.canvas;
        // Of the whole sprite all that is not shown is border.
        let around = [on.x, on.y, w.saturating_sub(on.x + on.w), h.saturating_sub(on.y + on.h)];
        let whole = outside == [0; 4] && in_border == around;
        let (picture, bands) = match self.stand_in {
            true => (Picture::whole(area), [0; 4]),
            false => (Picture { area, canvas: self.canvas, inset: [on.x, on.y] }, bands),
        };
        let stretched = whole.then(|| Stretched::new(picture, bands, to, middle));
        let pivot = self.pivot;
        stretched.into_iter().flat_map(move |stretched| stretched.quads(pivot, placement, sampling))
    }

    /// The texture coordinates of its corners: top left, top right, bottom right, bottom left of the upright sprite.
    #[must_use]
    pub fn corners(&self, sampling: &Sampling) -> [[f32; 2]; 4] {
        self.visible.area.corners(sampling)
    }
}

impl Lease {
    /// Of a lease that was counted already.
    pub(super) fn new(shared: Arc<Shared>, entry: u32, who: Who) -> Self {
        Self { shared, entry, who, parts: None }
    }

    /// The sprite's full name; of an alias, the name that it stood for.
    #[must_use]
    pub fn name(&self) -> Arc<str> {
        self.shared.lock().names.get(self.entry).name.clone()
    }

    /// How far it is.
    #[must_use]
    pub fn status(&self) -> Status {
        self.shared.lock().status(self.entry)
    }

    /// Whether it can be drawn.
    #[must_use]
    pub fn is_ready(&self) -> bool {
        matches!(self.status(), Status::Ready)
    }

    /// What is to be drawn: the sprite or, for want of it, the stand-in. Nothing where there is no stand-in either, and of a
    /// part of which nothing is stored.
    #[must_use]
    pub fn view(&self) -> Option<View> {
        view(&self.shared.lock(), self.entry, self.parts.as_deref().unwrap_or_default())
    }

    /// The texture of a layer of the sprite's page, such as `normal`: the same corners show it. Nothing while the page is not
    /// there, and where it has no such layer.
    #[must_use]
    pub fn layer(&self, name: &str) -> Option<Texture> {
        let state = self.shared.lock();
        state.pages.layer(state.names.get(self.entry).page()?, name)
    }

    /// What many leases show just now, in their order, under one lock: put behind what is in the list. A lease of another cache
    /// than the first one's shows nothing.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, Lease, MemoryFiles, MemorySink, Settings};
    /// # let (cache, _pump) = Cache::new(Settings::over(MemoryFiles::new()), MemorySink::new());
    /// let crowd: Vec<Lease> = (0..100).map(|i| cache.lease(format!("night:moth/fly/{i:02}").as_str())).collect();
    /// let mut views = Vec::new(); // kept from frame to frame
    /// Lease::views(&crowd, &mut views);
    /// assert_eq!(views.len(), 100);
    /// ```
    pub fn views<'l>(leases: impl IntoIterator<Item = &'l Self>, into: &mut Vec<Option<View>>) {
        let mut leases = leases.into_iter();
        let Some(first) = leases.next() else { return };
        let state = first.shared.lock();
        let all = std::iter::once(first).chain(leases);
        into.extend(all.map(|lease| {
            let own = Arc::ptr_eq(&lease.shared, &first.shared);
            own.then(|| view(&state, lease.entry, lease.parts.as_deref().unwrap_or_default())).flatten()
        }));
    }

    /// What the descriptor says of the sprite beyond where it is; nothing as long as that is not known.
    #[must_use]
    pub fn details(&self) -> Option<Arc<Details>> {
        let state = self.shared.lock();
        let placed = state.names.get(self.entry).placed()?;
        Some(placed.details.clone().unwrap_or_default())
    }

    /// A lease of a part of the sprite, or of a part of this part: in canvas pixels, relative to what it is a part of.
    ///
    /// # Errors
    /// Nothing of the part is stored. Where the sprite is not known yet, that shows later: there is nothing to view then.
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

    /// Waits until the sprite is ready, in a task of whatever executor: awaited, it ends when a pump has made the texture.
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
    /// It cannot be had; or this is the thread that pumps.
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

/// What is to be drawn for a sprite or a part of it.
pub(super) fn view(state: &State, entry: u32, parts: &[Part]) -> Option<View> {
    let entry = state.names.get(entry);
    let placed = entry.placed();
    let texture = entry.page().and_then(|page| state.pages.texture(page));
    if let (Some(texture), Some(placed)) = (texture, placed) {
        let visible = placed.picture.part(parts).ok()?;
        let uv = if parts.is_empty() { placed.uv } else { UvRect::of(visible.area.stored(), visible.area.page()) };
        let (pivot, canvas) = (placed.pivot, placed.picture.canvas);
        return Some(View { texture, uv, pivot, canvas, visible, stand_in: false });
    }
    let (texture, size) = state.stand_in?;
    let (canvas, pivot) = match placed {
        Some(placed) => (placed.picture.canvas, placed.pivot),
        None => (size, [f64::from(size.w) / 2.0, f64::from(size.h) / 2.0]),
    };
    // All of the stand-in is drawn where the sprite, or the part of its canvas, would be.
    let area = Area::new(size, Rect::at(0, 0, size), false).ok()?;
    let room = Area::new(canvas, Rect::at(0, 0, canvas), false).ok()?;
    let visible = Visible { area, ..Picture::whole(room).part(parts).ok()? };
    Some(View { texture, uv: UvRect([0.0, 0.0, 1.0, 1.0]), pivot, canvas, visible, stand_in: true })
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
