//! `zemtak pack`: builds an atlas from folders and files.

use crate::answer::{Answer, Manner};
use crate::build::{Plan, Shared};
use crate::explain::Explained;
use crate::failure::{Failure, Problem};
use crate::load::{Loaded, load};
use crate::progress;
use crate::settings::AtlasSettings;
use crate::sources::{self, Search, Sources};
use crate::write::{self, Waiting};
use crate::{interrupt, show};
use comfy_table::{CellAlignment, Table};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::time::Instant;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, Page, page_path_is_safe};
use zemtak_core::name::SpriteName;
use zemtak_runtime::page_hash;

/// What to pack, where to, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct Request {
    /// Folders and files with sprites.
    pub paths: Vec<PathBuf>,
    /// What names are relative to.
    pub root: Option<PathBuf>,
    /// The folder for descriptor and pages.
    pub out: PathBuf,
    /// The atlas's name; by default that of the one folder, else "atlas".
    pub name: Option<String>,
    /// The atlas keys.
    pub settings: AtlasSettings,
    /// Whether to explain the layout.
    pub why: bool,
    /// Whether a Ctrl-C during the search for a layout means to go on with the best so far.
    pub take_best: bool,
}

/// The summary of one built atlas.
#[derive(Debug, Clone, Serialize)]
pub struct Summary {
    name: String,
    descriptor: String,
    sprites: usize,
    twins: usize,
    empty: usize,
    clips: usize,
    pages: Vec<PageSummary>,
    filled: f64,
    texture_bytes: u64,
    loose_bytes: u64,
    binds: Binds,
    /// Files whose colour profile, gamma or the like was left out of account, by what it is.
    ignored: BTreeMap<&'static str, Vec<String>>,
    same_frame_number: BTreeMap<String, Vec<String>>,
    skipped_files: usize,
    /// Whether the search for a layout was cut short by Ctrl-C.
    cut_short: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<Explained>,
    seconds: f64,
}

#[derive(Debug, Clone, Serialize)]
struct PageSummary {
    file: String,
    width: u32,
    height: u32,
    filled_pixels: u64,
    file_bytes: u64,
}

/// Texture binds to draw every sprite once: loose, a texture each; packed, a page each.
#[derive(Debug, Clone, Copy, Serialize)]
struct Binds {
    before: usize,
    after: usize,
}

/// A page whose file waits for its name.
struct WaitingPage {
    waiting: Waiting,
    file_bytes: u64,
}

/// Builds the atlas. Files are written when everything has succeeded.
///
/// # Errors
/// Anything wrong with sources, options or files; what was there before stays.
pub fn run(request: &Request, manner: Manner) -> Result<Summary, Failure> {
    let started = Instant::now();
    let name = atlas_name(request)?;
    let sources = find(request)?;
    let mut loaded = load(&sources, request.settings.treatment, manner)?;
    let names: Vec<SpriteName> = sources.files.iter().map(|s| s.name.clone()).collect();
    let ignored = ignored_by_kind(&sources, &mut loaded);
    let waiting = progress::Waiting::new("looking for a dense layout", manner);
    let plan = Plan::new(&name, &request.settings, &names, &loaded, request.take_best)?;
    let why = if request.why { plan.why()? } else { None };
    drop(waiting);
    let descriptor_path = request.out.join(format!("{name}{FILE_SUFFIX}"));
    protect_sources(&sources, &request.out, &name, plan.page_count())?;
    write::make_folder(&request.out)?;
    let drawn = plan.draw(manner, |page| {
        let waiting = write::prepare(&request.out.join(&page.file), &page.bytes)?;
        Ok(WaitingPage { waiting, file_bytes: page.bytes.len() as u64 })
    })?;
    let (pages, waiting): (Vec<Page>, Vec<WaitingPage>) = drawn.into_iter().unzip();
    let file_bytes: Vec<u64> = waiting.iter().map(|w| w.file_bytes).collect();
    let atlas = plan.descriptor(pages);
    put_in_place(&atlas, &descriptor_path, waiting)?;
    let mut summary = summarise(&plan, &atlas, &file_bytes);
    summary.descriptor = show::path(&descriptor_path);
    summary.loose_bytes = loaded.iter().map(|l| l.sprite.canvas.area() * 4).sum();
    summary.ignored = ignored;
    summary.skipped_files = sources.skipped;
    summary.why = why.as_ref().map(|why| Explained::new(&plan, why));
    summary.seconds = started.elapsed().as_secs_f64();
    Ok(summary)
}

