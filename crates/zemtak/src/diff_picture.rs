//! Two atlases side by side, page by page, with the differences framed.

use crate::drawing::{Drawing, Line, Shown, nearest, scaled, zoom_to_fit};
use crate::opened::Opened;
use crate::palette::{Colour, FAINT, LANTERN, NIGHT, PANEL, TEAL, TEXT, VIOLET, WRONG};
use std::collections::BTreeMap;
use zemtak_build::{Failure, format};
use zemtak_core::codec::Mark;
use zemtak_core::diff::{AtlasDiff, SpriteChange};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::SpriteName;

const ADDED: Colour = TEAL;
const REMOVED: Colour = WRONG;
const REPAINTED: Colour = LANTERN;
const MOVED: Colour = VIOLET;

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 84;
/// The space for a page.
const ROOM: Size = Size::new(608, 608);
const HEAD: u32 = 30;
/// The largest zoom of small pages.
const LARGEST_ZOOM: f64 = 4.0;
/// The most pairs of pages drawn.
const MOST: usize = 12;

/// Draws the pages of both atlases as a PNG.
///
/// # Errors
/// The picture cannot be made.
pub fn draw(both: [&Opened; 2], diff: &AtlasDiff) -> Result<Vec<u8>, Failure> {
    let colours = colours(diff);
    let pairs = both[0].pages.len().max(both[1].pages.len());
    let shown = pairs.min(MOST);
    let zoom = |n: usize| {
        let pages = both.iter().filter_map(|side| side.pages.get(n));
        pages.map(|page| zoom_to_fit(page.size(), ROOM, LARGEST_ZOOM)).fold(LARGEST_ZOOM, f64::min)
    };
    let zooms: Vec<f64> = (0..shown).map(zoom).collect();
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

/// The changed sprites, with the colours of their frames: in the old atlas and in the new one.
fn colours(diff: &AtlasDiff) -> [BTreeMap<&SpriteName, Colour>; 2] {
    let (mut old, mut new) = (BTreeMap::new(), BTreeMap::new());
    old.extend(diff.removed.iter().chain(diff.renamed.iter().map(|(from, _)| from)).map(|name| (name, REMOVED)));
    new.extend(diff.added.iter().chain(diff.renamed.iter().map(|(_, to)| to)).map(|name| (name, ADDED)));
    for (name, changes) in &diff.changed {
        let looks =
            |change: &SpriteChange| matches!(change, SpriteChange::Repainted { .. } | SpriteChange::Resized { .. });
        let moved = |change: &SpriteChange| matches!(change, SpriteChange::Moved { .. });
        let colour = match changes.iter().any(looks) {
            true => Some(REPAINTED),
            false => changes.iter().any(moved).then_some(MOVED),
        };
        old.extend(colour.map(|colour| (name, colour)));
        new.extend(colour.map(|colour| (name, colour)));
    }
    [old, new]
}

fn height(both: &[&Opened; 2], n: usize, zoom: f64) -> u32 {
    both.iter()
        .filter_map(|side| side.pages.get(n))
        .map(|page| nearest(f64::from(page.size().h) * zoom))
        .max()
        .unwrap_or(0)
}

fn head(drawing: &mut Drawing, both: [&Opened; 2], left_out: usize) {
    let [old, new] = both.map(|side| format::name(&side.path));
    let title = drawing.shortened(&format!("{old} -> {new}"), WIDTH - 2 * MARGIN, 20.0);
    drawing.write(&title, Line { x: MARGIN, y: 38, size: 20.0, colour: TEXT });
    let kinds = [("added", ADDED), ("removed", REMOVED), ("other pixels or size", REPAINTED), ("only moved", MOVED)];
    let x = drawing.legend([MARGIN, 66], &kinds.map(|(what, colour)| (what, colour, Shown::Filled)));
    if left_out > 0 {
        let more = format!("{} more are not drawn", format::count(left_out, "pair of pages", "pairs of pages"));
        drawing.write(&more, Line { x, y: 66, size: 14.0, colour: FAINT });
    }
}

/// A page with its frames; only a word if the atlas has no such page.
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
    let picture = scaled(pixels, zoom);
    drawing.fill(Rect::at(x, top, picture.size()), PANEL);
    drawing.paste(&picture, [x, top]);
    let on = |at: u32| nearest(f64::from(at) * zoom);
    for (name, sprite) in side.atlas.sprites.iter().filter(|(_, sprite)| sprite.page == n) {
        let Some(colour) = colours.get(name) else { continue };
        let [left, right] = [sprite.rect.x, sprite.rect.x + sprite.rect.w].map(|at| x + on(at));
        let [above, below] = [sprite.rect.y, sprite.rect.y + sprite.rect.h].map(|at| top + on(at));
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
