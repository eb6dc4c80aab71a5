//! Progress of a build on standard error: on a terminal a bar for each phase that takes over half a second; for
//! programs one event per line.

use crate::document::Document;
use crate::interrupt::Interrupt;
use crate::wrap::print_note;
use indicatif::{HumanDuration, MultiProgress, ProgressBar, ProgressDrawTarget, ProgressState};
use serde_json::json;
use std::collections::BTreeMap;
use std::fmt;
use std::io::IsTerminal;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};
use zemtak_build::{Observer, Phase, format};

/// How long a phase must last before it is shown.
const PATIENCE: Duration = Duration::from_millis(500);

/// Follows a build for the person at the terminal.
pub struct Watcher<'a> {
    interrupt: &'a Interrupt,
    quiet: bool,
    /// Whether Ctrl-C during the layout search keeps the best layout so far and goes on.
    take_best: bool,
    laying_out: AtomicBool,
    shown: Shown,
}

/// Where progress is told.
enum Shown {
    Nowhere,
    Bars(Bars),
    Lines(Lines),
}

/// How progress is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ProgressStyle {
    /// Bars, on a terminal.
    #[default]
    Auto,
    /// Events, one per line.
    Json,
    /// Not at all.
    None,
}

impl<'a> Watcher<'a> {
    /// An observer that shows progress where standard error is a terminal and stops the build on Ctrl-C.
    #[must_use]
    pub fn new(interrupt: &'a Interrupt, quiet: bool, style: ProgressStyle) -> Self {
        let shown = match style {
            ProgressStyle::Json => Shown::Lines(Lines::default()),
            ProgressStyle::Auto if !quiet && std::io::stderr().is_terminal() => Shown::Bars(Bars::default()),
            ProgressStyle::Auto | ProgressStyle::None => Shown::Nowhere,
        };
        Self { interrupt, quiet, take_best: false, laying_out: AtomicBool::new(false), shown }
    }

    /// Takes Ctrl-C during the layout search as the wish to go on with the best layout so far.
    #[must_use]
    pub fn taking_best(self, take_best: bool) -> Self {
        Self { take_best, ..self }
    }

    fn searches(&self) -> bool {
        self.take_best && self.laying_out.load(Ordering::SeqCst)
    }
}

impl Observer for Watcher<'_> {
    fn began(&self, phase: Phase, total: Option<usize>) {
        if phase == Phase::LayingOut {
            self.laying_out.store(true, Ordering::SeqCst);
        }
        match &self.shown {
            Shown::Bars(bars) => bars.begin(phase, total),
            Shown::Lines(lines) => lines.begin(phase, total),
            Shown::Nowhere => {}
        }
    }

    fn advanced(&self, phase: Phase) {
        match &self.shown {
            Shown::Bars(bars) => bars.advance(phase),
            Shown::Lines(lines) => lines.advance(phase),
            Shown::Nowhere => {}
        }
    }

    fn searched(&self, done: f64, filled: Option<f64>) {
        match &self.shown {
            Shown::Bars(bars) => bars.search(done, filled),
            Shown::Lines(lines) => lines.search(done, filled),
            Shown::Nowhere => {}
        }
    }

    fn ended(&self, phase: Phase) {
        if phase == Phase::LayingOut {
            if self.searches() {
                self.interrupt.forget();
            }
            self.laying_out.store(false, Ordering::SeqCst);
        }
        match &self.shown {
            Shown::Bars(bars) => bars.end(phase),
            Shown::Lines(lines) => lines.end(phase),
            Shown::Nowhere => {}
        }
    }

    fn waits_for(&self, folder: &Path, process: Option<u32>) {
        if !self.quiet {
            let whose = process.map_or(String::new(), |process| format!(", process {process}"));
            print_note(&format!("waiting for another build in {}{whose}", format::name(&format::path(folder))));
        }
    }

    fn cancelled(&self) -> bool {
        self.interrupt.asked() && !self.searches()
    }

    fn layout_is_good_enough(&self) -> bool {
        self.take_best && self.interrupt.asked()
    }
}

/// The least time between two lines about a phase, except for its end.
const PAUSE: Duration = Duration::from_millis(100);

/// The current phases, reported one line each.
#[derive(Default)]
struct Lines(Mutex<BTreeMap<Phase, Counted>>);

struct Counted {
    done: u64,
    total: Option<usize>,
    told: Instant,
    /// How far a search is, and how full its best page.
    search: Option<(f64, Option<f64>)>,
}

impl Counted {
    fn tell(&self, phase: Phase, ended: bool) {
        let mut event = json!({ "phase": code(phase), "done": self.done, "total": self.total, "ended": ended });
        if let Some((done, filled)) = self.search {
            event["search"] = json!({ "done": rounded(done), "filled": filled.map(rounded) });
        }
        print_note(&Document::event("progress", event).line());
    }
}

