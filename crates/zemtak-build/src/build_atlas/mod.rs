//! Building one atlas and its other sizes, as far as it is out of date, up to files that wait to be put in place.

mod differences;
mod inputs;
mod pieces;
mod record;
mod texts;

pub use pieces::{BegunPiece, LookedPiece, Piece};
pub use texts::TextPlace;

use crate::context::Context;
use crate::explain::Explained;
use crate::failure::Failure;
use crate::former::{self, Drawn, Former};
use crate::load::{self, Loaded, NotDrawn, Recipe, Sprite};
use crate::ownership::ResultKind;
use crate::pages::{PageFile, Put};
use crate::plan::{Plan, Task, Without};
use crate::settings::AtlasSettings;
use crate::store::{Hash, Store};
use crate::summary::{Kept, State, Summary, SummedFile};
use crate::targets::Target;
use crate::timings::Stage;
use crate::warning::Warning;
use crate::work::{Account, ImagesWork, SizeParts};
use crate::write::PendingFile;
use crate::{format, forms};
use inputs::AtlasInputs;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::Path;
use std::time::Instant;
use texts::Texts;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};
use zemtak_core::codec::{Ignored, Mark};
use zemtak_core::layout::Shape;
use zemtak_core::pixels::PIXEL;

/// Options of a build.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Options<'a> {
    /// The folder for results.
    pub out: &'a Path,
    /// Only find out what is out of date.
    pub check: bool,
    /// Boxes stay where they are if possible.
    pub keep: bool,
    /// Explain the layout.
    pub explain: bool,
    /// Report how the new build differs from what is in place.
    pub tell_changes: bool,
}

/// The kind of a file of an atlas.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum OutputKind {
    /// A texture page.
    Page,
    /// The descriptor in another form.
    Form,
    /// A descriptor.
    Descriptor,
}

impl OutputKind {
    /// What it may replace.
    pub fn result(self) -> ResultKind {
        match self {
            Self::Page => ResultKind::Picture(Mark::Page),
            Self::Form => ResultKind::Form,
            Self::Descriptor => ResultKind::Descriptor,
        }
    }
}

/// A file that belongs to an atlas.
#[derive(Debug)]
pub struct Output {
    /// Its name in the folder for results.
    pub file: String,
    /// The hash of its bytes.
    pub hash: Hash,
    /// What it is.
    pub kind: OutputKind,
    /// The file, if it has to be put in place; `None` if it is there already, or if nothing is to be written.
    pub waiting: Option<PendingFile>,
    /// Whether it is missing or different.
    pub changed: bool,
}

/// A built atlas and its other sizes.
#[derive(Debug, Default)]
pub struct BuiltAtlas {
    /// A summary of each.
    pub summaries: Vec<Summary>,
    /// All files; for each atlas the pages first, the descriptor last.
    pub outputs: Vec<Output>,
    /// The atlas as in its descriptor, if any of it was built anew.
    pub atlas: Option<Atlas>,
    /// Where its parts came from.
    pub account: Account,
    /// What to remember once all files are in place, and under which key.
    record: Option<(Hash, Vec<u8>)>,
}

impl BuiltAtlas {
    /// Remembers the build, now that its files are in place.
    pub fn remember(&self, store: &dyn Store) {
        if let Some((key, record)) = &self.record {
            store.put(*key, record.clone());
        }
    }
}

/// An atlas whose sources have been looked at, and read if necessary.
pub struct Begun<'a> {
    target: &'a Target,
    started: Instant,
    inputs: AtlasInputs<'a>,
    /// What the build depends on, and the key under which it is remembered.
    from: Hash,
    key: Hash,
    state: Ready<'a>,
}

enum Ready<'a> {
    /// Nothing has changed.
    Unchanged(Box<BuiltAtlas>),
    /// It and its other sizes, each with its sprites.
    Loaded(Vec<LoadedSize<'a>>, ImagesWork),
}

/// An atlas at one of its sizes, with its sprites.
struct LoadedSize<'a> {
    name: String,
    settings: AtlasSettings,
    loaded: Loaded<'a>,
}

