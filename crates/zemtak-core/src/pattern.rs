//! Test textures that show at a glance what is upside down, swapped, blurred or off by one.

use crate::geometry::{Rect, Size};
use crate::pixels::{PIXEL, Pixels};

/// The purpose of a test texture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum PatternKind {
    /// Squares, with the finest possible ones in the middle: blur and scaling.
    Checker,
    /// Red is U, green is V down: which place is sampled.
    Uv,
    /// Numbered cells: which cell is sampled, and which way up.
    Cells,
    /// Bars of pure red, green, blue and alpha with their letters: swapped channels.
    Channels,
}

/// The side of a checker's square.
const SQUARE: u32 = 8;

/// Into how many cells a side is cut, if it is long enough.
const CELLS: u32 = 8;

const WHITE: [u8; 4] = [255, 255, 255, 255];
const BLACK: [u8; 4] = [0, 0, 0, 255];

/// The colours of the outermost pixels at the top, right, bottom and left: a missing or doubled one is an error of one
/// pixel, one on another side is a flip.
const EDGES: [[u8; 4]; 4] = [[255, 0, 0, 255], [0, 255, 0, 255], [0, 0, 255, 255], [255, 255, 0, 255]];

/// A test texture of any size, or `None` if its bytes exceed the address range.
///
/// Its outermost rows and columns are red at the top, green on the right, blue at the bottom and yellow on the left,
/// except for channels, where they belong to the bars.
#[must_use]
pub fn pattern(kind: PatternKind, size: Size) -> Option<Pixels> {
    let mut picture = Pixels::transparent(size)?;
    match kind {
        PatternKind::Checker => checker(&mut picture),
        PatternKind::Uv => fill(&mut picture, |x, y| [part(x, size.w), part(y, size.h), 0, 255]),
        PatternKind::Cells => cells(&mut picture),
        PatternKind::Channels => channels(&mut picture),
    }
    if kind != PatternKind::Channels {
        frame(&mut picture);
    }
    Some(picture)
}

/// The position of a pixel along a side, from 0 to 255.
fn part(at: u32, side: u32) -> u8 {
    let last = u64::from(side.max(2) - 1);
    u8::try_from((u64::from(at) * 255 + last / 2) / last).unwrap_or(u8::MAX)
}

fn fill(picture: &mut Pixels, colour: impl Fn(u32, u32) -> [u8; 4]) {
    for y in 0..picture.size().h {
        for (x, pixel) in (0..).zip(picture.row_mut(y).chunks_exact_mut(PIXEL)) {
            pixel.copy_from_slice(&colour(x, y));
        }
    }
}

fn frame(picture: &mut Pixels) {
    let Size { w, h } = picture.size();
    if w < 3 || h < 3 {
        return;
    }
    let [top, right, bottom, left] = EDGES;
    for y in 0..h {
        let row = picture.row_mut(y);
        if y == 0 || y == h - 1 {
            row.chunks_exact_mut(PIXEL).for_each(|pixel| pixel.copy_from_slice(if y == 0 { &top } else { &bottom }));
        } else {
            row[..PIXEL].copy_from_slice(&left);
            row[(w as usize - 1) * PIXEL..].copy_from_slice(&right);
        }
    }
}

/// Grey squares, and in the middle squares of one pixel: blurring turns them into plain grey.
fn checker(picture: &mut Pixels) {
    let Size { w, h } = picture.size();
    let fine = |x: u32, y: u32| (w / 4..w - w / 4).contains(&x) && (h / 4..h - h / 4).contains(&y);
    fill(picture, |x, y| match (fine(x, y), (x + y) % 2, (x / SQUARE + y / SQUARE) % 2) {
        (true, 0, _) => WHITE,
        (true, _, _) => BLACK,
        (false, _, 0) => [210, 210, 210, 255],
        (false, _, _) => [90, 90, 90, 255],
    });
}

/// Cells with their number, row by row from the top left. Digits are not symmetric, so a flip shows in each cell.
fn cells(picture: &mut Pixels) {
    let Size { w, h } = picture.size();
    let cell = Size::new(w.div_ceil(CELLS.min(w)), h.div_ceil(CELLS.min(h)));
    let columns = w.div_ceil(cell.w);
    let dark = |x: u32, y: u32| (x / cell.w + y / cell.h).is_multiple_of(2);
    fill(picture, |x, y| {
        // Dark enough everywhere for white digits.
        let shade = if dark(x, y) { 12 } else { 44 };
        [shade, part(x / cell.w * cell.w, w) / 4 + shade, part(y / cell.h * cell.h, h) / 3 + shade, 255]
    });
    for row in 0..h.div_ceil(cell.h) {
        for column in 0..columns {
            let room = Rect::new(column * cell.w, row * cell.h, cell.w, cell.h);
            corner(picture, room);
            write(picture, &(row * columns + column).to_string(), digits_of(room), WHITE);
        }
    }
}

