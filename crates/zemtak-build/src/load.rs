//! Images to sprites: read, decoded and treated on all cores, or remembered from an earlier build.

mod decode;
mod facts;
mod frames;
mod layers;
mod shared;

pub(crate) use decode::decode_sprites;
pub use decode::{decode_source, hush_codec_panics};
pub use facts::Facts;

use facts::{FACTS_VERSION, Known};
use frames::Frames;
pub(crate) use frames::Stored;
use layers::{DecodedLayer, Whole, whole_hash};

use crate::allowance::{Allowance, KeptFile};
use crate::content::{self, Content};
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::former::Former;
use crate::observer::Phase;
use crate::settings::AtlasSettings;
use crate::settings::rule::Rules;
use crate::sources::{Source, SourceLayer, frame_name};
use crate::store::{Hash, Key};
use crate::timings::{Stage, Stopwatch};
use crate::work::{ImagesWork, Origins};
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use zemtak_core::codec::{DECODE_VERSION, Frame, Ignored};
use zemtak_core::name::SpriteName;
use zemtak_core::prepare::{LayerPixels, Prepared, TREATMENT_VERSION, Treatment};

/// A sprite: what is known about it, and its pixels once somebody needs them.
#[derive(Debug)]
pub struct Sprite<'a> {
    /// Its name.
    pub name: SpriteName,
    /// What is known about it.
    pub facts: Facts,
    source: &'a Source,
    content: Hash,
    frame: usize,
    treatment: Treatment,
    frames: Arc<Frames<'a>>,
}

/// All sprites of an atlas, sorted by name, and what else was noticed about their files.
#[derive(Debug, Default)]
pub struct Loaded<'a> {
    /// The sprites.
    pub sprites: Vec<Sprite<'a>>,
    /// What was ignored, and in which files.
    pub ignored: Vec<(Ignored, String)>,
}

/// How sprites are treated: all alike, except as rules say.
#[derive(Debug, Clone, Copy)]
pub struct Recipe<'a> {
    /// For all.
    pub treatment: Treatment,
    /// For some.
    pub rules: &'a Rules,
}

impl<'a> Recipe<'a> {
    /// The recipe of an atlas.
    pub fn of(settings: &'a AtlasSettings) -> Self {
        Self { treatment: settings.treatment, rules: &settings.rules }
    }

    /// The treatment of an image. One that repeats is stored whole, because its edges are its page's edges.
    fn for_image(&self, name: &SpriteName) -> Treatment {
        let repeats = self.rules.repeats(name) || self.rules.repeats(&frame_name(name, 0));
        Treatment { trim: self.treatment.trim && !repeats, ..self.treatment }
    }
}

/// The content of a source: its hash, and its bytes if the file had to be read for that.
#[derive(Debug)]
pub struct Looked {
    /// The hash of the file.
    own: Hash,
    /// The hash of the file and all its layers.
    pub hash: Hash,
    /// Whether it is a picture that a build drew.
    pub is_result: bool,
    /// The bytes, until somebody takes them; `None` if there was no memory to keep them.
    bytes: Mutex<Option<KeptFile>>,
}

/// Looks at each source's content.
///
/// # Errors
/// An interruption, and any source that cannot be read.
pub fn contents<'a>(sources: &[Source], context: Context<'a>) -> Result<Vec<Result<Looked, Problem>>, Failure> {
    let look_at = |source: &Source| {
        if let Some((hash, is_result)) = context.journal.known(&source.path) {
            return Ok(Looked { own: hash, hash, is_result, bytes: Mutex::default() });
        }
        let looked = context.timings.time(Stage::Read, || content::look(&source.path, context.files()));
        let looked = looked.map_err(|e| Problem::io(&format::path(&source.path), &e))?;
        let looked = match looked {
            content::Looked::Known(hash, is_result) => Looked { own: hash, hash, is_result, bytes: Mutex::default() },
            content::Looked::Read(content) => {
                let (is_result, Content { bytes, hash }) = (content.is_result(), content);
                Looked { own: hash, hash, is_result, bytes: Mutex::new(context.allowance.keep_file(bytes)) }
            }
        };
        context.journal.learn(&source.path, looked.own, looked.is_result);
        Ok(looked)
    };
    let look = |source: &Source| {
        let own: Looked = look_at(source)?;
        let image = |layer: &SourceLayer| layer.image.as_ref().map(|image| Ok(look_at(image)?.hash)).transpose();
        let layers: Vec<Option<Hash>> = source.layers.iter().map(image).collect::<Result<_, Problem>>()?;
        Ok(Looked { hash: whole_hash(source, own.own, &layers), ..own })
    };
    let looked = sources.par_iter().map(look).collect();
    context.check()?;
    Ok(looked)
}

