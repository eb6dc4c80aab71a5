//! The pages of an atlas as people want to see them: boxes, names, pivots, and the gaps.

use crate::drawing::{Drawing, Line, Shown, nearest, scaled, zoom_to_fit};
use crate::opened::Opened;
use crate::palette::{Colour, FAINT, LANTERN, NIGHT, TEAL, TEXT, VIOLET};
use std::collections::BTreeMap;
use zemtak_build::{Failure, format};
use zemtak_core::atlas::{Page, Sprite};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;

/// The background of a cell, the gaps between cells, and the stripes on them.
const CELL: Colour = [0x24, 0x2b, 0x4a];
const GROUND: Colour = [0x19, 0x1e, 0x36];
const HATCH: Colour = [0x3c, 0x46, 0x72];

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 64;
/// The space for a page.
const ROOM: Size = Size::new(WIDTH - 2 * MARGIN, 1232);
const HEAD: u32 = 46;
/// The largest zoom of small pages.
const LARGEST_ZOOM: f64 = 4.0;
/// The height of names, and the smallest space that is worth one.
const NAME: f32 = 12.0;
const LEAST_NAME: u32 = 30;

/// The sprites of a page by their boxes: twins with all their names.
type Boxes<'a> = BTreeMap<[u32; 4], Vec<(&'a SpriteName, &'a Sprite)>>;

/// Draws pages of an atlas below each other as a PNG.
///
/// # Errors
/// The picture cannot be made.
pub fn draw(atlas: &Opened, pages: &[usize]) -> Result<Vec<u8>, Failure> {
    let zooms: Vec<f64> = pages.iter().map(|&n| zoom_to_fit(atlas.pages[n].size(), ROOM, LARGEST_ZOOM)).collect();
    let tall = |(n, zoom): (&usize, &f64)| HEAD + nearest(f64::from(atlas.pages[*n].size().h) * zoom) + 18;
    let all: u32 = pages.iter().zip(&zooms).map(tall).sum();
    let mut drawing = Drawing::new(Size::new(WIDTH, TOP + all + 10), NIGHT)?;
    legend(&mut drawing, atlas);
    let mut y = TOP;
    for (n, zoom) in pages.iter().zip(&zooms) {
        PageDrawing::new(atlas, *n, *zoom, y).draw(&mut drawing);
        y += tall((n, zoom));
    }
    drawing.to_png(Mark::View, "the picture of the pages")
}

fn legend(drawing: &mut Drawing, atlas: &Opened) {
    let title = drawing.shortened(&format::name(&atlas.path), 560, 20.0);
    let x = drawing.write(&title, Line { x: MARGIN, y: 36, size: 20.0, colour: TEXT }) + 30;
    let kinds =
        [("box", TEAL, Shown::Framed), ("stored turned", VIOLET, Shown::Framed), ("pivot", LANTERN, Shown::Crossed)];
    let x = drawing.legend([x, 35], &kinds);
    hatch(drawing, Rect::new(x, 23, 26, 13));
    drawing.write("empty", Line { x: x + 33, y: 35, size: 14.0, colour: FAINT });
}

/// Diagonal stripes over an area, one pixel wide, rising to the right.
fn hatch(drawing: &mut Drawing, area: Rect) {
    const APART: u32 = 7;
    drawing.fill(area, GROUND);
    for y in area.y..area.y + area.h {
        let first = area.x + (APART - (area.x + y) % APART) % APART;
        (first..area.x + area.w).step_by(APART as usize).for_each(|x| drawing.fill(Rect::new(x, y, 1, 1), HATCH));
    }
}

/// A page on the picture.
struct PageDrawing<'a> {
    page: &'a Page,
    pixels: &'a Pixels,
    boxes: Boxes<'a>,
    ring: u32,
    number: usize,
    zoom: f64,
    /// Where its top left is.
    at: [u32; 2],
}

impl<'a> PageDrawing<'a> {
    fn new(atlas: &'a Opened, number: usize, zoom: f64, y: u32) -> Self {
        let page = &atlas.atlas.pages[number];
        let mut boxes = Boxes::new();
        for (name, sprite) in atlas.atlas.sprites.iter().filter(|(_, sprite)| sprite.page == number) {
            let Rect { x, y, w, h } = sprite.rect;
            boxes.entry([y, x, w, h]).or_default().push((name, sprite));
        }
        let ring = page.extrude.unwrap_or(atlas.atlas.built.extrude);
        Self { page, pixels: &atlas.pages[number], boxes, ring, number, zoom, at: [MARGIN, y + HEAD] }
    }

