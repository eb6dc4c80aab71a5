//! `zemtak verify`: proves an atlas against its own promises and against its sources.

use crate::answer::{Answer, Manner};
use crate::exit::Exit;
use crate::failure::{Failure, Problem};
use crate::progress::Progress;
use crate::settings::Word;
use crate::sources::{self, Search, Source};
use crate::{descriptor, interrupt, load, show, store};
use rayon::prelude::*;
use serde_json::{Value, json};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Atlas, Sprite};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::resample::{Resample, Scale, resample};
use zemtak_core::verify;
use zemtak_runtime::{AtlasFile, HashCheck, OpenError};

/// What to prove.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The folder that the sprites' names are relative to.
    pub against: Option<PathBuf>,
}

/// What was looked at and what does not hold.
#[derive(Debug, Clone)]
pub struct Proof {
    descriptor: PathBuf,
    against: Option<PathBuf>,
    sprites: usize,
    pages: usize,
    not_in_atlas: usize,
    defects: Vec<String>,
    problems: Vec<Problem>,
}

/// Holds the descriptor, its pages and (where asked) its sources against each other.
///
/// # Errors
/// A descriptor that cannot be read or trusted. Everything else is part of the proof.
pub fn run(request: &Request, manner: Manner) -> Result<Proof, Failure> {
    let file = descriptor::open(&request.descriptor)?;
    let atlas = file.atlas();
    let mut proof = Proof {
        descriptor: request.descriptor.clone(),
        against: request.against.clone(),
        sprites: atlas.sprites.len(),
        pages: atlas.pages.len(),
        not_in_atlas: 0,
        defects: Vec::new(),
        problems: Vec::new(),
    };
    proof.defects.extend(file.unknown_keys().iter().map(|key| format!("unknown key {key}")));
    proof.defects.extend(verify::spacing(atlas).iter().map(ToString::to_string));
    let pages = read_pages(&file, &mut proof);
    let spaced = proof.defects.is_empty();
    for (index, page) in pages.iter().enumerate().filter(|_| spaced) {
        let defects = page.iter().flat_map(|pixels| verify::page(atlas, index, pixels));
        proof.defects.extend(defects.map(|d| d.to_string()));
    }
    if let Some(root) = &request.against {
        let sources = find(root, &request.descriptor)?;
        against(atlas, &pages, sources, &mut proof, manner)?;
    }
    Ok(proof)
}

/// The pages that are whole; what is wrong with the others goes into the proof.
fn read_pages(file: &AtlasFile, proof: &mut Proof) -> Vec<Option<Pixels>> {
    let count = file.atlas().pages.len();
    let read: Vec<Result<Pixels, OpenError>> =
        (0..count).into_par_iter().map(|i| file.read_page(i, HashCheck::Yes)).collect();
    let mut pages = Vec::with_capacity(count);
    for page in read {
        match page {
            Ok(pixels) => pages.push(Some(pixels)),
            Err(error) => {
                match &error {
                    OpenError::Io { path, source } if source.kind() != io::ErrorKind::NotFound => {
                        proof.problems.push(Problem::io(&show::path(path), source));
                    }
                    OpenError::Io { path, .. } => proof.defects.push(format!("{} is missing", show::path(path))),
                    OpenError::Page { path, source } => {
                        proof.defects.push(format!("{}: {source}", show::path(path)));
                    }
                    other => proof.defects.push(other.to_string()),
                }
                pages.push(None);
            }
        }
    }
    pages
}

fn find(root: &Path, descriptor: &Path) -> Result<Vec<Source>, Failure> {
    // Pages in a folder below the root are no sources.
    let beside = descriptor.parent().map(|p| if p.as_os_str().is_empty() { Path::new(".") } else { p });
    let search =
        Search { paths: vec![root.to_owned()], root: Some(root.to_owned()), leave_out: beside.map(Path::to_owned) };
    let found = sources::find(&search)?.select(None, &[]);
    Failure::unless(found.problems, found.files)
}

