//! The command line: what clap parses, turned into a typed request. No other module knows clap.

mod cache_args;
mod clip_args;
mod completions;
mod coords_args;
mod diff_args;
mod export_args;
mod limit_args;
mod mips_args;
mod pack_args;
mod scan_args;
mod sheet_args;
mod store_args;
mod usage;
mod values;
mod view_args;

use crate::commands::{Request, demo, new, reader, schema, setup, verify};
use crate::exit::Exit;
use crate::progress::ProgressStyle;
use crate::report::{OutputOptions, written_or};
use anstream::ColorChoice;
use cache_args::CacheArgs;
use clap::builder::{PossibleValue, PossibleValuesParser};
use clap::error::ErrorKind;
use clap::{Args, CommandFactory, FromArgMatches, Parser, Subcommand, ValueEnum};
use clip_args::ClipArgs;
pub use completions::complete;
use coords_args::{QuadArgs, UvArgs};
use diff_args::DiffArgs;
use export_args::ExportArgs;
use limit_args::LimitArgs;
use mips_args::MipsArgs;
use pack_args::{PackArgs, PlanArgs, WatchArgs};
use scan_args::ScanArgs;
use sheet_args::{CutArgs, DescribeArgs, GridArgs, ListArgs, PatternArgs};
use std::ffi::OsString;
use std::path::PathBuf;
use store_args::StoreArgs;
use view_args::ViewArgs;
use zemtak_build::settings::MOST_MIP_LEVELS;
use zemtak_build::{Failure, Limits};

/// A parsed command line.
#[derive(Debug, Clone, PartialEq)]
pub struct Invocation {
    /// What is asked for.
    pub request: Request,
    /// How the answer is shown.
    pub output: OutputOptions,
    /// The number of threads; 0 for one per core.
    pub threads: usize,
    /// The project file that was named.
    pub project: Option<PathBuf>,
    /// The folder to work in.
    pub folder: Option<PathBuf>,
    /// The limits of the run.
    pub limits: Limits,
}

/// Help, a version, or an error in a command line.
#[derive(Debug)]
pub struct Message {
    error: clap::Error,
    json: bool,
}

impl Message {
    /// Prints it to the right stream and returns the exit code.
    #[must_use]
    pub fn print(&self) -> Exit {
        let exit = if self.error.use_stderr() { Exit::Usage } else { Exit::Done };
        let asks_for_help = self.error.kind() == ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand;
        if exit == Exit::Done || (asks_for_help && !self.json) {
            return written_or(self.error.print(), exit);
        }
        let failure = usage::failure(&self.error);
        OutputOptions { json: self.json, ..OutputOptions::default() }.print_failure(&failure)
    }

    /// The error, if it is neither help nor a version.
    #[must_use]
    pub fn failure(&self) -> Failure {
        usage::failure(&self.error)
    }
}

/// Reads a command line, the program's name first.
///
/// # Errors
/// An error in it, or the help that it asks for.
pub fn parse(words: impl IntoIterator<Item = OsString>) -> Result<Invocation, Message> {
    let words = negative_times(words.into_iter().collect());
    let json = words.iter().any(|w| w == "--json");
    let parsed = command()
        .try_get_matches_from(words)
        .and_then(|matches| CommandLine::from_arg_matches(&matches))
        .map_err(|error| Message { error, json })?;
    // What runs until Ctrl-C is followed line by line.
    let events = match &parsed.command {
        Command::Watch(_) => true,
        Command::View(args) => args.is_live(),
        _ => false,
    };
    Ok(Invocation {
        output: OutputOptions { events, ..parsed.global.output() },
        threads: parsed.global.jobs.map_or(0, usize::from),
        request: parsed.command.into_request(parsed.global.project.clone()),
        project: parsed.global.project,
        folder: parsed.global.folder,
        limits: parsed.global.limits.limits(),
    })
}

/// The order of a command's help: its purpose, examples, arguments, exit codes.
const HELP: &str = "{about}{after-help}\n\n{usage-heading} {usage}\n\n{all-args}\n\n\
    Exit codes: 0 done, 1 a check found something, 2 wrong usage or project file,\n\
    \u{20} 3 a bad image or descriptor, or a sprite that cannot fit, 4 reading or writing failed, 130 interrupted\n";