/// The name that was asked for, or one made of the folder's: small letters, other characters as `-`.
fn atlas_name(request: &Request) -> Result<String, Failure> {
    if let Some(name) = &request.name {
        return Ok(name.clone());
    }
    let folder = match request.paths.as_slice() {
        [only] if only.is_dir() => sources::clean(only).map_err(|e| Failure::io(&show::path(only), &e))?,
        _ => return Ok("atlas".into()),
    };
    let letters = folder.file_name().map(|n| n.to_string_lossy().to_lowercase()).unwrap_or_default();
    let plain = |c: char| {
        if c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_' { c } else { '-' }
    };
    let name: String = letters.chars().map(plain).collect();
    let name = name.trim_matches('-');
    Ok(if name.is_empty() { "atlas".into() } else { name.to_owned() })
}

fn find(request: &Request) -> Result<Sources, Failure> {
    let same =
        |path: &Path| sources::clean(path).ok().zip(sources::clean(&request.out).ok()).is_some_and(|(a, b)| a == b);
    if let Some(path) = request.paths.iter().find(|p| p.is_dir() && same(p)) {
        let why = "pages written there would be taken for sprites the next time";
        let help = "give another folder with -o";
        return Err(Problem::usage("the results would go among the sprites", &show::path(path), why, help).into());
    }
    let search =
        Search { paths: request.paths.clone(), root: request.root.clone(), leave_out: Some(request.out.clone()) };
    let sources = sources::find(&search)?;
    if sources.files.is_empty() && sources.problems.is_empty() {
        let places: Vec<String> = request.paths.iter().map(|p| show::path(p)).collect();
        let passed = show::count(sources.skipped, "other file was", "other files were");
        let why = format!("there is no image; {passed} passed over");
        return Err(Problem::usage("nothing to pack", &places.join(", "), why, "name a folder with images").into());
    }
    Ok(sources)
}

/// Takes what was ignored out of the loaded sprites, as names by kind.
fn ignored_by_kind(sources: &Sources, loaded: &mut [Loaded]) -> BTreeMap<&'static str, Vec<String>> {
    let mut by_kind: BTreeMap<&'static str, Vec<String>> = BTreeMap::new();
    for (source, loaded) in sources.files.iter().zip(loaded) {
        for kind in std::mem::take(&mut loaded.ignored) {
            by_kind.entry(kind.as_str()).or_default().push(source.shown.clone());
        }
    }
    by_kind
}

/// Refuses to write over a source.
fn protect_sources(sources: &Sources, out: &Path, name: &str, pages: usize) -> Result<(), Failure> {
    let mut targets: BTreeSet<PathBuf> = (0..pages).map(|i| out.join(format!("{name}-{i}.png"))).collect();
    targets.insert(out.join(format!("{name}{FILE_SUFFIX}")));
    let targets: BTreeSet<PathBuf> = targets.iter().filter_map(|t| sources::clean(t).ok()).collect();
    let hit = |path: &Path| sources::clean(path).is_ok_and(|p| targets.contains(&p));
    let problems = sources.files.iter().filter(|s| hit(&s.path)).map(|source| {
        let why = "a page would be written over it";
        Problem::usage("a source in the place of a result", &source.shown, why, "choose another --name or -o")
    });
    Failure::unless(problems.collect(), ())
}

/// Renames the pages into place, then the descriptor, then removes pages that only the former descriptor named.
fn put_in_place(atlas: &Atlas, descriptor: &Path, pages: Vec<WaitingPage>) -> Result<(), Failure> {
    let text = atlas.to_text().map_err(|e| Failure::io(&show::path(descriptor), &e))?;
    let waiting = write::prepare(descriptor, text.as_bytes())?;
    let former = former_pages(descriptor);
    interrupt::check()?;
    for page in pages {
        page.waiting.put()?;
    }
    waiting.put()?;
    let folder = descriptor.parent().unwrap_or(Path::new("."));
    for (file, hash) in former {
        let old = folder.join(&file);
        let named = atlas.pages.iter().any(|p| p.file == file);
        // Only a file that is still, byte for byte, the page that we wrote.
        if !named && std::fs::read(&old).is_ok_and(|bytes| page_hash(&bytes) == hash) {
            std::fs::remove_file(&old).map_err(|e| Failure::io(&show::path(&old), &e))?;
        }
    }
    Ok(())
}

/// The page files that the descriptor in this place names so far, with their hashes.
fn former_pages(descriptor: &Path) -> Vec<(String, String)> {
    #[derive(Deserialize)]
    struct Former {
        pages: Vec<Page>,
    }
    let text = std::fs::read(descriptor).unwrap_or_default();
    let pages = serde_json::from_slice(&text).map_or_else(|_| Vec::new(), |former: Former| former.pages);
    pages.into_iter().filter(|p| page_path_is_safe(&p.file)).map(|p| (p.file, p.hash)).collect()
}

