//! The command line: what clap reads, turned into a typed request. No other module knows clap.

use crate::answer::Manner;
use crate::commands::{Request, demo, pack, schema, verify, watch};
use crate::exit::Exit;
use crate::settings::{
    Also, Keys, MOST_MIP_LEVELS, OtherSize, PageFormat, PageNames, Pattern, Together, WIDEST_SPACE, Word,
};
use anstream::ColorChoice;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args, Parser, Subcommand, ValueEnum};
use serde_json::json;
use std::ffi::OsString;
use std::path::PathBuf;
use std::time::Duration;
use zemtak_core::atlas::{Alpha, Atlas, Filter};
use zemtak_core::codec::PngEffort;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, Effort, LONGEST_SIDE, Prefer, Shape};

/// A parsed command line.
#[derive(Debug, Clone, PartialEq)]
pub struct Invocation {
    /// What is asked for.
    pub request: Request,
    /// How to behave.
    pub manner: Manner,
}

/// Help, a version, or what is wrong with a command line.
#[derive(Debug)]
pub struct Message {
    error: clap::Error,
    json: bool,
}

impl Message {
    /// Prints it where it belongs and says how the process ends.
    #[must_use]
    pub fn print(&self) -> Exit {
        let exit = if self.error.use_stderr() { Exit::Usage } else { Exit::Done };
        if self.json && exit == Exit::Usage {
            let why = self.text();
            let error = json!({ "what": "wrong usage", "where": "command line", "why": why.trim_end(), "help": "" });
            println!("{:#}", json!({ "errors": [error], "exit": exit.code() }));
        } else {
            // A closed pipe is the reader's own choice.
            let _ = self.error.print();
        }
        exit
    }

    /// Its text without colour.
    #[must_use]
    pub fn text(&self) -> String {
        self.error.render().to_string()
    }
}

/// Reads a command line, the program's name first.
///
/// # Errors
/// What is wrong with it, or the help that it asks for.
pub fn parse(words: impl IntoIterator<Item = OsString>) -> Result<Invocation, Message> {
    let words: Vec<OsString> = words.into_iter().collect();
    let json = words.iter().any(|w| w == "--json");
    let parsed = CommandLine::try_parse_from(words).map_err(|error| Message { error, json })?;
    Ok(Invocation {
        request: parsed.command.into_request(parsed.manner.project.clone()),
        manner: parsed.manner.into_manner(),
    })
}

/// Packs loose sprites into texture pages and answers everything between a packed page and the screen.
#[derive(Debug, Parser)]
#[command(name = "zemtak", version, max_term_width = 100, propagate_version = true, subcommand_required = true)]
#[command(after_help = "Try it: zemtak demo")]
struct CommandLine {
    #[command(subcommand)]
    command: Command,
    #[command(flatten)]
    manner: MannerArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Everywhere")]
struct MannerArgs {
    /// Print one JSON document, errors too
    #[arg(long, global = true)]
    json: bool,
    /// Print nothing but errors and what a check found
    #[arg(short, long, global = true)]
    quiet: bool,
    /// Print lists in full
    #[arg(short, long, global = true)]
    verbose: bool,
    /// When to use colour; NO_COLOR is heeded
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    color: When,
    /// The project file or its folder [default: the nearest zemtak.toml, here or above]
    #[arg(long, global = true, value_name = "FILE")]
    project: Option<PathBuf>,
    /// How many threads work [default: one a core]
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    jobs: Option<u16>,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum When {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Write the Moth Courier project and run the whole job on it
    #[command(after_help = "Examples:\n  zemtak demo\n  zemtak demo /tmp/moths --jobs 1")]
    Demo(DemoArgs),
    /// Pack sprites into texture pages and write the descriptor
    ///
    /// Every image below the given folders becomes a sprite, named by its path without extension. One atlas is built of
    /// them: NAME.atlas.json and its pages NAME-0.png, NAME-1.png ... Files are told by content; others are passed over.
    /// Without folders the atlases of the project file zemtak.toml are built, each as far as it is out of date.
    #[command(after_help = "Examples:\n  zemtak pack\n  \
        zemtak pack art/moth art/lantern --root art -o build --name night --page-shape free --turn")]
    Pack(Box<PackArgs>),
    /// Pack, and pack again whenever something changes
    ///
    /// Takes what pack takes. Errors are told and survived: the last good build stays until the next one. Ends with Ctrl-C.
    #[command(after_help = "Examples:\n  zemtak watch\n  zemtak watch art -o build --name night --settle 200")]
    Watch(Box<WatchArgs>),
    /// Prove an atlas: files, numbers, gutters, and every pixel against its source
    ///
    /// Exits with 1 and a list where something does not hold.
    #[command(after_help = "Examples:\n  zemtak verify build/night.atlas.json\n  \
        zemtak verify build/night.atlas.json --against art")]
    Verify(VerifyArgs),
    /// Print the JSON Schema of a file that zemtak writes
    #[command(
        after_help = "Examples:\n  zemtak schema descriptor\n  zemtak schema descriptor > descriptor.schema.json"
    )]
    Schema(SchemaArgs),
}

