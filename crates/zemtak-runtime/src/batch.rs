//! Draws many sprites with few draw calls: vertices or instances ready to upload, and the ranges to bind and draw.

use crate::cache::View;
use crate::sink::Texture;
use std::ops::Range;
use zemtak_core::coords::{Placement, QUADS_A_DRAW, Quad, Sampling, VERTEX_BYTES};

/// Bytes of an instance: the corners on the screen, the corners on the texture, and a colour.
pub const INSTANCE_BYTES: usize = 52;

/// The order in which sprites are drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum BatchOrder {
    /// By layer, lowest first; within a layer by texture; for one texture in the order they were added. Needs the
    /// fewest binds.
    #[default]
    ByTexture,
    /// By layer, and within a layer in the order they were added: for sprites that overlap.
    AsAdded,
}

/// How a sprite is drawn, apart from its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Look {
    /// Lower layers are drawn first.
    pub layer: i32,
    /// A colour that multiplies its pixels: red, green, blue, alpha.
    pub tint: [u8; 4],
}

impl Default for Look {
    /// Layer 0, white.
    fn default() -> Self {
        Self { layer: 0, tint: [255; 4] }
    }
}

/// A run of quads drawn with one texture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BatchDraw {
    /// The texture to bind.
    pub texture: Texture,
    /// The first quad. Its first vertex is four times this number, which is the base of the indices.
    pub first: usize,
    /// How many quads: at most [`QUADS_A_DRAW`].
    pub quads: usize,
}

/// A sprite waiting to be laid out.
#[derive(Debug, Clone, Copy)]
struct Item {
    quad: Quad,
    tint: [u8; 4],
}

/// Sprites of one layer and texture that were added in a row. They stay together in either order, so runs are sorted
/// instead of sprites.
#[derive(Debug, Clone, Copy)]
struct Run {
    layer: i32,
    texture: Texture,
    first: u32,
    count: u32,
}

impl Run {
    fn items(self) -> Range<usize> {
        self.first as usize..(self.first + self.count) as usize
    }
}

/// Collects sprites, and turns them into what a graphics API draws: a few draws, each with one texture. It keeps its
/// memory, so a frame like the one before allocates nothing.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// use zemtak_runtime::coords::{Placement, Sampling};
/// use zemtak_runtime::{Batch, BatchOrder, Look};
///
/// let moth = cache.lease("moth.png");
/// pump.wait(&moth)?;
/// let mut batch = Batch::new();
/// // Every frame of the game:
/// batch.clear();
/// batch.set_screen(Some([0.0, 0.0, 640.0, 360.0])); // what lies outside is not drawn
/// let sampling = Sampling::default();
/// if let Some(view) = moth.view() {
///     for i in 0..3 {
///         let placement = Placement { at: [100.0 * f64::from(i), 50.0], ..Placement::default() };
///         batch.add(&view, &placement, &sampling, Look::default());
///     }
/// }
/// batch.lay_out(BatchOrder::ByTexture);
/// for draw in batch.draws() {
///     // Bind draw.texture; draw 6 * draw.quads indices of Batch::indices from vertex 4 * draw.first on.
///     assert_eq!(draw.quads, 3);
/// }
/// assert_eq!(batch.vertices().len(), 3 * 4 * 20);
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
#[derive(Debug, Default)]
pub struct Batch {
    screen: Option<[f32; 4]>,
    items: Vec<Item>,
    /// The items in drawing order, once they are laid out.
    runs: Vec<Run>,
    vertices: Vec<u8>,
    instances: Vec<u8>,
    draws: Vec<BatchDraw>,
    culled: usize,
}

impl Batch {
    /// A batch without sprites.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Removes all sprites; keeps the memory.
    pub fn clear(&mut self) {
        self.items.clear();
        self.runs.clear();
        self.culled = 0;
        self.forget_layout();
    }

    fn forget_layout(&mut self) {
        self.vertices.clear();
        self.instances.clear();
        self.draws.clear();
    }

    /// The visible area, in the units of placements: left, top, right, bottom, whichever way y goes. Sprites that are
    /// added afterwards and lie outside it are left out.
    pub fn set_screen(&mut self, screen: Option<[f32; 4]>) {
        self.screen = screen.map(|[a, b, c, d]| [a.min(c), b.min(d), a.max(c), b.max(d)]);
    }

