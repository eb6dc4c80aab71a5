//! A chart of the loaded textures over time: their memory, and below it one line per texture.

use super::scenario::Scenario;
use super::stage::{Run, TextureHistory};
use super::warnings::seconds;
use crate::drawing::{Drawing, Line};
use crate::palette::{Colour, FAINT, LANTERN, NIGHT, TEAL, TEXT, WRONG};
use zemtak_build::{Failure, format};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::{Rect, Size};

const BAND: Colour = [0x1c, 0x21, 0x3b];
const THERE: Colour = [0x4a, 0x56, 0x84];
const HELD: Colour = LANTERN;
const LIMIT: Colour = WRONG;
const MADE: Colour = [0xff, 0xff, 0xff];
const DROPPED: Colour = TEAL;
const GRID: Colour = [0x2c, 0x33, 0x55];

const WIDTH: u32 = 1280;
const LEFT: u32 = 300;
const RIGHT: u32 = WIDTH - 30;
const TOP: u32 = 96;
const CHART: u32 = 170;
const ROW: u32 = 26;
/// The most lines of textures; a number stands for the rest.
const MOST: usize = 24;

/// Draws it as a PNG.
///
/// # Errors
/// The picture cannot be made.
pub fn draw(scenario: &Scenario, run: &Run) -> Result<Vec<u8>, Failure> {
    let rows = u32::try_from(run.histories.len().min(MOST)).unwrap_or(0) + u32::from(run.histories.len() > MOST);
    let height = TOP + CHART + 60 + rows * ROW + 46;
    let drawing = Drawing::new(Size::new(WIDTH, height), NIGHT)?;
    let mut sheet = Sheet { drawing, frames: run.all.frames.max(1) };
    sheet.scenes(scenario, run, height);
    sheet.memory(scenario, run);
    sheet.textures(run);
    sheet.seconds(scenario, height);
    sheet.drawing.to_png(Mark::Rehearsal, "the chart of --png")
}

/// The bytes of the held textures in a frame.
fn held_at(run: &Run, frame: u64) -> u64 {
    let held = |history: &&TextureHistory| history.held.iter().any(|(from, to)| (*from..*to).contains(&frame));
    run.histories.values().filter(held).map(|history| history.bytes).sum()
}

struct Sheet {
    drawing: Drawing,
    frames: u64,
}

impl Sheet {
    fn fill(&mut self, area: Rect, colour: Colour) {
        self.drawing.fill(area, colour);
    }

    fn write(&mut self, text: &str, x: u32, y: u32, size: f32, colour: Colour) -> u32 {
        self.drawing.write(text, Line { x, y, size, colour })
    }

    /// When a frame begins.
    fn x(&self, frame: u64) -> u32 {
        let wide = u64::from(RIGHT - LEFT);
        LEFT + u32::try_from(frame.min(self.frames) * wide / self.frames).unwrap_or(0)
    }

    fn scenes(&mut self, scenario: &Scenario, run: &Run, height: u32) {
        self.write("Textures over time", 24, 34, 22.0, TEXT);
        for (i, played) in run.scenes.iter().enumerate() {
            let (begin, end) = (self.x(played.begin), self.x(played.begin + played.figures.frames));
            if i % 2 == 0 {
                self.fill(Rect::new(begin, TOP - 30, end - begin, height - TOP - 16), BAND);
            }
            self.fill(Rect::new(begin, TOP - 30, 1, height - TOP - 16), THERE);
            let name = self.drawing.shortened(&scenario.scenes[played.scene].name, end.saturating_sub(begin + 8), 15.0);
            self.write(&name, begin + 6, TOP - 10, 15.0, TEXT);
        }
        let mut x = LEFT;
        for (what, colour) in [("held", HELD), ("there, held by nobody", THERE), ("made", MADE), ("dropped", DROPPED)] {
            let thin = colour == MADE || colour == DROPPED;
            self.fill(Rect::new(x, 22, if thin { 3 } else { 14 }, 14), colour);
            x = self.write(what, x + 20, 34, 14.0, FAINT) + 26;
        }
    }

