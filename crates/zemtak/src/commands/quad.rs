//! `zemtak quad`: the vertices and indices that draw sprites.

use super::uv::warnings;
use crate::console::Console;
use crate::descriptor::Choice;
use crate::instances::{self, Entry};
use crate::notice::Notice;
use crate::output;
use crate::query::{Place, Subject, look_up};
use crate::report::Report;
use crate::values;
use crate::vertices::{ATTRIBUTES, Draw, Laid, Vertices};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::coords::{
    Middle, Part, Placement, Quad, Sampling, ScreenY, Stretched, VERTEX_BYTES, fill, fit, quad, tiles,
};
use zemtak_core::geometry::Size;

/// What to draw, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct QuadRequest {
    /// Which sprites.
    pub subject: Subject,
    /// The part of each sprite.
    pub parts: Vec<Part>,
    /// Read placements from a file instead.
    pub list: Option<PathBuf>,
    /// Position, rotation and flip; the scale comes from `zoom`.
    pub placement: Placement,
    /// How large.
    pub zoom: Zoom,
    /// A pivot in place of the sprite's own.
    pub pivot: Option<[f64; 2]>,
    /// A colour for all vertices.
    pub tint: [u8; 4],
    /// An area in canvas pixels to cover with the sprite.
    pub tile: Option<Size>,
    /// A size in canvas pixels to stretch the sprite to.
    pub stretch: Option<Stretch>,
    /// The convention of texture coordinates.
    pub sampling: Sampling,
    /// Keep the order of the list instead of sorting by page.
    pub in_order: bool,
    /// The output format.
    pub form: Form,
    /// The file of a vertex buffer.
    pub out: Option<PathBuf>,
    /// Replace an existing file.
    pub force: bool,
}

/// A sprite stretched to a size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretch {
    /// The size in canvas pixels.
    pub to: [f64; 2],
    /// The bands that keep their size, in place of the sprite's own: left, top, right, bottom.
    pub bands: Option<[u32; 4]>,
    /// How the bands between them fill their space.
    pub middle: Middle,
}

/// The size at which sprites are drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Zoom {
    /// Screen units per canvas pixel.
    Scale([f64; 2]),
    /// Scaled to fit into this size, keeping proportions.
    Fit([f64; 2]),
    /// Scaled to fill this size.
    Fill([f64; 2]),
}

/// An output format of quads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Text.
    Table,
    /// One JSON document.
    Json,
    /// One line per vertex.
    Csv,
    /// A binary file of vertices and indices.
    Buffer,
}

impl Keyword for Form {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("table", "for people", Self::Table),
        ("json", "one JSON document", Self::Json),
        ("csv", "a line for each vertex", Self::Csv),
        ("buffer", "a file of vertices and indices, whose layout is told", Self::Buffer),
    ];
}

/// The quads.
#[derive(Debug, Clone)]
pub struct Quads {
    places: Vec<Place>,
    pages: Vec<String>,
    of_parts: bool,
    form: Form,
    sampling: Sampling,
    y: ScreenY,
    drawn: Vec<Drawn>,
    laid: Laid,
    file: Option<PathBuf>,
}

/// A quad, the number of its placement, and its colour.
#[derive(Debug, Clone)]
struct Drawn {
    place: usize,
    quad: Quad,
    tint: [u8; 4],
}