/// Looks at an atlas's sources and loads its sprites if anything is out of date.
///
/// # Errors
/// Anything wrong with sources or settings, or an interruption.
pub fn begin<'a>(target: &'a Target, options: Options<'_>, context: Context<'a>) -> Result<Begun<'a>, Failure> {
    let started = Instant::now();
    let _span = tracing::debug_span!("look and load", atlas = target.name).entered();
    let inputs = AtlasInputs::look(target, context)?;
    let (from, key) = (inputs.hash(target, options), record::key(target, options));
    let former = if options.explain { None } else { record::unchanged(&from, &key, options, context.files()) };
    let state = match former {
        Some(mut built) => {
            built.account = record::noted_work(target, context).unwrap_or_default().unchanged();
            tracing::debug!("all of it is as the last build left it");
            Ready::Unchanged(Box::new(built))
        }
        None => {
            let (sizes, images) = load_sizes(sizes_of(target), &inputs, context)?;
            Ready::Loaded(sizes, images)
        }
    };
    Ok(Begun { target, started, inputs, from, key, state })
}

/// The atlas at its own size, then at its others.
fn sizes_of(target: &Target) -> Vec<(String, AtlasSettings)> {
    let own = (target.name.clone(), target.settings.clone());
    let sizes =
        target.settings.sizes.iter().map(|size| (format!("{}{}", target.name, size.suffix), target.settings.at(size)));
    std::iter::once(own).chain(sizes).collect()
}

/// The sprites of an atlas for some of its sizes.
fn load_sizes<'a>(
    all: Vec<(String, AtlasSettings)>,
    inputs: &AtlasInputs<'a>,
    context: Context<'a>,
) -> Result<(Vec<LoadedSize<'a>>, ImagesWork), Failure> {
    let recipes: Vec<Recipe<'_>> = all.iter().map(|(_, settings)| Recipe::of(settings)).collect();
    let (loaded, images) = load::load(&inputs.sources, &inputs.contents, &recipes, context)?;
    let sizes = all.into_iter().zip(loaded).map(|((name, settings), loaded)| LoadedSize { name, settings, loaded });
    Ok((sizes.collect(), images))
}

/// Builds an atlas as far as it is out of date.
///
/// # Errors
/// Anything wrong with sources or settings, or wrong records about a source.
pub fn finish(begun: Begun<'_>, options: Options<'_>, context: Context<'_>) -> Result<BuiltAtlas, NotDrawn> {
    let Begun { target, mut started, inputs, from, key, state } = begun;
    let (sizes, images) = match state {
        Ready::Unchanged(built) => return Ok(*built),
        Ready::Loaded(sizes, images) => (sizes, images),
    };
    let run = SizeRun { target, inputs: &inputs, options, context };
    let (mut built, mut parts) = (BuiltAtlas::default(), Vec::new());
    // The atlas itself comes last, because its descriptor names those of its other sizes.
    for size in sizes.iter().rev() {
        let BuiltSize { mut summary, atlas, outputs, parts: of_size } = run.build(size, &built.outputs)?;
        parts.insert(0, of_size);
        built.atlas = Some(atlas);
        summary.seconds = started.elapsed().as_secs_f64();
        built.summaries.push(summary);
        built.outputs.extend(outputs);
        started = Instant::now();
    }
    built.summaries.reverse();
    built.account = record::note_work(target, images, &parts, context);
    built.record = record::record(from, &built).map(|record| (key, record));
    Ok(built)
}

/// The build of an atlas at each of its sizes.
#[derive(Clone, Copy)]
struct SizeRun<'a> {
    target: &'a Target,
    inputs: &'a AtlasInputs<'a>,
    options: Options<'a>,
    context: Context<'a>,
}

/// An atlas built at one of its sizes.
struct BuiltSize {
    summary: Summary,
    /// As in its descriptor.
    atlas: Atlas,
    outputs: Vec<Output>,
    parts: SizeParts,
}

/// A page that was made: the file to be put in place, if any, and its number of bytes.
type Made = (Option<PendingFile>, u64);

