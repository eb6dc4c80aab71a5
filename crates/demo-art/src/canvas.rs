//! A thin layer over the drawing crate: shapes and paints in few words.

use anyhow::{Context, Result};
use tiny_skia::{
    BlendMode, Color, FillRule, GradientStop, LineCap, LineJoin, LinearGradient, Paint, Path, PathBuilder, Pixmap,
    Point, RadialGradient, Rect, Shader, SpreadMode, Stroke, Transform,
};

/// A full turn.
pub const TURN: f32 = core::f32::consts::TAU;

/// Sine that is the same on every machine.
pub fn sin(angle: f32) -> f32 {
    libm::sinf(angle)
}

/// Cosine that is the same on every machine.
pub fn cos(angle: f32) -> f32 {
    libm::cosf(angle)
}

/// A colour from `0xRRGGBB`.
pub fn rgb(hex: u32) -> Color {
    rgba(hex, 1.0)
}

/// A colour from `0xRRGGBB` with an alpha from 0 to 1.
pub fn rgba(hex: u32, alpha: f32) -> Color {
    let [_, r, g, b] = hex.to_be_bytes();
    let mut color = Color::from_rgba8(r, g, b, 255);
    color.set_alpha(alpha);
    color
}

/// What a shape is filled with.
pub enum Ink {
    /// One colour.
    Flat(Color),
    /// From one point to another.
    Between((f32, f32), (f32, f32), Vec<(f32, Color)>),
    /// From a centre outwards to a radius.
    Around((f32, f32), f32, Vec<(f32, Color)>),
}

impl Ink {
    fn shader(self) -> Option<Shader<'static>> {
        let stops = |s: Vec<(f32, Color)>| s.into_iter().map(|(at, c)| GradientStop::new(at, c)).collect();
        let point = |(x, y)| Point::from_xy(x, y);
        let (pad, as_is) = (SpreadMode::Pad, Transform::identity());
        match self {
            Self::Flat(color) => Some(Shader::SolidColor(color)),
            Self::Between(a, b, s) => LinearGradient::new(point(a), point(b), stops(s), pad, as_is),
            Self::Around(c, r, s) => RadialGradient::new(point(c), 0.0, point(c), r, stops(s), pad, as_is),
        }
    }
}

impl From<u32> for Ink {
    fn from(hex: u32) -> Self {
        Self::Flat(rgb(hex))
    }
}

impl From<Color> for Ink {
    fn from(color: Color) -> Self {
        Self::Flat(color)
    }
}

/// A sprite being drawn.
pub struct Canvas {
    pixmap: Pixmap,
    /// How many pixels the unit of the drawing has.
    scale: f32,
    /// Applied to everything drawn from now on, in units of the drawing.
    pub place: Transform,
}

impl Canvas {
    /// A transparent canvas.
    pub fn new(w: u32, h: u32) -> Result<Self> {
        Self::scaled(w, h, 1.0)
    }

    /// A transparent canvas whose drawing is in units of `scale` pixels.
    pub fn scaled(w: u32, h: u32, scale: f32) -> Result<Self> {
        let pixmap = Pixmap::new(w, h).context("a canvas has sides of at least one pixel")?;
        Ok(Self { pixmap, scale, place: Transform::identity() })
    }

    fn to_pixels(&self) -> Transform {
        Transform::from_scale(self.scale, self.scale).pre_concat(self.place)
    }

    /// Fills a path.
    pub fn fill(&mut self, path: &Path, ink: impl Into<Ink>) {
        self.paint(path, ink.into(), BlendMode::SourceOver);
    }

    /// Cuts a path out of what is there.
    pub fn cut(&mut self, path: &Path) {
        self.paint(path, Ink::from(0), BlendMode::DestinationOut);
    }

    fn paint(&mut self, path: &Path, ink: Ink, blend_mode: BlendMode) {
        if let Some(shader) = ink.shader() {
            let paint = Paint { shader, blend_mode, anti_alias: true, ..Paint::default() };
            self.pixmap.fill_path(path, &paint, FillRule::Winding, self.to_pixels(), None);
        }
    }

