//! `zemtak clip render`: a clip as an animation, or as a strip of its steps.

use super::frames::{Frames, Look, Shown, ends};
use super::{Of, time};
use crate::console::Console;
use crate::descriptor;
use crate::notice::Notice;
use crate::output;
use crate::report::Report;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_core::clip::{Ratio, Timeline, lowest_terms};
use zemtak_core::codec::{EncodeError, Mark, PngEffort, TimedPicture, encode_apng, encode_gif, encode_marked_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// What to draw, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct RenderRequest {
    /// The clip.
    pub of: Of,
    /// The file.
    pub out: PathBuf,
    /// Its format.
    pub form: Form,
    /// How each step is drawn.
    pub look: Look,
    /// Playback speed; below 0 plays backwards.
    pub speed: Ratio,
    /// Replace an existing file.
    pub force: bool,
}

/// An output format.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// An animated PNG.
    Apng,
    /// A GIF.
    Gif,
    /// All steps side by side.
    Strip,
}

/// Refuses a file name whose extension promises another format.
fn check_ending(request: &RenderRequest) -> Result<(), Failure> {
    let endings: &[&str] = if request.form == Form::Gif { &["gif"] } else { &["png", "apng"] };
    let ending = request.out.extension().and_then(|e| e.to_str()).unwrap_or_default().to_lowercase();
    if endings.contains(&ending.as_str()) {
        return Ok(());
    }
    let why = format!("a file of the form {} ends in .{}", request.form.word(), endings.join(" or ."));
    let help = "name the file .png, .apng or .gif, or choose another form with --as";
    Err(Problem::usage(ProblemKind::WrongEnding, &format::path(&request.out), why, help).into())
}

impl Keyword for Form {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("apng", "animated PNG", Self::Apng),
        ("gif", "GIF", Self::Gif),
        ("strip", "all steps side by side in one PNG", Self::Strip),
    ];
}

/// Some players show shorter frames of a GIF for a tenth of a second.
const SHORTEST_IN_GIF: i64 = 2;

/// What was drawn.
pub struct Rendered {
    request: RenderRequest,
    frames: usize,
    size: Size,
    bytes: usize,
    length: i64,
    warnings: Vec<Notice>,
}

/// Draws.
///
/// # Errors
/// The clip cannot be played, its pages cannot be read, or the picture would be too large.
pub fn run(request: &RenderRequest, console: &Console) -> Result<Rendered, Failure> {
    let file = descriptor::open(&request.of.descriptor, console.allowance())?;
    check_ending(request)?;
    let inputs = output::files_of(&request.of.descriptor, &file);
    let kind = ResultKind::Picture(Mark::Clip);
    output::check(&request.out, kind, request.force, inputs.iter().map(PathBuf::as_path))?;
    let how = Shown { look: request.look, speed: request.speed, once_each: request.form == Form::Strip };
    let frames = Frames::of(&file, &request.of, how, console)?;
    let Frames { timeline, order, for_ever, .. } = &frames;
    let mut warnings = Vec::new();
    let shown: Vec<&Pixels> = frames.shown().collect();
    let mut count = order.len();
    let encoded = match request.form {
        Form::Strip => {
            let too_wide = || EncodeError::Codec("it is too wide".into());
            strip(&shown)
                .ok_or_else(too_wide)
                .and_then(|strip| encode_marked_png(&strip, PngEffort::Balanced, Mark::Clip))
        }
        Form::Apng => {
            let seconds = seconds(timeline, order, request.speed);
            let moments: Vec<TimedPicture<'_>> =
                shown.iter().zip(seconds).map(|(pixels, seconds)| TimedPicture { pixels, seconds }).collect();
            encode_apng(&moments, u32::from(!*for_ever))
        }
        Form::Gif => {
            let delays = rounded(timeline, order, request.speed, 10_000_000);
            warnings.extend(odd_frames(&delays));
            let delays = delays.into_iter().map(|delay| u16::try_from(delay).unwrap_or(u16::MAX));
            let moments: Vec<(&Pixels, u16)> = shown.iter().copied().zip(delays).filter(|(_, d)| *d > 0).collect();
            count = moments.len();
            encode_gif(&moments, *for_ever)
        }
    };
    let bytes = encoded.map_err(|error| {
        let help = "ask for a smaller --zoom or another form";
        Problem::not_encoded(&format::path(&request.out), &error, help)
    })?;
    write::prepare(&request.out, &bytes)?.commit()?;
    let size = shown.first().map_or(Size::default(), |picture| picture.size());
    let length = frames.ends().last().copied().unwrap_or(0);
    Ok(Rendered { request: request.clone(), frames: count, size, bytes: bytes.len(), length, warnings })
}

