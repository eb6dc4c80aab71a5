//! Two atlases side by side, each page with its counterpart, and what differs framed.

use crate::drawing::{Colour, Drawing, Line};
use crate::opened::Opened;
use std::collections::BTreeMap;
use zemtak_build::{Failure, format};
use zemtak_core::codec::Mark;
use zemtak_core::diff::{AtlasDiff, SpriteChange};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample};

const NIGHT: Colour = [0x14, 0x18, 0x2c];
const PANEL: Colour = [0x1f, 0x25, 0x41];
const TEXT: Colour = [0xe8, 0xe6, 0xf0];
const FAINT: Colour = [0xa2, 0xa8, 0xc4];
const CAME: Colour = [0x6f, 0xd0, 0xa8];
const WENT: Colour = [0xf0, 0x7c, 0x92];
const REPAINTED: Colour = [0xf2, 0xb4, 0x5a];
const MOVED: Colour = [0x8f, 0xa6, 0xf0];

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 84;
/// The room for a page.
const ROOM: Size = Size::new(608, 608);
const HEAD: u32 = 30;
/// Pairs of pages that are drawn at most.
const MOST: usize = 12;

/// Draws the pages of both as a PNG.
///
/// # Errors
/// The picture cannot be made.
pub fn draw(both: [&Opened; 2], diff: &AtlasDiff) -> Result<Vec<u8>, Failure> {
    let colours =
        both.map(|side| side.atlas.sprites.keys().filter_map(|name| Some((name, colour(name, diff)?))).collect());
    let pairs = both[0].pages.len().max(both[1].pages.len());
    let shown = pairs.min(MOST);
    let zooms: Vec<f64> = (0..shown).map(|n| zoom(both.iter().filter_map(|side| side.pages.get(n)))).collect();
    let heights: Vec<u32> = (0..shown).map(|n| height(&both, n, zooms[n])).collect();
    let all: u32 = heights.iter().map(|height| height + HEAD + 14).sum();
    let mut drawing = Drawing::new(Size::new(WIDTH, TOP + all + MARGIN), NIGHT)?;
    head(&mut drawing, both, pairs - shown);
    let mut y = TOP;
    for n in 0..shown {
        for (side, x) in [(0, MARGIN), (1, WIDTH - MARGIN - ROOM.w)] {
            page(&mut drawing, [x, y], both[side], n, zooms[n], &colours[side]);
        }
        y += heights[n] + HEAD + 14;
    }
    drawing.to_png(Mark::View, "the picture of both atlases")
}

/// What a sprite's frame says; none where it only may have moved with its page the same.
fn colour(name: &SpriteName, diff: &AtlasDiff) -> Option<Colour> {
    if diff.came.contains(name) || diff.renamed.iter().any(|(_, to)| to == name) {
        return Some(CAME);
    }
    if diff.went.contains(name) || diff.renamed.iter().any(|(from, _)| from == name) {
        return Some(WENT);
    }
    let (_, changes) = diff.changed.iter().find(|(changed, _)| changed == name)?;
    let looks = |change: &SpriteChange| matches!(change, SpriteChange::Repainted { .. } | SpriteChange::Resized { .. });
    let moved = |change: &SpriteChange| matches!(change, SpriteChange::Moved { .. });
    if changes.iter().any(looks) { Some(REPAINTED) } else { changes.iter().any(moved).then_some(MOVED) }
}

/// By how much the pages of a pair are scaled, both alike.
fn zoom<'p>(pages: impl Iterator<Item = &'p Pixels>) -> f64 {
    let fits = |page: &Pixels| {
        let Size { w, h } = page.size();
        (f64::from(ROOM.w) / f64::from(w)).min(f64::from(ROOM.h) / f64::from(h))
    };
    let zoom = pages.map(fits).fold(4.0, f64::min);
    if zoom >= 1.0 { zoom.floor() } else { zoom }
}

fn height(both: &[&Opened; 2], n: usize, zoom: f64) -> u32 {
    both.iter().filter_map(|side| side.pages.get(n)).map(|page| scaled(page.size().h, zoom)).max().unwrap_or(0)
}

fn scaled(side: u32, zoom: f64) -> u32 {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most the room for a page")]
    let scaled = (f64::from(side) * zoom).round() as u32;
    scaled
}

fn head(drawing: &mut Drawing, both: [&Opened; 2], left_out: usize) {
    let [old, new] = both.map(|side| format::name(&side.path));
    let title = drawing.shortened(&format!("{old} -> {new}"), WIDTH - 2 * MARGIN, 20.0);
    drawing.write(&title, Line { x: MARGIN, y: 38, size: 20.0, colour: TEXT });
    let mut x = MARGIN;
    for (what, colour) in [("came", CAME), ("went", WENT), ("other pixels or size", REPAINTED), ("only moved", MOVED)] {
        drawing.fill(Rect::new(x, 54, 13, 13), colour);
        x = drawing.write(what, Line { x: x + 20, y: 66, size: 14.0, colour: FAINT }) + 26;
    }
    if left_out > 0 {
        let more = format!("{} more are not drawn", format::count(left_out, "pair of pages", "pairs of pages"));
        drawing.write(&more, Line { x, y: 66, size: 14.0, colour: FAINT });
    }
}

/// A page with its frames; nothing but a word where the atlas has no such page.
fn page(
    drawing: &mut Drawing,
    [x, y]: [u32; 2],
    side: &Opened,
    n: usize,
    zoom: f64,
    colours: &BTreeMap<&SpriteName, Colour>,
) {
    let Some(pixels) = side.pages.get(n) else {
        drawing.write("no such page", Line { x, y: y + 18, size: 14.0, colour: FAINT });
        return;
    };
    let size = pixels.size();
    let label = format!("{}  {size}", side.atlas.pages[n].file);
    drawing.write(&format::name(&label), Line { x, y: y + 18, size: 14.0, colour: TEXT });
    let top = y + HEAD;
    drawing.fill(Rect::new(x, top, scaled(size.w, zoom), scaled(size.h, zoom)), PANEL);
    let kind = if zoom >= 1.0 { Resample::Pixel } else { Resample::Smooth };
    let picture = format!("{zoom:.6}").parse().ok().map(|factor| resample(pixels, Scale { factor, resample: kind }));
    picture.iter().for_each(|picture| drawing.paste(picture, [x, top]));
    for (name, sprite) in side.atlas.sprites.iter().filter(|(_, sprite)| sprite.page == n) {
        let Some(colour) = colours.get(name) else { continue };
        let [left, right] = [sprite.rect.x, sprite.rect.x + sprite.rect.w].map(|at| x + scaled(at, zoom));
        let [above, below] = [sprite.rect.y, sprite.rect.y + sprite.rect.h].map(|at| top + scaled(at, zoom));
        for more in 0..2 {
            let area = Rect::new(
                left.saturating_sub(more),
                above.saturating_sub(more),
                right - left + 2 * more,
                below - above + 2 * more,
            );
            drawing.outline(area, *colour);
        }
    }
}
