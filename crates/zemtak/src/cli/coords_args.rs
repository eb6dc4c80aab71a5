//! The options of the commands that answer questions about coordinates.

use super::completions;
use super::values::{any_size, bands, part, point, rect, room, scale, shrink, word};
use crate::commands::{quad, uv};
use crate::descriptor::Choice;
use crate::query::Subject;
use crate::{output, values};
use clap::Args;
use std::path::PathBuf;
use zemtak_core::coords::{Flip, Middle, Part, Placement, Sampling, ScreenY, VAxis};
use zemtak_core::geometry::{Rect, Size};

#[derive(Debug, Args)]
#[command(next_help_heading = "Of what")]
struct SubjectArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(required_unless_present = "page", conflicts_with = "page", add = completions::atlases())]
    descriptor: Option<PathBuf>,
    /// Sprites by name or glob, - for a list on standard input [default: all]
    #[arg(value_name = "NAME", add = completions::sprites())]
    names: Vec<String>,
    /// All sprites of a clip in the order of its steps; repeatable
    #[arg(long, value_name = "NAME", requires = "descriptor", add = completions::clips())]
    clip: Vec<String>,
    /// Instead of a descriptor: the size of a page
    #[arg(long, value_name = "WxH", value_parser = any_size, requires = "rect")]
    page: Option<Size>,
    /// A box on that page, as stored
    #[arg(id = "rect", long = "box", value_name = "X,Y,W,H", value_parser = rect, requires = "page")]
    rect: Option<Rect>,
    /// The box is stored turned by 90 degrees clockwise
    #[arg(long, requires = "rect")]
    turned: bool,
    /// A part in canvas pixels; given again, a part of that part
    #[arg(long, value_name = "X,Y,W,H", value_parser = part, allow_hyphen_values = true)]
    part: Vec<Part>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Texture coordinates")]
struct SamplingArgs {
    /// V goes up: 0 is the bottom row, for pages uploaded bottom row first
    #[arg(long)]
    v_up: bool,
    /// Move each edge inwards by this many texels; 0.5 keeps linear filtering within the box [default: 0]
    #[arg(long, value_name = "TEXELS", value_parser = shrink, allow_hyphen_values = true)]
    shrink: Option<f64>,
}

impl SubjectArgs {
    fn into_subject(self) -> (Subject, Vec<Part>) {
        let subject = match (self.descriptor, self.page, self.rect) {
            (None, Some(page), Some(rect)) => Subject::Bare { page, rect, turned: self.turned },
            (descriptor, ..) => Subject::Sprites {
                descriptor: descriptor.unwrap_or_default(),
                choice: Choice { names: self.names, clips: self.clip },
            },
        };
        (subject, self.part)
    }
}

impl SamplingArgs {
    fn into_sampling(self, flip: Flip) -> Sampling {
        let v = if self.v_up { VAxis::Up } else { VAxis::Down };
        Sampling { flip, v, shrink: self.shrink.unwrap_or(0.0) }
    }
}

#[derive(Debug, Args)]
pub(super) struct UvArgs {
    #[command(flatten)]
    subject: SubjectArgs,
    #[command(flatten)]
    sampling: SamplingArgs,
    /// Mirror: x, y or xy
    #[arg(long, value_name = "AXES", value_parser = values::flip)]
    flip: Option<Flip>,
    /// Output format
    #[arg(long = "as", value_name = "FORM", default_value = "rect", value_parser = word::<uv::Form>())]
    form: uv::Form,
    /// Map UVs that were made for the loose image onto its page: CSV with columns u and v, a JSON list of pairs, or the
    /// vt lines of an OBJ file, in which V goes up. Prints them in the same format [- for standard input]
    #[arg(long, value_name = "FILE", conflicts_with_all = ["form", "part", "flip", "shrink"])]
    points: Option<PathBuf>,
}

impl UvArgs {
    pub(super) fn into_request(self) -> uv::UvRequest {
        let (subject, parts) = self.subject.into_subject();
        uv::UvRequest {
            subject,
            parts,
            sampling: self.sampling.into_sampling(self.flip.unwrap_or_default()),
            form: self.form,
            points: self.points,
        }
    }
}

#[derive(Debug, Args)]
pub(super) struct QuadArgs {
    #[command(flatten)]
    subject: SubjectArgs,
    #[command(flatten)]
    draw: DrawArgs,
    #[command(flatten)]
    sampling: SamplingArgs,
    #[command(flatten)]
    batch: BatchArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "On the screen")]
