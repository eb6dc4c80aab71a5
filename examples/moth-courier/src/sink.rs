//! Textures for the cache with OpenGL (ES 3 or 3.3). To be copied into a game of one's own: it needs nothing else of this one.

use glow::HasContext;
use std::num::NonZero;
use std::rc::Rc;
use zemtak_runtime::atlas::{Filter, PixelKind, Wrap};
use zemtak_runtime::{Level, NewTexture, Rows, Sink, SinkError, Texture};

/// Makes textures on a context that is current on this thread. The number of a texture is its OpenGL name.
pub struct GlSink {
    gl: Rc<glow::Context>,
    blocks: bool,
    side: u32,
}

impl GlSink {
    pub fn new(gl: Rc<glow::Context>) -> Self {
        let extensions = gl.supported_extensions();
        // What desktop cards read; phones have other blocks.
        let blocks = ["EXT_texture_compression_s3tc", "EXT_texture_compression_bptc"];
        let blocks = blocks.iter().all(|own| extensions.iter().any(|name| name.ends_with(own)))
            || extensions.contains("GL_ARB_texture_compression_bptc");
        // SAFETY: the context is current, as whoever made it promised.
        let side = unsafe { gl.get_parameter_i32(glow::MAX_TEXTURE_SIZE) };
        Self { gl, blocks, side: u32::try_from(side).unwrap_or(2048) }
    }

    /// A texture with these levels, filled where there are bytes.
    fn make(&self, new: &NewTexture<'_>, filled: bool) -> Result<Texture, SinkError> {
        let gl = &self.gl;
        // SAFETY: the context is current; each level has as many bytes as its size and kind take, which the cache has checked.
        unsafe {
            let texture = gl.create_texture().map_err(SinkError::Other)?;
            gl.bind_texture(glow::TEXTURE_2D, Some(texture));
            gl.pixel_store_i32(glow::UNPACK_ALIGNMENT, 1);
            for (number, level) in (0..).zip(new.levels.iter()) {
                upload(gl, number, new.kind, level, filled);
            }
            let (smaller, larger) = match (new.sampler.filter, new.mips()) {
                (Filter::Linear, 1) => (glow::LINEAR, glow::LINEAR),
                (Filter::Linear, _) => (glow::LINEAR_MIPMAP_LINEAR, glow::LINEAR),
                (_, 1) => (glow::NEAREST, glow::NEAREST),
                _ => (glow::NEAREST_MIPMAP_NEAREST, glow::NEAREST),
            };
            let wrap = match new.sampler.wrap {
                Wrap::Repeat => glow::REPEAT,
                Wrap::Mirror => glow::MIRRORED_REPEAT,
                _ => glow::CLAMP_TO_EDGE,
            };
            let last = new.mips() - 1;
            let values = [
                (glow::TEXTURE_MIN_FILTER, smaller),
                (glow::TEXTURE_MAG_FILTER, larger),
                (glow::TEXTURE_WRAP_S, wrap),
                (glow::TEXTURE_WRAP_T, wrap),
                // No deeper than there are levels without neighbours.
                (glow::TEXTURE_MAX_LEVEL, last),
            ];
            for (name, value) in values {
                gl.tex_parameter_i32(glow::TEXTURE_2D, name, value.cast_signed());
            }
            if gl.get_error() == glow::OUT_OF_MEMORY {
                gl.delete_texture(texture);
                return Err(SinkError::OutOfMemory);
            }
            Ok(Texture(texture.0.get().into()))
        }
    }
}

/// The name that OpenGL knows a texture by.
pub fn native(texture: Texture) -> Option<glow::NativeTexture> {
    u32::try_from(texture.0).ok().and_then(NonZero::new).map(glow::NativeTexture)
}

/// # Safety
/// The context is current and a texture bound; the level has the bytes that its size and kind take.
unsafe fn upload(gl: &glow::Context, number: i32, kind: PixelKind, level: &Level, filled: bool) {
    let (w, h) = (level.size.w.cast_signed(), level.size.h.cast_signed());
    let plain = |bytes: Option<&[u8]>| {
        let (inside, bytes) = (glow::RGBA8.cast_signed(), glow::PixelUnpackData::Slice(bytes));
        // SAFETY: as this function asks.
        unsafe { gl.tex_image_2d(glow::TEXTURE_2D, number, inside, w, h, 0, glow::RGBA, glow::UNSIGNED_BYTE, bytes) };
    };
    let format = match kind {
        PixelKind::Bc1 => glow::COMPRESSED_RGBA_S3TC_DXT1_EXT,
        PixelKind::Bc3 => glow::COMPRESSED_RGBA_S3TC_DXT5_EXT,
        PixelKind::Bc7 => glow::COMPRESSED_RGBA_BPTC_UNORM,
        _ => return plain(filled.then_some(&level.bytes)),
    };
    let size = i32::try_from(level.bytes.len()).unwrap_or(i32::MAX);
    // SAFETY: as this function asks.
    unsafe {
        gl.compressed_tex_image_2d(glow::TEXTURE_2D, number, format.cast_signed(), w, h, 0, size, &level.bytes);
    }
}

impl Sink for GlSink {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        self.make(new, true)
    }

    /// Large pages are filled over several frames; those in blocks are small enough to go at once.
    fn make_empty(&mut self, new: &NewTexture<'_>) -> Option<Result<Texture, SinkError>> {
        (new.kind == PixelKind::Rgba8).then(|| self.make(new, false))
    }

    fn write_rows(&mut self, texture: Texture, rows: &Rows<'_>) -> Result<(), SinkError> {
        let number = |number: u32| number.cast_signed();
        let bytes = glow::PixelUnpackData::Slice(Some(rows.bytes));
        let (level, first, w, h) = (number(rows.level), number(rows.first), number(rows.width), number(rows.rows));
        // SAFETY: the context is current, the texture was made by `make_empty`, the rows lie within it.
        unsafe {
            self.gl.bind_texture(glow::TEXTURE_2D, native(texture));
            self.gl.pixel_store_i32(glow::UNPACK_ALIGNMENT, 1);
            self.gl.tex_sub_image_2d(glow::TEXTURE_2D, level, 0, first, w, h, glow::RGBA, glow::UNSIGNED_BYTE, bytes);
        }
        Ok(())
    }

    fn drop_texture(&mut self, texture: Texture) {
        if let Some(texture) = native(texture) {
            // SAFETY: the context is current; nobody draws the texture any more.
            unsafe { self.gl.delete_texture(texture) };
        }
    }

    fn takes(&self, kind: PixelKind) -> bool {
        kind == PixelKind::Rgba8 || (self.blocks && matches!(kind, PixelKind::Bc1 | PixelKind::Bc3 | PixelKind::Bc7))
    }

    fn largest_side(&self) -> u32 {
        self.side
    }
}