/// Computes the quads.
///
/// # Errors
/// Something that was named does not exist, a list has invalid entries, or a file cannot be read or written.
pub fn run(request: &QuadRequest, console: &Console) -> Result<Quads, Failure> {
    if let (Some(out), false) = (&request.out, request.form == Form::Buffer) {
        let why = "only a vertex buffer is written to a file; other forms go to standard output";
        let help = "add --as buffer, or leave -o out";
        return Err(Problem::usage(ProblemKind::ConflictingOptions, &format::path(out), why, help).into());
    }
    let places = look_up(&request.subject, &request.parts, console.allowance())?;
    let mut pages: Vec<String> = Vec::new();
    for place in &places {
        pages.resize(pages.len().max(place.page + 1), String::new());
        pages[place.page].clone_from(&place.file);
    }
    match (&request.out, request.form) {
        (Some(out), Form::Buffer) => {
            let mut vertices = Vertices::new(pages.len(), request.in_order);
            each(request, &places, &mut |drawn| {
                vertices.push(places[drawn.place].page, &drawn.quad, drawn.tint).map_err(|e| e.to_string())
            })?;
            protect(request, out)?;
            let laid = vertices.finish(out, request.force)?;
            Ok(Quads { laid, file: request.out.clone(), ..Quads::of(request, places, pages, Vec::new()) })
        }
        _ => {
            let mut drawn = Vec::new();
            each(request, &places, &mut |one| {
                drawn.push(one);
                Ok(())
            })?;
            let binds_as_listed = draws(&drawn, &places).len();
            if !request.in_order {
                drawn.sort_by_key(|d| places[d.place].page);
            }
            let draws = draws(&drawn, &places);
            let (vertices, indices) = (drawn.len() as u64 * 4, drawn.len() as u64 * 6);
            let laid = Laid { vertices, indices_at: 0, indices, draws, binds_as_listed };
            Ok(Quads { laid, ..Quads::of(request, places, pages, drawn) })
        }
    }
}

/// Runs of quads on the same page.
fn draws(drawn: &[Drawn], places: &[Place]) -> Vec<Draw> {
    let mut draws: Vec<Draw> = Vec::new();
    for (first, one) in (0..).zip(drawn) {
        let page = places[one.place].page;
        match draws.last_mut() {
            Some(draw) if draw.page == page => draw.quads += 1,
            _ => draws.push(Draw { page, first, quads: 1 }),
        }
    }
    draws
}

/// Refuses to overwrite the list that was read.
fn protect(request: &QuadRequest, out: &Path) -> Result<(), Failure> {
    let descriptor = match &request.subject {
        Subject::Sprites { descriptor, .. } => Some(descriptor),
        Subject::Bare { .. } => None,
    };
    output::check_input(out, descriptor.into_iter().chain(&request.list).map(PathBuf::as_path))
}

type Emit<'e> = &'e mut dyn FnMut(Drawn) -> Result<(), String>;

/// Passes on all quads in the requested order.
fn each(request: &QuadRequest, places: &[Place], emit: Emit<'_>) -> Result<(), Failure> {
    if let Some(list) = &request.list {
        return each_listed(request, list, places, emit);
    }
    for (at, place) in places.iter().enumerate() {
        let surface = request.tile.unwrap_or(place.picture.canvas);
        let placement = Placement { scale: request.zoom.of(surface), ..request.placement };
        let failed =
            |why: String| Failure::from(Problem::bad_input(ProblemKind::InvalidQuads, &place.title(), why, ""));
        if let Some(stretch) = request.stretch {
            let pivot = request.pivot.unwrap_or(place.pivot);
            for quad in stretched(place, stretch)?.quads(pivot, placement, request.sampling) {
                emit(Drawn { place: at, quad, tint: request.tint }).map_err(failed)?;
            }
            continue;
        }
        let Some(tile) = request.tile else {
            let pivot = request.pivot.unwrap_or(place.pivot);
            let quad = quad(&place.shown, pivot, &placement, &request.sampling);
            emit(Drawn { place: at, quad, tint: request.tint }).map_err(failed)?;
            continue;
        };
        let pivot = request.pivot.unwrap_or([0.0; 2]);
        let tiles = tiles(place.picture.canvas, tile).map_err(|error| {
            let help = "give --tile a smaller surface, or take a larger sprite";
            Problem::usage(ProblemKind::CannotTile, "--tile", error.to_string(), help)
        })?;
        for ([x, y], part) in tiles {
            // A fully transparent part needs no quad.
            let Ok(shown) = place.picture.part(&[part]) else { continue };
            let from = [pivot[0] - f64::from(x), pivot[1] - f64::from(y)];
            let quad = quad(&shown, from, &placement, &request.sampling);
            emit(Drawn { place: at, quad, tint: request.tint }).map_err(failed)?;
        }
    }
    Ok(())
}