    /// Draws along a path with round ends.
    pub fn line(&mut self, path: &Path, width: f32, ink: impl Into<Ink>) {
        if let Some(shader) = ink.into().shader() {
            let paint = Paint { shader, anti_alias: true, ..Paint::default() };
            let stroke = Stroke { width, line_cap: LineCap::Round, line_join: LineJoin::Round, ..Stroke::default() };
            self.pixmap.stroke_path(path, &paint, &stroke, self.to_pixels(), None);
        }
    }

    /// Fills a path and draws its outline.
    pub fn shape(&mut self, path: &Path, ink: impl Into<Ink>, width: f32, outline: impl Into<Ink>) {
        self.fill(path, ink);
        self.line(path, width, outline);
    }

    /// The picture as PNG.
    pub fn png(&self) -> Result<Vec<u8>> {
        Ok(self.pixmap.encode_png()?)
    }

    /// Every pixel painted by a function of its column and row.
    pub fn paint_pixels(&mut self, color: impl Fn(u32, u32) -> Color) {
        let width = self.pixmap.width();
        for (i, pixel) in (0..).zip(self.pixmap.pixels_mut()) {
            *pixel = color(i % width, i / width).premultiply().to_color_u8();
        }
    }
}

/// A path from a description; an empty one draws nothing.
pub fn path(draw: impl FnOnce(&mut PathBuilder)) -> Path {
    let mut builder = PathBuilder::new();
    builder.move_to(0.0, 0.0);
    builder.clear();
    draw(&mut builder);
    builder.finish().unwrap_or_else(|| dot(0.0, 0.0, 0.01))
}

/// A circle.
pub fn dot(x: f32, y: f32, r: f32) -> Path {
    oval(x, y, r, r)
}

/// An ellipse.
pub fn oval(x: f32, y: f32, rx: f32, ry: f32) -> Path {
    let k = 0.552_284_8;
    let mut b = PathBuilder::new();
    b.move_to(x + rx, y);
    b.cubic_to(x + rx, y + ry * k, x + rx * k, y + ry, x, y + ry);
    b.cubic_to(x - rx * k, y + ry, x - rx, y + ry * k, x - rx, y);
    b.cubic_to(x - rx, y - ry * k, x - rx * k, y - ry, x, y - ry);
    b.cubic_to(x + rx * k, y - ry, x + rx, y - ry * k, x + rx, y);
    b.close();
    b.finish().unwrap_or_else(|| PathBuilder::from_rect(unit()))
}

fn unit() -> Rect {
    Rect::from_xywh(0.0, 0.0, 1.0, 1.0).unwrap_or_else(|| unreachable!("a unit square is a rectangle"))
}

/// A polygon.
pub fn poly(points: &[(f32, f32)]) -> Path {
    path(|b| {
        for (i, &(x, y)) in points.iter().enumerate() {
            if i == 0 { b.move_to(x, y) } else { b.line_to(x, y) }
        }
        b.close();
    })
}

/// A rectangle with rounded corners.
pub fn plate(x: f32, y: f32, w: f32, h: f32, r: f32) -> Path {
    path(|b| {
        b.move_to(x + r, y);
        b.line_to(x + w - r, y);
        b.quad_to(x + w, y, x + w, y + r);
        b.line_to(x + w, y + h - r);
        b.quad_to(x + w, y + h, x + w - r, y + h);
        b.line_to(x + r, y + h);
        b.quad_to(x, y + h, x, y + h - r);
        b.line_to(x, y + r);
        b.quad_to(x, y, x + r, y);
        b.close();
    })
}

/// An open curve through two control points.
pub fn curve(from: (f32, f32), c1: (f32, f32), c2: (f32, f32), to: (f32, f32)) -> Path {
    path(|b| {
        b.move_to(from.0, from.1);
        b.cubic_to(c1.0, c1.1, c2.0, c2.1, to.0, to.1);
    })
}

impl Canvas {
    /// Draws another canvas onto this one.
    pub fn stamp(&mut self, other: &Self, place: Transform) {
        let paint = tiny_skia::PixmapPaint { quality: tiny_skia::FilterQuality::Bicubic, ..Default::default() };
        self.pixmap.draw_pixmap(0, 0, other.pixmap.as_ref(), &paint, place, None);
    }
}