/// All commands, for parsing, help and completion.
fn command() -> clap::Command {
    fn completed(command: clap::Command) -> clap::Command {
        let names: Vec<String> = command.get_subcommands().map(|sub| sub.get_name().to_owned()).collect();
        let command =
            if command.get_after_help().is_some() && names.is_empty() { command.help_template(HELP) } else { command };
        // A negative number after an option is its value, and out of range: never an option that does not exist.
        let command = command.mut_args(|arg| {
            let takes = !arg.is_positional() && arg.get_action().takes_values();
            if takes { arg.allow_negative_numbers(true) } else { arg }
        });
        names.iter().fold(command, |command, name| command.mut_subcommand(name, completed))
    }
    completed(CommandLine::command())
}

/// Rewrites negative times of `clip at`, such as `-5ms`, as plain milliseconds: with a unit the parser takes them for
/// options.
fn negative_times(mut words: Vec<OsString>) -> Vec<OsString> {
    let asks = words.windows(2).position(|pair| pair[0] == "clip" && pair[1] == "at");
    for at in asks.map_or(words.len(), |asks| asks + 2)..words.len() {
        let is_time = |text: &&str| text.starts_with('-') && text.ends_with(|c: char| c.is_ascii_lowercase());
        // A word after an option is its value, not a time.
        let is_value = words[at - 1].to_str().is_some_and(|before| before.starts_with("--"));
        let time = words[at].to_str().filter(is_time).and_then(|text| crate::values::time(text).ok());
        if let Some(ns) = time.filter(|_| !is_value) {
            words[at] = format!("-{}.{:06}", ns.unsigned_abs() / 1_000_000, ns.unsigned_abs() % 1_000_000).into();
        }
    }
    words
}

