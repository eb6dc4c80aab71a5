//! `zemtak clip render --terminal`: a clip played in the terminal.

use super::Of;
use super::frames::{Frames, Look, Shown};
use crate::console::Console;
use crate::descriptor;
use crate::report::Report;
use crate::terminal_picture::{Means, Screen, picture};
use serde_json::{Value, json};
use std::io::{IsTerminal, Write};
use std::time::{Duration, Instant};
use zemtak_build::Failure;
use zemtak_core::clip::Ratio;

/// How often to check whether the user wants to stop.
const GLANCE: Duration = Duration::from_millis(20);

/// What to play, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct PlayRequest {
    /// The clip.
    pub of: Of,
    /// How each step is drawn.
    pub look: Look,
    /// Playback speed; below 0 plays backwards.
    pub speed: Ratio,
}

/// Everything has been shown already: no text follows.
pub struct Played;

/// Plays a clip: one that ends, once; any other until Ctrl-C. If the output is not a terminal, the steps are drawn
/// below each other.
///
/// # Errors
/// The clip cannot be drawn.
pub fn run(request: &PlayRequest, console: &Console) -> Result<Played, Failure> {
    let file = descriptor::open(&request.of.descriptor, console.allowance())?;
    let at_once = !std::io::stdout().is_terminal();
    let how = Shown { look: request.look, speed: request.speed, once_each: at_once };
    let frames = Frames::of(&file, &request.of, how, console)?;
    let mut out = anstream::stdout();
    let means = Means::of_stdout();
    if at_once || means == Means::None {
        // Where nothing can be drawn, say so once.
        let drawn = frames.shown().take(if means == Means::None { 1 } else { usize::MAX });
        let drawn: String = drawn.map(|step| picture(step, means)).collect();
        return out
            .write_all(drawn.as_bytes())
            .map(|()| Played)
            .map_err(|error| Failure::io("standard output", &error));
    }
    let screen = Screen::new(means);
    let pictures: Vec<String> = frames.shown().map(|picture| screen.frame(picture)).collect();
    let height = frames.shown().map(|picture| screen.rows(picture.size())).max().unwrap_or(0);
    let ends: Vec<Duration> = frames.ends().iter().map(|ns| Duration::from_nanos(ns.unsigned_abs())).collect();
    let played = play(&mut out, &pictures, &ends, height, || frames.for_ever && !console.interrupt.asked(), console);
    // Leave the cursor visible and below the last picture, however playback ended.
    let below = write!(out, "{}\x1b[?25h", "\n".repeat(height as usize)).and_then(|()| out.flush());
    played.and(below).map(|()| Played).map_err(|error| Failure::io("standard output", &error))
}

/// Shows each picture in place of the one before until its time is over.
fn play(
    out: &mut impl Write,
    pictures: &[String],
    ends: &[Duration],
    height: u32,
    again: impl Fn() -> bool,
    console: &Console,
) -> std::io::Result<()> {
    // Make room for the picture, which may start at the bottom of the screen.
    write!(out, "\x1b[?25l{}\x1b[{height}A", "\n".repeat(height as usize))?;
    let mut begin = Instant::now();
    loop {
        for (picture, end) in pictures.iter().zip(ends) {
            write!(out, "\x1b7{picture}\x1b8")?;
            out.flush()?;
            while begin.elapsed() < *end {
                if console.interrupt.asked() {
                    return Ok(());
                }
                std::thread::sleep(GLANCE.min(end.saturating_sub(begin.elapsed())));
            }
        }
        if !again() {
            return Ok(());
        }
        // Counted from when it should have ended, so that delays do not add up.
        begin += ends.last().copied().unwrap_or_default();
    }
}

impl Report for Played {
    fn text(&self, _: bool) -> String {
        String::new()
    }

    fn json(&self) -> Value {
        json!({})
    }

    fn kind(&self) -> &'static str {
        "clip-render"
    }
}
