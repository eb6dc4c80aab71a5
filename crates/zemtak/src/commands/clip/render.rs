//! `zemtak clip render`: a clip as a moving picture, or as a strip of its steps.

use super::{Of, played, time};
use crate::descriptor;
use crate::notice::Notice;
use crate::output;
use crate::report::Report;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_core::atlas::{Alpha, Atlas, Clip, Mode, Sprite};
use zemtak_core::clip::{Ratio, Timeline, common, lowest_terms};
use zemtak_core::codec::{EncodeError, Mark, PngEffort, TimedPicture, encode_apng, encode_gif, encode_marked_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::prepare::straighten;
use zemtak_core::resample::{Factor, Resample, Scale, resample};
use zemtak_runtime::{AtlasFile, HashCheck};

/// What to draw, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct RenderRequest {
    /// Which clip.
    pub of: Of,
    /// The file.
    pub out: PathBuf,
    /// In which form.
    pub form: Form,
    /// How many pixels a side a pixel takes.
    pub zoom: u32,
    /// Blend between pixels instead of keeping them hard.
    pub smooth: bool,
    /// What lies behind it.
    pub behind: Behind,
    /// How fast it plays; below 0 backwards.
    pub speed: Ratio,
    /// Replace whatever is there.
    pub force: bool,
}

/// A form of moving picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// An animated PNG.
    Apng,
    /// A GIF.
    Gif,
    /// All steps side by side.
    Strip,
}

/// Refuses a file name whose ending promises another format than is written.
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

/// What lies behind a clip.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Behind {
    /// Nothing.
    Transparent,
    /// A colour.
    Colour([u8; 4]),
    /// Grey squares.
    Checker,
}

/// The largest side of a picture, and the most pixels of all of them.
const LONGEST_SIDE: u32 = 16_384;
const MOST_PIXELS: u64 = 1 << 28;

/// The side of a square of the checker.
const SQUARE: usize = 8;

/// Some players show shorter frames of a GIF for a tenth of a second.
const SHORTEST_IN_GIF: u16 = 2;

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
pub fn run(request: &RenderRequest) -> Result<Rendered, Failure> {
    let file = descriptor::open(&request.of.descriptor)?;
    check_ending(request)?;
    let inputs = output::files_of(&request.of.descriptor, &file);
    let kind = ResultKind::Picture(Mark::Clip);
    output::check(&request.out, kind, request.force, inputs.iter().map(PathBuf::as_path))?;
    let (clip, timeline) = played(file.atlas(), &request.of.clip)?;
    if request.speed.num() == 0 {
        let why = "at a speed of 0 it stands still";
        return Err(Problem::usage(ProblemKind::StillClip, "--speed", why, "give another speed").into());
    }
    let pictures = pictures(&file, clip, request)?;
    let mut order: Vec<usize> = (0..timeline.turns()).collect();
    if request.form == Form::Strip {
        order.truncate(timeline.steps());
    }
    if request.speed.num() < 0 {
        order.reverse();
    }
    // What takes no time is never seen.
    order.retain(|&turn| request.form == Form::Strip || timeline.length_of(turn)[0] > 0);
    let mut warnings = Vec::new();
    let shown: Vec<&Pixels> = order.iter().map(|&turn| &pictures[timeline.step_of(turn)]).collect();
    let for_ever = clip.mode != Mode::Once;
    let encoded = match request.form {
        Form::Strip => {
            let too_wide = || EncodeError::Codec("it is too wide".into());
            strip(&shown)
                .ok_or_else(too_wide)
                .and_then(|strip| encode_marked_png(&strip, PngEffort::Balanced, Mark::Clip))
        }
        Form::Apng => {
            let seconds = seconds(&timeline, &order, request.speed);
            let moments: Vec<TimedPicture<'_>> =
                shown.iter().zip(seconds).map(|(pixels, seconds)| TimedPicture { pixels, seconds }).collect();
            encode_apng(&moments, u32::from(!for_ever))
        }
        Form::Gif => {
            let delays = rounded(&timeline, &order, request.speed, 10_000_000);
            warnings.extend(short_frames(&delays));
            let moments: Vec<(&Pixels, u16)> = shown.iter().copied().zip(delays).filter(|(_, d)| *d > 0).collect();
            encode_gif(&moments, for_ever)
        }
    };
    let bytes = encoded.map_err(|error| {
        let help = "ask for a smaller --zoom or another form";
        Problem::not_encoded(&format::path(&request.out), &error, help)
    })?;
    write::prepare(&request.out, &bytes)?.commit()?;
    let size = pictures.first().map_or(Size::default(), Pixels::size);
    let length = ends(&timeline, &order, request.speed).last().copied().unwrap_or(0);
    Ok(Rendered { request: request.clone(), frames: order.len(), size, bytes: bytes.len(), length, warnings })
}

