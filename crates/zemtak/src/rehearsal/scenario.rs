//! The scenario file: scenes, what they hold and draw, and what goes wrong. docs/rehearsal.md lists its keys.

use super::catalog::{Catalog, Steps};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use zemtak_build::settings::Keyword;
use zemtak_build::toml_text::{self, FileKind, Table, Text, Value};
use zemtak_build::{Failure, Limits, ProblemKind};
use zemtak_files::SystemDisk;

/// The supported version of the format.
const FORMAT: u32 = 1;

const KIND: FileKind = FileKind {
    name: "a scenario",
    help: "fix the scenario; docs/rehearsal.md lists all keys",
    tables: &[
        ("at the top of the file", &["format", "roots", "loose", "budget", "fps", "soon", "play", "between"]),
        ("in [device]", &["memory", "largest", "uploads", "upload_bytes"]),
        ("in a scene, [[scene]]", &["seconds", "hold", "forgets", "order"]),
        ("in what a scene draws, [[scene.draw]]", &["sprite", "clip", "count"]),
        ("in a fault, [[scene.fault]]", &["at", "until", "missing", "reload", "out_of_memory", "lost"]),
    ],
};

/// The scenario.
pub struct Scenario {
    /// The search path of the cache.
    pub roots: Vec<PathBuf>,
    /// The images that the atlases were packed from, for comparison.
    pub loose: Option<PathBuf>,
    /// The budget of texture memory in bytes.
    pub budget: u64,
    /// Frames per second of the game.
    pub fps: u32,
    /// The most textures created per frame.
    pub uploads: u32,
    /// Bytes of textures after which no further texture is created in the same frame.
    pub upload_bytes: u64,
    /// A page loaded again within this many frames of its eviction was evicted too early.
    pub soon: u64,
    /// The memory of the device in bytes.
    pub memory: Option<u64>,
    /// The longest texture side that the device supports.
    pub largest: u32,
    /// What happens between two scenes.
    pub between: Between,
    /// The game's own names.
    pub aliases: BTreeMap<String, String>,
    /// The scenes in playing order, as indices.
    pub play: Vec<usize>,
    /// All scenes.
    pub scenes: Vec<Scene>,
    /// What the names mean.
    pub catalog: Catalog,
}

/// What happens between two scenes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Between {
    /// The next scene requests what it needs before the last one gives its textures back: what both need stays.
    LoadFirst,
    /// The last scene gives its textures back first: a lower peak of memory, more loads.
    GiveBackFirst,
}

impl Keyword for Between {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("load_first", "the next scene asks before the last one gives back", Self::LoadFirst),
        ("give_back_first", "the last scene gives back before the next one asks", Self::GiveBackFirst),
    ];
}

/// The order in which a scene draws.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// All of one kind, then all of the next.
    Listed,
    /// One of each kind in turn, as when things are sorted by depth.
    Mixed,
}

impl Keyword for Order {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("listed", "all of one entry, then all of the next", Self::Listed),
        ("mixed", "one of each entry in turn", Self::Mixed),
    ];
}

/// A scene of the game.
#[derive(Debug, Clone)]
pub struct Scene {
    /// Its name, and its place in the file.
    pub name: String,
    pub named_at: std::ops::Range<usize>,
    /// Its length.
    pub frames: u64,
    /// The names and globs that it holds, with the sprites that match.
    pub hold: Vec<(String, Vec<String>)>,
    /// What it does not give back at its end.
    pub forgets: Vec<String>,
    /// The order in which it draws.
    pub order: Order,
    /// What it draws.
    pub draw: Vec<Draw>,
    /// The planned faults.
    pub faults: Vec<PlannedFault>,
}

/// A number of equal things to draw.
#[derive(Debug, Clone)]
pub struct Draw {
    /// The sprite or clip, as written.
    pub name: String,
    /// The steps of a clip; `None` for a sprite.
    pub steps: Option<Steps>,
    /// How many there are.
    pub count: u32,
}

/// A planned fault.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedFault {
    /// The frame of the scene.
    pub at: u64,
    /// The kind of fault.
    pub what: FaultKind,
}

/// A kind of fault.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FaultKind {
    /// A file goes missing.
    Missing(String),
    /// Missing files are back, and what failed is tried again.
    Over,
    /// The device refuses this many textures because memory is short.
    OutOfMemory(u32),
    /// The device refuses this many textures for a reason of its own.
    Lost(u32),
    /// An atlas is packed anew, every page with other bytes, and reloaded.
    Reload(String),
}

impl Scenario {
    /// Whether a fault concerns a file that only the packed scenes use.
    pub fn has_faults_of_files(&self) -> bool {
        let of_files = |fault: &PlannedFault| matches!(fault.what, FaultKind::Missing(_) | FaultKind::Reload(_));
        self.scenes.iter().flat_map(|scene| &scene.faults).any(of_files)
    }
}

