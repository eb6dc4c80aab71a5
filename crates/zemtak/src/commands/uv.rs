//! `zemtak uv`: texture coordinates of sprites and of parts of them, in the form that a game needs.

use crate::console::Console;
use crate::notice::Notice;
use crate::query::{Place, Subject, look_up};
use crate::report::Report;
use crate::shader;
use serde_json::{Map, Value, json};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::coords::{OffsetScale, Part, Sampling, Unorm16, UvRect, VAxis};

/// The question.
#[derive(Debug, Clone, PartialEq)]
pub struct UvRequest {
    /// The sprites or the box.
    pub subject: Subject,
    /// The part, the outermost first.
    pub parts: Vec<Part>,
    /// The convention of texture coordinates.
    pub sampling: Sampling,
    /// The output format.
    pub form: Form,
    /// A list of UVs of the loose image to map instead.
    pub points: Option<PathBuf>,
}

/// An output format of texture coordinates.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// `[u0, v0, u1, v1]` of the box as stored.
    Rect,
    /// Four corners of the upright picture.
    Corners,
    /// `uv = offset + scale * t`.
    OffsetScale,
    /// `uv = M * (s, t, 1)`.
    Matrix,
    /// Corners as 16-bit normalised integers.
    Unorm16,
    /// Constants for GLSL.
    Glsl,
    /// Constants for WGSL.
    Wgsl,
}

impl Keyword for Form {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("rect", "u0, v0, u1, v1 of the box as stored", Self::Rect),
        ("corners", "the four corners of the upright picture", Self::Corners),
        ("offset-scale", "uv = offset + scale * t; not for turned sprites", Self::OffsetScale),
        ("matrix", "uv = M * (s, t, 1): two rows of three", Self::Matrix),
        ("unorm16", "corners as 16-bit normalised integers, with the error", Self::Unorm16),
        ("glsl", "the matrix as a constant of GLSL", Self::Glsl),
        ("wgsl", "the matrix as a constant of WGSL", Self::Wgsl),
    ];
}

/// The coordinates.
#[derive(Debug, Clone)]
pub struct Uv {
    places: Vec<Place>,
    of_parts: bool,
    sampling: Sampling,
    form: Form,
}

/// Computes them.
///
/// # Errors
/// Something that was named does not exist, or has no such form.
pub fn run(request: &UvRequest, console: &Console) -> Result<Uv, Failure> {
    let places = look_up(&request.subject, &request.parts, console.allowance())?;
    if request.form == Form::OffsetScale {
        let turned = places.iter().filter(|p| p.shown.area.turned());
        let names: Vec<String> = turned.map(|p| format::name(&p.name)).collect();
        if !names.is_empty() {
            let what = ProblemKind::TurnedOffsetScale;
            let help = "ask for --as matrix, which always exists, or pack with --no-turn";
            return Err(Problem::usage(what, "--as offset-scale", format::first_of(&names), help).into());
        }
    }
    Ok(Uv { places, of_parts: !request.parts.is_empty(), sampling: request.sampling, form: request.form })
}

fn pair([a, b]: [f32; 2]) -> String {
    format!("({a}, {b})")
}

impl Uv {
    fn lines(&self, place: &Place) -> Vec<String> {
        let (area, how) = (&place.shown.area, &self.sampling);
        let corners = ["top left", "top right", "bottom right", "bottom left"];
        match self.form {
            Form::Rect => {
                let UvRect([u0, v0, u1, v1]) = area.rect(how);
                vec![format!("u0 {u0}  v0 {v0}  u1 {u1}  v1 {v1}")]
            }
            Form::Corners => {
                let named = corners.iter().zip(area.corners(how));
                named.map(|(name, corner)| format!("{name:<12} {}", pair(corner))).collect()
            }
            Form::OffsetScale => area
                .offset_scale(how)
                .map(|OffsetScale { offset, scale }| format!("offset {}  scale {}", pair(offset), pair(scale)))
                .into_iter()
                .collect(),
            Form::Matrix => area.matrix(how).map(|[a, b, c]| format!("| {a:<14} {b:<14} {c:<14} |")).into(),
            Form::Unorm16 => {
                let Unorm16 { corners: values, error } = area.unorm16(how);
                let named = corners.iter().zip(values).map(|(name, [u, v])| format!("{name:<12} ({u}, {v})"));
                let off =
                    format!("round(uv * 65535), off by at most {:.4} texels in u, {:.4} in v", error[0], error[1]);
                named.chain([off]).collect()
            }
            Form::Glsl | Form::Wgsl => Vec::new(),
        }
    }

    fn shader(&self) -> String {
        let named = self.places.iter().map(|p| (p.name.as_str(), p.title(), p.shown.area.matrix(&self.sampling)));
        match self.form {
            Form::Wgsl => shader::wgsl(named),
            _ => shader::glsl(named),
        }
    }

    fn values(&self, place: &Place, out: &mut Map<String, Value>) {
        let (area, how) = (&place.shown.area, &self.sampling);
        let mut put = |key: &str, value: Value| _ = out.insert(key.into(), value);
        match self.form {
            Form::Rect => put("rect", json!(area.rect(how))),
            Form::Corners => put("corners", json!(area.corners(how))),
            Form::OffsetScale => {
                if let Ok(OffsetScale { offset, scale }) = area.offset_scale(how) {
                    put("offset", json!(offset));
                    put("scale", json!(scale));
                }
            }
            Form::Matrix => put("matrix", json!(area.matrix(how))),
            Form::Unorm16 => {
                let Unorm16 { corners, error } = area.unorm16(how);
                put("corners_unorm16", json!(corners));
                put("error_texels", json!(error));
            }
            Form::Glsl | Form::Wgsl => put("matrix", json!(area.matrix(how))),
        }
    }
}

impl Report for Uv {
    fn text(&self, _: bool) -> String {
        if matches!(self.form, Form::Glsl | Form::Wgsl) {
            return self.shader();
        }
        let mut out = String::new();
        for place in &self.places {
            let _ = writeln!(out, "{}", place.title());
            self.lines(place).iter().for_each(|line| _ = writeln!(out, "  {}", line.trim_end()));
        }
        out
    }

    fn json(&self) -> Value {
        let sprites = self.places.iter().map(|place| {
            let mut out = place.json();
            self.values(place, &mut out);
            Value::Object(out)
        });
        let v = if self.sampling.v == VAxis::Up { "up" } else { "down" };
        let mut out = json!({ "v": v, "shrink": self.sampling.shrink, "uv": sprites.collect::<Vec<_>>() });
        if matches!(self.form, Form::Glsl | Form::Wgsl) {
            out["shader"] = json!(self.shader());
        }
        out
    }

    fn kind(&self) -> &'static str {
        "uv"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        warnings(&self.places, self.of_parts, &self.sampling)
    }
}

/// Parts that were cut off, and shrinks that could not be applied in full.
pub(super) fn warnings(places: &[Place], of_parts: bool, sampling: &Sampling) -> Vec<Notice> {
    let mut warnings = Vec::new();
    for place in places {
        if let Some(cut) = place.cut_off().filter(|_| of_parts) {
            let text = format!("{}: cut off, as it is not stored: {cut}", place.who());
            warnings.push(Notice::about("cut_off", place.who(), text));
        }
        if place.shown.area.shrinks_to_centre(sampling.shrink) != [false, false] {
            let size = place.shown.area.stored().size();
            let text = format!("{}: shrunk to its centre only, as it has {size} texels", place.who());
            warnings.push(Notice::about("shrunk_to_centre", place.who(), text));
        }
    }
    warnings
}
