//! The mip levels of pages beside each other, with the places where a sprite shows pixels of others.

use crate::drawing::{Drawing, Line, Shown, nearest, scaled, zoom_to_fit};
use crate::opened::Opened;
use crate::palette::{FAINT, NIGHT, PANEL, TEXT, WRONG};
use zemtak_build::mip_check::{Checked, levels_of};
use zemtak_build::{Failure, format};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::{Rect, Size};

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 84;
/// The space for a level; of each page the first few are drawn.
const ROOM: Size = Size::new(296, 296);
const GAP: u32 = 16;
const COLUMNS: u32 = 4;
const FOOT: u32 = 64;
/// The most pages drawn.
const MOST: usize = 6;

/// Draws as a PNG.
///
/// # Errors
/// The picture cannot be made.
pub fn draw(atlas: &Opened, checked: &[Checked<'_>], deepest: u32) -> Result<Vec<u8>, Failure> {
    let pages = atlas.pages.len().min(MOST);
    let lines = (deepest + 1).div_ceil(COLUMNS);
    let tall = lines * (ROOM.h + FOOT);
    let height = TOP + u32::try_from(pages).unwrap_or(0) * (tall + 30) + MARGIN;
    let mut drawing = Drawing::new(Size::new(WIDTH, height), NIGHT)?;
    let title = drawing.shortened(&format::name(&atlas.path), 560, 20.0);
    let x = drawing.write(&title, Line { x: MARGIN, y: 36, size: 20.0, colour: TEXT }) + 30;
    drawing.legend([x, 35], &[("bleeds with the linear filter: others come in", WRONG, Shown::Framed)]);
    let note = "each level is used where a sprite is drawn at about that part of its size; all are shown equally large";
    drawing.write(note, Line { x: MARGIN, y: 62, size: 14.0, colour: FAINT });
    for page in 0..pages {
        let y = TOP + u32::try_from(page).unwrap_or(0) * (tall + 30);
        let file = drawing.shortened(&atlas.atlas.pages[page].file, 600, 14.0);
        drawing.write(&file, Line { x: MARGIN, y: y + 14, size: 14.0, colour: TEXT });
        for (n, pixels) in (0..).zip(levels_of(&atlas.atlas.pages[page], &atlas.pages[page], deepest)) {
            let at = [MARGIN + (n % COLUMNS) * (ROOM.w + GAP), y + 26 + (n / COLUMNS) * (ROOM.h + FOOT)];
            let size = atlas.pages[page].size();
            let zoom = zoom_to_fit(size, ROOM, 4.0);
            let own = zoom * f64::from(size.w) / f64::from(pixels.size().w);
            let shown = scaled(&pixels, own);
            drawing.fill(Rect::at(at[0], at[1], shown.size()), PANEL);
            drawing.paste(&shown, at);
            let count = mark(&mut drawing, checked, page, n, at, zoom);
            caption(&mut drawing, n, pixels.size(), count, [at[0], at[1] + ROOM.h.min(shown.size().h)]);
        }
    }
    drawing.to_png(Mark::View, "the picture of the levels")
}

/// Frames the boxes that show pixels of others, and counts their sprites.
fn mark(drawing: &mut Drawing, checked: &[Checked<'_>], page: usize, level: u32, at: [u32; 2], zoom: f64) -> usize {
    let of_page = checked.iter().filter(|checked| checked.page == page);
    let unclean = of_page.filter(|c| c.measured[0].levels.get(level as usize).is_some_and(|l| !l.is_clean()));
    let mut count = 0;
    for checked in unclean {
        count += checked.names.len();
        let on = |n: u32| nearest(f64::from(n) * zoom);
        let Rect { x, y, w, h } = checked.rect;
        let frame = Rect::new(at[0] + on(x), at[1] + on(y), (on(x + w) - on(x)).max(2), (on(y + h) - on(y)).max(2));
        drawing.outline(frame, WRONG);
    }
    count
}

fn caption(drawing: &mut Drawing, level: u32, size: Size, count: usize, [x, y]: [u32; 2]) {
    let used = if level == 0 { "full size".into() } else { format!("at 1/{}", 1u64 << level) };
    drawing.write(&format!("level {level}: {used}"), Line { x, y: y + 20, size: 14.0, colour: TEXT });
    let found = match count {
        0 => "clean".into(),
        1 => "1 sprite bleeds".into(),
        count => format!("{count} sprites bleed"),
    };
    let colour = if count == 0 { FAINT } else { WRONG };
    drawing.write(&format!("{size} pixels, {found}"), Line { x, y: y + 38, size: 13.0, colour });
}
