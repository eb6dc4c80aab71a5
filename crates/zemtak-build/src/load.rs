//! Images to sprites: read, decoded and treated on all cores, or remembered from an earlier build.

mod layers;

use layers::{Whole, whole_hash};

use crate::content::{self, Content};
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::former::Former;
use crate::observer::Phase;
use crate::settings::AtlasSettings;
use crate::settings::rule::Rules;
use crate::sources::{Source, SourceLayer, frame_name};
use crate::store::{self, Hash, Key};
use crate::timings::Stage;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use zemtak_core::codec::{DECODE_VERSION, DecodeError, DecodedFrames, Format, Ignored, Limits, decode_frames};
use zemtak_core::geometry::Size;
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::{Prepared, TREATMENT_VERSION, Treatment};

/// What is known of a treated sprite without its pixels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    /// The source's size.
    pub source: Size,
    /// The canvas's size: the source's, scaled.
    pub canvas: Size,
    /// Where the stored pixels begin on the canvas.
    pub inset: [u32; 2],
    /// The size of what is stored.
    pub stored: Size,
    /// A hash of what is stored.
    pub hash: Hash,
    /// Whether no pixel is visible.
    pub empty: bool,
    /// How long the frame of an animated picture is shown.
    pub ms: Option<f64>,
}

/// What is known of an image file.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Known {
    /// Its frames; one for a still picture.
    frames: Vec<Facts>,
    /// What it carries that was left out of account.
    ignored: Vec<Ignored>,
}

/// A sprite: what is known of it, and its pixels as soon as somebody needs them.
#[derive(Debug)]
pub struct Sprite<'a> {
    /// Its name.
    pub name: SpriteName,
    /// What is known of it.
    pub facts: Facts,
    source: &'a Source,
    content: Hash,
    frame: usize,
    treatment: Treatment,
    frames: Arc<Frames>,
}

/// The stored pixels of all sprites of one file, as far as they are at hand. A file is decoded for all of them at once.
#[derive(Debug)]
struct Frames {
    pixels: Vec<OnceLock<Stored>>,
    /// Held by whoever decodes the file.
    decoding: Mutex<()>,
}

/// What is stored of a sprite: its own pixels, and those of its layers in their order.
#[derive(Debug)]
struct Stored {
    own: Pixels,
    layers: Vec<Pixels>,
}

impl Frames {
    fn new(count: usize, mut pixels: impl Iterator<Item = Stored>) -> Self {
        let pixels = (0..count).map(|_| pixels.next().map_or_else(OnceLock::new, OnceLock::from)).collect();
        Self { pixels, decoding: Mutex::new(()) }
    }
}

/// All sprites of an atlas, sorted by name, and what else was noticed of their files.
#[derive(Debug, Default)]
pub struct Loaded<'a> {
    /// The sprites.
    pub sprites: Vec<Sprite<'a>>,
    /// What was left out of account: what it is, and of which files.
    pub ignored: Vec<(Ignored, String)>,
}

/// How sprites are treated: all alike but for what rules say.
#[derive(Debug, Clone, Copy)]
pub struct Recipe<'a> {
    /// For all.
    pub treatment: Treatment,
    /// For some.
    pub rules: &'a Rules,
}

impl<'a> Recipe<'a> {
    /// That of an atlas.
    pub fn of(settings: &'a AtlasSettings) -> Self {
        Self { treatment: settings.treatment, rules: &settings.rules }
    }

    /// The treatment of an image. One that repeats is stored whole, since its page's edges are its own.
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
    /// The hash of the file and of all its layers.
    pub hash: Hash,
    /// Whether it is a picture that a build drew.
    pub is_result: bool,
    /// The bytes, until somebody takes them.
    bytes: Mutex<Option<Vec<u8>>>,
}

