//! Many sprites on one picture, each with its name, its visible box, and a mark where something was found.

use crate::drawing::{Colour, Drawing, Line};
use std::collections::BTreeMap;
use zemtak_build::{Failure, FindingKind, Observer, Scan, ScannedSprite, Severity, format};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample};

const NIGHT: Colour = [0x14, 0x18, 0x2c];
const PANEL: Colour = [0x1f, 0x25, 0x41];
const PANEL_DARK: Colour = [0x1a, 0x1f, 0x37];
const TEXT: Colour = [0xe8, 0xe6, 0xf0];
const FAINT: Colour = [0xa2, 0xa8, 0xc4];
const LANTERN: Colour = [0xf2, 0xb4, 0x5a];
const WRONG: Colour = [0xf0, 0x7c, 0x92];
const VISIBLE: Colour = [0x6f, 0xc2, 0xc9];

const WIDTH: u32 = 1280;
const MARGIN: u32 = 24;
const TOP: u32 = 84;
const COLUMNS: u32 = 11;
const CELL: Size = Size::new(112, 142);
/// The side of the square that a sprite is shown in.
const ROOM: u32 = 100;
/// Sprites at most; of more those with findings are taken first.
const MOST: usize = 440;
/// Small sprites are shown up to so many times as large.
const LARGEST_ZOOM: u32 = 4;

/// A sheet, and how many sprites are on it.
pub struct ContactSheet {
    /// The picture's file.
    pub png: Vec<u8>,
    /// How many sprites it shows.
    pub sprites: usize,
}

/// Draws the sprites of a scan.
///
/// # Errors
/// The observer cancels, or the picture cannot be made.
pub fn draw(scan: &Scan, observer: &dyn Observer) -> Result<ContactSheet, Failure> {
    let found = found(scan);
    let mut shown: Vec<&ScannedSprite> = scan.sprites.iter().collect();
    if shown.len() > MOST {
        shown.sort_by_key(|sprite| !found.contains_key(sprite.name.as_str()));
        shown.truncate(MOST);
        shown.sort_by(|a, b| a.name.cmp(&b.name));
    }
    let rows = u32::try_from(shown.len()).unwrap_or(u32::MAX).div_ceil(COLUMNS).max(1);
    let mut drawing = Drawing::new(Size::new(WIDTH, TOP + rows * CELL.h + MARGIN), NIGHT)?;
    head(&mut drawing, scan, shown.len());
    for (n, sprite) in (0..).zip(&shown) {
        if observer.cancelled() {
            return Err(Failure::interrupted());
        }
        let at = [MARGIN + n % COLUMNS * CELL.w, TOP + n / COLUMNS * CELL.h];
        cell(&mut drawing, at, sprite, found.get(sprite.name.as_str()).copied());
    }
    Ok(ContactSheet { png: drawing.to_png(Mark::View, "the contact sheet")?, sprites: shown.len() })
}

/// What was found of sprites and their files that matters most, by sprite.
fn found(scan: &Scan) -> BTreeMap<&str, FindingKind> {
    let matters = scan.findings.iter().filter(|finding| finding.kind.severity() <= Severity::Warning);
    let mut worst: BTreeMap<&str, FindingKind> = BTreeMap::new();
    for finding in matters {
        for about in finding.items.iter().flat_map(|item| &item.about) {
            worst.entry(about).or_insert(finding.kind);
        }
    }
    let of = |sprite: &ScannedSprite| {
        let file = format::path(&sprite.path);
        let names = [Some(sprite.name.as_str()), Some(file.as_str()), sprite.sequence.as_deref()];
        names.into_iter().flatten().filter_map(|name| worst.get(name).copied()).min()
    };
    scan.sprites.iter().filter_map(|sprite| Some((sprite.name.as_str(), of(sprite)?))).collect()
}

