//! Building one atlas and its other sizes, as far as it is out of date, up to files that wait for their names.

use crate::context::Context;
use crate::explain::Explained;
use crate::failure::{Failure, Problem};
use crate::former::{self, Drawn, Former};
use crate::forms::Idents;
use crate::load::{self, Loaded, Looked, Recipe};
use crate::pages::{NotDrawn, PageFile, Put};
use crate::plan::{Plan, Task, Without};
use crate::settings::{Also, AtlasSettings};
use crate::sources::{self, Source};
use crate::store::{self, Hash, Key, Store};
use crate::summary::{Kept, State, Summary};
use crate::targets::Target;
use crate::timings::Stage;
use crate::warning::Warning;
use crate::write::{self, PendingFile};
use crate::{content, describe, format, forms};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::Instant;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};
use zemtak_core::codec::{DECODE_VERSION, IMAGE_VERSION, PNG_VERSION};
use zemtak_core::compose::COMPOSE_VERSION;
use zemtak_core::layout::LAYOUT_VERSION;
use zemtak_core::prepare::TREATMENT_VERSION;

/// Changes with what is remembered of a build.
const RECORD_VERSION: u32 = 2;

/// The versions of all stages: a build from the same inputs is the same build only if none of them has changed.
const VERSIONS: [u32; 8] = [
    DECODE_VERSION,
    TREATMENT_VERSION,
    LAYOUT_VERSION,
    COMPOSE_VERSION,
    PNG_VERSION,
    IMAGE_VERSION,
    describe::VERSION,
    forms::VERSION,
];

/// How a build goes about it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Options<'a> {
    /// The folder for results.
    pub out: &'a Path,
    /// Only find out what is out of date.
    pub check: bool,
    /// Boxes stay where they are if they can.
    pub keep: bool,
    /// Explain the layout.
    pub explain: bool,
}

/// A file that belongs to an atlas.
#[derive(Debug)]
pub struct Output {
    /// Its name in the folder for results.
    pub file: String,
    /// The hash of its bytes.
    pub hash: Hash,
    /// Whether it is a page.
    pub page: bool,
    /// The file where it has to be put in place; nothing if it is there, or if nothing is to be written.
    pub waiting: Option<PendingFile>,
    /// Whether it is not there, or not like this.
    pub changed: bool,
}

/// A built atlas and its other sizes.
#[derive(Debug, Default)]
pub struct BuiltAtlas {
    /// What to tell of each.
    pub summaries: Vec<Summary>,
    /// All files; of each atlas the pages first, the descriptor last.
    pub outputs: Vec<Output>,
    /// Under which key to remember what, once all files are in place.
    record: Option<(Hash, Vec<u8>)>,
}

/// What is remembered of a build: that from exactly this came exactly that.
#[derive(Debug, Serialize, Deserialize)]
struct Record {
    from: Hash,
    files: Vec<(String, Hash, bool)>,
    summaries: Vec<Summary>,
}

impl BuiltAtlas {
    /// Remembers the build, now that its files are in place.
    pub fn remember(&self, store: &dyn Store) {
        if let Some((key, record)) = &self.record {
            store.put(*key, record.clone());
        }
    }
}

/// An atlas whose sources have been looked at, and read where that was needed.
pub struct Begun<'a> {
    target: &'a Target,
    started: Instant,
    templates: BTreeMap<PathBuf, String>,
    /// What the build follows from, and the key under which it is remembered.
    from: Hash,
    key: Hash,
    state: Ready<'a>,
}

enum Ready<'a> {
    /// It is as it was.
    Unchanged(BuiltAtlas),
    /// It and its other sizes, each with its sprites.
    Loaded(Vec<LoadedSize<'a>>),
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
pub fn begin<'a>(target: &'a Target, options: Options<'_>, context: Context<'_>) -> Result<Begun<'a>, Failure> {
    let started = Instant::now();
    let _span = tracing::debug_span!("look and load", atlas = target.name).entered();
    let contents = contents(target, context)?;
    let templates = templates(target)?;
    let from = follows_from(target, &contents, &templates, options);
    let key = Key::new("built", &[RECORD_VERSION])
        .bytes(target.name.as_bytes())
        .bytes(options.out.as_os_str().as_encoded_bytes())
        .finish();
    if let Some(built) = (!options.explain).then(|| unchanged(&from, &key, options, context.store)).flatten() {
        tracing::debug!("all of it is as the last build left it");
        return Ok(Begun { target, started, templates, from, key, state: Ready::Unchanged(built) });
    }
    let own = (target.name.clone(), target.settings.clone());
    let sizes =
        target.settings.sizes.iter().map(|size| (format!("{}{}", target.name, size.suffix), target.settings.at(size)));
    let all: Vec<(String, AtlasSettings)> = std::iter::once(own).chain(sizes).collect();
    let recipes: Vec<Recipe<'_>> = all.iter().map(|(_, settings)| recipe(settings)).collect();
    let loaded = load::load(&target.sources.files, &contents, &recipes, context)?;
    let sizes = all.into_iter().zip(loaded).map(|((name, settings), loaded)| LoadedSize { name, settings, loaded });
    Ok(Begun { target, started, templates, from, key, state: Ready::Loaded(sizes.collect()) })
}