/// Reads a scenario and resolves all names in it.
///
/// # Errors
/// It cannot be read, or parts of it are wrong: all errors at once, each with its line underlined.
pub fn open(path: &Path, limits: &Limits) -> Result<Scenario, Failure> {
    read(path, &toml_text::read(path, limits, &SystemDisk)?)
}

/// The same for a text in memory.
///
/// # Errors
/// As [`open`].
pub fn read(path: &Path, source: &str) -> Result<Scenario, Failure> {
    let text = Text::new(path, source, KIND);
    let whole = text.parse();
    let folder = path.parent().unwrap_or(Path::new("")).to_owned();
    let mut table = text.outermost(whole.get_ref());
    let scenario = scenario(&text, &mut table, &folder);
    table.end();
    text.finish(scenario)
}

fn scenario<'t>(text: &Text<'t>, table: &mut Table<'_, 't>, folder: &Path) -> Scenario {
    if table.read("format", |v| text.whole(v, FORMAT..FORMAT + 1).or(Some(FORMAT))).is_none() {
        text.wrong(ProblemKind::MissingKey, 0..0, &format!("the first line must be 'format = {FORMAT}'"));
    }
    let roots = table.read("roots", |v| text.list(v, |v| text.path(v))).unwrap_or_else(|| vec!["build".into()]);
    let roots: Vec<PathBuf> = roots.into_iter().map(|root| folder.join(root)).collect();
    let loose = table.read("loose", |v| text.path(v)).map(|loose| folder.join(loose));
    let aliases = table.read("alias", |v| aliases(text, v)).unwrap_or_default();
    let catalog = Catalog::new(roots.clone(), aliases.clone());
    let fps = table.read("fps", |v| text.whole(v, 1..1001)).unwrap_or(60);
    let mut device = table.read("device", |v| text.table(v, "the device"));
    let mut of_device = |key, bounds: std::ops::Range<u32>| device.as_mut()?.read(key, |v| text.whole(v, bounds));
    let (largest, uploads) = (of_device("largest", 1..65_537), of_device("uploads", 1..1001));
    let memory = device.as_mut().and_then(|d| d.read("memory", |v| text.bytes(v)));
    let upload_bytes = device.as_mut().and_then(|d| d.read("upload_bytes", |v| text.bytes(v)));
    device.into_iter().for_each(|device| _ = device.end());
    let (scenes, names) = scenes(text, table, &catalog, fps);
    let named = |v: &Value<'_>| {
        let name = text.string(v)?;
        let found = names.iter().position(|known| *known == name);
        if found.is_none() {
            let all = names.join(", ");
            text.wrong(ProblemKind::UnknownName, v.span(), &format!("there is no such scene; there are {all}"));
        }
        found
    };
    let play = table.read("play", |v| text.list(v, named)).unwrap_or_else(|| (0..scenes.len()).collect());
    let soon = table.read("soon", |v| seconds(text, v, fps));
    Scenario {
        roots,
        loose,
        budget: table.read("budget", |v| text.bytes(v)).unwrap_or(256 << 20),
        fps,
        uploads: uploads.unwrap_or(8),
        upload_bytes: upload_bytes.unwrap_or(4 << 20),
        soon: soon.unwrap_or(10 * u64::from(fps)),
        memory,
        largest: largest.unwrap_or(zemtak_runtime::LARGEST_SIDE),
        between: table.read("between", |v| text.word(v)).unwrap_or(Between::LoadFirst),
        aliases,
        play,
        scenes,
        catalog,
    }
}

fn aliases<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<BTreeMap<String, String>> {
    let table = text.table(value, "the aliases")?;
    let all = table.all().map(|(alias, _, name)| Some((alias.to_owned(), text.string(name)?)));
    all.collect()
}

/// The scenes, and the names of those with errors too: whatever mentions these is not wrong for that.
fn scenes<'v, 't>(
    text: &Text<'t>,
    table: &mut Table<'v, 't>,
    catalog: &Catalog,
    fps: u32,
) -> (Vec<Scene>, Vec<&'v str>) {
    let mut names = Vec::new();
    let read = table.read("scene", |v| {
        let all = v.get_ref().as_array().into_iter().flat_map(|scenes| scenes.iter());
        names.extend(all.filter_map(|scene| scene.get_ref().as_table()?.get("name")?.get_ref().as_str()));
        text.list(v, |v| Some(scene(text, v, catalog, fps)))
    });
    if read.as_ref().map_or(!table.has("scene"), Vec::is_empty) {
        text.wrong(ProblemKind::NothingToPlay, 0..0, "there is no [[scene]] in it that can be played");
    }
    let scenes: Vec<Scene> = read.into_iter().flatten().flatten().collect();
    for (i, scene) in scenes.iter().enumerate() {
        if scenes[..i].iter().any(|other| other.name == scene.name) {
            text.wrong(ProblemKind::InvalidName, scene.named_at.clone(), "another scene has this name already");
        }
    }
    (scenes, names)
}