impl SizeRun<'_> {
    /// Builds the atlas at one of its sizes. `before` are the files of the sizes that were built before it.
    fn build(&self, size: &LoadedSize<'_>, before: &[Output]) -> Result<BuiltSize, NotDrawn> {
        let (LoadedSize { name, settings, loaded }, Self { target, options, context, .. }) = (size, *self);
        let _span = tracing::debug_span!("build", atlas = name).entered();
        let descriptor = options.out.join(format!("{name}{FILE_SUFFIX}"));
        let in_place = if options.keep || options.tell_changes { former_atlas(&descriptor, context) } else { None };
        let kept_atlas = in_place.as_ref().filter(|_| options.keep);
        let task = Task {
            name,
            base: (*name != target.name).then_some(target.name.as_str()),
            settings,
            places: &target.places,
            sprites: &loaded.sprites,
            keep: kept_atlas,
        };
        let plan = Plan::new(task, context)?;
        let why = if options.explain { plan.why(context)? } else { None };
        let mut summary = Summary::of(&plan, name);
        summary.mip_cost = plan_cost(&plan, settings, context)?;
        summary.kept = kept(&plan, kept_atlas, context)?;
        let former = Former::open(options.out, name, context);
        let pages = self.draw(&plan, &former)?;
        pieces::note_pages(&plan, &self.inputs.size_key(settings), context);
        let parts = SizeParts { layout: Some(plan.laid_out), pages: pages.iter().map(|page| page.part).collect() };
        let atlas = plan.descriptor(&pages);
        let files: Vec<SummedFile<'_>> = pages.iter().map(|page| summed(page, options.out)).collect();
        summary.finish(&plan, &atlas, &files);
        drop(files);
        self.tell_of_sources(&mut summary, loaded, &plan);
        summary.free_pixels = free_pixels(&plan, settings, loaded);
        summary.descriptor = format::path(&descriptor);
        summary.also = settings.also.iter().flat_map(|also| forms::file_names(also, name)).collect();
        let mut outputs: Vec<Output> = pages.into_iter().map(page_output).collect();
        // A base atlas names the descriptors of its other sizes; those name none.
        let is_size = |o: &&Output| atlas.base.is_none() && o.kind == OutputKind::Descriptor;
        let others: Vec<&Output> = before.iter().filter(is_size).collect();
        let (also, templates) = (&settings.also, &self.inputs.templates);
        let place = TextPlace {
            out: options.out,
            limits: context.allowance.limits(),
            writer: context.writer,
            store: context.store,
            check: options.check,
        };
        let texts = Texts { also, templates, idents: &plan.idents(), place };
        let (atlas, written) = texts.outputs(&atlas, &others)?;
        outputs.extend(written);
        summary.state = match (outputs.iter().any(|o| o.changed), options.check) {
            (false, _) => State::Unchanged,
            (true, true) => State::OutOfDate,
            (true, false) => State::Built,
        };
        if options.tell_changes && summary.state != State::Unchanged {
            summary.changes = differences::between(in_place.as_ref(), &atlas, &plan, &former, &outputs, options.out);
        }
        summary.why = why.as_ref().map(|why| Explained::new(&plan, why));
        Ok(BuiltSize { summary, atlas, outputs, parts })
    }

    /// Draws the pages that are not in place, and records what lies on them for the next build.
    fn draw(&self, plan: &Plan<'_>, former: &Former) -> Result<Vec<PageFile<Made>>, NotDrawn> {
        let Self { options: Options { out, check, .. }, context, .. } = *self;
        let take = |file: &str, bytes: Vec<u8>| -> Result<Made, Failure> {
            let write = || context.writer.prepare(&out.join(file), &bytes);
            let waiting = if check { None } else { Some(context.timings.time(Stage::Write, write)?) };
            Ok((waiting, bytes.len() as u64))
        };
        let pages = plan.draw(&plan.sheets(), &Put { out, former, take }, context)?;
        let drawn: Vec<Drawn> = pages.iter().map(|page| page.drawn.clone()).collect();
        former::note(&drawn, out, plan.name(), context);
        Ok(pages)
    }

    /// What to report about the files that sprites come from.
    fn tell_of_sources(&self, summary: &mut Summary, loaded: &Loaded<'_>, plan: &Plan<'_>) {
        summary.loose_bytes = loaded.sprites.iter().map(|sprite| loose_pixels(sprite) * PIXEL as u64).sum();
        let (damaged, ignored): (Vec<_>, Vec<_>) = loaded.ignored.iter().partition(|(kind, _)| kind.is_damage());
        for (kind, file) in ignored {
            summary.ignored.entry(kind.to_string()).or_default().push(file.clone());
        }
        summary.skipped_files = self.target.sources.skipped;
        summary.own_pictures.clone_from(&self.inputs.own_pictures);
        summary.warnings = plan.warnings();
        summary.warnings.extend(damaged_images(&damaged));
        summary.warnings.extend(missing_layers(&loaded.sprites));
        summary.warnings.extend(below_bound(summary, plan.task.settings.texture.least_psnr));
        // Other sizes have the same rules.
        if summary.scale == 1.0 {
            let rules = &self.target.settings.rules;
            for (_, rule) in rules.as_slice().iter().enumerate().filter(|(number, _)| !plan.applied.contains(number)) {
                let (atlas, glob, place) = (self.target.name.clone(), rule.pattern.to_string(), rule.place.clone());
                summary.warnings.push(Warning::IdleRule { atlas, glob, place });
            }
        }
    }
}