    /// The bytes of all textures, the held ones on top, and the budget.
    fn memory(&mut self, scenario: &Scenario, run: &Run) {
        let peak = run.resident.iter().copied().max().unwrap_or(0);
        // The budget is drawn if it is close enough to what is used.
        let limit = Some(scenario.budget).filter(|budget| *budget / 4 <= peak.max(1));
        let most = peak.max(limit.unwrap_or(0)).max(1);
        let bottom = TOP + CHART;
        let tall = |bytes: u64| u32::try_from(bytes * u64::from(CHART - 16) / most).unwrap_or(0);
        self.axis(most, bottom, tall);
        for x in LEFT..RIGHT {
            // A column stands for all frames that fall into it: their maximum must fit.
            let frame = |x: u32| u64::from(x - LEFT) * self.frames / u64::from(RIGHT - LEFT);
            let frames = frame(x)..frame(x + 1).max(frame(x) + 1);
            let bytes =
                |frame: u64| usize::try_from(frame).ok().and_then(|f| run.resident.get(f)).copied().unwrap_or(0);
            let Some(worst) = frames.max_by_key(|frame| bytes(*frame)) else { continue };
            let (all, held) = (tall(bytes(worst)), tall(held_at(run, worst).min(bytes(worst))));
            self.fill(Rect::new(x, bottom - all, 1, all), THERE);
            self.fill(Rect::new(x, bottom - all, 1, held), HELD);
        }
        self.write("memory", 24, TOP + 18, 16.0, TEXT);
        self.write(&format!("{} at most", format::bytes(run.all.peak_bytes)), 24, TOP + 42, 14.0, FAINT);
        if let Some(budget) = limit {
            self.fill(Rect::new(LEFT, bottom - tall(budget), RIGHT - LEFT, 2), LIMIT);
        }
        self.write(&format!("budget {}", format::bytes(scenario.budget)), 24, TOP + 62, 14.0, LIMIT);
    }

    /// Lines at round numbers of bytes, at most four.
    fn axis(&mut self, most: u64, bottom: u32, tall: impl Fn(u64) -> u32) {
        let step = (0..62).map(|n| 1u64 << n).find(|step| most / step <= 4).unwrap_or(most);
        for bytes in (0..=most / step).map(|n| n * step) {
            let y = bottom - tall(bytes);
            self.fill(Rect::new(LEFT, y, RIGHT - LEFT, 1), GRID);
            let text = format::bytes(bytes);
            let width = self.drawing.width(&text, 12.0);
            self.write(&text, LEFT - 10 - width, y + 4, 12.0, FAINT);
        }
    }

    fn textures(&mut self, run: &Run) {
        let mut y = TOP + CHART + 30;
        self.write("textures", 24, y, 16.0, TEXT);
        y += 14;
        for (path, history) in run.histories.iter().take(MOST) {
            let size = format::bytes(history.bytes);
            let name = self.drawing.shortened(&format::name(path), LEFT - 120, 14.0);
            self.write(&name, 24, y + 16, 14.0, TEXT);
            let right = LEFT - 20 - self.drawing.width(&size, 12.0);
            self.write(&size, right, y + 16, 12.0, FAINT);
            self.texture(history, y);
            y += ROW;
        }
        if run.histories.len() > MOST {
            self.write(&format!("and {} more", run.histories.len() - MOST), 24, y + 16, 14.0, FAINT);
        }
    }

    fn texture(&mut self, history: &TextureHistory, y: u32) {
        // Every created texture has been dropped by the end.
        let ends = history.dropped.iter().copied().chain(std::iter::repeat(self.frames));
        let spans: Vec<(u64, u64)> = history.made.iter().copied().zip(ends).collect();
        for (begin, end) in &spans {
            let (left, right) = (self.x(*begin), self.x(*end));
            self.fill(Rect::new(left, y + 7, right - left, 10), THERE);
            for (from, to) in &history.held {
                let (from, to) = (self.x(*from.max(begin)), self.x(*to.min(end)));
                self.fill(Rect::new(from, y + 7, to.saturating_sub(from), 10), HELD);
            }
        }
        for (begin, end) in &spans {
            self.fill(Rect::new(self.x(*begin), y + 3, 3, 18), MADE);
            if *end < self.frames {
                self.fill(Rect::new(self.x(*end), y + 3, 3, 18), DROPPED);
            }
        }
    }

    fn seconds(&mut self, scenario: &Scenario, height: u32) {
        let fps = u64::from(scenario.fps);
        let all = self.frames / fps;
        // About ten marks at round times.
        let step = [1, 2, 5, 10, 30, 60, 300, 600].into_iter().find(|step| all / step <= 12).unwrap_or(1800);
        for at in (0..=all / step).map(|mark| mark * step) {
            let x = self.x(at * fps);
            self.fill(Rect::new(x, height - 42, 1, 8), FAINT);
            self.write(&seconds(at * fps, scenario.fps), x.saturating_sub(8), height - 16, 13.0, FAINT);
        }
    }
}