fn scene<'t>(text: &Text<'t>, value: &Value<'t>, catalog: &Catalog, fps: u32) -> Option<Scene> {
    let mut table = text.table(value, "a scene")?;
    let name = table.read("name", |v| Some((text.string(v)?, v.span())));
    let frames = table.read("seconds", |v| seconds(text, v, fps));
    let sprites = |v: &Value<'_>| {
        let name = text.string(v)?;
        let meant = catalog.sprites(&name);
        let meant = meant.map_err(|why| text.wrong(ProblemKind::UnknownName, v.span(), &why)).ok()?;
        Some((name, meant))
    };
    let hold = table.read("hold", |v| text.list(v, sprites)).unwrap_or_default();
    let forgets = table.read("forgets", |v| text.list(v, |v| sprites(v).map(|(name, _)| name))).unwrap_or_default();
    let order = table.read("order", |v| text.word(v)).unwrap_or(Order::Listed);
    let draw = table.read("draw", |v| text.list(v, |v| draw(text, v, catalog))).unwrap_or_default();
    let faults = table.read("fault", |v| text.list(v, |v| fault(text, v, catalog, fps))).unwrap_or_default();
    if !["name", "seconds"].iter().all(|key| table.has(key)) {
        text.wrong(ProblemKind::InvalidValue, value.span(), "a scene has a name and lasts some 'seconds'");
    }
    table.end();
    let ((name, named_at), frames) = name.zip(frames)?;
    let faults = faults.into_iter().flatten().collect();
    Some(Scene { name, named_at, frames, hold, forgets, order, draw, faults })
}

fn draw<'t>(text: &Text<'t>, value: &Value<'t>, catalog: &Catalog) -> Option<Draw> {
    let mut table = text.table(value, "what is drawn")?;
    let nothing = ProblemKind::UnknownName;
    let sprite = table.read("sprite", |v| {
        let name = text.string(v)?;
        match catalog.sprites(&name).as_deref() {
            Ok([_]) => return Some(name),
            Ok(many) => text.wrong(nothing, v.span(), &format!("expected one sprite, this matches {}", many.len())),
            Err(why) => text.wrong(nothing, v.span(), why),
        }
        None
    });
    let clip = table.read("clip", |v| {
        let name = text.string(v)?;
        let steps = catalog.clip(&name).map_err(|why| text.wrong(nothing, v.span(), &why)).ok()?;
        Some((name, steps))
    });
    let count = table.read("count", |v| text.whole(v, 1..100_001)).unwrap_or(1);
    if table.has("sprite") == table.has("clip") {
        text.wrong(ProblemKind::InvalidValue, value.span(), "expected either 'sprite' or 'clip'");
    }
    table.end();
    let sprite = sprite.map(|name| Draw { name, steps: None, count });
    sprite.or_else(|| clip.map(|(name, steps)| Draw { name, steps: Some(steps), count }))
}

/// One fault, or two if it ends at a given time.
fn fault<'t>(text: &Text<'t>, value: &Value<'t>, catalog: &Catalog, fps: u32) -> Option<Vec<PlannedFault>> {
    let mut table = text.table(value, "a fault")?;
    let at = table.read("at", |v| seconds(text, v, fps)).unwrap_or(0);
    let until = table.read("until", |v| seconds(text, v, fps));
    let known = |v: &Value<'_>, lacks: &dyn Fn(&str) -> Option<String>| {
        let name = text.string(v)?;
        lacks(&name).into_iter().for_each(|why| text.wrong(ProblemKind::UnknownName, v.span(), &why));
        Some(name)
    };
    let missing = table.read("missing", |v| known(v, &|file| catalog.lacks_file(file)));
    let reload = table.read("reload", |v| known(v, &|atlas| catalog.lacks_atlas(atlas))).map(FaultKind::Reload);
    let no_memory = table.read("out_of_memory", |v| text.whole(v, 1..1001)).map(FaultKind::OutOfMemory);
    let lost = table.read("lost", |v| text.whole(v, 1..1001)).map(FaultKind::Lost);
    if ["missing", "reload", "out_of_memory", "lost"].iter().filter(|key| table.has(key)).count() != 1 {
        let why = "expected one of 'missing', 'out_of_memory', 'lost' and 'reload'";
        text.wrong(ProblemKind::InvalidValue, value.span(), why);
    }
    table.end();
    let over = until.map(|at| PlannedFault { at, what: FaultKind::Over });
    let all = missing.map(FaultKind::Missing).into_iter().chain(reload).chain(no_memory).chain(lost);
    Some(all.map(|what| PlannedFault { at, what }).chain(over).collect())
}

fn seconds(text: &Text<'_>, value: &Value<'_>, fps: u32) -> Option<u64> {
    let seconds = text.number(value, "a number of seconds from 0 to 3600", |n| (0.0..=3600.0).contains(&n))?;
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to be within range")]
    let frames = (seconds * f64::from(fps)).round() as u64;
    Some(frames)
}
