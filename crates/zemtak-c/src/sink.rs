//! A table of functions as a sink.

use crate::code::Code;
use std::ffi::{CString, c_char, c_void};
use zemtak_runtime::atlas::{Alpha, Colour, Filter, PixelKind, Wrap};
use zemtak_runtime::{LARGEST_SIDE, NewTexture, Rows, Sink, SinkError, Texture};

/// A mip level of a texture to make.
#[repr(C)]
pub struct ZemtakLevel {
    /// Its width in pixels.
    pub width: u32,
    /// Its height in pixels.
    pub height: u32,
    /// Rows from the top: of 8-bit RGBA, or of blocks of 4 x 4 pixels.
    pub bytes: *const u8,
    /// The number of bytes.
    pub length: u64,
}

/// A texture to make. What it points to is valid until the call returns.
#[repr(C)]
pub struct ZemtakNewTexture {
    /// The file, as a label for debugging tools.
    pub label: *const c_char,
    /// Which layer of its page it is, such as `normal`; null for the page itself.
    pub layer: *const c_char,
    /// How its levels store pixels: 0 RGBA8, 1 BC1, 2 BC3, 3 BC7.
    pub kind: u32,
    /// 0 nearest, 1 linear.
    pub filter: u32,
    /// 0 clamp, 1 repeat, 2 mirror.
    pub wrap: u32,
    /// Whether colours are multiplied by alpha.
    pub premultiplied: bool,
    /// Whether values are linear, not sRGB.
    pub linear: bool,
    /// Its mip levels, the full size first.
    pub levels: *const ZemtakLevel,
    /// The number of levels: at least one.
    pub level_count: u32,
}

/// Rows of a texture that is filled over several frames.
#[repr(C)]
pub struct ZemtakRows {
    /// The mip level, 0 for the full size.
    pub level: u32,
    /// How they store pixels, as in `zemtak_new_texture`.
    pub kind: u32,
    /// The number of pixels in a row: the width of the level.
    pub width: u32,
    /// The first row, counted from the top.
    pub first: u32,
    /// The number of rows. Of compressed levels always whole blocks, except at the end of a level.
    pub rows: u32,
    /// Their bytes, one row after the other.
    pub bytes: *const u8,
    /// The number of bytes.
    pub length: u64,
}

/// Makes and drops textures. Called only on the thread that opened the cache.
#[repr(C)]
#[derive(Clone, Copy)]
pub struct ZemtakSink {
    /// Passed to each function.
    pub user: *mut c_void,
    /// Makes a texture and writes its number. Returns 0 on success, 1 if the device is out of memory, anything else for
    /// other failures.
    pub make_texture:
        Option<unsafe extern "C" fn(user: *mut c_void, wanted: *const ZemtakNewTexture, texture: *mut u64) -> i32>,
    /// Drops a texture: each that was made, exactly once.
    pub drop_texture: Option<unsafe extern "C" fn(user: *mut c_void, texture: u64)>,
    /// The longest side that a texture may have; 0 for 16,384.
    pub largest_side: u32,
    /// Whether it takes textures in compressed blocks too (BC1, BC3, BC7); otherwise these are unpacked.
    pub takes_blocks: bool,
    /// Makes a texture with room for all levels, to be filled by `write_rows` over several frames: called if a page has
    /// more bytes than a frame may take. Returns the same as `make_texture`. May be null, as may `write_rows`: such a
    /// page is then made at once.
    pub make_empty:
        Option<unsafe extern "C" fn(user: *mut c_void, wanted: *const ZemtakNewTexture, texture: *mut u64) -> i32>,
    /// Fills rows of such a texture. Returns 0 on success; otherwise the texture is dropped.
    pub write_rows: Option<unsafe extern "C" fn(user: *mut c_void, texture: u64, rows: *const ZemtakRows) -> i32>,
}

type Make = unsafe extern "C" fn(*mut c_void, *const ZemtakNewTexture, *mut u64) -> i32;
type Write = unsafe extern "C" fn(*mut c_void, u64, *const ZemtakRows) -> i32;

