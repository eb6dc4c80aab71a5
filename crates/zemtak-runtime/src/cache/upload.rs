//! Textures on their way to the device: a page with its layers, all at once or in strips over several frames.

use super::page::Textures;
use super::reading::Texels;
use super::snapshot::{PageFile, PartFile};
use crate::failure::{Failure, Reason};
use crate::sink::{Level, NewTexture, Rows, Sink, SinkError, Texture, texture_bytes};
use std::sync::Arc;

/// The most bytes of a strip: what goes to a device in a fraction of a millisecond, so that frames stay within their
/// time.
const STRIP: u64 = 1 << 20;

/// A page whose textures are being made.
#[derive(Debug)]
pub(super) struct Upload {
    /// Its index among the pages.
    pub page: u32,
    pub file: PageFile,
    /// The levels of its parts.
    parts: Vec<Arc<[Level]>>,
    /// The textures of the parts that are made or begun.
    pub made: Vec<Texture>,
    /// How far the last of these is filled: the level, and its first missing row. `None` if it is complete.
    at: Option<(usize, u32)>,
}

/// The progress of one.
pub(super) enum Progress {
    /// Something is missing; this many bytes were written.
    Begun(u64),
    /// All is there; this many bytes were written last.
    Done(u64, Textures),
}

impl Upload {
    pub fn new(page: u32, file: PageFile, texels: Texels) -> Self {
        Self { page, file, parts: texels.parts, made: Vec::new(), at: None }
    }

    fn part(&self, number: usize) -> NewTexture<'_> {
        let PartFile { path, layer, kind, sampler, .. } = &self.file.parts[number];
        let levels = &self.parts[number];
        NewTexture {
            label: path,
            layer: layer.as_deref(),
            kind: *kind,
            levels,
            sampler: *sampler,
            alike: self.file.alike,
        }
    }

    /// Continues with about this many bytes: makes a part whole if that is enough for it, else a strip if the sink
    /// takes strips. `begin` makes the sink create a texture, and returns whether it is still to be filled.
    pub fn go_on<S: Sink>(
        &mut self,
        sink: &mut S,
        bytes: u64,
        mut begin: impl FnMut(&mut S, &NewTexture<'_>, bool) -> Result<(Texture, bool), SinkError>,
    ) -> Result<Progress, Failure> {
        let mut written = 0;
        while self.made.len() < self.parts.len() || self.at.is_some() {
            if let Some((level, row)) = self.at {
                if written > 0 {
                    return Ok(Progress::Begun(written));
                }
                let strip = self.strip(level, row, bytes.min(STRIP));
                let texture = *self.made.last().ok_or_else(|| Failure::new(&self.file.path, Reason::BrokeOff))?;
                sink.write_rows(texture, &strip).map_err(|error| self.failure(error))?;
                written += strip.bytes.len() as u64;
                self.at = self.after(level, row + strip.rows);
                continue;
            }
            let new = self.part(self.made.len());
            let whole = texture_bytes(new.kind, new.size(), new.mips());
            // What the sink already has takes no upload.
            let large = whole > bytes && new.levels.iter().all(|level| !level.bytes.is_empty());
            let (texture, empty) = begin(sink, &new, large).map_err(|error| self.failure(error))?;
            written += if empty { 0 } else { whole };
            self.made.push(texture);
            self.at = empty.then_some((0, 0));
        }
        let names = self.file.parts.iter().filter_map(|part| part.layer.clone());
        let layers = names.zip(self.made.iter().skip(1).copied()).collect();
        let none = || Failure::new(&self.file.path, Reason::BrokeOff);
        let textures = self.made.first().map(|own| Textures { own: *own, layers }).ok_or_else(none)?;
        self.made.clear();
        Ok(Progress::Done(written, textures))
    }

    fn failure(&self, error: SinkError) -> Failure {
        let number = self.made.len().min(self.file.parts.len() - 1);
        Failure::new(&self.file.parts[number].path, error)
    }

    /// The next rows of the part that is being filled: at least one row of blocks, and about this many bytes.
    fn strip(&self, level: usize, row: u32, bytes: u64) -> Rows<'_> {
        let part = self.made.len() - 1;
        let (kind, level_of) = (self.file.parts[part].kind, &self.parts[part][level]);
        let side = kind.block_side();
        let of_blocks = kind.level_bytes(zemtak_core::geometry::Size::new(level_of.size.w, 1)).max(1);
        let wanted = u32::try_from(bytes / of_blocks).unwrap_or(u32::MAX).max(1).saturating_mul(side);
        let rows = wanted.min(level_of.size.h - row);
        let byte = |row: u32| usize::try_from(u64::from(row.div_ceil(side)) * of_blocks).unwrap_or(usize::MAX);
        let level_number = u32::try_from(level).unwrap_or(u32::MAX);
        Rows {
            level: level_number,
            kind,
            width: level_of.size.w,
            first: row,
            rows,
            bytes: &level_of.bytes[byte(row)..byte(row + rows)],
        }
    }

    /// Where it continues after a row of a level.
    fn after(&self, level: usize, row: u32) -> Option<(usize, u32)> {
        let levels = &self.parts[self.made.len() - 1];
        if row < levels[level].size.h {
            return Some((level, row));
        }
        (level + 1 < levels.len()).then_some((level + 1, 0))
    }
}
