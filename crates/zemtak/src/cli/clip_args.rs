//! The options of `zemtak clip`.

use super::completions;
use super::values::word;
use crate::commands::clip::frames::{Behind, Look};
use crate::commands::clip::render::Form;
use crate::commands::clip::{ClipRequest, Of, render, terminal};
use crate::{output, values};
use clap::{ArgGroup, Args, Subcommand};
use std::path::PathBuf;
use zemtak_core::clip::Ratio;

#[derive(Debug, Args)]
pub(super) struct ClipArgs {
    #[command(subcommand)]
    what: ClipCommand,
}

#[derive(Debug, Subcommand)]
enum ClipCommand {
    /// List all clips with their steps, lengths and modes, and anything odd about them
    #[command(after_help = "Examples:\n  zemtak clip list build/night.zemtak.json\n  \
        zemtak clip list build/night.zemtak.json --json")]
    List {
        /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
        #[arg(add = completions::atlases())]
        descriptor: PathBuf,
    },
    /// List the steps of a clip with their start and end times
    #[command(after_help = "Examples:\n  zemtak clip table build/night.zemtak.json moth/fly\n  \
        zemtak clip table build/night.zemtak.json lantern/teal --json")]
    Table(OfArgs),
    /// Tell which step is shown at given times, and how often the clip has played
    #[command(after_help = "Examples:\n  zemtak clip at build/night.zemtak.json moth/fly 250ms 1.5s\n  \
        zemtak clip at build/night.zemtak.json moth/fly 10h --speed -0.5")]
    At(AtArgs),
    /// Draw a clip as an animated PNG, a GIF or a strip of its steps, or play it in the terminal
    #[command(after_help = "Examples:\n  zemtak clip render build/night.zemtak.json moth/fly -o moth.png --zoom 3\n  \
        zemtak clip render build/night.zemtak.json moth/fly --terminal")]
    Render(RenderArgs),
}

#[derive(Debug, Args)]
struct OfArgs {
    /// The descriptor, NAME.zemtak.json, or an atlas of the project by name
    #[arg(add = completions::atlases())]
    descriptor: PathBuf,
    /// The clip
    #[arg(add = completions::clips())]
    clip: String,
}

#[derive(Debug, Args)]
struct AtArgs {
    #[command(flatten)]
    of: OfArgs,
    /// Times, such as 1.5s, 250ms, 2h or plain milliseconds
    #[arg(required = true, value_name = "TIME", value_parser = values::time, allow_negative_numbers = true)]
    times: Vec<i64>,
    /// Playback speed: a number or a ratio; 0 stands still, below 0 plays backwards
    #[arg(long, value_name = "FACTOR", value_parser = ratio, allow_hyphen_values = true)]
    speed: Option<Ratio>,
    /// Start position in the clip [default: 0]
    #[arg(long, value_name = "TIME", value_parser = values::time, allow_hyphen_values = true)]
    start: Option<i64>,
}

#[derive(Debug, Args)]
#[command(group(ArgGroup::new("where").required(true)))]
struct RenderArgs {
    #[command(flatten)]
    of: OfArgs,
    /// The file to write: a GIF if its name ends in .gif, else an animated PNG
    #[arg(short, long, value_name = "FILE", group = "where")]
    out: Option<PathBuf>,
    /// Play it in this terminal instead, until it ends or you press Ctrl-C
    #[arg(long, group = "where", conflicts_with_all = ["form", "force", "json"])]
    terminal: bool,
    /// Output format [default: from the file name]
    #[arg(long = "as", value_name = "FORM", value_parser = word::<Form>())]
    form: Option<Form>,
    /// Enlarge each pixel to this many pixels per side
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=32))]
    zoom: u32,
    /// Blend between pixels instead of keeping hard edges
    #[arg(long)]
    smooth: bool,
    /// Background: transparent, checker, or a colour #rrggbb [default: transparent]
    #[arg(long, value_name = "WHAT", value_parser = behind)]
    behind: Option<Behind>,
    /// Playback speed: a number or a ratio; below 0 plays backwards
    #[arg(long, value_name = "FACTOR", value_parser = ratio, allow_hyphen_values = true)]
    speed: Option<Ratio>,
    #[arg(long, help = output::FORCE)]
    force: bool,
}

fn ratio(text: &str) -> Result<Ratio, String> {
    Ratio::parse(text).map_err(|error| error.to_string())
}

fn behind(text: &str) -> Result<Behind, String> {
    match text {
        "transparent" => Ok(Behind::Transparent),
        "checker" => Ok(Behind::Checker),
        colour => values::tint(colour).map(Behind::Colour).map_err(|_| "transparent, checker, or #rrggbb".into()),
    }
}

impl OfArgs {
    fn into_of(self) -> Of {
        Of { descriptor: self.descriptor, clip: self.clip }
    }
}

impl ClipArgs {
    pub(super) fn into_request(self) -> ClipRequest {
        match self.what {
            ClipCommand::List { descriptor } => ClipRequest::List { descriptor },
            ClipCommand::Table(of) => ClipRequest::Table(of.into_of()),
            ClipCommand::At(AtArgs { of, times, speed, start }) => ClipRequest::At {
                of: of.into_of(),
                times,
                speed: speed.unwrap_or(Ratio::ONE),
                start: start.unwrap_or(0),
            },
            ClipCommand::Render(args) => args.into_request(),
        }
    }
}

impl RenderArgs {
    fn into_request(self) -> ClipRequest {
        let look = Look { zoom: self.zoom, smooth: self.smooth, behind: self.behind.unwrap_or(Behind::Transparent) };
        let (of, speed) = (self.of.into_of(), self.speed.unwrap_or(Ratio::ONE));
        let Some(out) = self.out else { return ClipRequest::Play(terminal::PlayRequest { of, look, speed }) };
        let gif = out.extension().is_some_and(|e| e.eq_ignore_ascii_case("gif"));
        let form = self.form.unwrap_or(if gif { Form::Gif } else { Form::Apng });
        ClipRequest::Render(render::RenderRequest { of, out, form, look, speed, force: self.force })
    }
}
