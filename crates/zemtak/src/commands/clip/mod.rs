//! `zemtak clip`: which step is shown when, and what a clip looks like.

pub mod frames;
pub mod render;
pub mod terminal;

use crate::console::Console;
use crate::descriptor;
use crate::notice::Notice;
use crate::report::Report;
use comfy_table::{CellAlignment, Table, presets};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::atlas::{Atlas, Clip};
use zemtak_core::clip::{FOREVER, Finding, Ratio, SECOND, Shown, Timeline, findings};
use zemtak_core::name::ClipName;

/// A question about clips.
#[derive(Debug, Clone, PartialEq)]
pub enum ClipRequest {
    /// All clips of a descriptor.
    List {
        /// The descriptor.
        descriptor: PathBuf,
    },
    /// The steps of a clip with their times.
    Table(Of),
    /// What is shown at given times.
    At {
        /// The clip.
        of: Of,
        /// The times, in nanoseconds.
        times: Vec<i64>,
        /// The playback speed.
        speed: Ratio,
        /// The start position, in nanoseconds of the clip.
        start: i64,
    },
    /// Draw it to a file.
    Render(render::RenderRequest),
    /// Play it in the terminal.
    Play(terminal::PlayRequest),
}

impl ClipRequest {
    /// The descriptor that the request is about.
    pub fn descriptor_mut(&mut self) -> &mut PathBuf {
        match self {
            Self::List { descriptor } => descriptor,
            Self::Table(of) | Self::At { of, .. } => &mut of.descriptor,
            Self::Render(request) => &mut request.of.descriptor,
            Self::Play(request) => &mut request.of.descriptor,
        }
    }
}

/// A clip of a descriptor.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Of {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The clip's name.
    pub clip: String,
}

/// Answers the request.
///
/// # Errors
/// The descriptor cannot be used, there is no such clip, or it cannot be played or drawn.
pub fn run(request: &ClipRequest, console: &Console) -> Result<Box<dyn Report>, Failure> {
    Ok(match request {
        ClipRequest::List { descriptor } => Box::new(list(descriptor, console)?),
        ClipRequest::Table(of) => Box::new(table(of, console)?),
        ClipRequest::At { of, times, speed, start } => Box::new(at(of, times, *speed, *start, console)?),
        ClipRequest::Render(request) => Box::new(render::run(request, console)?),
        ClipRequest::Play(request) => Box::new(terminal::run(request, console)?),
    })
}

/// A clip by name, ready to be played.
fn played<'a>(atlas: &'a Atlas, name: &str) -> Result<(&'a Clip, Timeline), Failure> {
    let Some(clip) = atlas.clips.get(&ClipName::new(name)) else {
        return Err(descriptor::unknown_clip(atlas, name).into());
    };
    Ok((clip, timeline(name, clip)?))
}

fn timeline(name: &str, clip: &Clip) -> Result<Timeline, Problem> {
    Timeline::of(clip).map_err(|error| {
        let help = "give it another rate or durations in the project file, and pack again";
        Problem::bad_input(ProblemKind::UnplayableClip, &format::name(name), error.to_string(), help)
    })
}

/// Exact to the nanosecond: `1.25 s`, `16.683333 ms`.
fn exact_time(nanoseconds: i64) -> String {
    #[expect(clippy::cast_precision_loss, reason = "for people")]
    let ms = nanoseconds as f64 / 1e6;
    if nanoseconds.abs() >= SECOND { format!("{} s", ms / 1e3) } else { format!("{ms} ms") }
}

