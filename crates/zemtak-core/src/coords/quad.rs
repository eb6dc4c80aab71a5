//! From a sprite to the four vertices that draw it.

use super::{Area, Flip, Part, Sampling, Visible, single};
use crate::geometry::Size;

/// Which way y goes on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum ScreenY {
    /// Down: positive angles turn clockwise as seen.
    #[default]
    Down,
    /// Up: the picture stays upright, positive angles turn counter-clockwise.
    Up,
}

/// Where and how a sprite is drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placement {
    /// Where its pivot goes.
    pub at: [f64; 2],
    /// Screen units per canvas pixel, for each axis. A negative value mirrors.
    pub scale: [f64; 2],
    /// Its rotation about its pivot in degrees.
    pub degrees: f64,
    /// Mirroring about the pivot.
    pub flip: Flip,
    /// Which way y goes.
    pub y: ScreenY,
}

impl Default for Placement {
    fn default() -> Self {
        Self { at: [0.0; 2], scale: [1.0; 2], degrees: 0.0, flip: Flip::default(), y: ScreenY::Down }
    }
}

/// Four vertices and six indices: two triangles.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Quad {
    /// Where the upright picture's top left, top right, bottom right and bottom left are drawn.
    pub positions: [[f32; 2]; 4],
    /// Their texture coordinates.
    pub uv: [[f32; 2]; 4],
    /// The indices of two triangles, clockwise as seen even when flipped.
    pub indices: [u8; 6],
}

/// Bytes of a vertex: position, texture coordinates, colour.
pub const VERTEX_BYTES: usize = 20;

/// The most quads per draw: four vertices each, counted by 16-bit indices.
pub const QUADS_A_DRAW: usize = 16_384;

impl Quad {
    /// The vertices in the order of [`Quad::positions`], little-endian: x, y, u, v as 32-bit floats, then red, green,
    /// blue and alpha as bytes in which 255 means 1.
    #[must_use]
    #[inline]
    pub fn vertices(&self, tint: [u8; 4]) -> [[u8; VERTEX_BYTES]; 4] {
        std::array::from_fn(|corner| {
            let ([x, y], [u, v]) = (self.positions[corner], self.uv[corner]);
            let mut vertex = [0; VERTEX_BYTES];
            let parts = [x, y, u, v].map(f32::to_le_bytes).into_iter().chain([tint]);
            vertex.chunks_exact_mut(4).zip(parts).for_each(|(bytes, part)| bytes.copy_from_slice(&part));
            vertex
        })
    }
}

/// The quad for the stored pixels of a sprite or of a part of one: `vertex = at + R(angle) * S * (corner - pivot)`,
/// with the corners of the stored pixels in canvas pixels. If y goes up, the y of `S * (corner - pivot)` is negated
/// before it is rotated.
///
/// Quarter turns are exact. A shrink moves texture coordinates only; the flips of `sampling` are ignored, because those
/// of the placement move the vertices.
#[must_use]
#[inline]
pub fn quad(shown: &Visible, pivot: [f64; 2], placement: &Placement, sampling: &Sampling) -> Quad {
    let super::Edges(edges) = super::Edges::of(shown.on_canvas);
    quad_over(&shown.area, edges, pivot, placement, sampling)
}