/// Packs loose sprites into texture pages and answers everything between a packed page and the screen.
#[derive(Debug, Parser)]
#[command(name = "zemtak", version, max_term_width = 100, propagate_version = true, subcommand_required = true)]
#[command(after_help = "Try it: zemtak demo")]
struct CommandLine {
    #[command(subcommand)]
    command: Command,
    #[command(flatten)]
    global: GlobalArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Everywhere")]
struct GlobalArgs {
    /// Print one JSON document, errors too
    #[arg(long, global = true)]
    json: bool,
    /// Print only errors, what a check found, and what was asked for
    #[arg(short, long, global = true)]
    quiet: bool,
    /// Print lists in full; -vv also logs each phase to standard error, -vvv each step for each file
    #[arg(short, long, global = true, action = clap::ArgAction::Count)]
    verbose: u8,
    /// How to report progress on standard error: bars on a terminal, one JSON document per line, or not at all
    #[arg(long, global = true, value_name = "HOW", default_value = "auto", hide_possible_values = true)]
    progress: Progress,
    /// When to use colour; NO_COLOR is respected
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    color: When,
    /// The project file or its folder [default: the nearest zemtak.toml, here or above]
    #[arg(long, global = true, value_name = "FILE")]
    project: Option<PathBuf>,
    /// Work as if started in this folder
    #[arg(short = 'C', long = "folder", global = true, value_name = "DIR")]
    folder: Option<PathBuf>,
    /// Number of worker threads [default: one per core]
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    jobs: Option<u16>,
    #[command(flatten)]
    limits: LimitArgs,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Progress {
    Auto,
    Json,
    None,
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
    /// Write a first project file for a folder of images, with comments
    ///
    /// Looks at every image in the folder and proposes settings: which folders make an atlas, whether it is pixel art
    /// or smooth art, which clips there are. Comments in the file give the reason for each. Edit it as you like.
    #[command(after_help = "Examples:\n  zemtak new\n  zemtak new games/moth-courier")]
    New(NewArgs),
    /// Look at images before packing: contents, problems, and what packing would save
    ///
    /// Findings are grouped by kind, with advice for each. Without folders it looks at those of the project's atlases,
    /// or else at the current folder. Writes nothing but the picture of --png.
    #[command(after_help = "Examples:\n  zemtak scan art\n  zemtak scan art --strict --png art.png")]
    Scan(ScanArgs),
    /// Pack sprites into texture pages and write the descriptor
    ///
    /// Every image in the given folders becomes a sprite, named by its path without extension. Together they make one
    /// atlas: NAME.zemtak.json with pages NAME-0.png, NAME-1.png ... Images are recognised by content; other files are
    /// skipped. Without folders, pack builds those atlases of the project file zemtak.toml that are out of date.
    #[command(after_help = "Examples:\n  zemtak pack\n  \
        zemtak pack art/moth art/lantern --root art -o build --name night --page-shape free --turn")]
    Pack(Box<PackArgs>),
    /// Split a build into shares for several machines, and list what each contains
    ///
    /// Each machine then runs pack --share with its number, which puts its results into the shared store; a final plain
    /// pack takes them from there. For build systems, --json lists each unit of work with its inputs, a hash of
    /// everything it depends on, and whether the store has it.
    #[command(after_help = "Examples:\n  zemtak plan\n  zemtak plan --shares 16 --json")]
    Plan(Box<PlanArgs>),
    /// Inspect, trim and check the stores of what is kept between builds, local and shared
    #[command(after_help = "Examples:\n  zemtak store info\n  zemtak store trim --max-size 20GiB --max-age 30")]
    Store(StoreArgs),
    /// Pack now, and again whenever something changes
    ///
    /// Takes the options of pack; --png is fast by default, whatever the project file says. After an error it keeps
    /// watching, and the last good build stays in place. With --json it prints one document per line. Stop it with
    /// Ctrl-C.
    #[command(after_help = "Examples:\n  zemtak watch --view\n  zemtak watch art -o build --name night --settle 200")]
    Watch(Box<WatchArgs>),
    /// Check an atlas: files, numbers, gutters, and every pixel against its source
    ///
    /// Lists what is wrong, and then exits with 1.
    #[command(after_help = "Examples:\n  zemtak verify build/night.zemtak.json\n  \
        zemtak verify build/night.zemtak.json --against art")]
    Verify(VerifyArgs),
    /// Look at an atlas: a page for a browser, or a picture of its pages or sprites
    ///
    /// The page for a browser is one file that works offline: zoom, layers, search, values, playing clips, setting
    /// pivots by eye. With --live it is served on this machine and updated after each build.
    #[command(
        after_help = "Examples:\n  zemtak view build/night.zemtak.json --html night.html\n  zemtak view scene --live"
    )]
    View(ViewArgs),
    /// Find sprites that bleed into each other, and down to which mip level each is clean
    ///
    /// Samples every box along its edges at each level, as a graphics card does, and compares that with levels made of
    /// the sprite alone. Options that would help are tried before they are suggested.
    #[command(
        after_help = "Examples:\n  zemtak mips build/night.zemtak.json\n  zemtak mips scene --levels 4 --png levels.png"
    )]
    Mips(MipsArgs),
    /// Write a packed atlas in another format, without packing it again
    ///
    /// Pages in another format come with a descriptor of their own; boxes do not move, so UVs stay the same. Raw pages
    /// come with NAME.raw.json, which describes how their rows are stored.
    #[command(after_help = "Examples:\n  zemtak export scene --as ktx2 --pixels bc7 -o gpu\n  \
        zemtak export build/night.zemtak.json --as raw --channels bgra --row-align 256")]
    Export(ExportArgs),
    /// Show what a repack changed: sprites, clips, pages, and what players download again
    ///
    /// Exits with 1 if anything differs. Colour under fully transparent pixels does not count.
    #[command(after_help = "Examples:\n  zemtak diff released/night.zemtak.json build/night.zemtak.json\n  \
        zemtak diff old/scene.zemtak.json scene --html changed.html")]
    Diff(DiffArgs),
    /// Compute texture coordinates of sprites and their parts, in the form your game needs
    ///
    /// For sprites of a descriptor, or for a box given in numbers. Corners are those of the upright picture, even if it
    /// is stored turned. A part is cut off where none of its pixels are stored, with a note.
    #[command(after_help = "Examples:\n  zemtak uv build/night.zemtak.json moth/fly/03 --as corners --v-up\n  \
        zemtak uv --page 512x256 --box 34,2,28,30 --flip x --as matrix")]
    Uv(UvArgs),
    /// Compute the vertices and indices that draw sprites
    ///
    /// The pivot goes to --at, and the sprite is scaled, mirrored and turned about it. Triangles go clockwise as seen.
    #[command(
        after_help = "Examples:\n  zemtak quad build/night.zemtak.json moth/fly/03 --at 120,64 --angle 15 --fit 64x64\n  \
        zemtak quad build/night.zemtak.json --list placements.csv --as buffer -o night.vertices"
    )]
    Quad(Box<QuadArgs>),
    /// Find cells of a regular sheet by number, pixel or texture coordinate
    ///
    /// Cells are numbered from 0, left to right, then top to bottom.
    #[command(mut_group("how", |how| how.required(true)))]
    #[command(after_help = "Examples:\n  zemtak grid 512x256 --cell 32x32 --index 17\n  \
        zemtak grid 100x40 --cells 5x2 --margin 2 --gutter 2 --uv 0.5,0.25")]
    Grid(GridArgs),
    /// Cut a sheet back into sprites: by grid, by islands of visible pixels, or by a descriptor
    ///
    /// Islands are numbered in reading order. Cutting a packed atlas by its descriptor restores the sources pixel for
    /// pixel, except for colour under fully transparent pixels.
    #[command(after_help = "Examples:\n  zemtak cut moth-sheet.png --cell 32x32 --names fly_{index} -o art/moth\n  \
        zemtak cut build/night.zemtak.json -o back")]
    Cut(CutArgs),
    /// Draw a test texture that shows sampling errors at a glance
    #[command(after_help = "Examples:\n  zemtak pattern 512x256 --kind cells\n  \
        zemtak pattern 100x60 --kind checker -o blur.png")]
    Pattern(PatternArgs),
    /// List clips, tell which step is shown when, and draw them
    #[command(after_help = "Examples:\n  zemtak clip at build/night.zemtak.json moth/fly 250ms\n  \
        zemtak clip render build/night.zemtak.json moth/fly -o moth.png --zoom 3")]
    Clip(ClipArgs),
    /// Rehearse how a game uses the resource cache, before the game exists
    #[command(after_help = "Examples:\n  zemtak cache rehearse scenes.toml\n  \
        zemtak cache rehearse scenes.toml --png scenes.png --strict")]
    Cache(CacheArgs),
    /// List the sprites and clips of a descriptor
    #[command(after_help = "Examples:\n  zemtak list build/night.zemtak.json\n  \
        zemtak list build/night.zemtak.json 'moth/**'")]
    List(ListArgs),
    /// Show every value of a sprite on one screen
    #[command(after_help = "Examples:\n  zemtak describe build/night.zemtak.json moth/fly/03\n  \
        zemtak describe build/night.zemtak.json emblem --json")]
    Describe(DescribeArgs),
    /// Install completions for bash, fish and zsh, and manual pages
    ///
    /// They go below PREFIX/share, where shells and man look for them. Names of atlases, sprites and clips are
    /// completed too.
    #[command(after_help = "Examples:\n  zemtak setup\n  zemtak setup --prefix /usr/local")]
    Setup(SetupArgs),
    /// Print a source file that reads descriptors in a game's language
    ///
    /// It also computes quads and plays clips, and needs nothing but the language itself. Anyone may use and change it;
    /// docs/languages.md shows how.
    #[command(after_help = "Examples:\n  zemtak reader c > zemtak_reader.h\n  zemtak reader python > zemtak_reader.py")]
    Reader(ReaderArgs),
    /// Print the JSON Schema of the descriptor, or of an answer with --json
    #[command(after_help = "Examples:\n  zemtak schema descriptor\n  zemtak schema pack > pack.schema.json")]
    Schema(SchemaArgs),
}

