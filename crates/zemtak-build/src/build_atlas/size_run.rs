//! An atlas at one of its sizes: its plan, its pages, its texts, and a summary of them.

use super::background::{self, Background};
use super::inputs::AtlasInputs;
use super::texts::Texts;
use super::{LoadedSize, Options, Output, OutputKind, TextPlace, differences, pieces};
use crate::context::Context;
use crate::explain::Explained;
use crate::failure::Failure;
use crate::former::{self, Drawn, Former};
use crate::inventory::{self, Written};
use crate::load::{Loaded, NotDrawn, Sprite};
use crate::pages::{PageFile, Put};
use crate::plan::{Plan, Task, Without};
use crate::settings::AtlasSettings;
use crate::summary::{Kept, State, Summary, SummedFile};
use crate::targets::Target;
use crate::warning::Warning;
use crate::work::SizeParts;
use crate::write::PendingFile;
use crate::{format, forms};
use std::collections::BTreeMap;
use std::path::Path;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};
use zemtak_core::codec::Ignored;
use zemtak_core::layout::Shape;
use zemtak_core::pixels::PIXEL;

/// The build of an atlas at each of its sizes.
#[derive(Clone, Copy)]
pub(super) struct SizeRun<'a> {
    pub target: &'a Target,
    pub inputs: &'a AtlasInputs<'a>,
    pub options: Options<'a>,
    pub context: Context<'a>,
}

/// An atlas built at one of its sizes.
pub(super) struct BuiltSize {
    pub summary: Summary,
    /// As in its descriptor.
    pub atlas: Atlas,
    pub outputs: Vec<Output>,
    /// See [`super::BuiltAtlas::replaced`].
    pub replaced: Option<(String, Written)>,
    pub parts: SizeParts,
}

/// A page that was made: its number of bytes.
type Made = u64;