/// Builds an atlas as far as it is out of date.
///
/// # Errors
/// Anything wrong with sources or settings, or what is remembered of a source does not hold.
pub fn finish(begun: Begun<'_>, options: Options<'_>, context: Context<'_>) -> Result<BuiltAtlas, NotDrawn> {
    let Begun { target, mut started, templates, from, key, state } = begun;
    let sizes = match state {
        Ready::Unchanged(built) => return Ok(built),
        Ready::Loaded(sizes) => sizes,
    };
    let mut built = BuiltAtlas::default();
    for size in &sizes {
        let mut summary = build(target, size, &templates, options, context, &mut built)?;
        summary.seconds = started.elapsed().as_secs_f64();
        built.summaries.push(summary);
        started = Instant::now();
    }
    let files = built.outputs.iter().map(|o| (o.file.clone(), o.hash, o.page)).collect();
    let cut_short = built.summaries.iter().any(|s| s.cut_short);
    let record = Record { from, files, summaries: built.summaries.clone() };
    built.record = serde_json::to_vec(&record).ok().filter(|_| !cut_short).map(|bytes| (key, bytes));
    Ok(built)
}

fn recipe(settings: &AtlasSettings) -> Recipe<'_> {
    Recipe { treatment: settings.treatment, rules: &settings.rules }
}

/// The contents of all sources. What is wrong with some is told together with what decoding the rest brings up, but not
/// clashes of one name, which the sources had told already.
fn contents(target: &Target, context: Context<'_>) -> Result<Vec<Looked>, Failure> {
    let mut problems = target.sources.problems.clone();
    let (mut sources, mut contents) = (Vec::new(), Vec::new());
    for (source, looked) in target.sources.files.iter().zip(load::contents(&target.sources.files, context)?) {
        match looked {
            Ok(looked) => {
                sources.push(source);
                contents.push(looked);
            }
            Err(problem) => problems.push(problem),
        }
    }
    if problems.is_empty() {
        return Ok(contents);
    }
    let sources: Vec<Source> = sources.into_iter().cloned().collect();
    if let Err(failure) = load::load(&sources, &contents, &[recipe(&target.settings)], context) {
        let told: BTreeSet<String> = problems.iter().map(|p| p.place.clone()).collect();
        problems.extend(failure.problems().iter().filter(|p| !told.contains(&p.place)).cloned());
    }
    Err(Failure::all(problems))
}

/// The templates' texts, by what asks for them.
fn templates(target: &Target) -> Result<BTreeMap<PathBuf, String>, Failure> {
    let (mut texts, mut problems) = (BTreeMap::new(), Vec::new());
    for also in &target.settings.also {
        if let Also::Template(path) = also {
            match std::fs::read_to_string(target.folder.join(path)) {
                Ok(text) => _ = texts.insert(path.clone(), text),
                Err(error) => problems.push(Problem::io(&format::path(&target.folder.join(path)), &error)),
            }
        }
    }
    Failure::unless(problems, texts)
}

/// The hash of all that a build follows from.
fn follows_from(
    target: &Target,
    contents: &[Looked],
    templates: &BTreeMap<PathBuf, String>,
    options: Options<'_>,
) -> Hash {
    let names: Vec<&str> = target.sources.files.iter().map(|s| s.shown.as_str()).collect();
    Key::new("from", &VERSIONS)
        .value(&(&target.settings, options.keep))
        .value(&(names, templates))
        .bytes(&contents.iter().flat_map(|c| c.hash).collect::<Vec<u8>>())
        .finish()
}

