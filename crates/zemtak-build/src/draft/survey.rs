//! What there is: every image, with everything that decides about atlases and filters.

use super::spacing;
use crate::allowance::Allowance;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::observer::check;
use crate::observer::{Observer, Phase, Progress};
use crate::sources::{self, Source, SourceSearch};
use crate::store::{self, Hash};
use crate::{format, load};
use rayon::prelude::*;
use std::collections::HashMap;
use std::path::Path;
use zemtak_core::geometry::Size;
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::style::{Style, Traits};

/// The longest side of a texture that devices take.
pub const LARGEST_PAGE: u32 = 16_384;

/// An image that can be used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Its name below the folder.
    pub name: SpriteName,
    /// Its path below the folder.
    pub shown: String,
    /// The canvas.
    pub size: Size,
    /// The visible part of each frame; a still picture has one.
    pub boxes: Vec<FrameBox>,
    /// Whether no pixel is transparent.
    pub opaque: bool,
    /// The kind of art, if it can be told.
    pub style: Option<Style>,
}

/// The visible box of a frame, and its content: twins are equal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct FrameBox {
    /// Its size.
    pub size: Size,
    /// A hash of its pixels.
    content: Hash,
}

impl FrameBox {
    fn of(frame: &Pixels) -> Self {
        match frame.visible_part() {
            Some((part, pixels)) => Self { size: part.size(), content: store::hash(pixels.as_bytes()) },
            // Stored as one transparent pixel.
            None => Self { size: Size::new(1, 1), content: store::hash(&[0; 4]) },
        }
    }
}

impl Picture {
    /// The largest width and the largest height of its boxes.
    pub fn largest(&self) -> Size {
        self.boxes.iter().fold(Size::default(), |most, b| Size::new(most.w.max(b.size.w), most.h.max(b.size.h)))
    }
}

/// An image that no build can use, and a file to be left out for that reason.
#[derive(Debug, Clone)]
pub struct Unusable {
    /// Its path below the folder.
    pub shown: String,
    /// Why.
    pub problem: Problem,
}

/// All images of a folder.
#[derive(Debug, Clone, Default)]
pub struct Survey {
    /// Those that can be used, sorted by name.
    pub pictures: Vec<Picture>,
    /// Those that cannot be used, and are to be left out.
    pub unusable: Vec<Unusable>,
    /// What else a build will refuse.
    pub refused: Vec<Problem>,
    /// Files that are no images.
    pub skipped: usize,
    /// Pictures that a build or another command drew.
    pub own: usize,
}

/// Looks at every image below a folder except those in `leave_out`.
///
/// # Errors
/// The folder cannot be searched, or the user interrupted it.
pub fn survey(
    folder: &Path,
    leave_out: &Path,
    allowance: &Allowance,
    observer: &dyn Observer,
) -> Result<Survey, Failure> {
    let search = SourceSearch {
        paths: vec![folder.to_owned()],
        root: Some(folder.to_owned()),
        leave_out: Some(leave_out.to_owned()),
        follow_links: allowance.limits().follow_links(),
    };
    let found = sources::find(&search)?;
    let progress = Progress::begin(observer, Phase::Surveying, Some(found.files.len()));
    let looked: Vec<_> = found
        .files
        .par_iter()
        .map(|source| {
            let picture = if observer.cancelled() { None } else { Some(look(source, allowance)) };
            progress.advance();
            picture
        })
        .collect();
    check(observer)?;
    let own = found.own.values().sum();
    let mut survey = Survey { skipped: found.skipped, refused: found.problems, own, ..Survey::default() };
    let mut names = HashMap::new();
    for (source, picture) in found.files.iter().zip(looked) {
        let Some(picture) = picture.and_then(Result::transpose) else {
            survey.own += 1;
            continue;
        };
        let picture =
            picture.and_then(|picture| match names.insert(sources::fold(source.name.as_str()), &source.shown) {
                Some(first) => Err(same_name(source, first)),
                None => Ok(picture),
            });
        match picture {
            Ok(picture) => survey.pictures.push(picture),
            // In the project file, from its point of view.
            Err(problem) => {
                let problem = Problem { place: source.shown.clone(), ..problem };
                survey.unusable.push(Unusable { shown: source.shown.clone(), problem });
            }
        }
    }
    Ok(survey)
}

fn same_name(source: &Source, first: &str) -> Problem {
    let why = format!("{} has the same name, or one that many systems take for it", format::name(first));
    let help = "rename one: a sprite's name is its path without the extension";
    Problem::bad_input(ProblemKind::SharedSpriteName, &source.shown, why, help)
}

/// Why an image fits on no page that devices support.
fn too_large(picture: &Picture) -> Option<Problem> {
    let (largest, most) = (picture.largest(), LARGEST_PAGE - 2 * spacing().extrude);
    let why =
        format!("{largest} pixels are more than the {most} a side that fit on the largest page that devices support");
    let problem = || Problem::bad_input(ProblemKind::ImageTooLarge, &picture.shown, why, "make it smaller");
    (largest.w.max(largest.h) > most).then(problem)
}

/// An image; `None` if a build or another command drew it.
fn look(source: &Source, allowance: &Allowance) -> Result<Option<Picture>, Problem> {
    let (mut first, mut boxes) = (None, Vec::new());
    let decoded = load::decode_sprites(source, allowance, &mut |frame| {
        boxes.push(FrameBox::of(&frame.pixels));
        first.get_or_insert_with(|| {
            let opaque = frame.pixels.as_bytes().chunks_exact(4).all(|pixel| pixel[3] == 255);
            (frame.pixels.size(), opaque, Traits::of(&frame.pixels).style())
        });
    })?;
    let (Some(_), Some((size, opaque, style))) = (decoded, first) else { return Ok(None) };
    let picture = Picture { name: source.name.clone(), shown: source.shown.clone(), size, boxes, opaque, style };
    too_large(&picture).map_or(Ok(Some(picture)), Err)
}
