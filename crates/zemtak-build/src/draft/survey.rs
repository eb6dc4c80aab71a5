//! What is there: every image with what decides about atlases and filters.

use crate::context::check;
use crate::failure::{Failure, Problem};
use crate::load;
use crate::observer::{Observer, Phase, Progress};
use crate::sources::{self, Source, SourceSearch};
use rayon::prelude::*;
use std::path::Path;
use zemtak_core::codec::DecodedFrames;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::SpriteName;
use zemtak_core::style::{Style, Traits};

/// An image that can be used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Its name below the folder.
    pub name: SpriteName,
    /// How many frames it has: one for a still picture.
    pub frames: usize,
    /// The canvas.
    pub size: Size,
    /// The pixels of the visible boxes of all frames together.
    pub area: u64,
    /// The larger sides of these boxes.
    pub largest: Size,
    /// Whether no pixel is transparent.
    pub opaque: bool,
    /// The kind of art, where that can be told.
    pub style: Option<Style>,
}

/// All images of a folder.
#[derive(Debug, Clone, Default)]
pub struct Survey {
    /// Those that can be used, sorted by name.
    pub pictures: Vec<Picture>,
    /// What a build will refuse.
    pub refused: Vec<Problem>,
    /// Files that are no images.
    pub skipped: usize,
}

/// Looks at every image below a folder but those in `leave_out`.
///
/// # Errors
/// The folder cannot be looked through, or the user stopped it.
pub fn survey(folder: &Path, leave_out: &Path, observer: &dyn Observer) -> Result<Survey, Failure> {
    let search = SourceSearch {
        paths: vec![folder.to_owned()],
        root: Some(folder.to_owned()),
        leave_out: Some(leave_out.to_owned()),
    };
    let found = sources::find(&search)?.select(None, &[]);
    let progress = Progress::begin(observer, Phase::Surveying, Some(found.files.len()));
    let looked: Vec<_> = found
        .files
        .par_iter()
        .map(|source| {
            let picture = if observer.cancelled() { None } else { Some(look(source)) };
            progress.advance();
            picture
        })
        .collect();
    check(observer)?;
    let mut survey = Survey { skipped: found.skipped, ..Survey::default() };
    let mut problems = found.problems;
    for picture in looked.into_iter().flatten() {
        match picture {
            Ok(picture) => survey.pictures.push(picture),
            Err(problem) => problems.push(problem),
        }
    }
    survey.refused = problems;
    Ok(survey)
}

fn look(source: &Source) -> Result<Picture, Problem> {
    let DecodedFrames { frames, .. } = load::decode_source(source)?;
    let boxes: Vec<Size> = frames.iter().map(|f| f.pixels.visible_box(1).map_or(Size::new(1, 1), Rect::size)).collect();
    let first = &frames[0].pixels;
    Ok(Picture {
        name: source.name.clone(),
        frames: frames.len(),
        size: first.size(),
        area: boxes.iter().map(|b| b.area()).sum(),
        largest: boxes.iter().fold(Size::default(), |most, b| Size::new(most.w.max(b.w), most.h.max(b.h))),
        opaque: first.as_bytes().chunks_exact(4).all(|pixel| pixel[3] == 255),
        style: Traits::of(first).style(),
    })
}