/// A sprite with its own bands, or with those given instead.
fn stretched(place: &Place, Stretch { to, bands, middle }: Stretch) -> Result<Stretched, Failure> {
    let none = || {
        let help = "give the sprite's rule a stretch = [left, top, right, bottom], or name them with --bands";
        let why = "it has no stretch bands, so nothing says what keeps its size";
        Problem::usage(ProblemKind::MissingValue, &place.title(), why, help)
    };
    Ok(Stretched::new(place.picture, bands.or(place.stretch).ok_or_else(none)?, to, middle))
}

fn each_listed(request: &QuadRequest, list: &Path, places: &[Place], emit: Emit<'_>) -> Result<(), Failure> {
    let by_name: HashMap<&str, usize> = places.iter().enumerate().map(|(i, p)| (p.name.as_str(), i)).collect();
    instances::read(list, &mut |entry| {
        let Some(&at) = by_name.get(entry.sprite.as_str()) else {
            let near = format::nearest(&entry.sprite, by_name.keys().copied());
            let near = near.map_or(String::new(), |name| format!("; the nearest is {}", format::name(name)));
            return Err(format!("there is no sprite '{}'{near}", format::name(&entry.sprite)));
        };
        let place = &places[at];
        let placement = placed(entry, request, place.picture.canvas)?;
        let tint = entry.tint.as_deref().filter(|t| !t.is_empty()).map_or(Ok(request.tint), values::tint)?;
        let quad = quad(&place.shown, request.pivot.unwrap_or(place.pivot), &placement, &request.sampling);
        emit(Drawn { place: at, quad, tint })
    })
}

/// Where and how an entry is drawn; the command line gives the defaults.
fn placed(entry: &Entry, request: &QuadRequest, canvas: Size) -> Result<Placement, String> {
    let usual = request.zoom.of(canvas);
    let scale = |own: Option<f64>, usual: f64| own.or(entry.scale).unwrap_or(usual);
    let flip = entry.flip.as_deref().filter(|f| !f.is_empty());
    Ok(Placement {
        at: [entry.x, entry.y],
        scale: [scale(entry.scale_x, usual[0]), scale(entry.scale_y, usual[1])],
        degrees: entry.angle.unwrap_or(request.placement.degrees),
        flip: flip.map_or(Ok(request.placement.flip), values::flip)?,
        y: request.placement.y,
    })
}

impl Zoom {
    fn of(self, canvas: Size) -> [f64; 2] {
        match self {
            Self::Scale(scale) => scale,
            Self::Fit(room) => fit(canvas, room),
            Self::Fill(room) => fill(canvas, room),
        }
    }
}

impl QuadRequest {
    /// All sprites of a descriptor, for a list to choose from.
    #[must_use]
    pub fn all_of(descriptor: PathBuf) -> Subject {
        Subject::Sprites { descriptor, choice: Choice::default() }
    }
}

impl Quads {
    fn of(request: &QuadRequest, places: Vec<Place>, pages: Vec<String>, drawn: Vec<Drawn>) -> Self {
        let laid = Laid { vertices: 0, indices_at: 0, indices: 0, draws: Vec::new(), binds_as_listed: 0 };
        let of_parts = !request.parts.is_empty();
        let (form, sampling, y) = (request.form, request.sampling, request.placement.y);
        Self { places, pages, of_parts, form, sampling, y, drawn, laid, file: None }
    }

    fn table(&self) -> String {
        let mut out = String::new();
        for (first, drawn) in (0..).step_by(4).zip(&self.drawn) {
            let _ = writeln!(out, "{}", self.places[drawn.place].title());
            let corners = ["top left", "top right", "bottom right", "bottom left"];
            for (name, (position, uv)) in corners.iter().zip(drawn.quad.positions.iter().zip(drawn.quad.uv)) {
                let ([x, y], [u, v]) = (position, uv);
                let _ = writeln!(out, "  {name:<12}  x {x:<12} y {y:<12} u {u:<12} v {v}");
            }
            let indices = drawn.quad.indices.map(|i| (first + u64::from(i)).to_string()).join(" ");
            let _ = writeln!(out, "  indices       {indices}");
        }
        let quads = format::count(self.drawn.len(), "quad", "quads");
        let _ = writeln!(out, "{quads}, {}; triangles go clockwise as seen", self.binds());
        out
    }