impl Looked {
    /// The content, read now unless it is still in memory.
    fn take(&self, source: &Source, context: Context<'_>) -> Result<Content, Problem> {
        let bytes = self.bytes.lock().unwrap_or_else(PoisonError::into_inner).take();
        match bytes {
            Some(kept) => Ok(Content { bytes: kept.take(), hash: self.own }),
            None => read(source, context),
        }
    }
}

/// Loads all sprites of an atlas, once for each recipe. Images that the store knows are not read; the others are
/// decoded once, however many recipes there are.
///
/// # Errors
/// All files that cannot be read or decoded.
pub fn load<'a>(
    sources: &[&'a Source],
    contents: &[Looked],
    recipes: &[Recipe<'_>],
    context: Context<'a>,
) -> Result<(Vec<Loaded<'a>>, ImagesWork), Failure> {
    let progress = context.progress(Phase::Reading, Some(sources.len()));
    let asked = shared::fetch(sources, contents, recipes, context);
    let results: Vec<Result<FileImages<'a>, Problem>> = sources
        .par_iter()
        .zip(contents)
        .map(|(&source, content)| {
            let images =
                if context.cancelled() { Ok(FileImages::default()) } else { images(source, content, recipes, context) };
            progress.advance();
            images
        })
        .collect();
    context.check()?;
    let work = work_of(&results, &asked, recipes.len(), context);
    let mut loaded: Vec<Loaded<'a>> = recipes.iter().map(|_| Loaded::default()).collect();
    let mut problems = Vec::new();
    for images in results {
        match images {
            Ok(FileImages { images, .. }) => {
                for (loaded, image) in loaded.iter_mut().zip(images) {
                    loaded.sprites.extend(image.sprites);
                    loaded.ignored.extend(image.ignored);
                }
            }
            Err(problem) => problems.push(problem),
        }
    }
    for of_recipe in &mut loaded {
        of_recipe.sprites.sort_by(|a, b| a.name.cmp(&b.name));
    }
    // The names are the same for every recipe.
    let names = loaded.first().map_or(&[][..], |first| &first.sprites);
    let clashes = names.windows(2).filter(|pair| pair[0].name == pair[1].name);
    problems.extend(clashes.map(|pair| frame_clash(&pair[0], &pair[1])));
    Failure::unless(problems, (loaded, work))
}

/// How much work the images were, and where knowledge of them came from; shares what nobody knew.
fn work_of(
    results: &[Result<FileImages<'_>, Problem>],
    asked: &shared::Asked,
    ways: usize,
    context: Context<'_>,
) -> ImagesWork {
    let ways = u32::try_from(ways.max(1)).unwrap_or(u32::MAX);
    let made_in = |result: &Result<FileImages<'_>, Problem>| result.as_ref().ok()?.made_in;
    let each: Vec<Duration> = results.iter().map(|result| made_in(result).unwrap_or_default() / ways).collect();
    asked.share(&each, context);
    let made = results.iter().filter(|result| made_in(result).is_some()).count() as u64;
    let all = results.len() as u64;
    let fetched = asked.fetched.min(all - made);
    let images = Origins { here: all - made - fetched, fetched, made };
    ImagesWork { images, made_in: [results.iter().filter_map(made_in).sum(), asked.made_in] }
}

fn frame_clash(a: &Sprite<'_>, b: &Sprite<'_>) -> Problem {
    let why = format!("{}, {}", format::path(&a.source.path), format::path(&b.source.path));
    let help = "rename one: frames of an animated picture are named by its path and their number";
    Problem::bad_input(ProblemKind::SharedSpriteName, a.name.as_str(), why, help)
}

/// The sprites of one file.
#[derive(Debug, Default)]
struct Image<'a> {
    sprites: Vec<Sprite<'a>>,
    ignored: Vec<(Ignored, String)>,
}

/// The sprites of one file for each recipe.
#[derive(Debug, Default)]
struct FileImages<'a> {
    images: Vec<Image<'a>>,
    /// How long it took to find out what they are, unless that was known.
    made_in: Option<Duration>,
}

/// The key under which knowledge of an image is kept.
fn image_key(source: &Source, content: &Hash, treatment: Treatment) -> Hash {
    let extension = source.path.extension().unwrap_or_default();
    Key::new("image facts", &[FACTS_VERSION, DECODE_VERSION, TREATMENT_VERSION])
        .bytes(content)
        .value(&treatment)
        .bytes(extension.as_encoded_bytes())
        .finish()
}