/// The sprite of each step on the common canvas, zoomed, with what lies behind.
fn pictures(file: &AtlasFile, clip: &Clip, request: &RenderRequest) -> Result<Vec<Pixels>, Failure> {
    let atlas = file.atlas();
    let sprites: Option<Vec<&Sprite>> = clip.steps.iter().map(|step| atlas.sprites.get(&step.sprite)).collect();
    let problem = |why: String| {
        let help = "ask for a smaller --zoom, or look at the pivots with 'zemtak clip table'";
        Failure::from(Problem::bad_input(ProblemKind::CannotDrawClip, &format::name(&request.of.clip), why, help))
    };
    let sprites = sprites.ok_or_else(|| problem("a step is of another atlas".into()))?;
    let largest = LONGEST_SIDE / request.zoom.max(1);
    let canvas = common(sprites.iter().copied(), largest)
        .ok_or_else(|| problem(format!("its common canvas is larger than {largest} pixels a side")))?;
    let pixels = canvas.size.area() * u64::from(request.zoom).pow(2) * clip.steps.len() as u64;
    if pixels > MOST_PIXELS {
        return Err(problem(format!(
            "{} pixels in all are more than {}",
            format::number(pixels),
            format::number(MOST_PIXELS)
        )));
    }
    let pages = pages(file, &sprites)?;
    let place = |(sprite, [x, y]): (&&Sprite, &[u32; 2])| {
        let own = sprite.restore(&pages[&sprite.page])?;
        let mut picture = Pixels::transparent(canvas.size)?;
        for row in 0..own.size().h {
            let bytes = own.row(row);
            picture.row_mut(y + row)[*x as usize * PIXEL..][..bytes.len()].copy_from_slice(bytes);
        }
        straight(&mut picture, atlas, sprite.page);
        Some(behind(zoomed(picture, request), request.behind))
    };
    let pictures: Option<Vec<Pixels>> = sprites.iter().zip(&canvas.places).map(place).collect();
    pictures.ok_or_else(|| problem("a sprite is not on its page".into()))
}

/// The pages that sprites lie on.
fn pages(file: &AtlasFile, sprites: &[&Sprite]) -> Result<BTreeMap<usize, Pixels>, Failure> {
    let needed: BTreeSet<usize> = sprites.iter().map(|sprite| sprite.page).collect();
    let read = |page: usize| file.read_page(page, HashCheck::Yes).map_err(|error| descriptor::explain(&error));
    needed.into_iter().map(|page| Ok((page, read(page)?))).collect()
}

fn straight(picture: &mut Pixels, atlas: &Atlas, page: usize) {
    if atlas.pages[page].alpha == Alpha::Premultiplied {
        straighten(picture);
    }
    picture.clear_hidden_colour();
}

fn zoomed(picture: Pixels, request: &RenderRequest) -> Pixels {
    let how = if request.smooth { Resample::Smooth } else { Resample::Pixel };
    match Factor::times(request.zoom).filter(|_| request.zoom > 1) {
        Some(factor) => resample(&picture, Scale { factor, resample: how }),
        None => picture,
    }
}

/// Lays a picture over what is behind it.
fn behind(mut picture: Pixels, behind: Behind) -> Pixels {
    let width = picture.size().w as usize;
    let colour_at = |i: usize| match behind {
        Behind::Transparent => [0; 4],
        Behind::Colour(colour) => colour,
        Behind::Checker if (i % width / SQUARE + i / width / SQUARE).is_multiple_of(2) => [200, 200, 204, 255],
        Behind::Checker => [160, 160, 166, 255],
    };
    if behind == Behind::Transparent {
        return picture;
    }
    for (i, pixel) in picture.as_bytes_mut().chunks_exact_mut(PIXEL).enumerate() {
        pixel.copy_from_slice(&over([pixel[0], pixel[1], pixel[2], pixel[3]], colour_at(i)));
    }
    picture
}

/// One colour over another: `a = a1 + a2 * (1 - a1)`, colours weighed by their share of it, all rounded.
fn over(top: [u8; 4], under: [u8; 4]) -> [u8; 4] {
    let (a, b) = (u32::from(top[3]) * 255, (255 - u32::from(top[3])) * u32::from(under[3]));
    let all = a + b;
    if all == 0 {
        return [0; 4];
    }
    let mixed = |k: usize| (u32::from(top[k]) * a + u32::from(under[k]) * b + all / 2) / all;
    [mixed(0), mixed(1), mixed(2), (all + 127) / 255].map(|value| u8::try_from(value).unwrap_or(u8::MAX))
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

/// When each shown turn ends, in nanoseconds from the first one's beginning.
fn ends(timeline: &Timeline, order: &[usize], speed: Ratio) -> Vec<i64> {
    let mut at = 0_i128;
    let ends = order.iter().map(|&turn| {
        at += i128::from(timeline.start_of(turn + 1)) - i128::from(timeline.start_of(turn));
        let slowed = at * i128::from(speed.den()) / i128::from(speed.num().unsigned_abs());
        i64::try_from(slowed).unwrap_or(i64::MAX)
    });
    ends.collect()
}

/// Durations in units of some nanoseconds. Ends are rounded and not durations, so that the clip as a whole does not drift.
fn rounded(timeline: &Timeline, order: &[usize], speed: Ratio, unit: i64) -> Vec<u16> {
    let mut before = 0;
    let durations = ends(timeline, order, speed).into_iter().map(|end| {
        let end = end.saturating_add(unit / 2) / unit;
        let duration = end - before;
        before = end;
        u16::try_from(duration).unwrap_or(u16::MAX)
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
    exact.unwrap_or_else(|| rounded(timeline, order, speed, 1_000_000).into_iter().map(|ms| [ms, 1000]).collect())
}

fn short_frames(delays: &[u16]) -> Option<Notice> {
    let dropped = delays.iter().filter(|d| **d == 0).count();
    let short = delays.iter().filter(|d| (1..SHORTEST_IN_GIF).contains(*d)).count();
    let mut told = Vec::new();
    if dropped > 0 {
        told.push(format!("{} shorter than 10 ms are left out", format::count(dropped, "frame", "frames")));
    }
    if short > 0 {
        told.push(format!("{} of 10 ms are shown longer by many players", format::count(short, "frame", "frames")));
    }
    let text = || format!("a GIF counts in steps of 10 ms: {}", told.join(", "));
    (!told.is_empty()).then(|| Notice::of_all("short_frames", text()))
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
