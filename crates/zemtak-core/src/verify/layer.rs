//! Verification of a layer: data such as normals, which lie where their sprite's own pixels lie.

use super::{Defect, LEAST_LIKENESS, stored_pixel};
use crate::atlas::{Alpha, Atlas, Sprite};
use crate::name::SpriteName;
use crate::pixels::{PIXEL, Pixels};
use crate::texture::{Loss, pixel_loss};

/// What the values of a layer mean, as far as a comparison must know it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LayerValues {
    /// The value where a layer says nothing.
    pub ground: [u8; PIXEL],
    /// Whether they are normals with green up or down, which are rotated with a sprite that is stored turned.
    pub normals: Option<Green>,
    /// Whether they are stored in blocks, which keep them only closely.
    pub in_blocks: bool,
}

/// Where the green of normals points.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Green {
    /// Up: more green is a slope that faces up.
    Up,
    /// Down.
    Down,
}

impl LayerValues {
    /// A value on a page as it is on the canvas. A turned sprite lies rotated by 90 degrees clockwise, so what faces down
    /// on the page faces right on its canvas.
    fn upright(self, [r, g, b, a]: [u8; PIXEL], turned: bool) -> [u8; PIXEL] {
        match self.normals.filter(|_| turned) {
            None => [r, g, b, a],
            Some(Green::Up) => [255 - g, r, b, a],
            Some(Green::Down) => [g, 255 - r, b, a],
        }
    }
}

/// Compares a layer of a sprite, on the page's file for that layer, with the layer's decoded image.
///
/// Inside the box every value must be that of the image, also where alpha is 0, or resemble it in a layer in blocks;
/// outside the box the image must be at the ground value or too faint to be visible.
#[must_use]
pub fn layer(
    atlas: &Atlas,
    name: &SpriteName,
    sprite: &Sprite,
    page: &Pixels,
    source: &Pixels,
    values: LayerValues,
) -> Vec<Defect> {
    if source.size() != sprite.canvas {
        return vec![Defect::Canvas { sprite: name.clone(), canvas: sprite.canvas, source_size: source.size() }];
    }
    let upright = sprite.upright();
    let (mut lost, mut first, mut count) = (Loss::default(), None, 0);
    for (x, y) in (0..sprite.canvas.h).flat_map(|y| (0..sprite.canvas.w).map(move |x| (x, y))) {
        let expected = source.get(x, y).unwrap_or_default();
        let (i, j) = (x.wrapping_sub(sprite.inset[0]), y.wrapping_sub(sprite.inset[1]));
        let found = if i < upright.w && j < upright.h {
            values.upright(stored_pixel(page, sprite, i, j), sprite.turned)
        } else if expected[3] < atlas.built.visible_alpha {
            continue;
        } else {
            values.ground
        };
        if values.in_blocks {
            lost = lost.and(pixel_loss(expected, found, Alpha::Straight));
        } else if found != expected {
            count += 1;
            first.get_or_insert((x, y, found, expected));
        }
    }
    let pixel = |(x, y, found, expected)| Defect::Pixel { sprite: name.clone(), x, y, found, expected, count };
    let unlike = |psnr| Defect::Unlike { sprite: name.clone(), psnr, least: LEAST_LIKENESS };
    let likeness = lost.psnr().filter(|psnr| *psnr < LEAST_LIKENESS);
    first.map(pixel).into_iter().chain(likeness.map(unlike)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{Rect, Size};
    use crate::prepare::turn_normals;

    /// Both ways are tried with values that are turned by the code that packs, in a box inside the canvas.
    #[test]
    fn a_value_that_differs_is_found_in_layers_of_each_kind() {
        let ground = [128, 128, 255, 255];
        let mut atlas = crate::atlas::tests::full();
        let (name, mut sprite) = atlas.sprites.pop_first().unwrap();
        atlas.built.visible_alpha = 9;
        (sprite.canvas, sprite.inset) = (Size::new(5, 6), [1, 2]);
        let mut image = Pixels::filled(sprite.canvas, ground).unwrap();
        let inside = Rect::new(1, 2, 3, 2);
        for (n, y) in (0..).zip(inside.y..inside.y + inside.h) {
            image.row_mut(y)[4..16].copy_from_slice(&[10, 20, 30, 40, 50, 60, 70, 80, n, 100, 110, 0]);
        }
        // Too faint to be visible, so it may be missing.
        image.row_mut(0)[..4].copy_from_slice(&[7, 7, 7, 8]);
        let kept = image.crop(inside).unwrap();
        for normals in [None, Some(Green::Up), Some(Green::Down)] {
            for turned in [false, true] {
                let (w, h) = if turned { (2, 3) } else { (3, 2) };
                (sprite.turned, sprite.rect) = (turned, Rect::new(4, 3, w, h));
                let mut stored = kept.clone();
                if let (Some(green), true) = (normals, turned) {
                    turn_normals(&mut stored, green == Green::Down);
                }
                let mut page = Pixels::transparent(Size::new(10, 10)).unwrap();
                for (i, j) in (0..3).flat_map(|i| [(i, 0), (i, 1)]) {
                    let (x, y) = if turned { (4 + 1 - j, 3 + i) } else { (4 + i, 3 + j) };
                    page.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&stored.get(i, j).unwrap());
                }
                let values = LayerValues { ground, normals, in_blocks: false };
                let defects = |image: &Pixels| layer(&atlas, &name, &sprite, &page, image, values);
                assert_eq!(defects(&image), [], "{normals:?} {turned}");
                for (x, y) in (0..sprite.canvas.h).flat_map(|y| (0..sprite.canvas.w).map(move |x| (x, y))) {
                    let (mut other, before) = (image.clone(), image.get(x, y).unwrap());
                    let value = [before[0] + 1, before[1], before[2], before[3].max(9)];
                    let lies_inside =
                        inside.x <= x && x < inside.x + inside.w && inside.y <= y && y < inside.y + inside.h;
                    let found = if lies_inside { before } else { ground };
                    other.row_mut(y)[x as usize * PIXEL..][..PIXEL].copy_from_slice(&value);
                    let (sprite, expected) = (name.clone(), value);
                    assert_eq!(
                        defects(&other),
                        [Defect::Pixel { sprite, x, y, found, expected, count: 1 }],
                        "{normals:?} {turned}"
                    );
                }
            }
        }
        let wider = Pixels::filled(Size::new(6, 6), ground).unwrap();
        let values = LayerValues { ground, normals: None, in_blocks: false };
        assert_eq!(layer(&atlas, &name, &sprite, &wider, &wider, values)[0].code(), "other_canvas");
    }
}
