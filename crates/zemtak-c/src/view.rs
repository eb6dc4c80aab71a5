//! What a sprite shows, and how it is drawn, in the terms of C.

use zemtak_runtime::View;
use zemtak_runtime::coords::{Flip, Placement, Quad, Sampling, ScreenY, VAxis};

/// What a lease shows.
#[repr(C)]
pub struct ZemtakView {
    /// The number that the sink gave to its texture.
    pub texture: u64,
    /// u and v of the upright corners: top left, top right, bottom right, bottom left; V down, row 0 at v = 0.
    pub uvs: [[f32; 2]; 4],
    /// The point by which it is placed, in canvas pixels.
    pub pivot: [f64; 2],
    /// Its full size.
    pub canvas: [u32; 2],
    /// Where the stored pixels lie on the canvas: x, y, width, height.
    pub visible: [u32; 4],
    /// Whether it is the stand-in for something that is not resident.
    pub stand_in: bool,
}

/// Where and how a sprite is drawn: its pivot at `at`, scaled (a negative scale mirrors), then rotated, clockwise as
/// seen; with `y_up`, y goes up on the screen and it rotates counter-clockwise. With `v_up`, row 0 of the page is at v
/// = 1. `shrink` moves texture coordinates inwards by this many texels.
#[repr(C)]
pub struct ZemtakPlacement {
    /// Where its pivot goes.
    pub at: [f64; 2],
    /// Screen units per canvas pixel.
    pub scale: [f64; 2],
    /// Its rotation in degrees.
    pub degrees: f64,
    /// Half a texel keeps linear filtering within the box.
    pub shrink: f64,
    /// Which way the screen's y goes.
    pub y_up: bool,
    /// Which way V goes.
    pub v_up: bool,
}

/// Two triangles.
#[repr(C)]
pub struct ZemtakQuad {
    /// The number that the sink gave to their texture.
    pub texture: u64,
    /// Where the upright corners are drawn: top left, top right, bottom right, bottom left.
    pub positions: [[f32; 2]; 4],
    /// Their texture coordinates.
    pub uvs: [[f32; 2]; 4],
    /// Six indices into them.
    pub indices: [u8; 6],
}

impl ZemtakView {
    #[inline]
    pub fn of(view: &View) -> Self {
        let on = view.visible.on_canvas;
        // The corners of the box as stored are there already; in a turned one the upright top left is the stored top
        // right.
        let [u0, v0, u1, v1] = view.uv.0;
        let [a, b, c, d] = [[u0, v0], [u1, v0], [u1, v1], [u0, v1]];
        Self {
            texture: view.texture.0,
            uvs: if view.visible.area.turned() { [b, c, d, a] } else { [a, b, c, d] },
            pivot: view.pivot,
            canvas: [view.canvas.w, view.canvas.h],
            visible: [on.x, on.y, on.w, on.h],
            stand_in: view.stand_in,
        }
    }
}

impl ZemtakPlacement {
    /// Where it goes, and how it is sampled.
    pub fn parts(&self) -> (Placement, Sampling) {
        let y = if self.y_up { ScreenY::Up } else { ScreenY::Down };
        let v = if self.v_up { VAxis::Up } else { VAxis::Down };
        let placement = Placement { at: self.at, scale: self.scale, degrees: self.degrees, flip: Flip::default(), y };
        (placement, Sampling { v, shrink: self.shrink, ..Sampling::default() })
    }
}

impl ZemtakQuad {
    pub fn of(view: &View, at: &ZemtakPlacement) -> Self {
        let (placement, sampling) = at.parts();
        Self::of_quad(view.texture.0, &view.quad(&placement, &sampling))
    }

    pub fn of_quad(texture: u64, quad: &Quad) -> Self {
        Self { texture, positions: quad.positions, uvs: quad.uv, indices: quad.indices }
    }

    pub fn quad(&self) -> Quad {
        Quad { positions: self.positions, uv: self.uvs, indices: self.indices }
    }
}