/// Nanoseconds rounded for reading: `16.7 ms`, `667 ms`, `2,133 ms`, `2 h`; `for ever` for a clip that stands still.
pub(super) fn time(nanoseconds: i64) -> String {
    if nanoseconds >= FOREVER {
        return "for ever".into();
    }
    let sign = if nanoseconds < 0 { "-" } else { "" };
    // Each from the exact time: what is rounded twice is off by one at times.
    let rounded_to = |unit: u64| (nanoseconds.unsigned_abs() + unit / 2) / unit;
    let (tenths, ms) = (rounded_to(100_000), rounded_to(1_000_000));
    match ms {
        _ if tenths < 1000 && !tenths.is_multiple_of(10) => format!("{sign}{}.{} ms", tenths / 10, tenths % 10),
        0..10_000 => format!("{sign}{} ms", format::number(ms)),
        _ if ms.is_multiple_of(3_600_000) => format!("{sign}{} h", format::number(ms / 3_600_000)),
        _ => {
            let part = format!(".{:03}", ms % 1000);
            format!("{sign}{}{} s", format::number(ms / 1000), part.trim_end_matches('0').trim_end_matches('.'))
        }
    }
}

/// All clips.
struct List {
    atlas: String,
    clips: Vec<(String, Clip, Timeline, Vec<Finding>)>,
}

fn list(path: &Path, console: &Console) -> Result<List, Failure> {
    let file = descriptor::open(path, console.allowance())?;
    let atlas = file.atlas();
    let (mut clips, mut problems) = (Vec::new(), Vec::new());
    for (name, clip) in &atlas.clips {
        match timeline(name.as_str(), clip) {
            Ok(timeline) => clips.push((name.to_string(), clip.clone(), timeline, findings(atlas, clip))),
            Err(problem) => problems.push(problem),
        }
    }
    Failure::unless(problems, List { atlas: atlas.name.clone(), clips })
}

impl Report for List {
    fn text(&self, verbose: bool) -> String {
        let mut out = format!("{}: {}\n", self.atlas, format::count(self.clips.len(), "clip", "clips"));
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_header(["clip", "steps", "length", "plays"]);
        for (name, clip, timeline, _) in &self.clips {
            let steps = clip.steps.len().to_string();
            table.add_row([
                format::name(name),
                steps,
                time(timeline.start_of(timeline.turns())),
                super::list::pace(clip),
            ]);
        }
        for column in 1..3 {
            table.column_mut(column).into_iter().for_each(|c| c.set_cell_alignment(CellAlignment::Right));
        }
        if !self.clips.is_empty() {
            table.lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
        }
        if verbose {
            for (name, clip, ..) in &self.clips {
                let steps: Vec<String> = clip.steps.iter().map(|step| step.sprite.to_string()).collect();
                let _ = writeln!(out, "{}: {}", format::name(name), format::name(&steps.join(", ")));
            }
        }
        out
    }

    fn json(&self) -> Value {
        let clip = |(name, clip, timeline, _): &(String, Clip, Timeline, Vec<Finding>)| {
            json!({
                "clip": name,
                "mode": clip.mode,
                "fps": clip.fps,
                "steps": clip.steps,
                "period_ns": timeline.start_of(timeline.turns()),
            })
        };
        json!({ "atlas": self.atlas, "clips": self.clips.iter().map(clip).collect::<Vec<_>>() })
    }

    fn kind(&self) -> &'static str {
        "clip-list"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        self.clips.iter().flat_map(|(name, _, _, findings)| notices(name, findings)).collect()
    }
}

/// What is unusual about a clip.
fn notices(clip: &str, findings: &[Finding]) -> Vec<Notice> {
    let text = |finding: &Finding| format!("{}: {finding}", format::name(clip));
    findings.iter().map(|finding| Notice::about(finding.code(), clip, text(finding))).collect()
}

/// The turns of a clip.
struct Turns {
    name: String,
    clip: Clip,
    timeline: Timeline,
    findings: Vec<Finding>,
}

fn table(of: &Of, console: &Console) -> Result<Turns, Failure> {
    let file = descriptor::open(&of.descriptor, console.allowance())?;
    let (clip, timeline) = played(file.atlas(), &of.clip)?;
    let findings = findings(file.atlas(), clip);
    Ok(Turns { name: of.clip.clone(), clip: clip.clone(), timeline, findings })
}

impl Turns {
    fn turns(&self) -> impl Iterator<Item = (usize, usize, i64, i64)> {
        let span =
            |turn| (turn, self.timeline.step_of(turn), self.timeline.start_of(turn), self.timeline.start_of(turn + 1));
        (0..self.timeline.turns()).map(span)
    }
}

