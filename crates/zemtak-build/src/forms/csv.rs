//! The descriptor as two tables: sprites, and steps of clips.

use super::data::{ClipData, clips};
use super::literals::cell;
use crate::failure::Failure;
use zemtak_core::atlas::Atlas;

/// The columns of the table of sprites.
const SPRITES: [&str; 20] = [
    "sprite", "page", "x", "y", "w", "h", "turned", "canvas_w", "canvas_h", "inset_x", "inset_y", "pivot_x", "pivot_y",
    "u0", "v0", "u1", "v1", "file", "page_w", "page_h",
];

/// The columns of the table of steps.
const STEPS: [&str; 7] = ["clip", "mode", "step", "sprite", "ms", "ns", "events"];

/// Whether a line is the first one of either table.
pub fn is_head(line: &[u8]) -> bool {
    [SPRITES.join(","), STEPS.join(",")].iter().any(|head| line == head.as_bytes())
}

/// One line per sprite, after a header line. docs/forms.md lists the columns.
///
/// # Errors
/// The writer fails, which it has no reason to.
pub fn sprites(atlas: &Atlas) -> Result<String, Failure> {
    let rows = atlas.sprites.iter().map(|(name, s)| {
        let page = &atlas.pages[s.page];
        let whole = [s.rect.x, s.rect.y, s.rect.w, s.rect.h, s.turned.into(), s.canvas.w, s.canvas.h];
        let mut row = vec![cell(name.as_str()), s.page.to_string()];
        row.extend(whole.iter().chain(&s.inset).map(ToString::to_string));
        row.extend(s.pivot.iter().map(ToString::to_string));
        row.extend(s.uv.0.iter().map(ToString::to_string));
        row.extend([cell(&page.file), page.width.to_string(), page.height.to_string()]);
        row
    });
    table(&SPRITES, rows)
}

/// One line per step, after a header line.
///
/// # Errors
/// A clip cannot be played.
pub fn steps(atlas: &Atlas) -> Result<String, Failure> {
    let clips = clips(atlas)?;
    let rows = clips.iter().flat_map(|(name, ClipData { mode, steps, .. })| {
        steps.iter().enumerate().map(move |(at, step)| {
            let events = step.events.iter().map(|event| cell(event)).collect::<Vec<_>>().join(" ");
            let (name, sprite) = (cell(name.as_str()), cell(step.sprite.as_str()));
            vec![name, mode.word().to_owned(), at.to_string(), sprite, step.ms.to_string(), step.ns.to_string(), events]
        })
    });
    table(&STEPS, rows)
}

fn table(head: &[&str], rows: impl Iterator<Item = Vec<String>>) -> Result<String, Failure> {
    let write = || -> Result<String, Box<dyn std::error::Error>> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(head)?;
        for row in rows {
            writer.write_record(row)?;
        }
        Ok(String::from_utf8(writer.into_inner()?)?)
    };
    write().map_err(|error| Failure::io("CSV", error.as_ref()))
}