impl Lines {
    fn lock(&self) -> MutexGuard<'_, BTreeMap<Phase, Counted>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn begin(&self, phase: Phase, total: Option<usize>) {
        let counted = Counted { done: 0, total, told: Instant::now(), search: None };
        counted.tell(phase, false);
        self.lock().insert(phase, counted);
    }

    fn advance(&self, phase: Phase) {
        self.update(phase, |counted| counted.done += 1);
    }

    fn search(&self, done: f64, filled: Option<f64>) {
        self.update(Phase::LayingOut, |counted| counted.search = Some((done, filled)));
    }

    /// Updates a phase, and reports it unless something was reported just now.
    fn update(&self, phase: Phase, change: impl FnOnce(&mut Counted)) {
        if let Some(counted) = self.lock().get_mut(&phase) {
            change(counted);
            if counted.told.elapsed() >= PAUSE {
                counted.told = Instant::now();
                counted.tell(phase, false);
            }
        }
    }

    fn end(&self, phase: Phase) {
        if let Some(counted) = self.lock().remove(&phase) {
            counted.tell(phase, true);
        }
    }
}

/// A share with as many digits as are meaningful.
fn rounded(share: f64) -> f64 {
    (share * 10_000.0).round() / 10_000.0
}

/// A phase's name in events.
fn code(phase: Phase) -> &'static str {
    match phase {
        Phase::Surveying => "surveying",
        Phase::Reading => "reading",
        Phase::LayingOut => "laying_out",
        Phase::Drawing => "drawing",
        Phase::Comparing => "comparing",
        _ => "working",
    }
}

/// One bar for each current phase.
#[derive(Default)]
struct Bars {
    all: MultiProgress,
    shown: Mutex<BTreeMap<Phase, Bar>>,
}

impl Bars {
    fn lock(&self) -> MutexGuard<'_, BTreeMap<Phase, Bar>> {
        self.shown.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn begin(&self, phase: Phase, total: Option<usize>) {
        let bar = Bar::new(phase, total, self.all.clone());
        self.lock().insert(phase, bar);
    }

    fn advance(&self, phase: Phase) {
        if let Some(bar) = self.lock().get(&phase) {
            bar.bar.inc(1);
        }
    }

    fn search(&self, done: f64, filled: Option<f64>) {
        if let Some(bar) = self.lock().get(&Phase::LayingOut) {
            let filled = filled.map_or(String::new(), |filled| format!(", {:.1} % filled", filled * 100.0));
            let message = format!("{}, {:.0} % of the work{filled}", words(Phase::LayingOut), done * 100.0);
            bar.bar.set_message(message);
        }
    }

    fn end(&self, phase: Phase) {
        let bar = self.lock().remove(&phase);
        // Outside the lock, because it waits for a thread.
        drop(bar);
    }
}

/// A bar that appears after a while even if nothing has been counted, and keeps moving.
struct Bar {
    bar: ProgressBar,
    done: Option<Sender<()>>,
    shower: Option<JoinHandle<()>>,
}

impl Bar {
    fn new(phase: Phase, total: Option<usize>, all: MultiProgress) -> Self {
        let template = match total {
            Some(_) => "{msg:>9} {spinner} {bar:32} {human_pos} of {human_len}, {elapsed} so far{left}",
            None => "{msg} {spinner} {elapsed}",
        };
        let total = total.map(|total| total as u64);
        let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::hidden());
        if let Ok(style) = indicatif::ProgressStyle::with_template(template) {
            bar.set_style(style.with_key("left", left));
        }
        bar.set_message(words(phase));
        let (done, wait) = channel();
        let shown = bar.clone();
        let show = move || {
            if wait.recv_timeout(PATIENCE) == Err(RecvTimeoutError::Timeout) {
                all.add(shown).enable_steady_tick(Duration::from_millis(100));
            }
        };
        Self { bar, done: Some(done), shower: std::thread::Builder::new().spawn(show).ok() }
    }
}

fn words(phase: Phase) -> &'static str {
    match phase {
        Phase::Surveying => "looking",
        Phase::Reading => "reading",
        Phase::LayingOut => "looking for a dense layout",
        Phase::Drawing => "drawing",
        Phase::Comparing => "comparing",
        _ => "working",
    }
}

/// The remaining time, once enough is done to tell.
fn left(state: &ProgressState, out: &mut dyn fmt::Write) {
    if state.pos() > 0 {
        let _ = write!(out, ", {:#} left", HumanDuration(state.eta()));
    }
}

impl Drop for Bar {
    fn drop(&mut self) {
        drop(self.done.take());
        // It does not panic; even if it did, only the bar would be missing.
        let _ = self.shower.take().map(JoinHandle::join);
        self.bar.finish_and_clear();
    }
}