    /// An area of the page on the picture.
    fn area(&self, Rect { x, y, w, h }: Rect) -> Rect {
        let on = |axis: usize, at: u32| self.at[axis] + nearest(f64::from(at) * self.zoom);
        let (left, top) = (on(0, x), on(1, y));
        Rect::new(left, top, on(0, x + w) - left, on(1, y + h) - top)
    }

    fn draw(&self, drawing: &mut Drawing) {
        self.figures(drawing);
        hatch(drawing, self.area(Rect::at(0, 0, self.pixels.size())));
        let rects = || self.boxes.values().map(|of| of[0].1.rect);
        for Rect { x, y, w, h } in rects() {
            let ring = self.ring;
            let ringed = Rect::new(x.saturating_sub(ring), y.saturating_sub(ring), w + 2 * ring, h + 2 * ring);
            drawing.fill(self.area(ringed), CELL);
        }
        drawing.paste(&scaled(self.pixels, self.zoom), self.at);
        for of in self.boxes.values() {
            let sprite = of[0].1;
            drawing.outline(self.area(sprite.rect), if sprite.turned { VIOLET } else { TEAL });
        }
        for of in self.boxes.values() {
            self.mark(drawing, of);
        }
    }

    /// The page's name, and how its pixels are used.
    fn figures(&self, drawing: &mut Drawing) {
        let [x, y] = [self.at[0], self.at[1] - HEAD];
        let size = self.pixels.size();
        let name = format!("page {}: {}", self.number, format::name(&self.page.file));
        let end = drawing.write(&name, Line { x, y: y + 20, size: 16.0, colour: TEXT });
        let rects = || self.boxes.values().map(|of| of[0].1.rect);
        let boxes: u64 = rects().map(|rect| rect.size().area()).sum();
        let grown = |rect: Rect| u64::from(rect.w + 2 * self.ring) * u64::from(rect.h + 2 * self.ring);
        let rings = rects().map(grown).sum::<u64>() - boxes;
        let left = size.area().saturating_sub(boxes + rings);
        let part = |pixels: u64| format::percent(pixels, size.area());
        let sprites: usize = self.boxes.values().map(Vec::len).sum();
        let told = format!(
            "{size} pixels, {} in {}; boxes {}, rings {}, empty {}",
            format::count(sprites, "sprite", "sprites"),
            format::count(self.boxes.len(), "box", "boxes"),
            part(boxes),
            part(rings),
            part(left)
        );
        drawing.write(&told, Line { x: end + 16, y: y + 20, size: 14.0, colour: FAINT });
        if (self.zoom - 1.0).abs() > 1e-9 {
            let zoom = format!("shown at {} %", nearest(self.zoom * 100.0));
            let width = drawing.width(&zoom, 14.0);
            drawing.write(&zoom, Line { x: WIDTH - MARGIN - width, y: y + 20, size: 14.0, colour: FAINT });
        }
    }

    /// The pivot and the name of a box's sprites, if there is space.
    fn mark(&self, drawing: &mut Drawing, of: &[(&SpriteName, &Sprite)]) {
        let (name, sprite) = of[0];
        let area = self.area(sprite.rect);
        let [px, py] = sprite.pivot;
        let upright = [px - f64::from(sprite.inset[0]), py - f64::from(sprite.inset[1])];
        // A pixel (i, j) of the upright box lies at (h - 1 - j, i) of the stored one.
        let [dx, dy] = if sprite.turned { [f64::from(sprite.rect.w) - upright[1], upright[0]] } else { upright };
        let within = |at: f64, side: u32| (-0.001..=f64::from(side) + 0.001).contains(&at);
        if within(dx, sprite.rect.w) && within(dy, sprite.rect.h) && area.w.min(area.h) > 12 {
            let at =
                |n: usize, from: u32, more: f64| nearest(f64::from(self.at[n]) + (f64::from(from) + more) * self.zoom);
            drawing.cross([at(0, sprite.rect.x, dx), at(1, sprite.rect.y, dy)], LANTERN);
        }
        let more = if of.len() > 1 { format!(" +{}", of.len() - 1) } else { String::new() };
        let text = format!("{}{more}", format::name(name.as_str()));
        let room = area.w.saturating_sub(6);
        if room < LEAST_NAME || area.h < 28 {
            return;
        }
        let text = drawing.shortened(&text, room, NAME);
        let width = drawing.width(&text, NAME);
        if !text.is_empty() {
            drawing.fill(Rect::new(area.x + 1, area.y + 1, width + 5, 15), NIGHT);
            drawing.write(&text, Line { x: area.x + 3, y: area.y + 12, size: NAME, colour: TEXT });
        }
    }
}
