//! Building one atlas and its other sizes, as far as it is out of date, up to files that wait to be put in place.

mod background;
mod differences;
mod inputs;
mod pieces;
mod record;
mod size_run;
mod texts;

pub use pieces::{BegunPiece, LookedPiece, Piece};
pub use texts::TextPlace;

use crate::context::Context;
use crate::failure::Failure;
use crate::inventory::Written;
use crate::load::{self, Loaded, NotDrawn, Recipe};
use crate::ownership::ResultKind;
use crate::settings::AtlasSettings;
use crate::store::{Hash, Store};
use crate::summary::Summary;
use crate::targets::Target;
use crate::work::{Account, ImagesWork};
use crate::write::PendingFile;
use inputs::AtlasInputs;
use serde::{Deserialize, Serialize};
use size_run::{BuiltSize, SizeRun};
use std::collections::BTreeMap;
use std::path::Path;
use std::time::Instant;
use zemtak_core::atlas::Atlas;
use zemtak_core::codec::Mark;

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
    /// The descriptors that were in place and read, by name, with the files that they name.
    pub replaced: BTreeMap<String, Written>,
    /// Where its parts came from.
    pub account: Account,
    /// What to remember of the build, and under which key.
    record: Option<(Hash, Vec<u8>)>,
}

impl BuiltAtlas {
    /// Remembers the build.
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
        let BuiltSize { mut summary, atlas, outputs, replaced, parts: of_size } = run.build(size, &built.outputs)?;
        parts.insert(0, of_size);
        built.replaced.extend(replaced);
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

#[cfg(test)]
mod tests {
    use crate::request::PackRequest;
    use crate::{describe, format, forms};
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
