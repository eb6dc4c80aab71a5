//! What a sprite shows, and how that is drawn.

use super::snapshot::Placed;
use super::state::State;
use crate::sink::Texture;
use zemtak_core::coords::{
    Area, Middle, Part, PartError, Picture, Placement, Quad, Sampling, Stretched, UvRect, Visible, quad,
};
use zemtak_core::geometry::{Rect, Size};

/// What a lease currently shows: valid until the next pump.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View {
    /// The texture to bind.
    pub texture: Texture,
    /// The stored pixels of the sprite or part, in texture coordinates: left, top, right, bottom, V down.
    pub uv: UvRect,
    /// The point by which it is placed and rotated, in canvas pixels.
    pub pivot: [f64; 2],
    /// The sprite's full size in pixels.
    pub canvas: Size,
    /// Where it is stored, and where that lies on the canvas.
    pub visible: Visible,
    /// Whether it is the stand-in, because the sprite is not resident.
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

    /// What a part of it shows, in canvas pixels, relative to what this is a view of. Needs no lock and no lease, so a
    /// floor of tiles cut from one sprite is cheap. A stand-in is drawn whole in the place of the part.
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

    /// The quads that draw the sprite stretched to a size in canvas pixels, using the bands of its
    /// [`Details`](super::Details): they keep their size, and the middle fills the rest. Empty for a part, because its
    /// whole is not known.
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
        // Of the whole sprite, everything that is not shown is border.
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

/// What to draw for a sprite or a part of it.
#[inline]
pub(super) fn view(state: &State, entry: u32, parts: &[Part]) -> Option<View> {
    let entry = state.names.get(entry);
    let placed = entry.placed();
    let texture = entry.page().and_then(|page| state.pages.texture(page));
    let (Some(texture), Some(placed)) = (texture, placed) else { return stand_in(state.stand_in()?, placed, parts) };
    let (visible, uv) = match parts {
        [] => (placed.picture.shown(), placed.uv),
        parts => {
            let visible = placed.picture.part(parts).ok()?;
            (visible, UvRect::of(visible.area.stored(), visible.area.page()))
        }
    };
    let (pivot, canvas) = (placed.pivot, placed.picture.canvas);
    Some(View { texture, uv, pivot, canvas, visible, stand_in: false })
}

/// The whole stand-in, drawn where the sprite, or the part of its canvas, would be.
#[cold]
fn stand_in((texture, size): (Texture, Size), placed: Option<&Placed>, parts: &[Part]) -> Option<View> {
    let (canvas, pivot) = match placed {
        Some(placed) => (placed.picture.canvas, placed.pivot),
        None => (size, [f64::from(size.w) / 2.0, f64::from(size.h) / 2.0]),
    };
    let area = Area::new(size, Rect::at(0, 0, size), false).ok()?;
    let room = Area::new(canvas, Rect::at(0, 0, canvas), false).ok()?;
    let visible = Visible { area, ..Picture::whole(room).part(parts).ok()? };
    Some(View { texture, uv: UvRect([0.0, 0.0, 1.0, 1.0]), pivot, canvas, visible, stand_in: true })
}