/// The table as a sink.
pub struct TableSink {
    user: *mut c_void,
    make: Make,
    drop: unsafe extern "C" fn(*mut c_void, u64),
    /// For textures that are filled over several frames.
    by_rows: Option<(Make, Write)>,
    largest_side: u32,
    takes_blocks: bool,
}

impl TableSink {
    pub fn new(table: &ZemtakSink) -> Result<Self, Code> {
        let (make, drop) = table.make_texture.zip(table.drop_texture).ok_or(Code::Null)?;
        let largest_side = if table.largest_side == 0 { LARGEST_SIDE } else { table.largest_side };
        let by_rows = table.make_empty.zip(table.write_rows);
        Ok(Self { user: table.user, make, drop, by_rows, largest_side, takes_blocks: table.takes_blocks })
    }
}

/// The number of a keyword in the header.
fn kind_of(kind: PixelKind) -> u32 {
    match kind {
        PixelKind::Bc1 => 1,
        PixelKind::Bc3 => 2,
        PixelKind::Bc7 => 3,
        _ => 0,
    }
}

/// The result of a function of the table.
fn told(code: i32) -> Result<(), SinkError> {
    match code {
        0 => Ok(()),
        1 => Err(SinkError::OutOfMemory),
        code => Err(SinkError::Other(format!("the sink made no texture of it: code {code}"))),
    }
}

impl TableSink {
    /// Calls one of the two functions to make a texture.
    fn made(&self, make: Make, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let c_text = |text: &str| CString::new(text).unwrap_or_default();
        let (label, layer) = (c_text(new.label), new.layer.map(c_text));
        let levels: Vec<ZemtakLevel> = new
            .levels
            .iter()
            .map(|level| ZemtakLevel {
                width: level.size.w,
                height: level.size.h,
                bytes: level.bytes.as_ptr(),
                length: level.bytes.len() as u64,
            })
            .collect();
        let sampler = new.sampler;
        let wanted = ZemtakNewTexture {
            label: label.as_ptr(),
            layer: layer.as_ref().map_or(std::ptr::null(), |layer| layer.as_ptr()),
            kind: kind_of(new.kind),
            filter: u32::from(sampler.filter == Filter::Linear),
            wrap: match sampler.wrap {
                Wrap::Repeat => 1,
                Wrap::Mirror => 2,
                _ => 0,
            },
            premultiplied: sampler.alpha == Alpha::Premultiplied,
            linear: sampler.colour == Colour::Linear,
            levels: levels.as_ptr(),
            level_count: new.mips(),
        };
        let mut texture = 0;
        // SAFETY: whoever opened the cache promised that the table's functions may be called with its `user` on this
        // thread. The arguments outlive the call.
        told(unsafe { make(self.user, &raw const wanted, &raw mut texture) })?;
        Ok(Texture(texture))
    }
}

impl Sink for TableSink {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        self.made(self.make, new)
    }

    fn make_empty(&mut self, new: &NewTexture<'_>) -> Option<Result<Texture, SinkError>> {
        self.by_rows.map(|(make, _)| self.made(make, new))
    }

    fn write_rows(&mut self, texture: Texture, rows: &Rows<'_>) -> Result<(), SinkError> {
        let Some((_, write)) = self.by_rows else { return told(-1) };
        let Rows { level, kind, width, first, rows, bytes } = *rows;
        let (kind, length) = (kind_of(kind), bytes.len() as u64);
        let rows = ZemtakRows { level, kind, width, first, rows, bytes: bytes.as_ptr(), length };
        // SAFETY: as above; the texture was made by the table.
        told(unsafe { write(self.user, texture.0, &raw const rows) })
    }

    fn drop_texture(&mut self, texture: Texture) {
        // SAFETY: as above; the texture was made by the table.
        unsafe { (self.drop)(self.user, texture.0) }
    }

    fn takes(&self, kind: PixelKind) -> bool {
        self.takes_blocks || !kind.is_compressed()
    }

    fn largest_side(&self) -> u32 {
        self.largest_side
    }
}