/// Looks at each source's content.
///
/// # Errors
/// An interruption; for each source also that it cannot be read.
pub fn contents(sources: &[Source], context: Context<'_>) -> Result<Vec<Result<Looked, Problem>>, Failure> {
    let look_at = |source: &Source| {
        let looked = context.timings.time(Stage::Read, || content::look(&source.path, context.store));
        let looked = looked.map_err(|e| Problem::io(&format::path(&source.path), &e))?;
        Ok(match looked {
            content::Looked::Known(hash, is_result) => Looked { own: hash, hash, is_result, bytes: Mutex::default() },
            content::Looked::Read(content) => {
                let (is_result, Content { bytes, hash }) = (content.is_result(), content);
                Looked { own: hash, hash, is_result, bytes: Mutex::new(Some(bytes)) }
            }
        })
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
    /// The content, read now unless it is still there from looking.
    fn take(&self, source: &Source, context: Context<'_>) -> Result<Content, Problem> {
        let bytes = self.bytes.lock().unwrap_or_else(PoisonError::into_inner).take();
        match bytes {
            Some(bytes) => Ok(Content { bytes, hash: self.own }),
            None => read(source, context),
        }
    }
}

/// Loads all sprites of an atlas, once for each recipe. Images that the store knows are not read, the others are decoded
/// once, however many recipes there are.
///
/// # Errors
/// All files that cannot be read or decoded.
pub fn load<'a>(
    sources: &[&'a Source],
    contents: &[Looked],
    recipes: &[Recipe<'_>],
    context: Context<'_>,
) -> Result<Vec<Loaded<'a>>, Failure> {
    let progress = context.progress(Phase::Reading, Some(sources.len()));
    let results: Vec<Result<Vec<Image<'a>>, Problem>> = sources
        .par_iter()
        .zip(contents)
        .map(|(&source, content)| {
            let images = if context.cancelled() { Ok(Vec::new()) } else { images(source, content, recipes, context) };
            progress.advance();
            images
        })
        .collect();
    context.check()?;
    let mut loaded: Vec<Loaded<'a>> = recipes.iter().map(|_| Loaded::default()).collect();
    let mut problems = Vec::new();
    for images in results {
        match images {
            Ok(images) => {
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
    // The names are the same whatever the recipe.
    let names = loaded.first().map_or(&[][..], |first| &first.sprites);
    let clashes = names.windows(2).filter(|pair| pair[0].name == pair[1].name);
    problems.extend(clashes.map(|pair| frame_clash(&pair[0], &pair[1])));
    Failure::unless(problems, loaded)
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

/// The sprites of a file for each recipe.
fn images<'a>(
    source: &'a Source,
    looked: &Looked,
    recipes: &[Recipe<'_>],
    context: Context<'_>,
) -> Result<Vec<Image<'a>>, Problem> {
    let key = |content: &Hash, treatment: Treatment| {
        let extension = source.path.extension().unwrap_or_default();
        Key::new("image", &[DECODE_VERSION, TREATMENT_VERSION])
            .bytes(content)
            .value(&treatment)
            .bytes(extension.as_encoded_bytes())
            .finish()
    };
    let known = |treatment: Treatment| {
        let known: Known = serde_json::from_slice(&context.store.get(&key(&looked.hash, treatment))?).ok()?;
        (!known.frames.is_empty()).then_some(known)
    };
    let treatments: Vec<Treatment> = recipes.iter().map(|recipe| recipe.for_image(&source.name)).collect();
    let all_known: Option<Vec<Known>> = treatments.iter().map(|&treatment| known(treatment)).collect();
    if let Some(all) = all_known {
        let images = treatments.iter().zip(all);
        return Ok(images
            .map(|(&treatment, known)| image(source, looked.hash, treatment, known, Vec::new()))
            .collect());
    }
    let whole = Whole::decode(source, &looked.take(source, context)?, context)?;
    let hash = whole.hash;
    let mut decoded = Some(whole);
    let mut images = Vec::with_capacity(recipes.len());
    for (i, &treatment) in treatments.iter().enumerate() {
        // The last one may have the decoded pixels themselves.
        let decoded = if i + 1 < treatments.len() { decoded.clone() } else { decoded.take() };
        let Some(decoded) = decoded else { break };
        let (known, pixels) = treat(decoded, treatment, context);
        if let Ok(bytes) = serde_json::to_vec(&known) {
            context.store.put(key(&hash, treatment), bytes);
        }
        images.push(image(source, hash, treatment, known, pixels));
    }
    Ok(images)
}

fn image(source: &Source, content: Hash, treatment: Treatment, known: Known, pixels: Vec<Stored>) -> Image<'_> {
    let frames = Arc::new(Frames::new(known.frames.len(), pixels.into_iter()));
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

fn treat(whole: Whole, treatment: Treatment, context: Context<'_>) -> (Known, Vec<Stored>) {
    let Whole { decoded, layers, .. } = whole;
    let treated = decoded.frames.into_iter().enumerate().map(|(number, frame)| {
        let source = frame.pixels.size();
        let of_frame = layers.iter().map(|layer| layer.of_frame(number, &frame.pixels)).collect();
        let trim = || Prepared::with_layers(frame.pixels, of_frame, treatment);
        let (prepared, layers) = context.timings.time(Stage::Trim, trim);
        let Prepared { canvas, inset, stored: own, empty } = prepared;
        let stored = Stored { own, layers };
        let hash = context.timings.time(Stage::Hash, || stored.hash());
        (Facts { source, canvas, inset, stored: stored.own.size(), hash, empty, ms: frame.ms }, stored)
    });
    let (frames, pixels) = treated.unzip();
    let ignored = decoded.ignored.into_iter().collect();
    (Known { frames, ignored }, pixels)
}

/// Why pixels could not be had: what was remembered of a file does not hold, or the file is bad.
#[derive(Debug)]
pub enum Missing {
    /// The file is no longer the one that was looked at.
    Stale,
    /// It cannot be read or decoded.
    Bad(Problem),
}

impl Sprite<'_> {
    /// The pixels that are stored of it: those at hand, those on a page of the former build, or decoded now.
    ///
    /// # Errors
    /// The file cannot be read any more, or has changed.
    pub fn pixels(&self, former: &Former, context: Context<'_>) -> Result<&Pixels, Missing> {
        let place = &self.frames.pixels[self.frame];
        if let Some(stored) = place.get() {
            return Ok(&stored.own);
        }
        // The hash of a sprite with layers is of all of them, which no page shows alone.
        if self.source.layers.is_empty()
            && let Some(own) = former.pixels(&self.facts.hash, self.facts.stored, context)
        {
            return Ok(&place.get_or_init(|| Stored { own, layers: Vec::new() }).own);
        }
        Ok(&self.stored(context)?.own)
    }

    /// The layers that it has, by name.
    pub fn layers(&self) -> &[SourceLayer] {
        &self.source.layers
    }

    /// The pixels that are stored of one of its layers.
    ///
    /// # Errors
    /// As [`Sprite::pixels`].
    pub fn layer(&self, number: usize, context: Context<'_>) -> Result<&Pixels, Missing> {
        self.stored(context)?.layers.get(number).ok_or(Missing::Stale)
    }

    /// All that is stored of it, decoded now unless it is at hand.
    fn stored(&self, context: Context<'_>) -> Result<&Stored, Missing> {
        let own = &self.frames.pixels[self.frame];
        if let Some(stored) = own.get() {
            return Ok(stored);
        }
        let _alone = self.frames.decoding.lock().unwrap_or_else(PoisonError::into_inner);
        if own.get().is_none() {
            self.decode_all(context)?;
        }
        own.get().ok_or(Missing::Stale)
    }

    /// Decodes the file for all sprites of it.
    fn decode_all(&self, context: Context<'_>) -> Result<(), Missing> {
        let content = read(self.source, context).map_err(Missing::Bad)?;
        let whole = Whole::decode(self.source, &content, context).map_err(Missing::Bad)?;
        let hash = whole.hash;
        let (known, pixels) = treat(whole, self.treatment, context);
        if hash != self.content || known.frames.get(self.frame) != Some(&self.facts) {
            return Err(Missing::Stale);
        }
        for (place, pixels) in self.frames.pixels.iter().zip(pixels) {
            place.get_or_init(|| pixels);
        }
        Ok(())
    }
}

fn read(source: &Source, context: Context<'_>) -> Result<Content, Problem> {
    let content = context.timings.time(Stage::Read, || content::read(&source.path, context.store));
    content.map_err(|e| Problem::io(&format::path(&source.path), &e))
}

/// Reads and decodes all frames of an image.
///
/// # Errors
/// The file cannot be read, or is no image that can be used.
pub fn decode_source(source: &Source) -> Result<DecodedFrames, Problem> {
    decode_content(source, &read_source(source)?)
}

/// Reads and decodes all frames of an image, unless it is a picture that a build or another command drew.
///
/// # Errors
/// As [`decode_source`].
pub fn decode_sprite(source: &Source) -> Result<Option<DecodedFrames>, Problem> {
    Ok(decode_with_content(source)?.map(|(_, decoded)| decoded))
}

/// The same with the file's bytes.
///
/// # Errors
/// As [`decode_source`].
pub(crate) fn decode_with_content(source: &Source) -> Result<Option<(Vec<u8>, DecodedFrames)>, Problem> {
    let content = read_source(source)?;
    if content.is_result() {
        return Ok(None);
    }
    let decoded = decode_content(source, &content)?;
    Ok(Some((content.bytes, decoded)))
}

fn read_source(source: &Source) -> Result<Content, Problem> {
    content::read(&source.path, &store::Nothing).map_err(|error| Problem::io(&format::path(&source.path), &error))
}

fn decode_content(source: &Source, content: &Content) -> Result<DecodedFrames, Problem> {
    let extension = source.path.extension().and_then(|e| e.to_str());
    decode_guarded(&content.bytes, extension).map_err(|error| {
        let why = match (&error, extension.and_then(Format::of_extension)) {
            (DecodeError::NotAnImage { .. }, Some(format)) => format!("named like {format}, but {error}"),
            _ => error.to_string(),
        };
        let help = "repair or replace the file, or take it out of the folder";
        Problem::bad_input(ProblemKind::UnusableImage, &format::path(&source.path), why, help)
    })
}

thread_local! {
    static DECODING: Cell<bool> = const { Cell::new(false) };
}

/// Keeps quiet about panics inside a codec: they are caught and told as errors of the file.
pub fn hush_codec_panics() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if !DECODING.get() {
            usual(info);
        }
    }));
}

/// Decodes with a net below: should a codec panic on a hostile file, that is the file's error and not the end.
fn decode_guarded(bytes: &[u8], extension: Option<&str>) -> Result<DecodedFrames, DecodeError> {
    DECODING.set(true);
    let result = catch_unwind(AssertUnwindSafe(|| decode_frames(bytes, extension, &Limits::default())));
    DECODING.set(false);
    result.unwrap_or_else(|_| {
        let format = Format::of(bytes, extension).unwrap_or(Format::Png);
        Err(DecodeError::Damaged { format, reason: "the decoder gave up on it".into() })
    })
}