#[derive(Debug, Args)]
struct DemoArgs {
    /// Where to write it
    #[arg(default_value = "moth-courier")]
    dir: PathBuf,
}

#[derive(Debug, Args)]
struct VerifyArgs {
    /// The descriptor, NAME.atlas.json
    descriptor: PathBuf,
    /// The folder of the sources, which sprite names are relative to
    #[arg(long, value_name = "ROOT")]
    against: Option<PathBuf>,
}

#[derive(Debug, Args)]
struct SchemaArgs {
    /// Which file
    file: SchemaFile,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum SchemaFile {
    /// NAME.atlas.json
    Descriptor,
}

#[derive(Debug, Args)]
struct WatchArgs {
    /// How many milliseconds nothing must change before a build
    #[arg(long, value_name = "MS", default_value_t = 100, value_parser = clap::value_parser!(u16).range(10..))]
    settle: u16,
    #[command(flatten)]
    pack: PackArgs,
}

#[derive(Debug, Args)]
struct PackArgs {
    /// Folders and image files; without any, the atlases of the project file
    #[arg(value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// The folder for descriptors and pages [default: that of the project file, else build]
    #[arg(short, long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// The atlas's name: a-z 0-9 _ - [default: that of the one folder, else "atlas"]; of a project, the only one to build
    #[arg(long, value_parser = atlas_name)]
    name: Option<String>,
    /// What names are relative to [default: the one folder, else the common parent]
    #[arg(long, value_name = "DIR")]
    root: Option<PathBuf>,
    /// Write nothing; exit with 1 if something is out of date
    #[arg(long, conflicts_with_all = ["fresh", "keep"])]
    check: bool,
    /// Build everything anew, whatever is remembered
    #[arg(long)]
    fresh: bool,
    /// Keep every box that can stay where it is, so that a patch stays small
    #[arg(long)]
    keep: bool,
    /// Explain the layout: what it cannot go below, and what other options would give
    #[arg(long)]
    why: bool,
    /// On Ctrl-C during the search for a denser layout go on with the best so far
    #[arg(long)]
    take_best: bool,
    #[command(flatten)]
    layout: LayoutArgs,
    #[command(flatten)]
    page: PageArgs,
    #[command(flatten)]
    sprite: SpriteArgs,
    #[command(flatten)]
    file: FileArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Layout")]
struct LayoutArgs {
    /// How boxes are arranged [default: dense]
    #[arg(long, value_name = "HOW", value_parser = word::<Arrangement>())]
    layout: Option<Arrangement>,
    /// How much work the search for a denser layout may do: about 0.1, 1 or 10 seconds for 1,000 sprites [default: quick]
    #[arg(long, value_name = "WORK", value_parser = word::<Effort>())]
    effort: Option<Effort>,
    /// What goes on one page together: nothing, or all steps of a clip [default: none]
    #[arg(long, value_name = "WHAT", value_parser = word::<Together>(), hide_possible_values = true)]
    together: Option<Together>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Pages")]
struct PageArgs {
    /// The largest page [default: 2048x2048]
    #[arg(long, value_name = "WxH", value_parser = page_size)]
    page_max: Option<Size>,
    /// Which sides a page may have [default: pow2]
    #[arg(long, value_name = "SHAPE", value_parser = word::<Shape>(), overrides_with = "page_size")]
    page_shape: Option<Shape>,
    /// Sides are multiples of this [default: 1]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=i64::from(LONGEST_SIDE)))]
    page_step: Option<u32>,
    /// The longer side is at most so many times the shorter [default: 2]
    #[arg(long, value_name = "RATIO", value_parser = aspect)]
    page_aspect: Option<f64>,
    /// Fewest pages, or one page more where that saves a tenth of the bytes [default: pages]
    #[arg(long, value_name = "WHAT", value_parser = word::<Prefer>(), hide_possible_values = true)]
    page_prefer: Option<Prefer>,
    /// Exactly this size for every page
    #[arg(long, value_name = "WxH", value_parser = page_size)]
    page_size: Option<Size>,
    /// Exactly so many pages
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..))]
    page_count: Option<u16>,
    /// Empty pixels between neighbouring cells [default: 2]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    gutter: Option<u32>,
    /// Empty pixels along a page's edge [default: 0]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    margin: Option<u32>,
    /// How far outwards the outermost pixels of a box are repeated [default: 1]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    extrude: Option<u32>,
    /// Room for so many mip levels: wide rings, cells and sides aligned [default: 0]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=i64::from(MOST_MIP_LEVELS)))]
    mip_levels: Option<u32>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Sprites")]
struct SpriteArgs {
    /// Only images whose name or path below the root matches; may be given several times
    #[arg(long, value_name = "GLOB")]
    take: Vec<Pattern>,
    /// No images whose name or path matches
    #[arg(long, value_name = "GLOB")]
    leave: Vec<Pattern>,
    /// Store sprites turned by 90 degrees where that saves room
    #[arg(long, overrides_with = "no_turn")]
    turn: bool,
    /// Store all sprites upright (default)
    #[arg(long)]
    no_turn: bool,
    /// Store the visible box only (default)
    #[arg(long, overrides_with = "no_trim")]
    trim: bool,
    /// Store the whole canvas
    #[arg(long)]
    no_trim: bool,
    /// Alpha from which a pixel is visible, 1 to 255 [default: 1]
    #[arg(long, value_name = "ALPHA", value_parser = clap::value_parser!(u8).range(1..))]
    visible_alpha: Option<u8>,
    /// Sprites with equal pixels share one box (default)
    #[arg(long, overrides_with = "no_share_twins")]
    share_twins: bool,
    /// Every sprite has a box of its own
    #[arg(long)]
    no_share_twins: bool,
    /// Spread edge colours under transparent pixels (default)
    #[arg(long, overrides_with = "no_fringe")]
    fringe: bool,
    /// Write colour 0 under transparent pixels
    #[arg(long)]
    no_fringe: bool,
    /// What the colour of half transparent pixels means [default: straight]
    #[arg(long, value_name = "KIND", value_parser = word::<Alpha>(), hide_possible_values = true)]
    alpha: Option<Alpha>,
    /// How the game should sample: nearest or linear [default: nearest]
    #[arg(long, value_name = "HOW", value_parser = word::<Filter>(), hide_possible_values = true)]
    filter: Option<Filter>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Files")]
struct FileArgs {
    /// The format of page files: png, qoi, webp (lossless) or raw [default: png]
    #[arg(long, value_name = "FORMAT", value_parser = word::<PageFormat>(), hide_possible_values = true)]
    pages_as: Option<PageFormat>,
    /// How much work goes into small PNG files: fast, balanced or small [default: balanced]
    #[arg(long, value_name = "EFFORT", value_parser = word::<PngEffort>(), hide_possible_values = true)]
    png: Option<PngEffort>,
    /// How page files are named: plain, or hashed by content [default: plain]
    #[arg(long, value_name = "HOW", value_parser = word::<PageNames>(), hide_possible_values = true)]
    names: Option<PageNames>,
    /// Write beside the descriptor: csv, rust, c or template:FILE; may be given several times
    #[arg(long, value_name = "FORM")]
    also: Vec<Also>,
    /// The same atlas again at another size, as -half=0.5 or -double=2:pixel; may be given several times
    #[arg(long, value_name = "SUFFIX=FACTOR", allow_hyphen_values = true)]
    sizes: Vec<OtherSize>,
}

impl Command {
    fn into_request(self, project: Option<PathBuf>) -> Request {
        match self {
            Self::Demo(args) => Request::Demo(demo::Request { folder: args.dir }),
            Self::Pack(args) => Request::Pack(Box::new(args.into_request(project))),
            Self::Watch(args) => Request::Watch(Box::new(watch::Request {
                settle: Duration::from_millis(args.settle.into()),
                pack: args.pack.into_request(project),
            })),
            Self::Verify(VerifyArgs { descriptor, against }) => {
                Request::Verify(verify::Request { descriptor, against })
            }
            Self::Schema(SchemaArgs { file: SchemaFile::Descriptor }) => Request::Schema(schema::Request::Descriptor),
        }
    }
}

impl PackArgs {
    fn into_request(self, project: Option<PathBuf>) -> pack::Request {
        let mut keys = Keys::default();
        self.layout.apply(&mut keys);
        self.page.apply(&mut keys);
        self.sprite.apply(&mut keys);
        self.file.apply(&mut keys);
        if self.paths.is_empty() {
            keys.root.clone_from(&self.root);
        }
        pack::Request {
            paths: self.paths,
            project,
            root: self.root,
            out: self.out,
            name: self.name,
            keys,
            why: self.why,
            take_best: self.take_best,
            check: self.check,
            fresh: self.fresh,
            keep: self.keep,
        }
    }
}

impl LayoutArgs {
    fn apply(&self, keys: &mut Keys) {
        (keys.layout, keys.effort, keys.together) = (self.layout, self.effort, self.together);
    }
}

impl PageArgs {
    fn apply(&self, keys: &mut Keys) {
        keys.page_max = self.page_max;
        keys.page_shape = self.page_shape;
        keys.page_step = self.page_step;
        keys.page_aspect = self.page_aspect;
        keys.page_prefer = self.page_prefer;
        keys.page_size = self.page_size;
        keys.page_count = self.page_count;
        keys.gutter = self.gutter;
        keys.margin = self.margin;
        keys.extrude = self.extrude;
        keys.mip_levels = self.mip_levels;
    }
}

impl SpriteArgs {
    fn apply(self, keys: &mut Keys) {
        keys.take = said(self.take);
        keys.leave = said(self.leave);
        keys.turn = either(self.turn, self.no_turn);
        keys.trim = either(self.trim, self.no_trim);
        keys.visible_alpha = self.visible_alpha;
        keys.share_twins = either(self.share_twins, self.no_share_twins);
        keys.fringe = either(self.fringe, self.no_fringe);
        keys.alpha = self.alpha;
        keys.filter = self.filter;
    }
}

impl FileArgs {
    fn apply(self, keys: &mut Keys) {
        keys.pages_as = self.pages_as;
        keys.png = self.png;
        keys.names = self.names;
        keys.also = said(self.also);
        keys.sizes = said(self.sizes);
    }
}

/// A list that was given at all.
fn said<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}

/// What a pair of a true and a false option says, of which the later one drops the earlier.
fn either(yes: bool, no: bool) -> Option<bool> {
    (yes || no).then_some(yes)
}

/// Reads one of the words of a key.
fn word<T: Word>() -> impl TypedValueParser<Value = T> {
    let values =
        T::ALL.iter().map(|(word, about, _)| PossibleValue::new(*word).help((!about.is_empty()).then_some(*about)));
    PossibleValuesParser::new(values).try_map(|word| T::of(&word).ok_or("an unknown word"))
}

fn space() -> clap::builder::RangedI64ValueParser<u32> {
    clap::value_parser!(u32).range(0..=i64::from(WIDEST_SPACE))
}

impl MannerArgs {
    fn into_manner(self) -> Manner {
        let colour = match self.color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        let jobs = self.jobs.map_or(0, usize::from);
        Manner { json: self.json, quiet: self.quiet, verbose: self.verbose, colour, jobs }
    }
}

fn atlas_name(text: &str) -> Result<String, String> {
    if Atlas::is_name(text) { Ok(text.to_owned()) } else { Err("a name has only a-z, 0-9, _ and -".into()) }
}

fn page_size(text: &str) -> Result<Size, String> {
    let sides = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    match sides {
        Some((w @ 1..=LONGEST_SIDE, h @ 1..=LONGEST_SIDE)) => Ok(Size::new(w, h)),
        _ => Err(format!("width and height as in 2048x1024, each from 1 to {LONGEST_SIDE}")),
    }
}

fn aspect(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(ratio) if (1.0..=f64::from(LONGEST_SIDE)).contains(&ratio) => Ok(ratio),
        _ => Err(format!("a number from 1 to {LONGEST_SIDE}")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn every_option_is_sound_and_every_command_shows_two_examples() {
        let command = CommandLine::command();
        command.clone().debug_assert();
        for sub in command.get_subcommands() {
            let help = sub.get_after_help().map(ToString::to_string).unwrap_or_default();
            assert_eq!(help.matches("\n  zemtak ").count(), 2, "{}", sub.get_name());
        }
    }

    #[test]
    fn options_left_out_say_nothing() {
        let words = ["zemtak", "pack", "art"].map(OsString::from);
        let Request::Pack(request) = parse(words).unwrap().request else { panic!("it is a pack") };
        assert_eq!(request.keys, Keys::default());
    }

    #[test]
    fn of_a_pair_of_options_the_last_one_counts() {
        let settings = |options: &str| {
            let line = format!("zemtak pack art {options}");
            let Request::Pack(request) = parse(line.split(' ').map(OsString::from)).unwrap().request else {
                panic!("it is a pack")
            };
            request.keys.settle()
        };
        assert!(settings("--no-turn --turn").turn && !settings("--turn --no-turn").turn);
        assert!(settings("--no-trim --trim").treatment.trim && !settings("--trim --no-trim").treatment.trim);
        let twins = settings("--share-twins --no-share-twins").share_twins;
        assert!(!twins && settings("--no-share-twins --share-twins").share_twins);
    }
}