/// The part of a cell that its digits fill: about six tenths, rounded to whole pixels.
fn digits_of(room: Rect) -> Rect {
    let [w, h] = [room.w, room.h].map(|side| (side * 7 / 10).max(1));
    Rect::new(room.x + (room.w - w) / 2, room.y + (room.h - h) / 2, w + 2, h + 2)
}

/// A triangle in the top left corner of a cell, beside its digits: some digits look alike when rotated, the triangle
/// never does.
fn corner(picture: &mut Pixels, room: Rect) {
    let side = room.w.min(room.h) / 5;
    for y in 0..side {
        for x in 0..side - y {
            dot(picture, room.x + x, room.y + y, 1, EDGES[3]);
        }
    }
}

/// A bar for each channel. Under the alpha bar colour is white, and alpha runs from opaque to clear.
fn channels(picture: &mut Pixels) {
    let Size { w, h } = picture.size();
    let bar = |x: u32| (u64::from(x) * 4 / u64::from(w.max(1))).min(3);
    fill(picture, |x, y| {
        let full = 255 - part(y, h) / 2;
        match bar(x) {
            0 => [full, 0, 0, 255],
            1 => [0, full, 0, 255],
            2 => [0, 0, full, 255],
            _ => [255, 255, 255, 255 - part(y, h)],
        }
    });
    let (width, height) = (w / 4, h / 2);
    for (i, letter) in (0..).zip(["R", "G", "B", "A"]) {
        let room = Rect::new(i * width + width / 6, h / 4, width - width / 3, height);
        write(picture, letter, room, if letter == "A" { BLACK } else { WHITE });
    }
}

/// Characters of three by five pixels: rows from the top, three bits each.
fn glyph(character: char) -> [u8; 5] {
    match character {
        '0' => [0b111, 0b101, 0b101, 0b101, 0b111],
        '1' => [0b010, 0b110, 0b010, 0b010, 0b111],
        '2' => [0b110, 0b001, 0b010, 0b100, 0b111],
        '3' => [0b111, 0b001, 0b011, 0b001, 0b110],
        '4' => [0b101, 0b101, 0b111, 0b001, 0b001],
        '5' => [0b111, 0b100, 0b110, 0b001, 0b110],
        '6' => [0b011, 0b100, 0b111, 0b101, 0b111],
        '7' => [0b111, 0b001, 0b010, 0b010, 0b010],
        '8' => [0b111, 0b101, 0b010, 0b101, 0b111],
        '9' => [0b111, 0b101, 0b111, 0b001, 0b110],
        'R' => [0b110, 0b101, 0b110, 0b101, 0b101],
        'G' => [0b011, 0b100, 0b101, 0b101, 0b011],
        'B' => [0b110, 0b101, 0b110, 0b101, 0b110],
        'A' => [0b010, 0b101, 0b111, 0b101, 0b101],
        _ => [0; 5],
    }
}

/// Writes into the middle of a room, as large as whole pixels allow; writes nothing if the room is too small.
fn write(picture: &mut Pixels, text: &str, room: Rect, colour: [u8; 4]) {
    let columns = u32::try_from(text.len()).unwrap_or(u32::MAX).saturating_mul(4).saturating_sub(1);
    let zoom = (room.w.saturating_sub(2) / columns.max(1)).min(room.h.saturating_sub(2) / 5).min(16);
    if zoom == 0 {
        return;
    }
    let (left, top) = (room.x + (room.w - columns * zoom) / 2, room.y + (room.h - 5 * zoom) / 2);
    for (i, character) in (0..).zip(text.chars()) {
        for (row, bits) in (0..).zip(glyph(character)) {
            for column in (0..3).filter(|column| bits >> (2 - column) & 1 == 1) {
                dot(picture, left + (i * 4 + column) * zoom, top + row * zoom, zoom, colour);
            }
        }
    }
}

