//! Vertex buffers: quads page by page, written to a file without keeping them in memory.

use crate::output;
use std::io::{self, BufWriter, Seek, Write};
use std::path::Path;
use tempfile::{SpooledTempFile, spooled_tempfile};
use zemtak_build::{Failure, write};
use zemtak_core::coords::{Quad, VERTEX_BYTES};

/// The attributes of a vertex: name, type, offset in bytes.
pub const ATTRIBUTES: [(&str, &str, u64); 3] =
    [("position", "two f32", 0), ("uv", "two f32", 8), ("colour", "four u8, red first, 255 is 1", 16)];

/// Above this size a page's vertices are kept on disk.
const IN_MEMORY: usize = 4 << 20;

/// Quads drawn with one page.
struct Spool {
    vertices: BufWriter<SpooledTempFile>,
    /// The indices of each quad: they differ if it is mirrored.
    indices: Vec<[u8; 6]>,
}

/// Consecutive quads drawn with one page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Draw {
    /// The page.
    pub page: usize,
    /// The first quad.
    pub first: u64,
    /// Their number.
    pub quads: u64,
}

/// A vertex buffer that grows.
pub struct Vertices {
    /// One for each page, or a single one that keeps the order.
    spools: Vec<Spool>,
    in_order: bool,
    /// The draws, if the order is kept.
    draws: Vec<Draw>,
    last_page: Option<usize>,
    binds_as_listed: usize,
    quads: u64,
}

/// The layout of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Laid {
    /// The number of vertices, which start at the first byte.
    pub vertices: u64,
    /// The first byte of the indices.
    pub indices_at: u64,
    /// The number of indices, each a little-endian u32.
    pub indices: u64,
    /// What to draw with which page.
    pub draws: Vec<Draw>,
    /// How often a page would be bound in the listed order.
    pub binds_as_listed: usize,
}

impl Vertices {
    /// An empty buffer for this many pages.
    #[must_use]
    pub fn new(pages: usize, in_order: bool) -> Self {
        let spool = || Spool { vertices: BufWriter::new(spooled_tempfile(IN_MEMORY)), indices: Vec::new() };
        let spools = (0..if in_order { 1 } else { pages.max(1) }).map(|_| spool()).collect();
        Self { spools, in_order, draws: Vec::new(), last_page: None, binds_as_listed: 0, quads: 0 }
    }

    /// Adds a quad.
    ///
    /// # Errors
    /// It cannot be written, or there are more vertices than an index can count.
    pub fn push(&mut self, page: usize, quad: &Quad, tint: [u8; 4]) -> io::Result<()> {
        if self.quads * 4 + 4 > u64::from(u32::MAX) {
            return Err(io::Error::other("there are more vertices than an index of 32 bits can count"));
        }
        if self.last_page != Some(page) {
            self.last_page = Some(page);
            self.binds_as_listed += 1;
            if self.in_order {
                self.draws.push(Draw { page, first: self.quads, quads: 0 });
            }
        }
        self.draws.last_mut().into_iter().for_each(|draw| draw.quads += 1);
        self.quads += 1;
        let at = if self.in_order { 0 } else { page };
        let Some(spool) = self.spools.get_mut(at) else { return Err(io::Error::other("a page that is not there")) };
        spool.vertices.write_all(quad.vertices(tint).as_flattened())?;
        spool.indices.push(quad.indices);
        Ok(())
    }

    /// Writes the file: all vertices page by page, then the indices. It has no room for a mark, so another file of that
    /// name is only replaced if forced.
    ///
    /// # Errors
    /// It cannot be written, or would replace another file.
    pub fn finish(mut self, target: &Path, force: bool) -> Result<Laid, Failure> {
        let draws = if self.in_order { std::mem::take(&mut self.draws) } else { self.page_by_page() };
        let vertices = self.quads * 4;
        let laid = Laid {
            vertices,
            indices_at: vertices * VERTEX_BYTES as u64,
            indices: self.quads * 6,
            draws,
            binds_as_listed: self.binds_as_listed,
        };
        let file = write::prepare_with(target, |file| self.copy_to(file))?;
        if !force && target.exists() && !file.is_in_place() {
            return Err(output::stranger(target).into());
        }
        file.commit()?;
        Ok(laid)
    }

    fn page_by_page(&self) -> Vec<Draw> {
        let mut draws = Vec::new();
        let mut first = 0;
        for (page, spool) in self.spools.iter().enumerate().filter(|(_, spool)| !spool.indices.is_empty()) {
            let quads = spool.indices.len() as u64;
            draws.push(Draw { page, first, quads });
            first += quads;
        }
        draws
    }

    fn copy_to(&mut self, file: &mut dyn Write) -> io::Result<()> {
        for spool in &mut self.spools {
            spool.vertices.flush()?;
            spool.vertices.get_mut().rewind()?;
            io::copy(spool.vertices.get_mut(), file)?;
        }
        let mut file = BufWriter::new(file);
        let mut first = 0_u32;
        for index in self.spools.iter().flat_map(|spool| &spool.indices) {
            for corner in index {
                file.write_all(&(first + u32::from(*corner)).to_le_bytes())?;
            }
            first = first.wrapping_add(4);
        }
        file.flush()
    }
}
