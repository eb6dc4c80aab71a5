//! What a frame shows: as quads for the graphics card and, to be checked, in the game's own words.

use zemtak_runtime::coords::{Flip, Middle, Part, Placement, Quad, Sampling};
use zemtak_runtime::{Batch, BatchOrder, Look, Texture, View};

/// A thing that is drawn.
pub struct Shown {
    pub what: What,
    /// Where its pivot goes, or its top left corner where it has none.
    pub at: [i32; 2],
    pub flipped: bool,
    pub look: Look,
}

/// What it is.
pub enum What {
    /// A sprite, or what of it lies in a part.
    Sprite { name: String, part: Option<Part> },
    /// A sprite stretched by its bands.
    Panel { name: String, bands: [u32; 4], size: [u32; 2] },
    /// A plain rectangle.
    Bar { size: [u32; 2] },
}

/// A frame that is being put together. It keeps its memory for the next one.
pub struct Frame {
    pub batch: Batch,
    /// The same in words, where a comparison asks for it.
    pub shown: Option<Vec<Shown>>,
    white: Texture,
}

impl Frame {
    pub fn new(white: Texture, compare: bool) -> Self {
        Self { batch: Batch::new(), shown: compare.then(Vec::new), white }
    }

    pub fn begin(&mut self) {
        self.batch.clear();
        self.shown.iter_mut().for_each(Vec::clear);
    }

    /// Sprites of one layer overlap in the order in which they were added.
    pub fn end(&mut self) {
        self.batch.lay_out(BatchOrder::AsAdded);
        if let Some(shown) = &mut self.shown {
            shown.sort_by_key(|own| own.look.layer);
        }
    }

    fn note(&mut self, what: impl FnOnce() -> What, at: [i32; 2], flipped: bool, look: Look) {
        if let Some(shown) = &mut self.shown {
            shown.push(Shown { what: what(), at, flipped, look });
        }
    }

    /// A sprite with its pivot at a place. Its name is only for the comparison.
    pub fn sprite(
        &mut self,
        name: impl FnOnce() -> String,
        view: Option<View>,
        at: [i32; 2],
        flipped: bool,
        look: Look,
    ) {
        let Some(view) = view else { return };
        let flip = Flip { x: flipped, y: false };
        self.batch.add(&view, &Placement { flip, ..placed(at) }, &Sampling::default(), look);
        self.note(|| What::Sprite { name: name(), part: None }, at, flipped, look);
    }

    /// A part of a sprite, where it lies on the sprite's canvas. Nothing where nothing of it is stored.
    pub fn part(&mut self, name: &str, view: &View, part: Part, at: [i32; 2], look: Look) {
        let Ok(of_part) = view.part(part) else { return };
        self.batch.add(&of_part, &placed(at), &Sampling::default(), look);
        self.note(|| What::Sprite { name: name.to_owned(), part: Some(part) }, at, false, look);
    }

    /// A sprite stretched to a size. Its pivot moves with the band that it lies in.
    pub fn panel(&mut self, name: &str, view: Option<View>, bands: [u32; 4], size: [u32; 2], at: [i32; 2], look: Look) {
        let Some(view) = view else { return };
        for quad in view.stretched(bands, size.map(f64::from), Middle::Stretched, placed(at), Sampling::default()) {
            self.batch.add_quad(view.texture, quad, look);
        }
        self.note(|| What::Panel { name: name.to_owned(), bands, size }, at, false, look);
    }

    /// A rectangle with its top left corner at a place.
    pub fn bar(&mut self, size: [u32; 2], at: [i32; 2], look: Look) {
        let [left, top] = at.map(|v| v as f32);
        let [right, bottom] = [left + size[0] as f32, top + size[1] as f32];
        let positions = [[left, top], [right, top], [right, bottom], [left, bottom]];
        self.batch.add_quad(self.white, Quad { positions, uv: [[0.5; 2]; 4], indices: [0, 1, 2, 0, 2, 3] }, look);
        self.note(|| What::Bar { size }, at, false, look);
    }
}

/// Pixel art stays on whole pixels.
fn placed(at: [i32; 2]) -> Placement {
    Placement { at: at.map(f64::from), ..Placement::default() }
}
