//! Verification of an atlas: the promises of its descriptor are checked against pages and sources, pixel by pixel.
//!
//! Nothing here uses the code that builds an atlas, so that an error in one does not hide in the other.

mod layer;

pub use layer::{Green, LayerValues, layer};

use crate::atlas::{Alpha, Atlas, Sprite, Wrap};
use crate::coords::UvRect;
use crate::geometry::{Rect, Size};
use crate::name::SpriteName;
use crate::pixels::{PIXEL, Pixels};
use crate::separation::{too_near, within_margin};
use crate::texture::{Loss, pixel_loss};
use std::collections::BTreeMap;

/// What any kind of block compression keeps of a picture, in decibels: a soft edge with one bit of alpha keeps 11, and
/// two unrelated pictures are mostly below 10.
const LEAST_LIKENESS: f64 = 9.0;

/// A promise that an atlas does not keep.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Defect {
    /// Two cells overlap or are nearer than the gutter.
    #[error("{a} and {b} overlap or are less than the gutter of {gutter} {} apart", pixels(*gutter))]
    TooNear {
        /// One sprite.
        a: SpriteName,
        /// The other.
        b: SpriteName,
        /// The promised gutter.
        gutter: u32,
    },
    /// A cell reaches into the margin or beyond the page's edge.
    #[error("{sprite}: its box {rect} with a ring of {extrude} reaches into the margin of {margin} {}", pixels(*margin))]
    Margin {
        /// The sprite.
        sprite: SpriteName,
        /// Its box.
        rect: Rect,
        /// The promised ring.
        extrude: u32,
        /// The promised margin.
        margin: u32,
    },
    /// UVs that are close to, but not exactly, those of the box.
    #[error("{sprite}: its uv differs from that of its box in the last places")]
    Uv {
        /// The sprite.
        sprite: SpriteName,
    },
    /// A ring pixel that does not repeat the nearest pixel of its box.
    #[error("{sprite}: the ring's pixel ({x}, {y}) of the page does not repeat the nearest pixel of the box")]
    Ring {
        /// The sprite.
        sprite: SpriteName,
        /// The column on the page.
        x: u32,
        /// The row on the page.
        y: u32,
    },
    /// A pixel of a page that belongs to no cell and is not empty.
    #[error("page {page}: the pixel ({x}, {y}) lies between the cells and is not empty")]
    Stray {
        /// The page's index.
        page: usize,
        /// The column.
        x: u32,
        /// The row.
        y: u32,
    },
    /// The canvas has another size than the source.
    #[error("{sprite}: its canvas is {canvas} pixels, its source {source_size}")]
    Canvas {
        /// The sprite.
        sprite: SpriteName,
        /// The canvas.
        canvas: Size,
        /// The source's size.
        source_size: Size,
    },
    /// A pixel differs from the source.
    #[error(
        "{sprite}: the canvas pixel ({x}, {y}) is {found:?}, in the source it is {expected:?}; {count} {}",
        if *count == 1 { "pixel differs" } else { "pixels differ" }
    )]
    Pixel {
        /// The sprite.
        sprite: SpriteName,
        /// The first such column.
        x: u32,
        /// The first such row.
        y: u32,
        /// The pixel put back from the page.
        found: [u8; 4],
        /// The pixel of the source.
        expected: [u8; 4],
        /// How many pixels differ.
        count: u64,
    },
    /// Blocks show a different picture from the source.
    #[error(
        "{sprite}: what its blocks show is only {psnr:.1} dB from its source; even the coarsest keep {least:.0} dB"
    )]
    Unlike {
        /// The sprite.
        sprite: SpriteName,
        /// How much of it is kept, in decibels.
        psnr: f64,
        /// What any kind of block compression keeps.
        least: f64,
    },
    /// A box has an outer row or column without visible pixels, although the atlas claims to be trimmed.
    #[error("{sprite}: its box {rect} is not trimmed to the visible pixels")]
    Loose {
        /// The sprite.
        sprite: SpriteName,
        /// The box.
        rect: Rect,
    },
}

