//! A progress bar on standard error for what takes over half a second, where that is a terminal.

use crate::answer::Manner;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
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

/// Shows that work whose end cannot be told goes on, once that takes long.
#[derive(Debug)]
pub struct Waiting {
    bar: ProgressBar,
    done: Option<Sender<()>>,
    watcher: Option<JoinHandle<()>>,
}

impl Waiting {
    /// Work under a few words such as "looking for a dense layout".
    #[must_use]
    pub fn new(words: &'static str, manner: Manner) -> Self {
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template("{msg} {spinner} {elapsed}") {
            bar.set_style(style);
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

impl Drop for Waiting {
    fn drop(&mut self) {
        drop(self.done.take());
        // The watcher does not panic; were it to, there would be no more than no picture.
        let _ = self.watcher.take().map(JoinHandle::join);
        self.bar.finish_and_clear();
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}