impl SizeRun<'_> {
    /// Builds the atlas at one of its sizes. `before` are the files of the sizes that were built before it.
    pub fn build(&self, size: &LoadedSize<'_>, before: &[Output]) -> Result<BuiltSize, NotDrawn> {
        let (LoadedSize { name, settings, .. }, Self { options, context, .. }) = (size, *self);
        let _span = tracing::debug_span!("build", atlas = name).entered();
        let file = format!("{name}{FILE_SUFFIX}");
        let descriptor = options.out.join(&file);
        let read = || if options.keep || options.tell_changes { former_atlas(&descriptor, context) } else { None };
        let read_before = if options.keep { read() } else { None };
        let kept_atlas = read_before.as_ref();
        let task = self.task(size, kept_atlas);
        // Only a plan that keeps boxes has to wait for it.
        let (plan, in_place) = rayon::join(|| Plan::new(task, context), || if options.keep { None } else { read() });
        let (plan, in_place) = (plan?, kept_atlas.or(in_place.as_ref()));
        let why = if options.explain { explained(&plan, context)? } else { None };
        let mut summary = Summary::of(&plan, name);
        summary.mip_cost = plan_cost(&plan, settings, context)?;
        summary.kept = kept(&plan, kept_atlas, context)?;
        let former = Former::open(options.out, name, context);
        let draw = |background: &Background<'_, '_>| {
            let pages = self.draw(&plan, &former, background)?;
            pieces::note_pages(&plan, &self.inputs.size_key(settings), context);
            let drawn = plan.descriptor(&pages);
            let (atlas, texts) = self.texts(size, &plan, &drawn, before)?;
            Ok((pages, drawn, atlas, texts))
        };
        let ((pages, drawn, atlas, texts), mut written) = background::writing(options.out, context, draw)?;
        let parts = SizeParts { layout: Some(plan.laid_out), pages: pages.iter().map(|page| page.part).collect() };
        let files: Vec<SummedFile<'_>> = pages.iter().map(|page| summed(page, options.out)).collect();
        summary.finish(&plan, &drawn, &files);
        drop(files);
        let mut outputs: Vec<Output> = pages.into_iter().map(|page| page_output(page, &mut written)).collect();
        outputs.extend(texts);
        self.sum_up(&mut summary, size, &plan, &outputs);
        if options.tell_changes && summary.state != State::Unchanged {
            summary.changes = differences::between(in_place, &atlas, &plan, &former, &outputs, options.out);
        }
        summary.why = why;
        let replaced = in_place.map(|atlas| (file, inventory::named(&atlas.pages, &atlas.companions)));
        Ok(BuiltSize { summary, atlas, outputs, replaced, parts })
    }

    /// What to build at a size. `keep` is the atlas whose boxes should stay where they are.
    fn task<'t>(&'t self, size: &'t LoadedSize<'_>, keep: Option<&'t Atlas>) -> Task<'t> {
        let (LoadedSize { name, settings, loaded }, target) = (size, self.target);
        let base = (*name != target.name).then_some(target.name.as_str());
        Task { name, base, settings, places: &target.places, sprites: &loaded.sprites, keep }
    }

    /// Adds to a summary what sources, settings and files determine.
    fn sum_up(&self, summary: &mut Summary, size: &LoadedSize<'_>, plan: &Plan<'_>, outputs: &[Output]) {
        let LoadedSize { name, settings, loaded } = size;
        self.tell_of_sources(summary, loaded, plan);
        (summary.free_pixels, summary.dense_pixels) = smaller(plan, settings, loaded);
        summary.descriptor = format::path(&self.options.out.join(format!("{name}{FILE_SUFFIX}")));
        summary.also = settings.also.iter().flat_map(|also| forms::file_names(also, name)).collect();
        summary.state = match (outputs.iter().any(|output| output.changed), self.options.check) {
            (false, _) => State::Unchanged,
            (true, true) => State::OutOfDate,
            (true, false) => State::Built,
        };
    }

    /// The descriptor of an atlas at one of its sizes, and the files beside it. `before` are the files of the sizes that
    /// were built before it.
    fn texts(
        &self,
        size: &LoadedSize<'_>,
        plan: &Plan<'_>,
        atlas: &Atlas,
        before: &[Output],
    ) -> Result<(Atlas, Vec<Output>), Failure> {
        let Self { options, context, .. } = *self;
        // A base atlas names the descriptors of its other sizes; those name none.
        let is_size = |o: &&Output| atlas.base.is_none() && o.kind == OutputKind::Descriptor;
        let others: Vec<&Output> = before.iter().filter(is_size).collect();
        let (also, templates) = (&size.settings.also, &self.inputs.templates);
        let place = TextPlace {
            out: options.out,
            limits: context.allowance.limits(),
            writer: context.writer,
            store: context.store,
            check: options.check,
        };
        Texts { also, templates, idents: &plan.idents(), place }.outputs(atlas, &others)
    }

    /// Draws the pages that are not in place, and records what lies on them for the next build.
    fn draw(
        &self,
        plan: &Plan<'_>,
        former: &Former,
        background: &Background<'_, '_>,
    ) -> Result<Vec<PageFile<Made>>, NotDrawn> {
        let Self { options: Options { out, check, .. }, context, .. } = *self;
        let take = |file: &str, bytes: Vec<u8>| -> Result<Made, Failure> {
            let length = bytes.len() as u64;
            if !check {
                background.write(file, bytes);
            }
            Ok(length)
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

fn page_output(page: PageFile<Made>, written: &mut BTreeMap<String, PendingFile>) -> Output {
    let (changed, waiting) = (page.made.is_some(), written.remove(&page.drawn.file));
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

fn explained(plan: &Plan<'_>, context: Context<'_>) -> Result<Option<Explained>, Failure> {
    let Some(why) = plan.why(context)? else { return Ok(None) };
    Ok(Some(Explained::new(plan, &why, plan.if_dense(context)?)))
}

/// Roughly how many pixels pages with sides of any length would have, or for equal cells a dense layout, if packing made
/// the textures larger and that could be avoided.
fn smaller(plan: &Plan<'_>, settings: &AtlasSettings, loaded: &Loaded<'_>) -> (Option<u64>, Option<u64>) {
    let page = &settings.page;
    let bound = settings.texture.may_compress() || page.fixed.is_some() || page.count.is_some() || page.same_size;
    // For the pages alone: their mip levels and layers shrink with them.
    let loose: u64 = loaded.sprites.iter().map(|sprite| sprite.facts.canvas.area()).sum();
    let least = Some(plan.cells_area()).filter(|&least| !bound && plan.area() > loose.max(least));
    if plan.in_rows() { (None, least) } else { (least.filter(|_| page.shape != Shape::Free), None) }
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
    page.made.unwrap_or_else(in_place)
}

/// The atlas currently in this place.
fn former_atlas(descriptor: &Path, context: Context<'_>) -> Option<Atlas> {
    let limits = context.allowance.limits();
    let text = limits.read_text("descriptor_bytes", descriptor, &*context.writer.disk).ok()?;
    let atlas = parse(&text).ok()?.atlas;
    atlas.check().is_empty().then_some(atlas)
}