/// The quad that draws an area over a rectangle of a canvas: left, top, right, bottom.
#[inline]
pub(super) fn quad_over(
    area: &Area,
    [left, top, right, bottom]: [f64; 4],
    pivot: [f64; 2],
    placement: &Placement,
    sampling: &Sampling,
) -> Quad {
    let Placement { at, scale, degrees, flip, y } = *placement;
    let (sin, cos) = sin_cos(degrees);
    let sign = |flipped: bool| if flipped { -1.0 } else { 1.0 };
    let (sx, sy) = (scale[0] * sign(flip.x), scale[1] * sign(flip.y));
    let seen_down = match y {
        ScreenY::Down => 1.0,
        ScreenY::Up => -1.0,
    };
    let vertex = |x: f64, y: f64| {
        let (dx, dy) = (sx * (x - pivot[0]), seen_down * sy * (y - pivot[1]));
        [single(at[0] + (cos * dx - sin * dy)), single(at[1] + (sin * dx + cos * dy))]
    };
    let mirrored = (sx < 0.0) != (sy < 0.0);
    Quad {
        positions: [vertex(left, top), vertex(right, top), vertex(right, bottom), vertex(left, bottom)],
        uv: area.corners(&Sampling { flip: Flip::default(), ..*sampling }),
        indices: if mirrored { [0, 3, 2, 0, 2, 1] } else { [0, 1, 2, 0, 2, 3] },
    }
}

/// Sine and cosine of an angle in degrees, the same on every machine; exact for quarter turns.
fn sin_cos(degrees: f64) -> (f64, f64) {
    // Most sprites are not rotated, and a remainder takes as long as the rest of a quad.
    if degrees == 0.0 {
        return (0.0, 1.0);
    }
    let turn = degrees % 360.0;
    let quarter = [0.0, 90.0, 180.0, 270.0].iter().position(|&q| turn == q || turn + 360.0 == q);
    match quarter {
        Some(0) => (0.0, 1.0),
        Some(1) => (1.0, 0.0),
        Some(2) => (0.0, -1.0),
        Some(_) => (-1.0, 0.0),
        None => libm::sincos(turn.to_radians()),
    }
}

/// The largest scale at which a canvas fits into `room` and keeps its proportions.
#[must_use]
pub fn fit(canvas: Size, room: [f64; 2]) -> [f64; 2] {
    let [x, y] = fill(canvas, room);
    [x.min(y); 2]
}

/// The scale at which a canvas fills `room`, ignoring proportions.
#[must_use]
pub fn fill(canvas: Size, room: [f64; 2]) -> [f64; 2] {
    [room[0] / f64::from(canvas.w), room[1] / f64::from(canvas.h)]
}

/// Why a surface cannot be covered with a sprite.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TileError {
    /// The surface or the canvas has no pixels.
    #[error("there is nothing to cover")]
    Empty,
    /// It needs more tiles than an index can count.
    #[error("{0} tiles are more than {limit}", limit = Tiles::MOST)]
    TooMany(u64),
}

/// Iterates over the tiles of a surface, row by row.
#[derive(Debug, Clone)]
pub struct Tiles {
    canvas: Size,
    surface: Size,
    columns: u32,
    next: u64,
    count: u64,
}

impl Tiles {
    /// The most tiles of one surface.
    pub const MOST: u64 = 1 << 24;
}

/// Cuts a surface that repeats a sprite into tiles, because a part of a page cannot repeat: where each tile begins on
/// the surface, and which part of the canvas it shows. The last column and row show what is left.
///
/// # Errors
/// There is nothing to cover, or too much.
pub fn tiles(canvas: Size, surface: Size) -> Result<Tiles, TileError> {
    if canvas.area() == 0 || surface.area() == 0 {
        return Err(TileError::Empty);
    }
    let columns = surface.w.div_ceil(canvas.w);
    let count = u64::from(columns) * u64::from(surface.h.div_ceil(canvas.h));
    if count > Tiles::MOST {
        return Err(TileError::TooMany(count));
    }
    Ok(Tiles { canvas, surface, columns, next: 0, count })
}

impl Iterator for Tiles {
    type Item = ([u32; 2], Part);

    fn next(&mut self) -> Option<Self::Item> {
        if self.next == self.count {
            return None;
        }
        let at = u32::try_from(self.next).ok()?;
        self.next += 1;
        let (x, y) = (at % self.columns * self.canvas.w, at / self.columns * self.canvas.h);
        let (w, h) = (self.canvas.w.min(self.surface.w - x), self.canvas.h.min(self.surface.h - y));
        Some(([x, y], Part { x: 0, y: 0, w, h }))
    }
}
