//! `zemtak cache rehearse`: plays scenes against the real cache and a simulated device.

use crate::console::Console;
use crate::exit::Exit;
use crate::notice::Notice;
use crate::output;
use crate::rehearsal::scenario::{self, Scenario, Scene};
use crate::rehearsal::stage::{Figures, Run};
use crate::rehearsal::{Rehearsal, picture, rehearse};
use crate::report::Report;
use comfy_table::{CellAlignment, Table, presets};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::ownership::ResultKind;
use zemtak_build::{Failure, format, write};
use zemtak_core::codec::Mark;

/// What to rehearse, and how to report it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RehearseRequest {
    /// The scenario.
    pub scenario: PathBuf,
    /// Where to draw which textures are loaded over time.
    pub png: Option<PathBuf>,
    /// Whether warnings count as a failed check.
    pub strict: bool,
    /// Replace an existing file.
    pub force: bool,
}

/// A rehearsal as an answer.
pub struct Rehearsed {
    scenario: Scenario,
    rehearsal: Rehearsal,
    png: Option<PathBuf>,
    strict: bool,
}

/// Plays a scenario.
///
/// # Errors
/// The scenario is invalid, or the picture cannot be written.
pub fn run(request: &RehearseRequest, console: &Console) -> Result<Rehearsed, Failure> {
    let scenario = scenario::open(&request.scenario, console.allowance().limits())?;
    let limits = console.allowance().limits();
    let too_many = |scene: &Scene| {
        let things: usize = scene.draw.iter().map(|draw| draw.count as usize).sum();
        limits.check("scene_draws", things, &scene.name).err()
    };
    Failure::unless(scenario.scenes.iter().filter_map(too_many).collect(), ())?;
    if let Some(path) = &request.png {
        output::check(path, ResultKind::Picture(Mark::Rehearsal), request.force, [request.scenario.as_path()])?;
    }
    let rehearsal = rehearse(&scenario);
    if let Some(path) = &request.png {
        write::prepare(path, &picture::draw(&scenario, &rehearsal.packed)?)?.commit()?;
    }
    Ok(Rehearsed { scenario, rehearsal, png: request.png.clone(), strict: request.strict })
}

/// Reads a scenario without playing it.
///
/// # Errors
/// Everything that is wrong with it, each with its line underlined.
pub fn check(path: &Path, text: &str) -> Result<(), Failure> {
    scenario::read(path, text).map(drop)
}

impl Rehearsed {
    fn name(&self, scene: usize) -> String {
        format::name(&self.scenario.scenes[scene].name)
    }

    /// One line per scene, and a total.
    fn scenes(&self) -> Table {
        let head =
            ["scene", "loads", "reuses", "loaded", "resident", "peak", "evicted", "binds", "batches", "ready after"];
        let mut table = table(&head);
        let run = &self.rehearsal.packed;
        for played in &run.scenes {
            table.add_row(self.row(self.name(played.scene), &played.figures));
        }
        table.add_row(self.row("all".into(), &run.all));
        table
    }

    fn row(&self, name: String, figures: &Figures) -> Vec<String> {
        let f = figures;
        let ready = match f.ready {
            Some(0) => "at once".into(),
            Some(frames) => self.milliseconds(frames),
            None => "never".into(),
        };
        vec![
            name,
            format::number(f.loads),
            format::number(f.reuses + f.joined),
            format::bytes(f.loaded_bytes),
            format::bytes(f.resident_bytes),
            format::bytes(f.peak_bytes),
            format::number(f.evictions),
            a_frame(f.binds, f.frames),
            a_frame(f.batches, f.frames),
            ready,
        ]
    }

    fn milliseconds(&self, frames: u64) -> String {
        let fps = u64::from(self.scenario.fps);
        format!("{} ms", format::number((frames * 1000 + fps / 2) / fps))
    }

    /// The same scenes loaded in three ways.
    fn ways(&self) -> Option<Table> {
        let [loose, alone] = self.rehearsal.compared.as_ref()?;
        let mut table = table(&["", "packed", "loose images", "nothing shared"]);
        let runs = [&self.rehearsal.packed, loose, alone].map(|run| &run.all);
        let mut line = |what: &str, value: &dyn Fn(&Figures) -> String| {
            table.add_row(std::iter::once(what.to_owned()).chain(runs.map(value)));
        };
        line("loads", &|f| format::number(f.loads));
        line("bytes loaded", &|f| format::bytes(f.loaded_bytes));
        line("peak", &|f| format::bytes(f.peak_bytes));
        line("evictions", &|f| format::number(f.evictions));
        line("binds per frame", &|f| a_frame(f.binds, f.frames));
        line("waiting, in all", &|f| f.ready.map_or("for ever".into(), |frames| self.milliseconds(frames)));
        line("not there when drawn", &|f| format::number(f.absent));
        line("decoding, on this machine", &|f| {
            format!("{}.{} ms", f.decoding_ns / 1_000_000, f.decoding_ns / 100_000 % 10)
        });
        Some(table)
    }
}