fn dot(picture: &mut Pixels, x: u32, y: u32, zoom: u32, colour: [u8; 4]) {
    for row in y..(y + zoom).min(picture.size().h) {
        let line = picture.row_mut(row);
        let end = ((x + zoom) as usize * PIXEL).min(line.len());
        line[(x as usize * PIXEL).min(end)..end].chunks_exact_mut(PIXEL).for_each(|p| p.copy_from_slice(&colour));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_pattern_is_no_mirror_image_of_itself_and_has_its_edges() {
        for kind in [PatternKind::Checker, PatternKind::Uv, PatternKind::Cells, PatternKind::Channels] {
            for size in [Size::new(100, 60), Size::new(64, 64), Size::new(7, 1), Size::new(1, 1)] {
                let picture = pattern(kind, size).unwrap();
                let turned = picture.turned();
                let upside_down = turned.turned();
                assert_eq!(upside_down.size(), size);
                if size.h > 2 || kind == PatternKind::Uv && size.w > 1 {
                    assert_ne!(upside_down, picture, "{kind:?} {size}");
                }
                if size.w == size.h && size.w > 1 {
                    assert_ne!(turned, picture, "{kind:?} {size}");
                }
                if size.h > 2 && kind != PatternKind::Channels {
                    let middle = [(size.w / 2, 0), (size.w - 1, size.h / 2), (size.w / 2, size.h - 1), (0, size.h / 2)];
                    assert_eq!(middle.map(|(x, y)| picture.get(x, y).unwrap()), EDGES, "{kind:?} {size}");
                }
            }
        }
    }

    #[test]
    fn uv_and_channels_say_where_and_which() {
        let uv = pattern(PatternKind::Uv, Size::new(256, 128)).unwrap();
        assert_eq!(uv.get(100, 64), Some([100, 129, 0, 255]));
        let channels = pattern(PatternKind::Channels, Size::new(40, 30)).unwrap();
        let bar = |x: u32| channels.get(x, 0).unwrap();
        assert_eq!([bar(0), bar(10), bar(20)], [[255, 0, 0, 255], [0, 255, 0, 255], [0, 0, 255, 255]]);
        assert_eq!((bar(39), channels.get(39, 29)), ([255, 255, 255, 255], Some([255, 255, 255, 0])));
    }

    #[test]
    fn a_checker_has_squares_of_eight_pixels_and_single_ones_in_its_middle() {
        let checker = pattern(PatternKind::Checker, Size::new(64, 48)).unwrap();
        let grey = |v: u8| [v, v, v, 255];
        for y in 1..47 {
            for x in 1..63 {
                let fine = (16..48).contains(&x) && (12..36).contains(&y);
                let expected = match (fine, (x / 8 + y / 8) % 2, (x + y) % 2) {
                    (true, _, 0) => grey(255),
                    (true, ..) => grey(0),
                    (false, 0, _) => grey(210),
                    (false, ..) => grey(90),
                };
                assert_eq!(checker.get(x, y), Some(expected), "{x} {y}");
            }
        }
    }

    /// The pixels of one ink, as drawn.
    fn drawn(picture: &Pixels, room: Rect, ink: [u8; 4]) -> Vec<String> {
        let sign = |x, y| if picture.get(x, y) == Some(ink) { '#' } else { '.' };
        (room.y..room.y + room.h).map(|y| (room.x..room.x + room.w).map(|x| sign(x, y)).collect()).collect()
    }

    #[test]
    fn bars_have_their_letters_and_cells_their_numbers_and_colours() {
        let channels = pattern(PatternKind::Channels, Size::new(32, 16)).unwrap();
        let letters = [
            ["##.", "#.#", "##.", "#.#", "#.#"],
            [".##", "#..", "#.#", "#.#", ".##"],
            ["##.", "#.#", "##.", "#.#", "##."],
            [".#.", "#.#", "###", "#.#", "#.#"],
        ];
        for (i, letter) in (0..).zip(letters) {
            let ink = if i == 3 { BLACK } else { WHITE };
            assert_eq!(drawn(&channels, Rect::new(i * 8 + 2, 5, 3, 5), ink), letter);
        }
        let cells = pattern(PatternKind::Cells, Size::new(128, 128)).unwrap();
        let numbers = [
            (10, [".#..###", "##..#.#", ".#..#.#", ".#..#.#", "###.###"]),
            (23, ["##..###", "..#...#", ".#...##", "#.....#", "###.##."]),
            (46, ["#.#..##", "#.#.#..", "###.###", "..#.#.#", "..#.###"]),
            (57, ["###.###", "#.....#", "##...#.", "..#..#.", "##...#."]),
            (38, ["###.###", "..#.#.#", ".##..#.", "..#.#.#", "##..###"]),
            (29, ["##..###", "..#.#.#", ".#..###", "#.....#", "###.##."]),
        ];
        for (number, digits) in numbers {
            let room = Rect::new(number % 8 * 16 + 5, number / 8 * 16 + 6, 7, 5);
            assert_eq!(drawn(&cells, room, WHITE), digits, "{number}");
        }
        // A dark cell and a light one: green grows from left to right, blue from top to bottom.
        assert_eq!((cells.get(62, 94), cells.get(78, 94)), (Some([12, 36, 65, 255]), Some([44, 76, 97, 255])));
    }
}
