//! A progress bar on standard error for what takes over half a second, where that is a terminal.

use crate::answer::Manner;
use indicatif::{HumanDuration, ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};
use std::fmt;
use std::io::IsTerminal;
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
use std::time::Duration;

/// How long work goes on before it is shown.
const PATIENCE: Duration = Duration::from_millis(500);

/// Counts what is done; shows it when that takes long.
#[derive(Debug)]
pub struct Progress(Shown);

impl Progress {
    /// A count to `total` under a short word such as "reading".
    #[must_use]
    pub fn new(word: &'static str, total: usize, manner: Manner) -> Self {
        let template = "{msg:>9} {spinner} {bar:32} {human_pos} of {human_len}, {elapsed} so far{left}";
        Self(Shown::new(Some(total as u64), template, word, manner))
    }

    /// One more is done.
    pub fn step(&self) {
        self.0.bar.inc(1);
    }
}

/// Shows that work whose end cannot be told goes on, once that takes long.
#[derive(Debug)]
pub struct Waiting {
    _shown: Shown,
}

impl Waiting {
    /// Work under a few words such as "looking for a dense layout".
    #[must_use]
    pub fn new(words: &'static str, manner: Manner) -> Self {
        Self { _shown: Shown::new(None, "{msg} {spinner} {elapsed}", words, manner) }
    }
}

/// A bar that shows itself after a while, also if nothing is counted meanwhile, and moves as long as it is there.
#[derive(Debug)]
struct Shown {
    bar: ProgressBar,
    done: Option<Sender<()>>,
    watcher: Option<JoinHandle<()>>,
}

impl Shown {
    fn new(total: Option<u64>, template: &str, words: &'static str, manner: Manner) -> Self {
        let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style.with_key("left", left));
        }
        bar.set_message(words);
        let (done, wait) = channel();
        let shown = bar.clone();
        let watcher = (!manner.quiet && std::io::stderr().is_terminal()).then(|| {
            std::thread::spawn(move || {
                if wait.recv_timeout(PATIENCE) == Err(RecvTimeoutError::Timeout) {
                    shown.set_draw_target(ProgressDrawTarget::stderr());
                    shown.enable_steady_tick(Duration::from_millis(100));
                }
            })
        });
        Self { bar, done: Some(done), watcher }
    }
}

/// How long it will take yet, once anything is done that tells.
fn left(state: &ProgressState, out: &mut dyn fmt::Write) {
    if state.pos() > 0 {
        let _ = write!(out, ", {:#} left", HumanDuration(state.eta()));
    }
}

impl Drop for Shown {
    fn drop(&mut self) {
        drop(self.done.take());
        // The watcher does not panic; were it to, there would be no more than no picture.
        let _ = self.watcher.take().map(JoinHandle::join);
        self.bar.finish_and_clear();
    }
}
