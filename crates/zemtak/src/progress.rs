//! A progress bar on standard error for what takes over half a second, where that is a terminal.

use crate::answer::Manner;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How long work goes on before a bar is shown.
const PATIENCE: Duration = Duration::from_millis(500);

/// Counts what is done; shows it when that takes long.
#[derive(Debug)]
pub struct Progress {
    bar: ProgressBar,
    started: Instant,
    waiting: AtomicBool,
}

impl Progress {
    /// A count to `total` under a short word such as "reading".
    #[must_use]
    pub fn new(word: &'static str, total: usize, manner: Manner) -> Self {
        let bar = ProgressBar::with_draw_target(Some(total as u64), ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template("{msg:>9} {bar:32} {human_pos} of {human_len}, {eta} left") {
            bar.set_style(style);
        }
        bar.set_message(word);
        let silent = manner.quiet || !std::io::stderr().is_terminal();
        Self { bar, started: Instant::now(), waiting: AtomicBool::new(!silent) }
    }

    /// One more is done.
    pub fn step(&self) {
        let show = self.started.elapsed() > PATIENCE && self.waiting.swap(false, Ordering::Relaxed);
        if show {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        self.bar.inc(1);
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}