/// The former build, if it came from the same and all of it is in place.
fn unchanged(from: &Hash, key: &Hash, options: Options<'_>, store: &dyn Store) -> Option<BuiltAtlas> {
    let record: Record = serde_json::from_slice(&store.get(key)?).ok()?;
    let in_place = |(file, hash, _): &(String, Hash, bool)| {
        content::hash(&options.out.join(file), store).is_ok_and(|there| there == *hash)
    };
    if record.from != *from || !record.files.iter().all(in_place) {
        return None;
    }
    let summaries = record.summaries.into_iter().map(|mut summary| {
        (summary.state, summary.seconds) = (State::Unchanged, 0.0);
        summary
    });
    let output = |(file, hash, page)| Output { file, hash, page, waiting: None, changed: false };
    Some(BuiltAtlas {
        summaries: summaries.collect(),
        outputs: record.files.into_iter().map(output).collect(),
        record: None,
    })
}

/// Builds the atlas, or another size of it.
fn build(
    target: &Target,
    size: &LoadedSize<'_>,
    templates: &BTreeMap<PathBuf, String>,
    options: Options<'_>,
    context: Context<'_>,
    built: &mut BuiltAtlas,
) -> Result<Summary, NotDrawn> {
    let LoadedSize { name, settings, loaded } = size;
    let _span = tracing::debug_span!("build", atlas = name).entered();
    let descriptor = format!("{name}{FILE_SUFFIX}");
    let former = former(&options.out.join(&descriptor)).filter(|_| options.keep);
    let task = Task {
        name,
        base: (*name != target.name).then_some(target.name.as_str()),
        settings,
        places: &target.places,
        sprites: &loaded.sprites,
        keep: former.as_ref(),
    };
    let plan = Plan::new(task, context)?;
    let why = if options.explain { plan.why(context)? } else { None };
    let mut summary = Summary::of(&plan, name);
    summary.mip_cost = plan_cost(&plan, settings, context)?;
    summary.kept = kept(&plan, former.as_ref(), context)?;
    protect_sources(target, &plan, options.out, name)?;
    let take = |file: &str, bytes: Vec<u8>| -> Result<(Option<PendingFile>, u64), Failure> {
        let waiting = if options.check {
            None
        } else {
            Some(context.timings.time(Stage::Write, || write::prepare(&options.out.join(file), &bytes))?)
        };
        Ok((waiting, bytes.len() as u64))
    };
    let pages =
        plan.draw(&Put { out: options.out, former: &Former::open(options.out, name, context), take }, context)?;
    let drawn: Vec<Drawn> = pages.iter().map(|page| page.drawn.clone()).collect();
    former::note(&drawn, options.out, name, context);
    let atlas = plan.descriptor(&pages);
    let file_bytes: Vec<u64> = pages.iter().map(|page| bytes_of(page, options.out)).collect();
    summary.finish(&plan, &atlas, &file_bytes);
    tell_of_sources(&mut summary, target, loaded, &plan);
    let changed_before = built.outputs.len();
    built.outputs.extend(pages.into_iter().map(|page| {
        let changed = page.made.is_some();
        let waiting = page.made.and_then(|(waiting, _)| waiting);
        Output { file: page.drawn.file, hash: page.drawn.hash, page: true, waiting, changed }
    }));
    summary.descriptor = format::path(&options.out.join(&descriptor));
    let idents = plan.idents();
    for (file, text) in texts(&atlas, descriptor, settings, templates, &idents)? {
        built.outputs.push(text_output(file, &text, options, context.store)?);
    }
    summary.also = settings.also.iter().map(|also| forms::file_name(also, name)).collect();
    let changed = built.outputs[changed_before..].iter().any(|o| o.changed);
    summary.state = match (changed, options.check) {
        (false, _) => State::Unchanged,
        (true, true) => State::OutOfDate,
        (true, false) => State::Built,
    };
    summary.why = why.as_ref().map(|why| Explained::new(&plan, why));
    Ok(summary)
}

/// How much larger the pages are for the mip levels.
/// The descriptor's other forms, then the descriptor: each file with its text.
fn texts(
    atlas: &Atlas,
    descriptor: String,
    settings: &AtlasSettings,
    templates: &BTreeMap<PathBuf, String>,
    idents: &Idents,
) -> Result<Vec<(String, String)>, Failure> {
    let own = atlas.to_text().map_err(|e| Failure::io(&descriptor, &e))?;
    let forms = settings.also.iter().map(|also| forms::write(also, atlas, templates, idents));
    forms.chain([Ok((descriptor, own))]).collect()
}