/// The sprites of a file for each recipe.
fn images<'a>(
    source: &'a Source,
    looked: &Looked,
    recipes: &[Recipe<'_>],
    context: Context<'a>,
) -> Result<FileImages<'a>, Problem> {
    let key = |content: &Hash, treatment: Treatment| image_key(source, content, treatment);
    let known = |treatment: Treatment| Known::of_bytes(&context.store.get(&key(&looked.hash, treatment))?);
    let treatments: Vec<Treatment> = recipes.iter().map(|recipe| recipe.for_image(&source.name)).collect();
    let all_known: Option<Vec<Known>> = treatments.iter().map(|&treatment| known(treatment)).collect();
    if let Some(all) = all_known {
        let images = treatments.iter().zip(all);
        let image = |(&treatment, known)| {
            let image = ImageFile { source, content: looked.hash, treatment };
            image.sprites(known, Vec::new(), context.allowance)
        };
        return Ok(FileImages { images: images.map(image).collect(), made_in: None });
    }
    let started = Stopwatch::of_work();
    let (hash, treated) = decode_and_treat(source, &looked.take(source, context)?, &treatments, context)?;
    let images = treatments.into_iter().zip(treated).map(|(treatment, Treated { known, stored, .. })| {
        if let Some(bytes) = known.to_bytes() {
            context.store.put(key(&hash, treatment), bytes);
        }
        ImageFile { source, content: hash, treatment }.sprites(known, stored, context.allowance)
    });
    let images = images.collect();
    Ok(FileImages { images, made_in: Some(started.elapsed()) })
}

/// A file and how to treat it.
struct ImageFile<'a> {
    source: &'a Source,
    content: Hash,
    treatment: Treatment,
}

impl<'a> ImageFile<'a> {
    /// Its sprites, with the stored pixels of each frame that are in memory.
    fn sprites(self, known: Known, stored: Vec<Option<Stored>>, allowance: &'a Allowance) -> Image<'a> {
        let Self { source, content, treatment } = self;
        let frames = Arc::new(Frames::new(known.frames.len(), allowance));
        for (frame, stored) in stored.into_iter().enumerate() {
            stored.into_iter().for_each(|stored| frames.put(frame, stored, false));
        }
        let many = known.frames.len() > 1;
        let sprites = known.frames.iter().enumerate().map(|(frame, &facts)| Sprite {
            name: if many { frame_name(&source.name, frame) } else { source.name.clone() },
            facts,
            source,
            content,
            frame,
            treatment,
            frames: Arc::clone(&frames),
        });
        let sprites = sprites.collect();
        let ignored = known.ignored.into_iter().map(|what| (what, source.shown.clone())).collect();
        Image { sprites, ignored }
    }
}

/// The result of one treatment of a file.
#[derive(Debug)]
struct Treated {
    known: Known,
    /// The stored pixels of each frame; `None` if there was no memory to hold them.
    stored: Vec<Option<Stored>>,
    /// The bytes of it.
    held: u64,
}

impl Treated {
    /// Adds a frame. A long animation is not held as a whole, but decoded again for its pages.
    fn add(&mut self, facts: Facts, stored: Stored, most: u64) {
        let bytes = stored.bytes();
        let holds = self.stored.is_empty() || self.held + bytes <= most;
        self.held += if holds { bytes } else { 0 };
        self.known.frames.push(facts);
        self.stored.push(Some(stored).filter(|_| holds));
    }
}

/// Decodes a file and its layers, and treats each frame in all ways as soon as it is decoded. Returns the hash of what
/// was decoded.
fn decode_and_treat(
    source: &Source,
    content: &Content,
    treatments: &[Treatment],
    context: Context<'_>,
) -> Result<(Hash, Vec<Treated>), Problem> {
    let nothing = || Treated { known: Known { frames: Vec::new(), ignored: Vec::new() }, stored: Vec::new(), held: 0 };
    let mut all: Vec<Treated> = treatments.iter().map(|_| nothing()).collect();
    let (hash, ignored) = Whole { source, content }.each_frame(context, &mut |number, frame, layers| {
        let mut decoded = Some(frame);
        for (at, (treated, &treatment)) in all.iter_mut().zip(treatments).enumerate() {
            // The last treatment may take the decoded pixels themselves.
            let frame = if at + 1 < treatments.len() { decoded.clone() } else { decoded.take() };
            let Some(frame) = frame else { break };
            let layers = layers.iter().map(|layer| layer.of_frame(number, &frame.pixels)).collect();
            let (facts, stored) = treat(frame, layers, treatment, context);
            treated.add(facts, stored, context.allowance.of_a_file());
        }
    })?;
    all.iter_mut().for_each(|treated| treated.known.ignored.clone_from(&ignored));
    Ok((hash, all))
}

fn treat(frame: Frame, layers: Vec<LayerPixels>, treatment: Treatment, context: Context<'_>) -> (Facts, Stored) {
    let source = frame.pixels.size();
    let trim = || Prepared::with_layers(frame.pixels, layers, treatment);
    let (prepared, layers) = context.timings.time(Stage::Trim, trim);
    let Prepared { canvas, inset, stored: own, empty } = prepared;
    let stored = Stored { own, layers };
    let hash = context.timings.time(Stage::Hash, || stored.hash());
    (Facts { source, canvas, inset, stored: stored.own.size(), hash, empty, ms: frame.ms }, stored)
}

/// Why a file's pixels are unavailable: what was remembered of it is wrong, or the file is bad.
#[derive(Debug)]
enum Missing {
    /// The file is no longer the one that was looked at.
    Stale,
    /// It cannot be read or decoded.
    Bad(Problem),
}

impl Sprite<'_> {
    /// Its stored pixels, if they are in memory: see [`fetch`].
    pub fn stored(&self) -> Option<Arc<Stored>> {
        self.frames.get(self.frame)
    }