    /// Adds the sprite that a lease shows.
    pub fn add(&mut self, view: &View, placement: &Placement, sampling: &Sampling, look: Look) {
        self.add_quad(view.texture, view.quad(placement, sampling), look);
    }

    /// Adds a quad, such as one of a stretched sprite.
    pub fn add_quad(&mut self, texture: Texture, quad: Quad, look: Look) {
        if self.screen.is_some_and(|screen| lies_outside(&quad, screen)) {
            self.culled += 1;
            return;
        }
        let first = u32::try_from(self.items.len()).unwrap_or(u32::MAX);
        self.items.push(Item { quad, tint: look.tint });
        // Once sprites have been laid out, the last run need not hold the last sprite.
        let goes_on = |run: &Run| run.layer == look.layer && run.texture == texture && run.first + run.count == first;
        match self.runs.last_mut() {
            Some(run) if goes_on(run) => run.count += 1,
            _ => self.runs.push(Run { layer: look.layer, texture, first, count: 1 }),
        }
    }

    /// How many sprites there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.items.len()
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// How many sprites were left out because they lie outside the screen.
    #[must_use]
    pub fn culled(&self) -> usize {
        self.culled
    }

    /// Lays all sprites out as vertices: [`Batch::vertices`], drawn by [`Batch::draws`].
    pub fn lay_out(&mut self, order: BatchOrder) {
        self.put_in_order(order);
        self.vertices.reserve(self.items.len() * 4 * VERTEX_BYTES);
        for Item { quad, tint } in self.runs.iter().flat_map(|run| &self.items[run.items()]) {
            let vertices = quad.vertices(*tint);
            let in_order = corners(quad).map(|corner| vertices[corner]);
            self.vertices.extend_from_slice(in_order.as_flattened());
        }
    }

    /// Lays all sprites out as instances: [`Batch::instances`], drawn by [`Batch::draws`] with [`INSTANCE_GLSL`] or
    /// [`INSTANCE_WGSL`].
    pub fn lay_out_instances(&mut self, order: BatchOrder) {
        self.put_in_order(order);
        self.instances.reserve(self.items.len() * INSTANCE_BYTES);
        for Item { quad, tint } in self.runs.iter().flat_map(|run| &self.items[run.items()]) {
            let mut instance = [0; INSTANCE_BYTES];
            let numbers = [axes(quad.positions), axes(quad.uv)].into_iter().flatten();
            for (bytes, number) in instance.chunks_exact_mut(4).zip(numbers) {
                bytes.copy_from_slice(&number.to_le_bytes());
            }
            instance[48..].copy_from_slice(tint);
            self.instances.extend_from_slice(&instance);
        }
    }

    /// Vertices, four for each quad, 20 bytes each, little-endian: x, y, u, v as 32-bit floats, then red, green, blue,
    /// alpha as bytes in which 255 means 1.
    #[must_use]
    pub fn vertices(&self) -> &[u8] {
        &self.vertices
    }

    /// Instances, one for each quad, 52 bytes each, little-endian. As 32-bit floats: the position of the upright
    /// sprite's top left corner, the vectors from there to its top right and bottom left corners, then the same three
    /// on the texture. Then the colour as bytes.
    #[must_use]
    pub fn instances(&self) -> &[u8] {
        &self.instances
    }

    /// What to draw, in order.
    #[must_use]
    pub fn draws(&self) -> &[BatchDraw] {
        &self.draws
    }

    /// The 16-bit indices of this many quads, little-endian, for every draw of any batch: the base of a draw is its
    /// first vertex. Triangles go clockwise as seen, whether y goes down or up. Upload them once, for as many quads as
    /// a draw may have.
    #[must_use]
    pub fn indices(quads: usize) -> Vec<u16> {
        let all = (0..quads.min(QUADS_A_DRAW)).filter_map(|quad| u16::try_from(quad * 4).ok());
        all.flat_map(|first| [0, 1, 2, 0, 2, 3].map(|corner| first + corner)).collect()
    }

    /// The same as 32-bit indices, for all quads of a batch at once: the base is the first vertex of the batch, so a
    /// draw begins at index `6 * first`.
    #[must_use]
    pub fn indices_u32(quads: usize) -> Vec<u32> {
        let all = (0..quads).filter_map(|quad| u32::try_from(quad * 4).ok());
        all.flat_map(|first| [0, 1, 2, 0, 2, 3].map(|corner| first + corner)).collect()
    }