/// Images that are damaged outside their pixels, by kind of damage.
fn damaged_images(damaged: &[&(Ignored, String)]) -> Vec<Warning> {
    let mut images: BTreeMap<Ignored, Vec<String>> = BTreeMap::new();
    for (what, file) in damaged {
        images.entry(*what).or_default().push(file.clone());
    }
    images.into_iter().map(|(what, images)| Warning::DamagedImages { what: what.to_string(), images }).collect()
}

/// Sprites without an image for a layer, by layer.
fn missing_layers(sprites: &[Sprite<'_>]) -> Vec<Warning> {
    let mut missing: BTreeMap<(&str, [u8; 4]), Vec<String>> = BTreeMap::new();
    for sprite in sprites {
        for layer in sprite.layers().iter().filter(|layer| layer.image.is_none()) {
            missing.entry((&layer.name, layer.kind.ground())).or_default().push(sprite.name.to_string());
        }
    }
    let warning =
        |((layer, ground), sprites): ((&str, _), _)| Warning::MissingLayer { layer: layer.to_owned(), ground, sprites };
    missing.into_iter().map(warning).collect()
}

/// Sprites that lose more than allowed in the requested format.
fn below_bound(summary: &Summary, least: Option<f64>) -> Option<Warning> {
    let least = least?;
    let losses = summary.textures().flat_map(|(_, texture)| &texture.sprites);
    let sprites: Vec<String> =
        losses.filter(|loss| loss.psnr < least).map(|loss| format!("{} ({} dB)", loss.sprite, loss.psnr)).collect();
    (!sprites.is_empty()).then(|| Warning::BelowPsnr { atlas: summary.name.clone(), least: least.to_string(), sprites })
}

fn page_output(page: PageFile<Made>) -> Output {
    let changed = page.made.is_some();
    let waiting = page.made.and_then(|(waiting, _)| waiting);
    Output { file: page.drawn.file, hash: page.drawn.hash, kind: OutputKind::Page, waiting, changed }
}

/// How much larger the pages are because of mip levels.
fn plan_cost(plan: &Plan<'_>, settings: &AtlasSettings, context: Context<'_>) -> Result<Option<f64>, Failure> {
    if settings.mip_levels == 0 {
        return Ok(None);
    }
    Ok(Some(ratio(plan.area(), plan.area_without(Without::MipLevels, context)?)))
}

/// The pixels of a sprite as textures of its own, one for each image: itself and its layers.
fn loose_pixels(sprite: &Sprite<'_>) -> u64 {
    let images = 1 + sprite.layers().iter().filter(|layer| layer.image.is_some()).count() as u64;
    sprite.facts.canvas.area() * images
}

/// Roughly how many pixels pages with sides of any length would have, if packing made the textures larger and that
/// could be avoided.
fn free_pixels(plan: &Plan<'_>, settings: &AtlasSettings, loaded: &Loaded<'_>) -> Option<u64> {
    let bound = settings.texture.may_compress()
        || settings.page.shape == Shape::Free
        || settings.page.fixed.is_some()
        || settings.page.count.is_some()
        || settings.page.same_size;
    // For the pages alone: their mip levels and layers shrink with them.
    let loose: u64 = loaded.sprites.iter().map(|sprite| sprite.facts.canvas.area()).sum();
    (!bound && plan.area() > loose).then(|| plan.cells_area()).filter(|pixels| *pixels < plan.area())
}

fn kept(plan: &Plan<'_>, former: Option<&Atlas>, context: Context<'_>) -> Result<Option<Kept>, Failure> {
    let Some(former) = former else { return Ok(None) };
    let full = plan.area_without(Without::Keeping, context)?;
    Ok(Some(Kept { moved: plan.moved(former), full_layout_pixels: full, pixels: plan.area() }))
}

#[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
fn ratio(a: u64, b: u64) -> f64 {
    if b == 0 { 1.0 } else { a as f64 / b as f64 }
}

fn summed<'a>(page: &'a PageFile<Made>, out: &Path) -> SummedFile<'a> {
    SummedFile { page: page.page, layer: page.layer.as_deref(), drawn: &page.drawn, bytes: bytes_of(page, out) }
}

