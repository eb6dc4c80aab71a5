//! The same frame from the loose images alone, without a page, a UV or a graphics card: what the picture must be.

use crate::frame::{Shown, What};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use zemtak_runtime::coords::Part;

/// A picture with straight alpha, row by row.
pub struct Picture {
    pub size: [u32; 2],
    pub pixels: Vec<[u8; 4]>,
}

impl Picture {
    fn filled(size: [u32; 2], pixel: [u8; 4]) -> Self {
        Self { size, pixels: vec![pixel; (size[0] * size[1]) as usize] }
    }

    /// Reads a PNG, with another decoder than the runtime's.
    fn open(path: &Path) -> Result<Self, lodepng::Error> {
        let read = lodepng::decode32_file(path)?;
        let pixels = read.buffer.iter().map(|pixel| [pixel.r, pixel.g, pixel.b, pixel.a]).collect();
        Ok(Self { size: [read.width, read.height].map(|side| side as u32), pixels })
    }

    pub fn save(&self, path: &Path) -> Result<(), lodepng::Error> {
        let [w, h] = self.size.map(|side| side as usize);
        lodepng::encode32_file(path, &self.pixels, w, h)
    }
}

/// Draws frames from a folder of loose images.
pub struct Reference {
    art: PathBuf,
    images: HashMap<String, Picture>,
}

impl Reference {
    pub fn new(art: &Path) -> Self {
        Self { art: art.to_owned(), images: HashMap::new() }
    }

    /// A frame of so many times 640 x 360 pixels.
    pub fn draw(&mut self, shown: &[Shown], scale: u32) -> Result<Picture, lodepng::Error> {
        let white = Picture::filled([1, 1], [255; 4]);
        let mut screen = Picture::filled([640 * scale, 360 * scale], [0, 0, 0, 255]);
        for own in shown {
            let image = match &own.what {
                What::Sprite { name, .. } | What::Panel { name, .. } => self.image(name)?,
                What::Bar { .. } => &white,
            };
            for (y, row) in (0..).zip(screen.pixels.chunks_exact_mut(screen.size[0] as usize)) {
                for (x, pixel) in (0..).zip(row) {
                    // The middle of the pixel, in the units of places.
                    let at = [x, y].map(|v: u32| (f64::from(v) + 0.5) / f64::from(scale));
                    if let Some([x, y]) = texel(own, image.size, at) {
                        blend(pixel, image.pixels[(y * image.size[0] + x) as usize], own.look.tint);
                    }
                }
            }
        }
        Ok(screen)
    }

    fn image(&mut self, name: &str) -> Result<&Picture, lodepng::Error> {
        if !self.images.contains_key(name) {
            let (_, path) = name.split_once(':').unwrap_or(("", name));
            let image = Picture::open(&self.art.join(format!("{path}.png")))?;
            self.images.insert(name.to_owned(), image);
        }
        Ok(&self.images[name])
    }
}

/// The pivot that the demo's project gives a sprite.
fn pivot(name: &str, [w, h]: [f64; 2]) -> [f64; 2] {
    match name.split_once(':').map_or(name, |(_, local)| local) {
        local if local.starts_with("moth/") => [w / 2.0, h],
        local if local.starts_with("lantern/") => [w / 2.0, 0.0],
        _ => [w / 2.0, h / 2.0],
    }
}

/// The pixel of an image of a given size that shows at a place of the screen, if one does.
fn texel(own: &Shown, canvas: [u32; 2], at: [f64; 2]) -> Option<[u32; 2]> {
    let beside = [at[0] - f64::from(own.at[0]), at[1] - f64::from(own.at[1])];
    let inside = |[x, y]: [f64; 2], [w, h]: [u32; 2]| x >= 0.0 && y >= 0.0 && x < f64::from(w) && y < f64::from(h);
    match &own.what {
        What::Bar { size } => inside(beside, *size).then_some([0, 0]),
        What::Sprite { name, part } => {
            let [px, py] = pivot(name, canvas.map(f64::from));
            let on = [if own.flipped { px - beside[0] } else { px + beside[0] }, py + beside[1]];
            let part = part.unwrap_or(Part { x: 0, y: 0, w: canvas[0], h: canvas[1] });
            let in_part = [on[0] - f64::from(part.x), on[1] - f64::from(part.y)];
            (inside(on, canvas) && inside(in_part, [part.w, part.h])).then(|| on.map(|v| v as u32))
        }
        What::Panel { name, bands: [left, top, right, bottom], size } => {
            // The pivot goes with the band that it lies in; here that is one which keeps its size.
            let pivot = pivot(name, canvas.map(f64::from));
            let on = [0, 1].map(|k| beside[k] + pivot[k]);
            let along = |k: usize, before: u32, after: u32| {
                let (at, from, to) = (on[k], f64::from(before), f64::from(size[k] - after));
                let there = f64::from(canvas[k] - after);
                let own = match at {
                    at if at < from => at,
                    at if at >= to => there + (at - to),
                    at => from + (at - from) / (to - from) * (there - from),
                };
                own as u32
            };
            inside(on, *size).then(|| [along(0, *left, *right), along(1, *top, *bottom)])
        }
    }
}

/// Straight alpha over what is there, rounded to bytes each time, as a surface of bytes does.
fn blend(below: &mut [u8; 4], pixel: [u8; 4], tint: [u8; 4]) {
    let part = |k: usize| f64::from(pixel[k]) / 255.0 * f64::from(tint[k]) / 255.0;
    let alpha = part(3);
    let colours = [part(0) * alpha, part(1) * alpha, part(2) * alpha, alpha];
    for (own, colour) in below.iter_mut().zip(colours) {
        *own = ((colour + f64::from(*own) / 255.0 * (1.0 - alpha)) * 255.0).round() as u8;
    }
}