fn head(drawing: &mut Drawing, scan: &Scan, shown: usize) {
    let all = scan.sprites.len();
    let title = drawing.shortened(&format::name(&scan.places.join(", ")), 620, 22.0);
    let end = drawing.write(&title, Line { x: MARGIN, y: 38, size: 22.0, colour: TEXT });
    let count = format::count(all, "sprite", "sprites");
    let count = if shown < all {
        format!("{} of {count}, those with findings among them", format::number(shown as u64))
    } else {
        count
    };
    drawing.write(&count, Line { x: end + 16, y: 38, size: 15.0, colour: FAINT });
    let mut x = MARGIN;
    let legend = [("visible box", VISIBLE), ("worth a look", LANTERN), ("a build fails", WRONG)];
    for (what, colour) in legend {
        match colour {
            VISIBLE => drawing.outline(Rect::new(x, 54, 13, 13), colour),
            colour => drawing.fill(Rect::new(x, 54, 13, 13), colour),
        }
        x = drawing.write(what, Line { x: x + 20, y: 66, size: 14.0, colour: FAINT }) + 26;
    }
    drawing.write(
        "below each name: what was found, or the size of the canvas",
        Line { x, y: 66, size: 14.0, colour: FAINT },
    );
}

fn cell(drawing: &mut Drawing, [x, y]: [u32; 2], sprite: &ScannedSprite, found: Option<FindingKind>) {
    let room = Rect::new(x + 2, y + 2, ROOM + 4, ROOM + 4);
    checker(drawing, room);
    if let Some((picture, zoom)) = sprite.pixels().and_then(|pixels| thumbnail(&pixels)) {
        let size = picture.size();
        let at = [room.x + (room.w - size.w) / 2, room.y + (room.h - size.h) / 2];
        drawing.paste(&picture, at);
        if let Some(part) = sprite.visible {
            let far = |at: u32, axis: usize| {
                #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "within the thumbnail")]
                let far = (f64::from(at) * zoom[axis]).round() as u32;
                far
            };
            let ([left, right], [top, bottom]) =
                ([part.x, part.x + part.w].map(|x| far(x, 0)), [part.y, part.y + part.h].map(|y| far(y, 1)));
            let (w, h) = (right - left, bottom - top);
            let outside = |at: u32| at.saturating_sub(1);
            drawing
                .outline(Rect::new(outside(at[0] + left), outside(at[1] + top), w.max(1) + 2, h.max(1) + 2), VISIBLE);
        }
    }
    let colour = found.map(|kind| if kind.severity() == Severity::Error { WRONG } else { LANTERN });
    if let Some(colour) = colour {
        drawing.fill(Rect::new(room.x, room.y, room.w, 3), colour);
    }
    let name = drawing.shortened(&format::name(sprite.name.as_str()), ROOM + 4, 13.0);
    drawing.write(&name, Line { x: x + 2, y: y + ROOM + 20, size: 13.0, colour: TEXT });
    let told = found.map_or_else(|| sprite.canvas.to_string(), |kind| kind.code().replace('_', " "));
    let told = drawing.shortened(&told, ROOM + 4, 12.0);
    drawing.write(&told, Line { x: x + 2, y: y + ROOM + 34, size: 12.0, colour: colour.unwrap_or(FAINT) });
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

/// A picture as large as the room for it allows: whole times as large where it is small. Also gives the factor of each axis.
fn thumbnail(pixels: &Pixels) -> Option<(Pixels, [f64; 2])> {
    let Size { w, h } = pixels.size();
    let longest = w.max(h);
    let (factor, kind) = if longest <= ROOM {
        ((ROOM / longest).clamp(1, LARGEST_ZOOM).to_string(), Resample::Pixel)
    } else {
        (format!("{:.6}", f64::from(ROOM) / f64::from(longest)), Resample::Smooth)
    };
    let scaled = resample(pixels, Scale { factor: factor.parse().ok()?, resample: kind });
    let zoom = [f64::from(scaled.size().w) / f64::from(w), f64::from(scaled.size().h) / f64::from(h)];
    Some((scaled, zoom))
}