    /// Drops its stored pixels, unless there was memory to keep them.
    pub fn forget(&self) {
        self.frames.forget(self.frame);
    }

    /// Its layers, by name.
    pub fn layers(&self) -> &[SourceLayer] {
        &self.source.layers
    }
}

/// Brings the stored pixels of sprites into memory: from memory, from a page of the previous build, or by decoding,
/// once for all sprites of a file.
///
/// # Errors
/// Files that cannot be read any more, or one that has changed.
pub fn fetch(sprites: &[&Sprite<'_>], former: &Former, context: Context<'_>) -> Result<(), NotDrawn> {
    let mut of_file: HashMap<*const Frames<'_>, Vec<&Sprite<'_>>> = HashMap::new();
    for sprite in sprites.iter().filter(|sprite| sprite.stored().is_none()) {
        of_file.entry(Arc::as_ptr(&sprite.frames)).or_default().push(sprite);
    }
    let mut files: Vec<Vec<&Sprite<'_>>> = of_file.into_values().collect();
    // Problems are reported in the order of names.
    files.sort_by(|a, b| a[0].name.cmp(&b[0].name));
    tracing::debug!(sprites = sprites.len(), files = files.len(), "pixels are needed");
    let fetched: Vec<Result<(), Missing>> = files
        .par_iter()
        .map(|of_file| if context.cancelled() { Ok(()) } else { fetch_file(of_file, former, context) })
        .collect();
    context.check()?;
    let mut problems = Vec::new();
    for missing in fetched.into_iter().filter_map(Result::err) {
        match missing {
            Missing::Stale => return Err(NotDrawn::Stale),
            Missing::Bad(problem) => problems.push(problem),
        }
    }
    Ok(Failure::unless(problems, ())?)
}

/// Brings the stored pixels of some sprites of one file into memory.
fn fetch_file(sprites: &[&Sprite<'_>], former: &Former, context: Context<'_>) -> Result<(), Missing> {
    let mut left = Vec::new();
    for &sprite in sprites {
        let Facts { hash, stored, .. } = sprite.facts;
        // The hash of a sprite with layers covers all of them, which no single page shows.
        let on_page = if sprite.source.layers.is_empty() { former.pixels(&hash, stored, context) } else { None };
        match on_page {
            Some(own) => sprite.frames.put(sprite.frame, Stored { own, layers: Vec::new() }, true),
            None => left.push(sprite),
        }
    }
    let Some(first) = left.first() else { return Ok(()) };
    let content = read(first.source, context).map_err(Missing::Bad)?;
    let (mut number, mut as_known) = (0, true);
    let mut take = |at: usize, frame: Frame, layers: &[DecodedLayer]| {
        let layers = layers.iter().map(|layer| layer.of_frame(at, &frame.pixels)).collect();
        if let Some(sprite) = left.iter().find(|sprite| sprite.frame == at) {
            let (facts, stored) = treat(frame, layers, sprite.treatment, context);
            as_known &= facts == sprite.facts;
            sprite.frames.put(at, stored, true);
        }
        number = at + 1;
    };
    let whole = Whole { source: first.source, content: &content };
    let (hash, _) = whole.each_frame(context, &mut take).map_err(Missing::Bad)?;
    let all_there = left.iter().all(|sprite| sprite.frame < number);
    if hash == first.content && as_known && all_there { Ok(()) } else { Err(Missing::Stale) }
}

/// Why something could not be drawn.
#[derive(Debug)]
pub enum NotDrawn {
    /// A source has just changed, or the store was wrong about it.
    Stale,
    /// Anything else.
    Failed(Failure),
}

impl From<Failure> for NotDrawn {
    fn from(failure: Failure) -> Self {
        Self::Failed(failure)
    }
}

fn read(source: &Source, context: Context<'_>) -> Result<Content, Problem> {
    let content = context.timings.time(Stage::Read, || content::read(&source.path, context.files()));
    content.map_err(|e| Problem::io(&format::path(&source.path), &e))
}
