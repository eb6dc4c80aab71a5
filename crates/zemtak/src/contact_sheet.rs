//! Many sprites on one picture, each with its name, visible box and pivot, and a mark where something was found.

use crate::drawing::{Drawing, Line, Shown, nearest, scaled, zoom_to_fit};
use crate::palette::{Colour, FAINT, LANTERN, NIGHT, PANEL, TEAL, TEXT};
use zemtak_build::Failure;
use zemtak_core::codec::Mark;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::pixels::Pixels;

const PANEL_DARK: Colour = [0x1a, 0x1f, 0x37];

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 84;
const COLUMNS: u32 = 11;
const CELL: Size = Size::new(112, 142);
/// The side of the square for a sprite.
const ROOM: u32 = 100;
/// The largest zoom of small sprites.
const LARGEST_ZOOM: f64 = 4.0;

/// The most sprites on one sheet.
pub const MOST: usize = 440;

/// A sprite on a sheet.
pub struct Cell {
    /// Its name.
    pub name: String,
    /// The line below the name.
    pub note: String,
    /// The colour of a mark at its top.
    pub mark: Option<Colour>,
    /// Its pixels on its canvas; `None` if they could not be read.
    pub pixels: Option<Pixels>,
    /// The visible box on the canvas.
    pub visible: Option<Rect>,
    /// Its pivot in canvas pixels.
    pub pivot: Option<[f64; 2]>,
}

/// The heading of the sheet.
pub struct Head<'a> {
    /// Where the sprites come from.
    pub title: &'a str,
    /// The number of sprites in all.
    pub count: &'a str,
    /// The legend of colours.
    pub legend: &'a [(&'a str, Colour, Shown)],
    /// The legend of notes.
    pub notes: &'a str,
}

/// Draws the sheet as a PNG.
///
/// # Errors
/// A cell cannot be read, or the picture cannot be made.
pub fn draw(
    head: &Head<'_>,
    count: usize,
    cells: impl Iterator<Item = Result<Cell, Failure>>,
) -> Result<Vec<u8>, Failure> {
    let rows = u32::try_from(count).unwrap_or(u32::MAX).div_ceil(COLUMNS).max(1);
    let mut drawing = Drawing::new(Size::new(WIDTH, TOP + rows * CELL.h + MARGIN), NIGHT)?;
    write_head(&mut drawing, head);
    for (n, cell) in (0..).zip(cells) {
        draw_cell(&mut drawing, [MARGIN + n % COLUMNS * CELL.w, TOP + n / COLUMNS * CELL.h], &cell?);
    }
    drawing.to_png(Mark::View, "the contact sheet")
}

fn write_head(drawing: &mut Drawing, head: &Head<'_>) {
    let title = drawing.shortened(head.title, 620, 22.0);
    let end = drawing.write(&title, Line { x: MARGIN, y: 38, size: 22.0, colour: TEXT });
    drawing.write(head.count, Line { x: end + 16, y: 38, size: 15.0, colour: FAINT });
    let x = drawing.legend([MARGIN, 66], &[("visible box", TEAL, Shown::Framed)]);
    let x = drawing.legend([x, 66], head.legend);
    drawing.write(head.notes, Line { x, y: 66, size: 14.0, colour: FAINT });
}

fn draw_cell(drawing: &mut Drawing, [x, y]: [u32; 2], cell: &Cell) {
    let room = Rect::new(x + 2, y + 2, ROOM + 4, ROOM + 4);
    checker(drawing, room);
    if let Some(pixels) = &cell.pixels {
        let picture = scaled(pixels, zoom_to_fit(pixels.size(), Size::new(ROOM, ROOM), LARGEST_ZOOM));
        let (size, full) = (picture.size(), pixels.size());
        let zoom = [f64::from(size.w) / f64::from(full.w), f64::from(size.h) / f64::from(full.h)];
        let at = [room.x + (room.w - size.w) / 2, room.y + (room.h - size.h) / 2];
        drawing.paste(&picture, at);
        let place = |x: f64, y: f64| [f64::from(at[0]) + x * zoom[0], f64::from(at[1]) + y * zoom[1]];
        if let Some(part) = cell.visible {
            let from = place(part.x.into(), part.y.into()).map(nearest);
            let to = place((part.x + part.w).into(), (part.y + part.h).into()).map(nearest);
            let [w, h] = [0, 1].map(|axis| to[axis] - from[axis] + 2);
            drawing.outline(Rect::new(from[0] - 1, from[1] - 1, w, h), TEAL);
        }
        let inside = |[x, y]: &[u32; 2]| x.abs_diff(room.x + room.w / 2) < 54 && y.abs_diff(room.y + room.h / 2) < 54;
        if let Some(pivot) = cell.pivot.map(|[x, y]| place(x, y).map(nearest)).filter(inside) {
            drawing.cross(pivot, LANTERN);
        }
    }
    cell.mark.into_iter().for_each(|colour| drawing.fill(Rect::new(room.x, room.y, room.w, 3), colour));
    let name = drawing.shortened(&cell.name, ROOM + 4, 13.0);
    drawing.write(&name, Line { x: x + 2, y: y + ROOM + 20, size: 13.0, colour: TEXT });
    let note = drawing.shortened(&cell.note, ROOM + 4, 12.0);
    drawing.write(&note, Line { x: x + 2, y: y + ROOM + 34, size: 12.0, colour: cell.mark.unwrap_or(FAINT) });
}

fn checker(drawing: &mut Drawing, area: Rect) {
    const SQUARE: u32 = 13;
    drawing.fill(area, PANEL);
    for (column, row) in (0..area.w / SQUARE).flat_map(|c| (0..area.h / SQUARE).map(move |r| (c, r))) {
        if (column + row) % 2 == 0 {
            drawing.fill(Rect::new(area.x + column * SQUARE, area.y + row * SQUARE, SQUARE, SQUARE), PANEL_DARK);
        }
    }
}