    fn binds(&self) -> String {
        let binds = format::count(self.laid.draws.len(), "bind", "binds");
        match self.laid.binds_as_listed {
            listed if listed == self.laid.draws.len() => binds,
            listed => format!("{binds} as sorted by page, {} as asked for", format::number(listed as u64)),
        }
    }

    fn csv(&self) -> Option<String> {
        const HEAD: [&str; 12] =
            ["quad", "sprite", "page", "corner", "x", "y", "u", "v", "red", "green", "blue", "alpha"];
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(HEAD).ok()?;
        for (i, drawn) in self.drawn.iter().enumerate() {
            let place = &self.places[drawn.place];
            for (corner, (position, uv)) in drawn.quad.positions.iter().zip(drawn.quad.uv).enumerate() {
                let ([x, y], [u, v]) = (position, uv);
                writer.serialize((i, &place.name, place.page, corner, x, y, u, v, drawn.tint)).ok()?;
            }
        }
        String::from_utf8(writer.into_inner().ok()?).ok()
    }

    fn buffer(&self, file: &Path) -> String {
        let Laid { vertices, indices_at, indices, draws, .. } = &self.laid;
        let mut out = format!("{}: {}, {}\n", format::name(&format::path(file)), quads(vertices / 4), self.binds());
        let _ = writeln!(
            out,
            "  vertices  {} from byte 0, {VERTEX_BYTES} bytes each, little-endian",
            format::number(*vertices)
        );
        for (name, kind, at) in ATTRIBUTES {
            let _ = writeln!(out, "    {name:<9} {kind}, from byte {at} of a vertex");
        }
        let _ = writeln!(out, "  indices   {} from byte {indices_at}, u32, little-endian", format::number(*indices));
        for Draw { page, first, quads: count } in draws.iter().take(20) {
            let file = format::name(self.pages.get(*page).map_or("", String::as_str));
            let _ = writeln!(out, "  page {page} ({file})  {} from quad {first}", quads(*count));
        }
        if draws.len() > 20 {
            let _ = writeln!(out, "  and {} more draws (--json lists them)", format::number(draws.len() as u64 - 20));
        }
        out
    }
}

fn quads(count: u64) -> String {
    format::count(usize::try_from(count).unwrap_or(usize::MAX), "quad", "quads")
}

impl Report for Quads {
    fn text(&self, _: bool) -> String {
        match (self.form, &self.file) {
            (Form::Buffer, Some(file)) => self.buffer(file),
            (Form::Json, _) => format!("{:#}\n", self.json()),
            (Form::Csv, _) => self.csv().unwrap_or_default(),
            _ => self.table(),
        }
    }

    fn json(&self) -> Value {
        let quads = self.drawn.iter().map(|drawn| {
            let mut out = self.places[drawn.place].json();
            let Quad { positions, uv, indices } = drawn.quad;
            let entries = [
                ("positions", json!(positions)),
                ("uv", json!(uv)),
                ("indices", json!(indices)),
                ("tint", json!(drawn.tint)),
            ];
            out.extend(entries.map(|(key, value)| (key.to_owned(), value)));
            Value::Object(out)
        });
        let draw = |Draw { page, first, quads }: &Draw| json!({ "page": page, "file": self.pages.get(*page), "first_quad": first, "quads": quads });
        let attribute = |(name, kind, at): &(&str, &str, u64)| json!({ "name": name, "type": kind, "byte": at });
        let buffer = self.file.as_ref().map(|file| {
            json!({
                "file": format::path(file),
                "stride": VERTEX_BYTES,
                "attributes": ATTRIBUTES.iter().map(attribute).collect::<Vec<_>>(),
                "vertices": self.laid.vertices,
                "indices": self.laid.indices,
                "indices_byte": self.laid.indices_at,
                "index_type": "u32",
            })
        });
        json!({
            "y": if self.y == ScreenY::Up { "up" } else { "down" },
            "winding": "clockwise as seen",
            "quads": quads.collect::<Vec<_>>(),
            "draws": self.laid.draws.iter().map(draw).collect::<Vec<_>>(),
            "binds": { "as_asked_for": self.laid.binds_as_listed, "as_drawn": self.laid.draws.len() },
            "buffer": buffer,
        })
    }

    fn kind(&self) -> &'static str {
        "quad"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        warnings(&self.places, self.of_parts, &self.sampling)
    }
}