fn bytes_of(page: &PageFile<Made>, out: &Path) -> u64 {
    let in_place = || std::fs::metadata(out.join(&page.drawn.file)).map_or(0, |m| m.len());
    page.made.as_ref().map_or_else(in_place, |(_, bytes)| *bytes)
}

/// The atlas currently in this place.
fn former_atlas(descriptor: &Path, context: Context<'_>) -> Option<Atlas> {
    let limits = context.allowance.limits();
    let text = limits.read_text("descriptor_bytes", descriptor, &*context.writer.disk).ok()?;
    let atlas = parse(&text).ok()?.atlas;
    atlas.check().is_empty().then_some(atlas)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::describe;
    use crate::request::PackRequest;
    use zemtak_core::codec::{PngEffort, encode_png};
    use zemtak_core::geometry::Size;
    use zemtak_core::pixels::Pixels;

    /// If a descriptor, C header, Rust source or CSV file came out differently under the same version, builds that
    /// remember results of an older tool would take it for the old one.
    #[test]
    fn no_text_changes_under_the_same_version() {
        let game = tempfile::tempdir().unwrap();
        let folder = |path: &str| game.path().join(path);
        std::fs::create_dir_all(folder("art/moth")).unwrap();
        for frame in 0..4_u8 {
            let size = Size::new(9 + u32::from(frame), 7);
            let mut pixels = Pixels::transparent(size).unwrap();
            pixels.row_mut(3)[4..20].fill(90 + frame);
            let png = encode_png(&pixels, PngEffort::Balanced).unwrap();
            std::fs::write(folder(&format!("art/moth/{frame}.png")), png).unwrap();
        }
        let project = r#"format = 1
            [atlas.night]
            root = "art"
            also = ["csv", "rust", "c"]
            sizes = [{ suffix = "-half", factor = 0.5 }]
            [[atlas.night.rule]]
            match = "moth/**"
            pivot = [0.25, 1.0]
            points = { lamp = [3, 4] }
            stretch = [1, 2, 3, 1]
            tags = ["winged"]
            user = { speed = 2.5, alike = ["b", { z = 1, a = 2 }] }
            fps = 12"#;
        std::fs::write(folder("zemtak.toml"), project).unwrap();
        let packed = PackRequest::of_project(folder("zemtak.toml")).out(folder("out")).run(&()).unwrap();
        let texts = packed.files.iter().filter(|file| file.path.extension().is_some_and(|e| e != "png"));
        let told: Vec<String> = texts
            .map(|file| {
                let name = file.path.file_name().unwrap_or_default().to_string_lossy();
                format!("{} {name}", &format::hex(&file.hash)[..16])
            })
            .collect();
        let expected = [
            "dc0394c7615e2e45 night-half.csv",
            "ad1872b43ab11995 night-half.clips.csv",
            "d715dfb6b70dcb10 night-half.rs",
            "c0dead57b304ac1a night-half.h",
            "e96b4768df64b14e night-half.zemtak.json",
            "a90129463bd71ca7 night.csv",
            "ad1872b43ab11995 night.clips.csv",
            "2a3d131244d7f426 night.rs",
            "bc561b49eb6f369d night.h",
            "c766954c2dcc18fb night.zemtak.json",
        ];
        assert_eq!((forms::VERSION, describe::VERSION, &told[..]), (4, 5, &expected.map(str::to_owned)[..]));
    }
}