#[derive(Debug, Args)]
struct DemoArgs {
    /// Where to write it
    #[arg(default_value = "moth-courier")]
    dir: PathBuf,
}

#[derive(Debug, Args)]
struct NewArgs {
    /// The project's folder, which holds the images
    #[arg(default_value = ".")]
    dir: PathBuf,
}

#[derive(Debug, Args)]
struct VerifyArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// The folder of the sources, which sprite names are relative to
    #[arg(long, value_name = "ROOT")]
    against: Option<PathBuf>,
    /// Also check that no sprite bleeds down to this mip level: that no sample of it takes in a neighbour
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=i64::from(MOST_MIP_LEVELS)))]
    mips: Option<u32>,
}

#[derive(Debug, Args)]
struct SetupArgs {
    /// The folder that share lies in [default: .local in the home folder]
    #[arg(long, value_name = "PREFIX")]
    prefix: Option<PathBuf>,
    #[arg(long, help = crate::output::FORCE)]
    force: bool,
}

#[derive(Debug, Args)]
struct ReaderArgs {
    /// The language of the game
    #[arg(value_parser = PossibleValuesParser::new(reader::languages().map(|(name, aliases)| PossibleValue::new(name).aliases(aliases))))]
    language: String,
}

#[derive(Debug, Args)]
struct SchemaArgs {
    /// The descriptor, or the kind of an answer
    #[arg(value_name = "NAME", value_parser = PossibleValuesParser::new(schema::names()))]
    name: String,
}

