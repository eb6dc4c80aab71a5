//! Draws a batch: one buffer of vertices, one of indices, a draw for each range of one texture.

use crate::HEIGHT;
use crate::WIDTH;
use crate::sink::native;
use glow::HasContext;
use std::rc::Rc;
use zemtak_runtime::coords::{QUADS_A_DRAW, VERTEX_BYTES};
use zemtak_runtime::{Batch, Texture};

const VERTEX_SHADER: &str = "#version 300 es
layout(location = 0) in vec2 position;
layout(location = 1) in vec2 uv;
layout(location = 2) in vec4 tint;
uniform vec2 screen;
out vec2 at;
out vec4 colour;
void main() {
    at = uv;
    colour = tint;
    // Placements count y down, OpenGL counts it up.
    gl_Position = vec4(position / screen * vec2(2.0, -2.0) + vec2(-1.0, 1.0), 0.0, 1.0);
}";

const FRAGMENT_SHADER: &str = "#version 300 es
precision highp float;
in vec2 at;
in vec4 colour;
uniform sampler2D page;
out vec4 pixel;
void main() { pixel = texture(page, at) * colour; }";

pub struct Renderer {
    gl: Rc<glow::Context>,
    vertices: glow::NativeBuffer,
    screen: Option<glow::NativeUniformLocation>,
    /// One white pixel, for what has no sprite.
    pub white: Texture,
}

impl Renderer {
    pub fn new(gl: Rc<glow::Context>) -> Result<Self, String> {
        // SAFETY: the context is current; all names are made here and used as what they are.
        unsafe {
            let program = program(&gl)?;
            gl.use_program(Some(program));
            let screen = gl.get_uniform_location(program, "screen");
            let array = gl.create_vertex_array()?;
            gl.bind_vertex_array(Some(array));
            let [vertices, indices] = [gl.create_buffer()?, gl.create_buffer()?];
            gl.bind_buffer(glow::ARRAY_BUFFER, Some(vertices));
            gl.bind_buffer(glow::ELEMENT_ARRAY_BUFFER, Some(indices));
            let all: Vec<u8> = Batch::indices(QUADS_A_DRAW).into_iter().flat_map(u16::to_le_bytes).collect();
            gl.buffer_data_u8_slice(glow::ELEMENT_ARRAY_BUFFER, &all, glow::STATIC_DRAW);
            (0..3).for_each(|location| gl.enable_vertex_attrib_array(location));
            // Straight alpha, as the pages have it.
            gl.enable(glow::BLEND);
            gl.blend_func_separate(glow::SRC_ALPHA, glow::ONE_MINUS_SRC_ALPHA, glow::ONE, glow::ONE_MINUS_SRC_ALPHA);
            let white = gl.create_texture()?;
            gl.bind_texture(glow::TEXTURE_2D, Some(white));
            let (inside, bytes) = (glow::RGBA8.cast_signed(), glow::PixelUnpackData::Slice(Some(&[255; 4])));
            gl.tex_image_2d(glow::TEXTURE_2D, 0, inside, 1, 1, 0, glow::RGBA, glow::UNSIGNED_BYTE, bytes);
            gl.tex_parameter_i32(glow::TEXTURE_2D, glow::TEXTURE_MIN_FILTER, glow::NEAREST.cast_signed());
            gl.tex_parameter_i32(glow::TEXTURE_2D, glow::TEXTURE_MAG_FILTER, glow::NEAREST.cast_signed());
            Ok(Self { vertices, screen, white: Texture(white.0.get().into()), gl })
        }
    }

    /// Draws all of a batch that was laid out as vertices, into a surface of this size. Gives the draws that it took.
    pub fn draw(&self, batch: &Batch, [w, h]: [u32; 2]) -> usize {
        let gl = &self.gl;
        // SAFETY: the context is current; indices reach as far as the vertices of their draw do.
        unsafe {
            gl.viewport(0, 0, w.cast_signed(), h.cast_signed());
            gl.clear_color(0.0, 0.0, 0.0, 1.0);
            gl.clear(glow::COLOR_BUFFER_BIT);
            gl.uniform_2_f32(self.screen.as_ref(), WIDTH, HEIGHT);
            gl.bind_buffer(glow::ARRAY_BUFFER, Some(self.vertices));
            gl.buffer_data_u8_slice(glow::ARRAY_BUFFER, batch.vertices(), glow::STREAM_DRAW);
            for draw in batch.draws() {
                gl.bind_texture(glow::TEXTURE_2D, native(draw.texture));
                let at = |offset: usize| i32::try_from(4 * draw.first * VERTEX_BYTES + offset).unwrap_or(0);
                let stride = VERTEX_BYTES as i32;
                gl.vertex_attrib_pointer_f32(0, 2, glow::FLOAT, false, stride, at(0));
                gl.vertex_attrib_pointer_f32(1, 2, glow::FLOAT, false, stride, at(8));
                gl.vertex_attrib_pointer_f32(2, 4, glow::UNSIGNED_BYTE, true, stride, at(16));
                gl.draw_elements(glow::TRIANGLES, 6 * draw.quads as i32, glow::UNSIGNED_SHORT, 0);
            }
        }
        batch.draws().len()
    }

    /// The pixels of what was drawn, rows from the top.
    pub fn pixels(&self, [w, h]: [u32; 2]) -> Vec<[u8; 4]> {
        let row = w as usize * 4;
        let mut pixels = vec![0; row * h as usize];
        let into = glow::PixelPackData::Slice(Some(&mut pixels));
        // SAFETY: the context is current; there is room for so many pixels.
        unsafe { self.gl.read_pixels(0, 0, w.cast_signed(), h.cast_signed(), glow::RGBA, glow::UNSIGNED_BYTE, into) };
        pixels.chunks_exact(row).rev().flat_map(|row| row.as_chunks::<4>().0).copied().collect()
    }
}

/// # Safety
/// The context is current.
unsafe fn program(gl: &glow::Context) -> Result<glow::NativeProgram, String> {
    // SAFETY: as this function asks.
    unsafe {
        let program = gl.create_program()?;
        for (kind, text) in [(glow::VERTEX_SHADER, VERTEX_SHADER), (glow::FRAGMENT_SHADER, FRAGMENT_SHADER)] {
            let shader = gl.create_shader(kind)?;
            gl.shader_source(shader, text);
            gl.compile_shader(shader);
            if !gl.get_shader_compile_status(shader) {
                return Err(gl.get_shader_info_log(shader));
            }
            gl.attach_shader(program, shader);
        }
        gl.link_program(program);
        if gl.get_program_link_status(program) { Ok(program) } else { Err(gl.get_program_info_log(program)) }
    }
}
