//! The command line: what clap reads, turned into a typed request. No other module knows clap.

use crate::answer::Manner;
use crate::commands::{Request, demo, pack, schema, verify};
use crate::exit::Exit;
use crate::settings::AtlasSettings;
use anstream::ColorChoice;
use clap::{Args, Parser, Subcommand, ValueEnum};
use serde_json::json;
use std::ffi::OsString;
use std::path::PathBuf;
use zemtak_core::atlas::Atlas;
use zemtak_core::codec::PngEffort;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, Effort, LONGEST_SIDE, Prefer, Shape};

/// The largest gutter, margin or ring that can be asked for, in pixels.
const WIDEST_SPACE: i64 = 4096;

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
    Ok(Invocation { request: parsed.command.into_request(), manner: parsed.manner.into_manner() })
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
    #[command(after_help = "Examples:\n  zemtak pack art -o build --name night\n  \
        zemtak pack art/moth art/lantern --root art -o build --page-shape free --turn")]
    Pack(Box<PackArgs>),
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
struct PackArgs {
    /// Folders and image files
    #[arg(required = true, value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// The folder for descriptor and pages
    #[arg(short, long, value_name = "DIR", default_value = "build")]
    out: PathBuf,
    /// The atlas's name: a-z 0-9 _ - [default: that of the one folder, else "atlas"]
    #[arg(long, value_parser = atlas_name)]
    name: Option<String>,
    /// What names are relative to [default: the one folder, else the common parent]
    #[arg(long, value_name = "DIR")]
    root: Option<PathBuf>,
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
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Layout")]
struct LayoutArgs {
    /// How boxes are arranged
    #[arg(long, value_name = "HOW", default_value = "dense")]
    layout: ArrangementArg,
    /// How much work the search for a denser layout may do: about 0.1, 1 or 10 seconds for 1,000 sprites
    #[arg(long, value_name = "WORK", default_value = "quick")]
    effort: EffortArg,
    /// What goes on one page together: nothing, or all steps of a clip
    #[arg(long, value_name = "WHAT", default_value = "none", hide_possible_values = true)]
    together: TogetherArg,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum ArrangementArg {
    /// As small as can be, in any order
    Dense,
    /// Equal cells the size of the largest canvas, row by row, in the order of names
    Grid,
    /// Such cells in one row; the page's aspect does not apply
    Row,
    /// Such cells in one column; the page's aspect does not apply
    Column,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum EffortArg {
    Quick,
    Normal,
    High,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum TogetherArg {
    None,
    Clip,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Pages")]
struct PageArgs {
    /// The largest page
    #[arg(long, value_name = "WxH", value_parser = page_size, default_value = "2048x2048")]
    page_max: Size,
    /// Which sides a page may have
    #[arg(long, value_name = "SHAPE", default_value = "pow2", overrides_with = "page_size")]
    page_shape: ShapeArg,
    /// Sides are multiples of this
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=i64::from(LONGEST_SIDE)))]
    page_step: u32,
    /// The longer side is at most so many times the shorter
    #[arg(long, value_name = "RATIO", default_value_t = 2.0, value_parser = aspect)]
    page_aspect: f64,
    /// Fewest pages, or one page more where that saves a tenth of the bytes
    #[arg(long, value_name = "WHAT", default_value = "pages")]
    page_prefer: PreferArg,
    /// Exactly this size for every page
    #[arg(long, value_name = "WxH", value_parser = page_size)]
    page_size: Option<Size>,
    /// Exactly so many pages
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..))]
    page_count: Option<u16>,
    /// Empty pixels between neighbouring cells
    #[arg(long, value_name = "PIXELS", default_value_t = 2, value_parser = clap::value_parser!(u32).range(0..=WIDEST_SPACE))]
    gutter: u32,
    /// Empty pixels along a page's edge
    #[arg(long, value_name = "PIXELS", default_value_t = 0, value_parser = clap::value_parser!(u32).range(0..=WIDEST_SPACE))]
    margin: u32,
    /// How far outwards the outermost pixels of a box are repeated
    #[arg(long, value_name = "PIXELS", default_value_t = 1, value_parser = clap::value_parser!(u32).range(0..=WIDEST_SPACE))]
    extrude: u32,
    /// How much work goes into small page files: fast, balanced or small
    #[arg(long, value_name = "EFFORT", default_value = "balanced", hide_possible_values = true)]
    png: PngArg,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Sprites")]
