//! Many sprites as few draws.

use crate::leases::{Lease, Playing};
use crate::sink::number;
use wasm_bindgen::prelude::*;
use zemtak_runtime::coords::{Middle, Placement, Sampling};
use zemtak_runtime::{self as runtime, BatchOrder, Look, View};

/// Collects sprites and returns the vertices that draw them. If you keep it from frame to frame, it allocates nothing.
#[wasm_bindgen]
#[derive(Default)]
pub struct Batch {
    batch: runtime::Batch,
    at: Placement,
    look: Look,
    draws: Vec<u32>,
}

impl Batch {
    fn add(&mut self, view: Option<&View>) {
        if let Some(view) = view {
            self.batch.add(view, &self.at, &Sampling::default(), self.look);
        }
    }
}

#[wasm_bindgen]
impl Batch {
    /// An empty batch.
    #[wasm_bindgen(constructor)]
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Removes all sprites.
    pub fn clear(&mut self) {
        self.batch.clear();
    }

    /// The visible area: sprites that are added afterwards and lie outside it are left out.
    #[wasm_bindgen(js_name = setScreen)]
    pub fn set_screen(&mut self, left: f32, top: f32, right: f32, bottom: f32) {
        self.batch.set_screen(Some([left, top, right, bottom]));
    }

    /// Where and how everything is drawn that is added from now on. `tint` is 0xRRGGBBAA.
    #[expect(clippy::too_many_arguments, reason = "plain numbers cross the border for nothing")]
    pub fn place(&mut self, x: f64, y: f64, scale_x: f64, scale_y: f64, degrees: f64, layer: i32, tint: u32) {
        self.at = Placement { at: [x, y], scale: [scale_x, scale_y], degrees, ..Placement::default() };
        self.look = Look { layer, tint: tint.to_be_bytes() };
    }

    /// Adds what a lease shows.
    #[wasm_bindgen(js_name = addLease)]
    pub fn add_lease(&mut self, lease: &Lease) {
        self.add(lease.0.view().as_ref());
    }

    /// Adds what a clip has shown since its last advance.
    #[wasm_bindgen(js_name = addPlaying)]
    pub fn add_playing(&mut self, playing: &Playing) {
        self.add(playing.view());
    }

    /// Adds a sprite stretched to a size in canvas pixels: its bands keep their size, and the middle is stretched, or
    /// repeated in whole copies if `tiled`.
    #[wasm_bindgen(js_name = addStretched)]
    pub fn add_stretched(&mut self, lease: &Lease, width: f64, height: f64, tiled: bool) {
        let Some(view) = lease.0.view() else { return };
        let bands = lease.0.details().and_then(|details| details.stretch).unwrap_or_default();
        let middle = if tiled { Middle::Tiled } else { Middle::Stretched };
        for quad in view.stretched(bands, [width, height], middle, self.at, Sampling::default()) {
            self.batch.add_quad(view.texture, quad, self.look);
        }
    }

    /// How many quads there are.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn quads(&self) -> usize {
        self.batch.len()
    }

    /// How many sprites were left out because they lie outside the screen.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn culled(&self) -> usize {
        self.batch.culled()
    }

    /// Lays out all sprites: lowest layer first; within a layer by texture or, with `as_added`, in the order they were
    /// added.
    #[wasm_bindgen(js_name = layOut)]
    pub fn lay_out(&mut self, as_added: bool) {
        self.batch.lay_out(if as_added { BatchOrder::AsAdded } else { BatchOrder::ByTexture });
        let small = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        self.draws.clear();
        self.draws.extend(
            self.batch.draws().iter().flat_map(|draw| [number(draw.texture), small(draw.first), small(draw.quads)]),
        );
    }

    /// Where the vertices are in the module's memory, and how many bytes they have: 20 per vertex, x, y, u, v as 32-bit
    /// floats, then the tint.
    #[must_use]
    pub fn vertices(&self) -> Vec<usize> {
        let vertices = self.batch.vertices();
        vec![vertices.as_ptr() as usize, vertices.len()]
    }

    /// What to draw, in order: for each draw its texture, its first quad, and the number of quads.
    #[must_use]
    pub fn draws(&self) -> Vec<u32> {
        self.draws.clone()
    }
}