fn table(head: &[&str]) -> Table {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_header(head);
    for column in table.column_iter_mut().skip(1) {
        column.set_cell_alignment(CellAlignment::Right);
    }
    table
}

/// An average with one decimal.
fn a_frame(count: u64, frames: u64) -> String {
    let tenths = (count * 10 + frames / 2).checked_div(frames).unwrap_or(0);
    format!("{}.{}", tenths / 10, tenths % 10)
}

impl Report for Rehearsed {
    fn text(&self, verbose: bool) -> String {
        let (scenario, run) = (&self.scenario, &self.rehearsal.packed);
        let seconds = crate::rehearsal::seconds(run.all.frames, scenario.fps);
        let played = format::count(run.scenes.len(), "scene", "scenes");
        let budget = format::bytes(scenario.budget);
        let mut out = format!("{played} in {seconds} at {} frames a second, budget {budget}\n\n", scenario.fps);
        self.scenes().lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
        out.push_str("Binds and batches are averages per frame.\n");
        if let Some(ways) = self.ways() {
            out.push_str("\nThe same scenes in three ways:\n");
            ways.lines().for_each(|line| _ = writeln!(out, "{}", line.trim_end()));
            if self.scenario.has_faults_of_files() {
                out.push_str("Faults that name a page or an atlas strike the packed scenes only.\n");
            }
        }
        if verbose {
            let _ = write!(out, "\nThe ledger at the end:\n{}", run.ledger);
        }
        if let Some(png) = &self.png {
            let _ = writeln!(out, "\nwrote {}", format::name(&format::path(png)));
        }
        if self.strict && !self.rehearsal.warnings.is_empty() {
            out.push_str("\nFound:\n");
            self.rehearsal.warnings.iter().for_each(|warning| _ = writeln!(out, "  {}", format::name(&warning.text)));
        }
        out
    }

    fn json(&self) -> Value {
        let run = &self.rehearsal.packed;
        let scene = |played: &crate::rehearsal::stage::PlayedScene| {
            let mut value = json!({ "name": self.scenario.scenes[played.scene].name, "begins": played.begin });
            merge(&mut value, figures(&played.figures));
            merge(&mut value, json!({ "still_held": played.left }));
            value
        };
        let texture = |(path, history): (&String, &crate::rehearsal::stage::TextureHistory)| json!({ "path": path, "bytes": history.bytes, "made": history.made, "dropped": history.dropped, "drawn": history.drawn });
        let textures: Vec<Value> = run.histories.iter().map(texture).collect();
        let compared = self.rehearsal.compared.as_ref().map(|[loose, alone]| {
            let all = |run: &Run| figures(&run.all);
            json!({ "packed": all(run), "loose": all(loose), "nothing_shared": all(alone) })
        });
        json!({
            "fps": self.scenario.fps,
            "budget": self.scenario.budget,
            "scenes": run.scenes.iter().map(scene).collect::<Vec<_>>(),
            "all": figures(&run.all),
            "textures": textures,
            "replaced": run.replaced,
            "compared": compared,
        })
    }

    fn kind(&self) -> &'static str {
        "rehearse"
    }

    fn warnings(&self) -> Vec<Notice> {
        self.rehearsal.warnings.clone()
    }

    fn tells_warnings(&self) -> bool {
        self.strict
    }

    fn exit(&self) -> Exit {
        if self.strict && !self.rehearsal.warnings.is_empty() { Exit::Found } else { Exit::Done }
    }
}

fn merge(value: &mut Value, more: Value) {
    if let (Value::Object(value), Value::Object(more)) = (value, more) {
        value.extend(more);
    }
}

fn figures(f: &Figures) -> Value {
    json!({
        "frames": f.frames,
        "requests": f.requests,
        "reuses": f.reuses,
        "joined": f.joined,
        "loads": f.loads,
        "loaded_bytes": f.loaded_bytes,
        "failures": f.failures,
        "evictions": f.evictions,
        "resident_bytes": f.resident_bytes,
        "peak_bytes": f.peak_bytes,
        "draws": f.draws,
        "not_there": f.absent,
        "binds": f.binds,
        "batches": f.batches,
        "ready_after_frames": f.ready,
    })
}