    fn put_in_order(&mut self, order: BatchOrder) {
        self.forget_layout();
        // Sorting by position as well keeps the order stable without allocating.
        let key = |run: &Run| (run.layer, if order == BatchOrder::ByTexture { run.texture.0 } else { 0 }, run.first);
        self.runs.sort_unstable_by_key(key);
        let mut first = 0;
        for run in &self.runs {
            let mut left = run.items().len();
            while left > 0 {
                let goes_on = |draw: &BatchDraw| draw.texture == run.texture && draw.quads < QUADS_A_DRAW;
                if !self.draws.last().is_some_and(goes_on) {
                    self.draws.push(BatchDraw { texture: run.texture, first, quads: 0 });
                }
                let Some(draw) = self.draws.last_mut() else { break };
                let quads = left.min(QUADS_A_DRAW - draw.quads);
                draw.quads += quads;
                (first, left) = (first + quads, left - quads);
            }
        }
    }
}

/// The corners in an order that lets all quads share the same indices: those of a mirrored quad go the other way round.
fn corners(quad: &Quad) -> [usize; 4] {
    if quad.indices[1] == 3 { [0, 3, 2, 1] } else { [0, 1, 2, 3] }
}

/// The top left corner, and the vectors from it to the top right and the bottom left.
fn axes([top_left, top_right, _, bottom_left]: [[f32; 2]; 4]) -> [f32; 6] {
    let way = |to: [f32; 2]| [to[0] - top_left[0], to[1] - top_left[1]];
    let ([a, b], [c, d]) = (way(top_right), way(bottom_left));
    [top_left[0], top_left[1], a, b, c, d]
}

fn lies_outside(quad: &Quad, [left, top, right, bottom]: [f32; 4]) -> bool {
    let all = |beyond: &dyn Fn([f32; 2]) -> bool| quad.positions.iter().all(|corner| beyond(*corner));
    all(&|[x, _]| x <= left) || all(&|[x, _]| x >= right) || all(&|[_, y]| y <= top) || all(&|[_, y]| y >= bottom)
}

/// A GLSL ES 3.00 function that reads an instance: six vertices per sprite, drawn with `gl_VertexID` from 0 to 5 and
/// one instance each.
pub const INSTANCE_GLSL: &str = "\
layout(location = 0) in vec2 place;   // bytes 0 to 7
layout(location = 1) in vec4 ways;    // bytes 8 to 23
layout(location = 2) in vec2 uv_place; // bytes 24 to 31
layout(location = 3) in vec4 uv_ways; // bytes 32 to 47
layout(location = 4) in vec4 tint;    // bytes 48 to 51, normalised
vec2 corner(int vertex) {
    int at = int[6](0, 1, 3, 0, 3, 2)[vertex];
    return vec2(at & 1, at >> 1);
}
vec2 sprite_position(vec2 c) { return place + ways.xy * c.x + ways.zw * c.y; }
vec2 sprite_uv(vec2 c) { return uv_place + uv_ways.xy * c.x + uv_ways.zw * c.y; }
";

/// A WGSL function that reads an instance: six vertices per sprite, drawn with `vertex_index` from 0 to 5 and one
/// instance each.
pub const INSTANCE_WGSL: &str = "\
struct Sprite {
    @location(0) place: vec2f,    // bytes 0 to 7
    @location(1) ways: vec4f,     // bytes 8 to 23
    @location(2) uv_place: vec2f, // bytes 24 to 31
    @location(3) uv_ways: vec4f,  // bytes 32 to 47
    @location(4) tint: vec4f,     // bytes 48 to 51, unorm8x4
}
fn corner(vertex: u32) -> vec2f {
    var all = array<vec2f, 6>(vec2f(0, 0), vec2f(1, 0), vec2f(1, 1), vec2f(0, 0), vec2f(1, 1), vec2f(0, 1));
    return all[vertex];
}
fn sprite_position(s: Sprite, c: vec2f) -> vec2f { return s.place + s.ways.xy * c.x + s.ways.zw * c.y; }
fn sprite_uv(s: Sprite, c: vec2f) -> vec2f { return s.uv_place + s.uv_ways.xy * c.x + s.uv_ways.zw * c.y; }
";