fn strip(pictures: &[&Pixels]) -> Option<Pixels> {
    let size = pictures.first()?.size();
    let width = size.w.checked_mul(u32::try_from(pictures.len()).ok()?)?;
    let mut out = Pixels::transparent(Size::new(width, size.h))?;
    for (i, picture) in pictures.iter().enumerate() {
        for y in 0..size.h {
            let bytes = picture.row(y);
            out.row_mut(y)[i * bytes.len()..][..bytes.len()].copy_from_slice(bytes);
        }
    }
    Some(out)
}

/// Durations in units of a given number of nanoseconds. The end of each step is rounded, not its duration, so that the
/// clip as a whole does not drift.
fn rounded(timeline: &Timeline, order: &[usize], speed: Ratio, unit: i64) -> Vec<i64> {
    let mut before = 0;
    let durations = ends(timeline, order, speed).into_iter().map(|end| {
        let end = end.saturating_add(unit / 2) / unit;
        end - std::mem::replace(&mut before, end)
    });
    durations.collect()
}

/// Durations in seconds as fractions: exact where all of them fit the format, else in milliseconds that do not drift.
fn seconds(timeline: &Timeline, order: &[usize], speed: Ratio) -> Vec<[u16; 2]> {
    let exact = |&turn: &usize| {
        let [num, den] = timeline.length_of(turn);
        let [num, den] = lowest_terms(num * u64::from(speed.den()), den * u64::from(speed.num().unsigned_abs()));
        Some([u16::try_from(num).ok()?, u16::try_from(den).ok()?])
    };
    let exact: Option<Vec<[u16; 2]>> = order.iter().map(exact).collect();
    exact.unwrap_or_else(|| rounded(timeline, order, speed, 1_000_000).into_iter().map(fraction).collect())
}

/// Milliseconds as a fraction of seconds: what takes more than 65.535 s is rounded to larger units, down to the longest
/// time that there is.
fn fraction(ms: i64) -> [u16; 2] {
    let in_units = |per_second: u16| {
        let unit = 1000 / i64::from(per_second);
        Some([u16::try_from(ms.saturating_add(unit / 2) / unit).ok()?, per_second])
    };
    [1000, 100, 10, 1].into_iter().find_map(in_units).unwrap_or([u16::MAX, 1])
}

/// Frames that a GIF cannot show for as long as they should be.
fn odd_frames(delays: &[i64]) -> impl Iterator<Item = Notice> {
    let frames = |odd: &dyn Fn(i64) -> bool, what: &str, rest: &str| {
        let count = delays.iter().filter(|delay| odd(**delay)).count();
        let verb = if count == 1 { "is" } else { "are" };
        (count > 0).then(|| format!("{} {what} {verb} {rest}", format::count(count, "frame", "frames")))
    };
    let short = [
        frames(&|delay| delay == 0, "shorter than 10 ms", "left out"),
        frames(&|delay| (1..SHORTEST_IN_GIF).contains(&delay), "of 10 ms", "shown longer by many players"),
    ];
    let short: Vec<String> = short.into_iter().flatten().collect();
    let short = (!short.is_empty()).then(|| format!("a GIF counts in steps of 10 ms: {}", short.join(", ")));
    // A single frame stays.
    let is_long = |delay| delays.len() > 1 && delay > i64::from(u16::MAX);
    let long = frames(&is_long, "longer than 655.35 s", "cut: a GIF counts no further");
    let notice = |(code, text): (&'static str, Option<String>)| text.map(|text| Notice::of_all(code, text));
    [("short_frames", short), ("long_frames", long)].into_iter().filter_map(notice)
}

impl Report for Rendered {
    fn text(&self, _: bool) -> String {
        let RenderRequest { out, of, form, .. } = &self.request;
        let mut text = format!("{}: {} as {}\n", format::name(&format::path(out)), format::name(&of.clip), form.word());
        let frames = format::count(self.frames, "frame", "frames");
        let bytes = format::bytes(self.bytes as u64);
        let _ = writeln!(text, "  {frames} of {} pixels, {}, {bytes}", self.size, time(self.length));
        text
    }

    fn json(&self) -> Value {
        json!({
            "file": format::path(&self.request.out),
            "clip": self.request.of.clip,
            "frames": self.frames,
            "frame_size": self.size,
            "length_ns": self.length,
            "bytes": self.bytes,
        })
    }

    fn kind(&self) -> &'static str {
        "clip-render"
    }

    fn warnings(&self) -> Vec<Notice> {
        self.warnings.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Once a single step that took longer than the format counts made all others take as long.
    #[test]
    fn a_long_step_is_rounded_and_leaves_the_others_alone() {
        let told = [0, 100, 65_535, 65_536, 132_115, 6_000_000, 6_553_999, 60_000_000, i64::MAX].map(fraction);
        let expected = [
            [0, 1000],
            [100, 1000],
            [65_535, 1000],
            [6554, 100],
            [13_212, 100],
            [60_000, 10],
            [6554, 1],
            [60_000, 1],
            [65_535, 1],
        ];
        assert_eq!(told, expected);
    }
}