struct SpriteArgs {
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
    /// Alpha from which a pixel is visible, 1 to 255
    #[arg(long, value_name = "ALPHA", default_value_t = 1, value_parser = clap::value_parser!(u8).range(1..))]
    visible_alpha: u8,
    /// Sprites with equal pixels share one box (default)
    #[arg(long, overrides_with = "no_share_twins")]
    share_twins: bool,
    /// Every sprite has a box of its own
    #[arg(long)]
    no_share_twins: bool,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum ShapeArg {
    /// Any whole sides
    Free,
    /// Sides that are powers of two
    Pow2,
    /// Equal sides
    Square,
    /// Equal sides that are powers of two
    Pow2Square,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum PreferArg {
    Pages,
    Bytes,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum PngArg {
    Fast,
    Balanced,
    Small,
}

impl Command {
    fn into_request(self) -> Request {
        match self {
            Self::Demo(args) => Request::Demo(demo::Request { folder: args.dir }),
            Self::Pack(args) => Request::Pack(args.into_request()),
            Self::Verify(VerifyArgs { descriptor, against }) => {
                Request::Verify(verify::Request { descriptor, against })
            }
            Self::Schema(SchemaArgs { file: SchemaFile::Descriptor }) => Request::Schema(schema::Request::Descriptor),
        }
    }
}

impl PackArgs {
    fn into_request(self) -> pack::Request {
        let mut settings = AtlasSettings::default();
        self.layout.apply(&mut settings);
        self.page.apply(&mut settings);
        self.sprite.apply(&mut settings);
        pack::Request {
            paths: self.paths,
            root: self.root,
            out: self.out,
            name: self.name,
            settings,
            why: self.why,
            take_best: self.take_best,
        }
    }
}

impl LayoutArgs {
    fn apply(&self, settings: &mut AtlasSettings) {
        settings.layout = match self.layout {
            ArrangementArg::Dense => Arrangement::Dense,
            ArrangementArg::Grid => Arrangement::Grid,
            ArrangementArg::Row => Arrangement::Row,
            ArrangementArg::Column => Arrangement::Column,
        };
        settings.effort = match self.effort {
            EffortArg::Quick => Effort::Quick,
            EffortArg::Normal => Effort::Normal,
            EffortArg::High => Effort::High,
        };
        settings.together = matches!(self.together, TogetherArg::Clip);
    }
}

impl PageArgs {
    fn apply(&self, settings: &mut AtlasSettings) {
        let page = &mut settings.page;
        page.max = self.page_max;
        page.shape = match self.page_shape {
            ShapeArg::Free => Shape::Free,
            ShapeArg::Pow2 => Shape::Pow2,
            ShapeArg::Square => Shape::Square,
            ShapeArg::Pow2Square => Shape::Pow2Square,
        };
        page.step = self.page_step;
        page.aspect = self.page_aspect;
        page.prefer = match self.page_prefer {
            PreferArg::Pages => Prefer::Pages,
            PreferArg::Bytes => Prefer::Bytes,
        };
        page.fixed = self.page_size;
        page.count = self.page_count.map(usize::from);
        settings.spacing.gutter = self.gutter;
        settings.spacing.margin = self.margin;
        settings.spacing.extrude = self.extrude;
        settings.png = match self.png {
            PngArg::Fast => PngEffort::Fast,
            PngArg::Balanced => PngEffort::Balanced,
            PngArg::Small => PngEffort::Small,
        };
    }
}

impl SpriteArgs {
    fn apply(&self, settings: &mut AtlasSettings) {
        settings.turn = self.turn;
        settings.treatment.trim = !self.no_trim;
        settings.treatment.visible_alpha = self.visible_alpha;
        settings.share_twins = !self.no_share_twins;
    }
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
    fn options_left_out_are_the_defaults_of_the_settings() {
        let words = ["zemtak", "pack", "art"].map(OsString::from);
        let Request::Pack(request) = parse(words).unwrap().request else { panic!("it is a pack") };
        assert_eq!(request.settings, AtlasSettings::default());
    }

    #[test]
    fn of_a_pair_of_options_the_last_one_counts() {
        let settings = |options: &str| {
            let line = format!("zemtak pack art {options}");
            let Request::Pack(request) = parse(line.split(' ').map(OsString::from)).unwrap().request else {
                panic!("it is a pack")
            };
            request.settings
        };
        assert!(settings("--no-turn --turn").turn && !settings("--turn --no-turn").turn);
        assert!(settings("--no-trim --trim").treatment.trim && !settings("--trim --no-trim").treatment.trim);
        let twins = settings("--share-twins --no-share-twins").share_twins;
        assert!(!twins && settings("--no-share-twins --share-twins").share_twins);
    }
}