impl Command {
    fn into_request(self, project: Option<PathBuf>) -> Request {
        match self {
            Self::Demo(args) => Request::Demo(demo::DemoRequest { folder: args.dir }),
            Self::New(args) => Request::New(new::NewRequest { folder: args.dir }),
            Self::Scan(args) => Request::Scan(Box::new(args.into_request(project))),
            Self::Pack(args) => args.into_request(project),
            Self::Plan(args) => Request::Plan(Box::new(args.into_request(project))),
            Self::Store(args) => Request::Store(args.into_request(project)),
            Self::Watch(args) => Request::Watch(Box::new(args.into_request(project))),
            Self::Verify(VerifyArgs { descriptor, against, mips }) => {
                Request::Verify(verify::VerifyRequest { descriptor, against, project, mips })
            }
            Self::View(args) => Request::View(args.into_request(project)),
            Self::Export(args) => Request::Export(args.into_request()),
            Self::Mips(args) => Request::Mips(args.into_request()),
            Self::Diff(args) => Request::Diff(args.into_request()),
            Self::Uv(args) => Request::Uv(args.into_request()),
            Self::Quad(args) => Request::Quad(Box::new(args.into_request())),
            Self::Grid(args) => Request::Grid(args.into_request()),
            Self::Cut(args) => Request::Cut(args.into_request()),
            Self::Pattern(args) => Request::Pattern(args.into_request()),
            Self::Clip(args) => Request::Clip(args.into_request()),
            Self::Cache(args) => Request::Rehearse(args.into_request()),
            Self::List(args) => Request::List(args.into_request()),
            Self::Describe(args) => Request::Describe(args.into_request()),
            Self::Setup(SetupArgs { prefix, force }) => {
                Request::Setup(setup::SetupRequest { prefix, files: completions::files(), force })
            }
            Self::Reader(ReaderArgs { language }) => Request::Reader(reader::ReaderRequest { language }),
            Self::Schema(SchemaArgs { name }) => Request::Schema(schema::SchemaRequest { name }),
        }
    }
}

impl GlobalArgs {
    fn output(&self) -> OutputOptions {
        let colour = match self.color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        let verbose = self.verbose > 0;
        let progress = match self.progress {
            Progress::Auto => ProgressStyle::Auto,
            Progress::Json => ProgressStyle::Json,
            Progress::None => ProgressStyle::None,
        };
        OutputOptions {
            json: self.json,
            events: false,
            progress,
            quiet: self.quiet,
            verbose,
            log: self.verbose.saturating_sub(1),
            colour,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use zemtak_build::settings::Keys;

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
        assert_eq!(request.pack.keys, Keys::default());
    }

    #[test]
    fn of_a_pair_of_options_the_last_one_counts() {
        let settings = |options: &str| {
            let line = format!("zemtak pack art {options}");
            let Request::Pack(request) = parse(line.split(' ').map(OsString::from)).unwrap().request else {
                panic!("it is a pack")
            };
            request.pack.keys.settle()
        };
        assert!(settings("--no-turn --turn").turn && !settings("--turn --no-turn").turn);
        assert!(settings("--no-trim --trim").treatment.trim && !settings("--trim --no-trim").treatment.trim);
        let twins = settings("--share-twins --no-share-twins").share_twins;
        assert!(!twins && settings("--no-share-twins --share-twins").share_twins);
    }
}