/// One pixel, several pixels.
fn pixels(count: u32) -> &'static str {
    if count == 1 { "pixel" } else { "pixels" }
}

impl Defect {
    /// What kind it is, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            Self::TooNear { .. } => "too_near",
            Self::Margin { .. } => "in_margin",
            Self::Uv { .. } => "inexact_uv",
            Self::Ring { .. } => "wrong_ring",
            Self::Stray { .. } => "stray_pixel",
            Self::Canvas { .. } => "other_canvas",
            Self::Pixel { .. } => "other_pixels",
            Self::Unlike { .. } => "unlike_source",
            Self::Loose { .. } => "not_trimmed",
        }
    }

    /// The sprite at fault; the first of two.
    #[must_use]
    pub fn sprite(&self) -> Option<&SpriteName> {
        match self {
            Self::TooNear { a: sprite, .. }
            | Self::Margin { sprite, .. }
            | Self::Uv { sprite }
            | Self::Ring { sprite, .. }
            | Self::Canvas { sprite, .. }
            | Self::Pixel { sprite, .. }
            | Self::Unlike { sprite, .. }
            | Self::Loose { sprite, .. } => Some(sprite),
            Self::Stray { .. } => None,
        }
    }
}

/// Compares boxes with one another and with the edges of their pages. The descriptor must have passed its check.
#[must_use]
pub fn spacing(atlas: &Atlas) -> Vec<Defect> {
    let built = &atlas.built;
    let mut defects = Vec::new();
    let sprites: Vec<(&SpriteName, &Sprite)> = atlas.sprites.iter().collect();
    // Twins share a cell, so each box counts once for each page.
    let mut boxes: BTreeMap<(usize, Rect), usize> = BTreeMap::new();
    for (i, (name, sprite)) in sprites.iter().enumerate() {
        if UvRect::of(sprite.rect, atlas.pages[sprite.page].size()) != sprite.uv {
            defects.push(Defect::Uv { sprite: (*name).clone() });
        }
        boxes.entry((sprite.page, sprite.rect)).or_insert(i);
    }
    let mut cells = vec![Vec::new(); atlas.pages.len()];
    for ((page, rect), i) in boxes {
        if atlas.pages[page].sampling.wrap != Wrap::Clamp {
            cells[page].push((i, rect));
            continue;
        }
        match rect.grown(built.extrude) {
            Some(cell) if within_margin(cell, atlas.pages[page].size(), built.margin) => cells[page].push((i, cell)),
            _ => defects.push(Defect::Margin {
                sprite: sprites[i].0.clone(),
                rect,
                extrude: built.extrude,
                margin: built.margin,
            }),
        }
    }
    for near in cells.iter().flat_map(|cells| too_near(cells, built.gutter)) {
        let name = |i: usize| sprites[i].0.clone();
        defects.push(Defect::TooNear { a: name(near.0), b: name(near.1), gutter: built.gutter });
    }
    defects
}

/// Checks a page's pixels against the descriptor: rings repeat their boxes, all else is empty. `pixels` has the page's
/// size. Compressed blocks keep neither exactly, so nothing is reported for such pages.
#[must_use]
pub fn page(atlas: &Atlas, index: usize, pixels: &Pixels) -> Vec<Defect> {
    if atlas.pages[index].pixels.is_compressed() {
        return Vec::new();
    }
    let extrude = if atlas.pages[index].sampling.wrap == Wrap::Clamp { atlas.built.extrude } else { 0 };
    let mut defects = Vec::new();
    // Cells are erased from a copy; what remains must be empty.
    let mut rest = pixels.clone();
    let on_page: BTreeMap<Rect, &SpriteName> =
        atlas.sprites.iter().filter(|(_, s)| s.page == index).map(|(name, s)| (s.rect, name)).collect();
    for (rect, name) in on_page {
        // A cell beyond the edge was reported by `spacing`.
        let Some(cell) = rect.grown(extrude).filter(|cell| cell.inside(pixels.size())) else {
            continue;
        };
        let cell = if extrude > 0 { up_to_blocks(cell, atlas.built.alignment(), pixels.size()) } else { cell };
        if let Some((x, y)) = odd_ring_pixel(pixels, cell, rect) {
            defects.push(Defect::Ring { sprite: name.clone(), x, y });
        }
        for y in cell.y..cell.y + cell.h {
            rest.row_mut(y)[cell.x as usize * PIXEL..][..cell.w as usize * PIXEL].fill(0);
        }
    }
    let stray = (0..).zip(rest.as_bytes().chunks_exact(PIXEL)).find(|(_, p)| p.iter().any(|&b| b != 0));
    if let Some((at, _)) = stray {
        let width = u64::from(rest.size().w);
        let column = |v: u64| u32::try_from(v).unwrap_or(u32::MAX);
        defects.push(Defect::Stray { page: index, x: column(at % width), y: column(at / width) });
    }
    defects
}