fn summarise(plan: &Plan<'_>, atlas: &Atlas, file_bytes: &[u64]) -> Summary {
    let Shared { twins, empty } = plan.shared();
    let pages: Vec<PageSummary> = atlas
        .pages
        .iter()
        .zip(file_bytes)
        .enumerate()
        .map(|(i, (page, &file_bytes))| PageSummary {
            file: page.file.clone(),
            width: page.width,
            height: page.height,
            filled_pixels: plan.filled(i),
            file_bytes,
        })
        .collect();
    let area: u64 = atlas.pages.iter().map(|p| p.size().area()).sum();
    let filled: u64 = pages.iter().map(|p| p.filled_pixels).sum();
    let names = |(clip, sprites): &(_, Vec<SpriteName>)| {
        let clip: &zemtak_core::name::ClipName = clip;
        (clip.to_string(), sprites.iter().map(ToString::to_string).collect())
    };
    #[expect(clippy::cast_precision_loss, reason = "a ratio for people")]
    let ratio = if area == 0 { 0.0 } else { filled as f64 / area as f64 };
    Summary {
        name: atlas.name.clone(),
        descriptor: String::new(),
        sprites: atlas.sprites.len(),
        twins,
        empty,
        clips: atlas.clips.len(),
        binds: Binds { before: atlas.sprites.len(), after: pages.len() },
        pages,
        filled: ratio,
        texture_bytes: area * 4,
        loose_bytes: 0,
        ignored: BTreeMap::new(),
        same_frame_number: plan.clips().same_number.iter().map(names).collect(),
        skipped_files: 0,
        cut_short: plan.cut_short,
        why: None,
        seconds: 0.0,
    }
}

impl Answer for Summary {
    fn text(&self, verbose: bool) -> String {
        let mut out = String::new();
        let sprites = show::count(self.sprites, "sprite", "sprites");
        let pages = show::count(self.pages.len(), "page", "pages");
        let _ = writeln!(out, "{}: {sprites} on {pages} -> {}", self.name, show::name(&self.descriptor));
        let _ = writeln!(out, "{}", self.page_table().trim_fmt());
        let mut line = |key: &str, value: String| {
            let _ = writeln!(out, "  {key:<9}{value}");
        };
        let twins = match self.twins {
            0 => "none".into(),
            n => format!("{} drawn from the box of another", show::count(n, "sprite", "sprites")),
        };
        line("twins", twins);
        if self.empty > 0 {
            line("empty", format!("{} without a visible pixel", show::count(self.empty, "sprite", "sprites")));
        }
        line("clips", show::number(self.clips as u64));
        let (texture, loose) = (show::bytes(self.texture_bytes), show::bytes(self.loose_bytes));
        line("textures", format!("{loose} loose -> {texture} packed"));
        line("binds", format!("{} loose -> {} packed", show::number(self.binds.before as u64), self.binds.after));
        let most = if verbose { usize::MAX } else { 3 };
        for (kind, files) in &self.ignored {
            let count = show::count(files.len(), "file", "files");
            line("ignored", format!("{kind} in {count}: {}", show::some_of(files, most)));
        }
        if self.skipped_files > 0 {
            line("skipped", format!("{} no image", show::count(self.skipped_files, "file is", "files are")));
        }
        if self.cut_short {
            line("layout", "cut short by Ctrl-C; the whole search may find a denser one".into());
        }
        line("time", format!("{:.2} s", self.seconds));
        out + &self.why.as_ref().map(Explained::text).unwrap_or_default()
    }

    fn json(&self) -> Value {
        json!({ "atlases": [self] })
    }

    fn warnings(&self) -> Vec<String> {
        let same = self.same_frame_number.iter().map(|(clip, sprites)| {
            let sprites: Vec<String> = sprites.iter().map(|s| show::name(s)).collect();
            format!("clip {}: {} have one frame number; all are steps", show::name(clip), sprites.join(" and "))
        });
        same.collect()
    }
}

impl Summary {
    fn page_table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        for page in &self.pages {
            let area = u64::from(page.width) * u64::from(page.height);
            table.add_row([
                format!(" {}", page.file),
                format!("{} x {}", page.width, page.height),
                format!("{} filled", show::percent(page.filled_pixels, area)),
                show::bytes(page.file_bytes),
            ]);
        }
        for column in table.column_iter_mut().skip(1) {
            column.set_cell_alignment(CellAlignment::Right);
        }
        table
    }
}