struct DrawArgs {
    /// Where the pivot goes [default: 0,0]
    #[arg(long, value_name = "X,Y", value_parser = point, allow_hyphen_values = true)]
    at: Option<[f64; 2]>,
    /// Rotation about the pivot in degrees: clockwise as seen, counter-clockwise with --y-up [default: 0]
    #[arg(long, value_name = "DEGREES", value_parser = values::number, allow_hyphen_values = true)]
    angle: Option<f64>,
    /// Screen units per canvas pixel: one number, or one for each axis [default: 1]
    #[arg(long, value_name = "FACTOR", value_parser = scale, allow_hyphen_values = true)]
    scale: Option<[f64; 2]>,
    /// Scale the canvas to fit into this size, keeping proportions
    #[arg(long, value_name = "WxH", value_parser = room, conflicts_with = "scale")]
    fit: Option<[f64; 2]>,
    /// With --fit: fill it, ignoring proportions
    #[arg(long, requires = "fit")]
    fill: bool,
    /// Mirror about the pivot: x, y or xy
    #[arg(long, value_name = "AXES", value_parser = values::flip)]
    flip: Option<Flip>,
    /// Use this pivot instead of the sprite's, in canvas pixels
    #[arg(long, value_name = "X,Y", value_parser = point, allow_hyphen_values = true)]
    pivot: Option<[f64; 2]>,
    /// A colour for all vertices [default: #ffffffff]
    #[arg(long, value_name = "#RRGGBB[AA]", value_parser = values::tint)]
    tint: Option<[u8; 4]>,
    /// Y goes up on the screen
    #[arg(long)]
    y_up: bool,
    /// Tile an area of this size in canvas pixels with the sprite; the area's top left corner is the pivot
    #[arg(long, value_name = "WxH", value_parser = any_size, conflicts_with_all = ["part", "list"])]
    tile: Option<Size>,
    /// Stretch the sprite to this size in canvas pixels: its bands keep their size, the middle fills the rest
    #[arg(long, value_name = "WxH", value_parser = room, conflicts_with_all = ["part", "list", "tile", "fit"])]
    stretch: Option<[f64; 2]>,
    /// With --stretch: use these bands instead of the sprite's, in canvas pixels
    #[arg(long, value_name = "LEFT,TOP,RIGHT,BOTTOM", value_parser = bands, requires = "stretch")]
    bands: Option<[u32; 4]>,
    /// With --stretch: repeat the middle in whole copies instead of stretching it
    #[arg(long, requires = "stretch")]
    tiled: bool,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Many at once")]
struct BatchArgs {
    /// A CSV or JSON file of placements, or - for standard input: sprite, x, y, and optionally angle, scale, scale_x,
    /// scale_y, flip, tint
    #[arg(long, value_name = "FILE", requires = "descriptor", conflicts_with_all = ["names", "clip", "part"])]
    list: Option<PathBuf>,
    /// Keep the order instead of sorting by page
    #[arg(long)]
    in_order: bool,
    /// Output format
    #[arg(long = "as", value_name = "FORM", default_value = "table", value_parser = word::<quad::Form>())]
    form: quad::Form,
    /// The file for --as buffer
    #[arg(short, long, value_name = "FILE", required_if_eq("form", "buffer"))]
    out: Option<PathBuf>,
    #[arg(long, requires = "out", help = output::FORCE)]
    force: bool,
}

impl QuadArgs {
    pub(super) fn into_request(self) -> quad::QuadRequest {
        let (subject, parts) = self.subject.into_subject();
        let DrawArgs { at, angle, scale, fit, fill, flip, pivot, tint, y_up, tile, stretch, bands, tiled } = self.draw;
        let middle = if tiled { Middle::Tiled } else { Middle::Stretched };
        let zoom = match fit {
            Some(room) if fill => quad::Zoom::Fill(room),
            Some(room) => quad::Zoom::Fit(room),
            None => quad::Zoom::Scale(scale.unwrap_or([1.0; 2])),
        };
        quad::QuadRequest {
            subject,
            parts,
            list: self.batch.list,
            placement: Placement {
                at: at.unwrap_or_default(),
                scale: [1.0; 2],
                degrees: angle.unwrap_or(0.0),
                flip: flip.unwrap_or_default(),
                y: if y_up { ScreenY::Up } else { ScreenY::Down },
            },
            zoom,
            pivot,
            tint: tint.unwrap_or([255; 4]),
            tile,
            stretch: stretch.map(|to| quad::Stretch { to, bands, middle }),
            sampling: self.sampling.into_sampling(Flip::default()),
            in_order: self.batch.in_order,
            form: self.batch.form,
            out: self.batch.out,
            force: self.batch.force,
        }
    }
}