/// With room for mip levels, a cell extends to the end of a pixel of the smallest level, or of a compressed block.
fn up_to_blocks(cell: Rect, align: u32, page: Size) -> Rect {
    let block = u64::from(align);
    let length = |start: u32, end: u64, most: u32| {
        let end = end.div_ceil(block) * block;
        u32::try_from(end.min(u64::from(most))).unwrap_or(most) - start
    };
    Rect::new(cell.x, cell.y, length(cell.x, cell.right(), page.w), length(cell.y, cell.bottom(), page.h))
}

fn odd_ring_pixel(page: &Pixels, cell: Rect, rect: Rect) -> Option<(u32, u32)> {
    let nearest = |at: u32, start: u32, length: u32| at.clamp(start, start + length - 1);
    // In the rows of the box, only the columns beside it belong to the ring.
    let columns = |y: u32| {
        let beside = y >= rect.y && u64::from(y) < rect.bottom();
        let (left_end, right_start) =
            if beside { (rect.x, rect.x + rect.w) } else { (cell.x + cell.w, cell.x + cell.w) };
        (cell.x..left_end).chain(right_start..cell.x + cell.w)
    };
    (cell.y..cell.y + cell.h)
        .flat_map(|y| columns(y).map(move |x| (x, y)))
        .find(|&(x, y)| page.get(x, y) != page.get(nearest(x, rect.x, rect.w), nearest(y, rect.y, rect.h)))
}

/// Puts a sprite back on its canvas from its page, and compares it with its decoded source.
///
/// Inside the box every pixel must equal the source's (colour under alpha 0 is not compared), or resemble it on a page
/// in blocks; outside the box the source must have no visible pixel. A trimmed box without layers must not be larger than
/// the visible pixels require.
#[must_use]
pub fn sprite(atlas: &Atlas, name: &SpriteName, sprite: &Sprite, page: &Pixels, source: &Pixels) -> Vec<Defect> {
    if source.size() != sprite.canvas {
        return vec![Defect::Canvas { sprite: name.clone(), canvas: sprite.canvas, source_size: source.size() }];
    }
    let (least, its_page) = (atlas.built.visible_alpha, &atlas.pages[sprite.page]);
    let upright = sprite.upright();
    let stands_in = atlas.built.trim && is_stand_in(sprite);
    let in_blocks = its_page.pixels.is_compressed();
    let mut lost = Loss::default();
    let premultiplied = its_page.alpha == Alpha::Premultiplied;
    let mut first = None;
    let mut count = 0;
    for y in 0..sprite.canvas.h {
        for x in 0..sprite.canvas.w {
            let mut expected = source.get(x, y).unwrap_or_default();
            if premultiplied {
                let times_alpha = |c: u8| u8::try_from((u32::from(c) * u32::from(expected[3]) + 127) / 255);
                let [r, g, b] = [expected[0], expected[1], expected[2]].map(|c| times_alpha(c).unwrap_or(c));
                expected = [r, g, b, expected[3]];
            }
            let (i, j) = (x.wrapping_sub(sprite.inset[0]), y.wrapping_sub(sprite.inset[1]));
            let outside = i >= upright.w || j >= upright.h;
            let found = if outside { [0; 4] } else { stored_pixel(page, sprite, i, j) };
            // What is too faint to be visible may be missing where nothing of the sprite is stored.
            let dropped = expected[3] < least && found[3] == 0 && (outside || stands_in);
            let same = found == expected || (found[3] == 0 && expected[3] == 0) || dropped;
            if in_blocks && !outside {
                lost = lost.and(pixel_loss(expected, found, its_page.alpha));
            } else if !same {
                count += 1;
                first.get_or_insert((x, y, found, expected));
            }
        }
    }
    let mut defects = Vec::new();
    if let Some((x, y, found, expected)) = first {
        defects.push(Defect::Pixel { sprite: name.clone(), x, y, found, expected, count });
    }
    if let Some(psnr) = lost.psnr().filter(|psnr| *psnr < LEAST_LIKENESS) {
        defects.push(Defect::Unlike { sprite: name.clone(), psnr, least: LEAST_LIKENESS });
    }
    // A box with layers includes what any of them shows, which this picture cannot tell.
    let trimmed = atlas.built.trim && its_page.sampling.wrap == Wrap::Clamp && its_page.layers.is_empty();
    if trimmed && is_loose(source, sprite, least) {
        defects.push(Defect::Loose { sprite: name.clone(), rect: sprite.rect });
    }
    defects
}