fn plan_cost(plan: &Plan<'_>, settings: &AtlasSettings, context: Context<'_>) -> Result<Option<f64>, Failure> {
    if settings.mip_levels == 0 {
        return Ok(None);
    }
    Ok(Some(ratio(plan.area(), plan.area_without(Without::MipLevels, context)?)))
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

fn bytes_of(page: &PageFile<(Option<PendingFile>, u64)>, out: &Path) -> u64 {
    let in_place = || std::fs::metadata(out.join(&page.drawn.file)).map_or(0, |m| m.len());
    page.made.as_ref().map_or_else(in_place, |(_, bytes)| *bytes)
}

/// What is told of the files that sprites come from.
fn tell_of_sources(summary: &mut Summary, target: &Target, loaded: &Loaded<'_>, plan: &Plan<'_>) {
    summary.loose_bytes = loaded.sprites.iter().map(|s| s.facts.canvas.area() * 4).sum();
    for (kind, file) in &loaded.ignored {
        summary.ignored.entry(kind.clone()).or_default().push(file.clone());
    }
    summary.skipped_files = target.sources.skipped;
    summary.own_pictures.clone_from(&target.sources.own);
    summary.warnings = plan.warnings();
    // Other sizes have the same rules.
    if summary.scale == 1.0 {
        let rules = &target.settings.rules;
        for (_, rule) in rules.as_slice().iter().enumerate().filter(|(number, _)| !plan.applied.contains(number)) {
            let (atlas, glob, place) = (target.name.clone(), rule.pattern.to_string(), rule.place.clone());
            summary.warnings.push(Warning::IdleRule { atlas, glob, place });
        }
    }
}

/// A file of text, unless it is in place already.
fn text_output(file: String, text: &str, options: Options<'_>, store: &dyn Store) -> Result<Output, Failure> {
    let (path, hash) = (options.out.join(&file), store::hash(text.as_bytes()));
    let changed = !content::hash(&path, store).is_ok_and(|there| there == hash);
    let waiting = if changed && !options.check { Some(write::prepare(&path, text.as_bytes())?) } else { None };
    Ok(Output { file, hash, page: false, waiting, changed })
}

/// The atlas that is in this place so far.
fn former(descriptor: &Path) -> Option<Atlas> {
    let text = std::fs::read_to_string(descriptor).ok()?;
    let atlas = parse(&text).ok()?.atlas;
    atlas.check().is_empty().then_some(atlas)
}

/// Refuses to write over a source.
fn protect_sources(target: &Target, plan: &Plan<'_>, out: &Path, name: &str) -> Result<(), Failure> {
    let settings = &target.settings;
    let mut targets: BTreeSet<String> =
        (0..plan.page_count()).map(|i| format!("{name}-{i}.{}", settings.pages_as.extension())).collect();
    targets.insert(format!("{name}{FILE_SUFFIX}"));
    targets.extend(settings.also.iter().map(|also| forms::file_name(also, name)));
    // By where they are: the folder for results may be a link to that of the sources.
    let out = out.canonicalize().or_else(|_| sources::clean(out)).map_err(|e| Failure::io(&format::path(out), &e))?;
    let targets: BTreeSet<PathBuf> = targets.iter().map(|target| out.join(target)).collect();
    let hit = |path: &Path| path.canonicalize().is_ok_and(|path| targets.contains(&path));
    let problems = target.sources.files.iter().filter(|s| hit(&s.path)).map(|source| {
        let why = "a page would be written over it";
        Problem::usage(
            "a source file is where a result would go",
            &source.shown,
            why,
            "choose another name for the atlas, or another output folder",
        )
    });
    Failure::unless(problems.collect(), ())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::request::PackRequest;
    use zemtak_core::codec::{PngEffort, encode_png};
    use zemtak_core::geometry::Size;
    use zemtak_core::pixels::Pixels;

    /// A descriptor, C header, Rust source or CSV file that comes out otherwise under the same version would be taken for the
    /// old one by who builds with what an older tool has remembered.
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
            user = { speed = 2.5 }
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
            "a90129463bd71ca7 night.csv",
            "ead5459635ef061f night.rs",
            "a186a29247ee42e5 night.h",
            "bbda2030e5df2ec0 night.zemtak.json",
            "dc0394c7615e2e45 night-half.csv",
            "20bc960955a4deef night-half.rs",
            "fa1b95588c6222b8 night-half.h",
            "5d1f7ca3e0e003bb night-half.zemtak.json",
        ];
        assert_eq!((forms::VERSION, describe::VERSION, &told[..]), (2, 2, &expected.map(str::to_owned)[..]));
    }
}
