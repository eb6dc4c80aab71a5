//! The subject of a question about coordinates: sprites of a descriptor or a bare box, and parts of them.

use crate::descriptor::{self, Choice};
use serde_json::{Map, Value, json};
use std::path::PathBuf;
use zemtak_build::{Allowance, Failure, Limits, Problem, ProblemKind, format};
use zemtak_core::atlas::Atlas;
use zemtak_core::coords::{Area, Part, Picture, Visible};
use zemtak_core::geometry::{Rect, Size};

/// The subject.
#[derive(Debug, Clone, PartialEq)]
pub enum Subject {
    /// Sprites of a descriptor.
    Sprites {
        /// The descriptor.
        descriptor: PathBuf,
        /// Which of them.
        choice: Choice,
    },
    /// Numbers alone.
    Bare {
        /// The page's size.
        page: Size,
        /// The box as stored.
        rect: Rect,
        /// Whether it is stored turned.
        turned: bool,
    },
}

/// A sprite or a bare box, and the part of it that is shown.
#[derive(Debug, Clone, PartialEq)]
pub struct Place {
    /// The sprite's name; empty for a bare box.
    pub name: String,
    /// The page's index.
    pub page: usize,
    /// The page's file; empty for a bare box.
    pub file: String,
    /// The whole picture.
    pub picture: Picture,
    /// The pivot in canvas pixels: for a bare box its centre.
    pub pivot: [f64; 2],
    /// The stored area of the requested part.
    pub shown: Visible,
    /// The bands that keep their size when it is stretched.
    pub stretch: Option<[u32; 4]>,
}

/// Looks up the subject.
///
/// # Errors
/// The descriptor cannot be used; or all unknown names, and all parts that have no stored pixels.
pub fn look_up(subject: &Subject, parts: &[Part], allowance: &Allowance) -> Result<Vec<Place>, Failure> {
    match subject {
        Subject::Bare { page, rect, turned } => {
            let area = Area::new(*page, *rect, *turned).map_err(|error| {
                Problem::usage(ProblemKind::InvalidBox, "--box", error.to_string(), "give x,y,w,h within --page WxH")
            })?;
            let Size { w, h } = area.upright();
            let pivot = [f64::from(w) / 2.0, f64::from(h) / 2.0];
            let place = place(Picture::whole(area), pivot, "", 0, "", parts);
            Ok(vec![place.map_err(Failure::from)?])
        }
        Subject::Sprites { descriptor, choice } => {
            let file = descriptor::open(descriptor, allowance)?;
            of_atlas(file.atlas(), choice, parts, allowance.limits())
        }
    }
}

fn of_atlas(atlas: &Atlas, choice: &Choice, parts: &[Part], limits: &Limits) -> Result<Vec<Place>, Failure> {
    let (mut places, mut problems) = (Vec::new(), Vec::new());
    for (name, sprite) in descriptor::choose(atlas, choice, limits)? {
        let page = &atlas.pages[sprite.page];
        let found = sprite.picture(page).map_err(|error| {
            Problem::bad_input(ProblemKind::OutsidePage, name.as_str(), error.to_string(), "build it again")
        });
        let found = found.and_then(|p| place(p, sprite.pivot, name.as_str(), sprite.page, &page.file, parts));
        let found = found.map(|place| Place { stretch: sprite.stretch, ..place });
        match found {
            Ok(place) => places.push(place),
            Err(problem) => problems.push(problem),
        }
    }
    Failure::unless(problems, places)
}

fn place(
    picture: Picture,
    pivot: [f64; 2],
    name: &str,
    page: usize,
    file: &str,
    parts: &[Part],
) -> Result<Place, Problem> {
    let shown = picture.part(parts).map_err(|error| {
        let help = "a part is x,y,w,h in canvas pixels; 'zemtak describe' shows a sprite's canvas and visible box";
        Problem::usage(ProblemKind::EmptyPart, &format::name(name), error.to_string(), help)
    })?;
    Ok(Place { name: name.into(), page, file: file.into(), picture, pivot, shown, stretch: None })
}

impl Place {
    /// The sprite and its page, in words.
    #[must_use]
    pub fn title(&self) -> String {
        let page = self.picture.area.page();
        let turned = if self.picture.area.turned() { ", stored turned" } else { "" };
        if self.name.is_empty() {
            format!("box {} of a page of {page}{turned}", self.picture.area.stored())
        } else {
            format!("{} on page {} ({}, {page}){turned}", format::name(&self.name), self.page, format::name(&self.file))
        }
    }

    /// The sprite in short.
    #[must_use]
    pub fn who(&self) -> String {
        if self.name.is_empty() { "the box".into() } else { format::name(&self.name) }
    }

    /// What was cut off a part, in words.
    #[must_use]
    pub fn cut_off(&self) -> Option<String> {
        let sides = |cut: [u32; 4]| {
            let sides = ["left", "top", "right", "bottom"].iter().zip(cut).filter(|(_, n)| *n > 0);
            sides.map(|(side, n)| format!("{n} {side}")).collect::<Vec<_>>().join(" and ")
        };
        let why = [(self.shown.outside, "outside the canvas"), (self.shown.in_border, "in the transparent border")];
        let told: Vec<String> = why
            .into_iter()
            .filter(|(cut, _)| cut.iter().any(|&n| n > 0))
            .map(|(cut, place)| format!("{} {place}", sides(cut)))
            .collect();
        (!told.is_empty()).then(|| told.join(", "))
    }

    /// As JSON: the sprite, its place, and the part that is shown.
    #[must_use]
    pub fn json(&self) -> Map<String, Value> {
        let page = self.picture.area.page();
        let mut out = Map::new();
        if !self.name.is_empty() {
            out.insert("sprite".into(), json!(self.name));
            out.insert("page".into(), json!(self.page));
            out.insert("file".into(), json!(self.file));
        }
        let Visible { area, on_canvas, in_part, outside, in_border } = self.shown;
        let entries = [
            ("page_size", json!(page)),
            ("box", json!(area.stored())),
            ("turned", json!(area.turned())),
            ("on_canvas", json!(on_canvas)),
            ("in_part", json!(in_part)),
            ("cut_outside", json!(outside)),
            ("cut_in_border", json!(in_border)),
        ];
        out.extend(entries.map(|(key, value)| (key.to_owned(), value)));
        out
    }
}