impl Report for Turns {
    fn text(&self, _: bool) -> String {
        let length = time(self.timeline.start_of(self.timeline.turns()));
        let pace = super::list::pace(&self.clip);
        let mut out = format!("{}: {pace}, {length}\n", format::name(&self.name));
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_header(["step", "from", "to", "sprite", "events"]);
        for (_, step, from, to) in self.turns() {
            let shown = &self.clip.steps[step];
            let events = format::name(&shown.events.join(", "));
            table.add_row([step.to_string(), time(from), time(to), format::name(shown.sprite.as_str()), events]);
        }
        for column in 0..3 {
            table.column_mut(column).into_iter().for_each(|c| c.set_cell_alignment(CellAlignment::Right));
        }
        table.lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
        out
    }

    fn json(&self) -> Value {
        let turn = |(_, step, from, to): (usize, usize, i64, i64)| {
            let shown = &self.clip.steps[step];
            let to = (to < FOREVER).then_some(to);
            json!({ "step": step, "sprite": shown.sprite, "from_ns": from, "to_ns": to, "events": shown.events })
        };
        json!({
            "clip": self.name,
            "mode": self.clip.mode,
            "turns": self.turns().map(turn).collect::<Vec<_>>(),
        })
    }

    fn kind(&self) -> &'static str {
        "clip-table"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        notices(&self.name, &self.findings)
    }
}

/// What is shown at given times.
struct At {
    name: String,
    /// Time, what is shown, and its sprite.
    shown: Vec<(i64, Shown, String)>,
}

fn at(of: &Of, times: &[i64], speed: Ratio, start: i64, console: &Console) -> Result<At, Failure> {
    let file = descriptor::open(&of.descriptor, console.allowance())?;
    let (clip, timeline) = played(file.atlas(), &of.clip)?;
    let shown = times.iter().map(|&time| {
        let shown = timeline.at_speed(time, speed, start);
        (time, shown, clip.steps[shown.step].sprite.to_string())
    });
    Ok(At { name: of.clip.clone(), shown: shown.collect() })
}

impl Report for At {
    fn text(&self, _: bool) -> String {
        let mut out = String::new();
        for (at, shown, sprite) in &self.shown {
            let times =
                format::count(usize::try_from(shown.played.unsigned_abs()).unwrap_or(usize::MAX), "time", "times");
            let played = match (shown.played, shown.ended) {
                (_, true) => "it has ended".to_owned(),
                (0.., _) => format!("played {times}"),
                (_, _) => format!("{times} before the beginning"),
            };
            let _ = writeln!(out, "{}: step {}, {}, {played}", exact_time(*at), shown.step, format::name(sprite));
        }
        out
    }

    fn kind(&self) -> &'static str {
        "clip-at"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn json(&self) -> Value {
        let shown = |(time, shown, sprite): &(i64, Shown, String)| {
            json!({
                "time_ns": time, "step": shown.step, "sprite": sprite, "played": shown.played, "ended": shown.ended,
            })
        };
        json!({ "clip": self.name, "at": self.shown.iter().map(shown).collect::<Vec<_>>() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_have_the_digits_that_people_read() {
        let told = [0, 1, 49_999, 50_000, 16_683_333, 80_000_000, 99_960_000, 666_666_667, 2_133_333_334, -5_000_000];
        let expected = ["0 ms", "0 ms", "0 ms", "0.1 ms", "16.7 ms", "80 ms", "100 ms", "667 ms", "2,133 ms", "-5 ms"];
        assert_eq!(told.map(time), expected);
        assert_eq!(
            [10_000_000_000, 12_345_600_000, 7_200 * SECOND, FOREVER].map(time),
            ["10 s", "12.346 s", "2 h", "for ever"]
        );
        assert_eq!([16_683_333, 36_000 * SECOND].map(exact_time), ["16.683333 ms", "36000 s"]);
    }
}