/// Pixel (i, j) of the upright box: in a turned one it lies at (h-1-j, i).
fn stored_pixel(page: &Pixels, sprite: &Sprite, i: u32, j: u32) -> [u8; 4] {
    let (x, y) = if sprite.turned { (sprite.upright().h - 1 - j, i) } else { (i, j) };
    page.get(sprite.rect.x + x, sprite.rect.y + y).unwrap_or_default()
}

/// Whether an outer row or column of the box has no visible pixel, in a sprite that has some.
fn is_loose(source: &Pixels, sprite: &Sprite, least: u8) -> bool {
    let ([left, top], Size { w, h }) = (sprite.inset, sprite.upright());
    let visible = |x: u32, y: u32| source.get(x, y).is_some_and(|p| p[3] >= least);
    let row = |y: u32| (left..left + w).any(|x| visible(x, y));
    let column = |x: u32| (top..top + h).any(|y| visible(x, y));
    let tight = row(top) && row(top + h - 1) && column(left) && column(left + w - 1);
    !(tight || is_stand_in(sprite))
}

/// Whether the box is the single pixel that stands for a trimmed sprite without visible ones.
fn is_stand_in(sprite: &Sprite) -> bool {
    sprite.upright() == Size::new(1, 1) && sprite.inset == [0, 0]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_box_with_an_empty_row_or_column_on_any_side_is_loose() {
        // Columns 2 to 5 and rows 1 to 4 are visible.
        let pixel = |i: u32| if (2..6).contains(&(i % 8)) && (1..5).contains(&(i / 8)) { 255 } else { 0 };
        let source = Pixels::from_rgba(Size::new(8, 8), (0..64).flat_map(|i| [9, 9, 9, pixel(i)]).collect()).unwrap();
        let mut sprite = crate::atlas::tests::full().sprites.into_values().next().unwrap();
        let mut loose = |[x, y]: [u32; 2], [w, h]: [u32; 2]| {
            (sprite.inset, sprite.rect, sprite.turned) = ([x, y], Rect::new(0, 0, w, h), false);
            is_loose(&source, &sprite, 1)
        };
        assert!(!loose([2, 1], [4, 4]));
        let wider =
            [("left", [1, 1], [5, 4]), ("top", [2, 0], [4, 5]), ("right", [2, 1], [5, 4]), ("bottom", [2, 1], [4, 5])];
        for (side, inset, size) in wider {
            assert!(loose(inset, size), "{side}");
        }
    }
}