/// Rebuilds every sprite and holds it against its source.
fn against(
    atlas: &Atlas,
    pages: &[Option<Pixels>],
    sources: Vec<Source>,
    proof: &mut Proof,
    manner: Manner,
) -> Result<(), Failure> {
    let by_name: BTreeMap<SpriteName, Source> = sources.into_iter().map(|s| (s.name.clone(), s)).collect();
    // A file is decoded once, however many of its frames are sprites.
    let mut of_source: BTreeMap<&SpriteName, (&Source, Vec<Pair<'_>>)> = BTreeMap::new();
    for (name, sprite) in &atlas.sprites {
        match (source_of(name, &by_name), &pages[sprite.page]) {
            (None, _) => proof.defects.push(format!("{name}: there is no source of that name")),
            (Some((source, frame)), page) => {
                let pairs = &mut of_source.entry(&source.name).or_insert_with(|| (source, Vec::new())).1;
                pairs.extend(page.as_ref().map(|page| Pair { name, sprite, page, frame }));
            }
        }
    }
    proof.not_in_atlas = by_name.len() - of_source.len();
    let of_source: Vec<(&Source, Vec<Pair<'_>>)> = of_source.into_values().collect();
    let progress = Progress::new("comparing", of_source.len(), manner);
    let results: Vec<Result<Vec<String>, Problem>> = of_source
        .par_iter()
        .map(|(source, pairs)| {
            progress.step();
            if interrupt::asked() { Ok(Vec::new()) } else { compare(atlas, source, pairs) }
        })
        .collect();
    interrupt::check()?;
    for result in results {
        match result {
            Ok(defects) => proof.defects.extend(defects),
            Err(problem) => proof.problems.push(problem),
        }
    }
    Ok(())
}

/// A sprite on its page, and which frame of its source it is.
struct Pair<'a> {
    name: &'a SpriteName,
    sprite: &'a Sprite,
    page: &'a Pixels,
    frame: usize,
}

/// The source of a sprite: the image of its name, or the frame of the animated image that its name continues.
fn source_of<'s>(name: &SpriteName, by_name: &'s BTreeMap<SpriteName, Source>) -> Option<(&'s Source, usize)> {
    if let Some(source) = by_name.get(name) {
        return Some((source, 0));
    }
    let (image, frame) = name.as_str().rsplit_once('/')?;
    Some((by_name.get(&SpriteName::new(image))?, frame.parse().ok()?))
}

fn compare(atlas: &Atlas, source: &Source, pairs: &[Pair<'_>]) -> Result<Vec<String>, Problem> {
    if pairs.is_empty() {
        return Ok(Vec::new());
    }
    let decoded = load::decode_source(source, &store::Nothing)?;
    let scale = scale_of(atlas);
    let mut defects = Vec::new();
    for &Pair { name, sprite, page, frame } in pairs {
        let Some(frame) = decoded.frames.get(frame) else {
            defects.push(format!("{name}: {} has fewer frames", source.shown));
            continue;
        };
        let expected = scale.map_or_else(|| Cow::Borrowed(&frame.pixels), |s| Cow::Owned(resample(&frame.pixels, s)));
        defects.extend(verify::sprite(atlas, name, sprite, page, &expected).iter().map(ToString::to_string));
    }
    Ok(defects)
}

/// How the atlas's sprites were scaled.
fn scale_of(atlas: &Atlas) -> Option<Scale> {
    let resample = Resample::of(atlas.built.resample.as_deref()?)?;
    Some(Scale { factor: atlas.scale.to_string().parse().ok()?, resample })
}

impl Answer for Proof {
    fn text(&self, verbose: bool) -> String {
        let mut out = String::new();
        let sprites = show::count(self.sprites, "sprite", "sprites");
        let pages = show::count(self.pages, "page", "pages");
        let descriptor = show::name(&show::path(&self.descriptor));
        if self.exit() == Exit::Done {
            let _ = writeln!(out, "{descriptor}: {sprites} on {pages}, all as promised");
            let _ = writeln!(out, "  files, sizes, hashes, numbers, gutters and rings are as the descriptor says");
        } else {
            let count = show::count(self.defects.len(), "defect", "defects");
            let _ = writeln!(out, "{descriptor}: {sprites} on {pages}, {count}");
            let most = if verbose { usize::MAX } else { 50 };
            for defect in self.defects.iter().take(most) {
                let _ = writeln!(out, "  {}", show::name(defect));
            }
            if self.defects.len() > most {
                let more = show::number((self.defects.len() - most) as u64);
                let _ = writeln!(out, "  and {more} more (-v lists them)");
            }
        }
        if let Some(root) = &self.against {
            let root = show::name(&show::path(root));
            if self.exit() == Exit::Done {
                let _ =
                    writeln!(out, "  every pixel of every sprite, put back on its canvas, equals its source in {root}");
            }
            if self.not_in_atlas > 0 {
                let images = show::count(self.not_in_atlas, "image is", "images are");
                let _ = writeln!(out, "  {images} below {root} but not in this atlas");
            }
        }
        if !self.problems.is_empty() {
            out.push_str(&Failure::all(self.problems.clone()).text());
        }
        out
    }

    fn json(&self) -> Value {
        json!({
            "descriptor": show::path(&self.descriptor),
            "against": self.against.as_deref().map(show::path),
            "holds": self.exit() == Exit::Done,
            "sprites": self.sprites,
            "pages": self.pages,
            "images_not_in_atlas": self.not_in_atlas,
            "defects": self.defects,
            "errors": self.problems,
        })
    }

    fn exit(&self) -> Exit {
        let found = if self.defects.is_empty() { Exit::Done } else { Exit::Found };
        self.problems.iter().map(|p| p.exit).max().unwrap_or(found).max(found)
    }
}
