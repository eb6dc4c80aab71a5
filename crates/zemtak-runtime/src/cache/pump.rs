//! The pump: makes and drops textures, on the thread that owns it and on no other.

use super::ledger::Ledger;
use super::shared::Shared;
use super::state::State;
use super::status::Status;
use super::upload::{Progress, Upload};
use super::wanted::Awaited;
use crate::event::Cause;
use crate::failure::{Failure, Reason};
use crate::sink::{Level, NewTexture, Sampler, Sink, SinkError, Texture, texture_bytes};
use crate::sync::{Stopwatch, current};
use crate::trace;
use std::sync::Arc;
use std::task::Waker;
use std::thread::{self, JoinHandle};
use std::time::Duration;
use zemtak_core::atlas::PixelKind;
use zemtak_core::pixels::Pixels;

/// How much a pump may do at once. It always does something, however low these limits, so that everything is loaded in
/// the end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PerFrame {
    /// The most pages to make; 0 for none.
    pub uploads: usize,
    /// Bytes after which no further page is started. A larger page is made in strips of this size if the sink supports
    /// that ([`Sink::make_empty`]), else at once.
    pub bytes: u64,
    /// Time after which no further page and no further strip is started.
    pub time: Duration,
}

impl PerFrame {
    /// Everything that is ready.
    pub const UNLIMITED: Self = Self { uploads: usize::MAX, bytes: u64::MAX, time: Duration::MAX };
}

/// 16 MiB, enough for a page of 2048 x 2048 pixels, and 4 milliseconds: as many small images as fit into that.
impl Default for PerFrame {
    fn default() -> Self {
        Self { uploads: usize::MAX, bytes: 16 << 20, time: Duration::from_millis(4) }
    }
}

/// What a pump has done.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Pumped {
    /// Pages of which textures were made. A page counts once, with all its layers.
    pub made: usize,
    /// Textures dropped, those of layers too.
    pub dropped: usize,
    /// Pages that are ready for the next time.
    pub ready: usize,
}

/// Makes and drops the textures of a cache in a sink, whenever the game calls it: once a frame. Dropping it drops all
/// textures.
#[derive(Debug)]
pub struct Pump<S: Sink> {
    shared: Arc<Shared>,
    sink: S,
    workers: Vec<JoinHandle<()>>,
    stand_in: Option<Pixels>,
    /// Whether the texture of the stand-in has to be made.
    stand_in_due: bool,
    watch: Option<(Duration, Stopwatch)>,
    /// The page that is being made over several frames.
    begun: Option<Upload>,
}

impl<S: Sink> Pump<S> {
    pub(super) fn new(
        shared: Arc<Shared>,
        sink: S,
        workers: Option<usize>,
        stand_in: Option<Pixels>,
        watch: Option<Duration>,
    ) -> Self {
        let count = workers.unwrap_or_else(|| thread::available_parallelism().map_or(0, std::num::NonZero::get));
        let start = |i: usize| {
            let shared = shared.clone();
            thread::Builder::new().name(format!("zemtak-{i}")).spawn(move || shared.work()).ok()
        };
        // If no thread can be started, the pump decodes.
        let workers = (0..count).map_while(start).collect();
        let watch = watch.map(|every| (every, Stopwatch::start()));
        Self { shared, sink, workers, stand_in, stand_in_due: true, watch, begun: None }
    }

    /// The sink, for drawing.
    pub fn sink(&self) -> &S {
        &self.sink
    }

    /// The sink, for drawing.
    pub fn sink_mut(&mut self) -> &mut S {
        &mut self.sink
    }

    /// Makes textures of what is ready, drops those that have to go, and lets new versions take over. Never waits.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// use zemtak_runtime::PerFrame;
    ///
    /// let moth = cache.lease("moth.png");
    /// while !moth.is_ready() {
    ///     let pumped = pump.pump(PerFrame { uploads: 1, bytes: 4 << 20, ..PerFrame::default() });
    ///     assert!(pumped.made <= 1);
    /// }
    /// ```
    pub fn pump(&mut self, frame: PerFrame) -> Pumped {
        let _span = trace::pump();
        let mut pumped = Pumped::default();
        self.make_stand_in();
        self.begin(&mut pumped);
        let watch = Stopwatch::start();
        let mut bytes = 0_u64;
        let mut decodes = frame.uploads;
        let mut first = true;
        while pumped.made < frame.uploads && (first || (bytes < frame.bytes && watch.elapsed() < frame.time)) {
            match self.make_next(frame.bytes.saturating_sub(bytes).max(1), &mut pumped) {
                Some(made) => (bytes, first) = (bytes + made, false),
                None if self.workers.is_empty() && decodes > 0 => {
                    decodes -= 1;
                    if !self.shared.work_once() {
                        break;
                    }
                }
                None => break,
            }
        }
        self.end(&mut pumped);
        pumped
    }

    /// Pumps until what was leased is ready.
    ///
    /// # Errors
    /// It cannot be loaded; of several, the first that cannot.
    pub fn wait(&mut self, on: &impl Awaited) -> Result<(), Failure> {
        loop {
            self.pump(PerFrame::UNLIMITED);
            let state = self.shared.lock();
            match on.awaited().0.status(&state) {
                Status::Ready => return Ok(()),
                Status::Failed(failure) => return Err(failure),
                Status::Loading => {}
            }
            // Without workers, only files that are on their way are waited for.
            let waits = !self.workers.is_empty() || !state.queue.later.is_empty();
            if waits && !state.pages.wait_for_pump() {
                self.shared.wake(&state);
                drop(self.shared.until_told(state));
            }
        }
    }

    /// Makes all textures again after the device was lost and they with it. Leases and ids stay valid, and show the
    /// stand-in until their page is resident again. Drops no texture: the sink belongs to the new device by now.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let moth = cache.lease("moth.png");
    /// pump.wait(&moth)?;
    /// *pump.sink_mut() = MemorySink::new(); // of the new device
    /// pump.device_lost();
    /// assert!(!moth.is_ready());
    /// pump.wait(&moth)?;
    /// # Ok::<(), zemtak_runtime::Failure>(())
    /// ```
    pub fn device_lost(&mut self) {
        self.begun = None;
        let mut state = self.shared.lock();
        let State { pages, account, .. } = &mut *state;
        pages.forget_textures(account);
        if let Some((_, size)) = state.set_stand_in(None) {
            state.pages.vacate(texture_bytes(PixelKind::Rgba8, size, 1));
        }
        self.shared.wake(&state);
        drop(state);
        self.stand_in_due = true;
    }

    /// Drops all textures and returns the final account, which names whatever still holds leases.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// let forgotten = cache.lease("moth.png");
    /// let last = pump.finish();
    /// assert_eq!((last.leases, last.held[0].sprite.as_str()), (1, "moth.png"));
    /// ```
    #[must_use]
    pub fn finish(mut self) -> Ledger {
        self.close();
        Ledger::of(&self.shared.lock())
    }

    fn begin(&mut self, pumped: &mut Pumped) {
        let mut state = self.shared.lock();
        state.pump_thread = current().id();
        if std::mem::take(&mut state.trim) {
            let State { pages, account, .. } = &mut *state;
            while pages.evict_oldest(Cause::Trim, account) {}
        }
        if self.watch.as_ref().is_some_and(|(every, since)| since.elapsed() >= *every) && state.queue.look() {
            self.watch = self.watch.take().map(|(every, _)| (every, Stopwatch::start()));
        }
        self.shared.wake(&state);
        let drops = state.pages.take_drops();
        drop(state);
        self.drop_all(drops, pumped);
    }

    fn end(&mut self, pumped: &mut Pumped) {
        let mut state = self.shared.lock();
        state.take_over();
        let State { pages, account, .. } = &mut *state;
        pages.make_room(0, account);
        pumped.ready = pages.ready();
        let drops = pages.take_drops();
        let dropped = (pumped.dropped + drops.len()) as u64;
        account.frames.end(&account.counters, dropped, pumped.ready as u64, pages.resident);
        // There may be room for decoded pages again, and new versions may want more.
        self.shared.wake(&state);
        self.shared.tell();
        let tasks = state.tasks.take();
        drop(state);
        self.drop_all(drops, pumped);
        tasks.into_iter().for_each(Waker::wake);
    }

    fn drop_all(&mut self, drops: Vec<Texture>, pumped: &mut Pumped) {
        pumped.dropped += drops.len();
        for texture in drops {
            self.sink.drop_texture(texture);
        }
    }

    /// Continues the page that is being made, or makes the next one that is ready; returns the bytes that were written.
    fn make_next(&mut self, bytes: u64, pumped: &mut Pumped) -> Option<u64> {
        let mut upload = match self.begun.take() {
            Some(begun) => begun,
            None => self.take_next(pumped)?,
        };
        let _span = trace::make(&upload.file.path);
        let watch = Stopwatch::start();
        let (shared, dropped) = (self.shared.clone(), &mut pumped.dropped);
        let begin = |sink: &mut S, new: &NewTexture<'_>, large: bool| make(sink, &shared, new, large, dropped);
        let result = upload.go_on(&mut self.sink, bytes, begin);
        let mut state = self.shared.lock();
        let State { pages, account, .. } = &mut *state;
        account.counters.uploading += watch.elapsed();
        let (written, result) = match result {
            Ok(Progress::Begun(written)) => {
                drop(state);
                self.begun = Some(upload);
                return Some(written);
            }
            Ok(Progress::Done(written, textures)) => (written, Ok(textures)),
            Err(failure) => (0, Err(failure)),
        };
        pumped.made += usize::from(result.is_ok());
        pages.uploaded(upload.page, result, account);
        drop(state);
        // Nothing stays of a page that cannot be made.
        self.drop_all(upload.made, pumped);
        Some(written)
    }

    /// Of the pages that are ready, the one that was asked for first.
    fn take_next(&mut self, pumped: &mut Pumped) -> Option<Upload> {
        let mut state = self.shared.lock();
        let State { pages, account, .. } = &mut *state;
        let (page, texels) = pages.next_to_upload(account)?;
        let file = pages.get(page).file.clone();
        let drops = pages.take_drops();
        drop(state);
        self.drop_all(drops, pumped);
        Some(Upload::new(page, file, texels))
    }

    fn make_stand_in(&mut self) {
        let due = std::mem::take(&mut self.stand_in_due);
        let Some(pixels) = self.stand_in.clone().filter(|_| due) else { return };
        let (size, sampler, kind) = (pixels.size(), Sampler::default(), PixelKind::Rgba8);
        let levels: Arc<[Level]> = Arc::new([pixels.into()]);
        let new = NewTexture { label: "stand-in", layer: None, kind, levels: &levels, sampler, alike: 1 };
        let result = self.sink.make_texture(&new);
        let mut state = self.shared.lock();
        match result {
            Ok(texture) => {
                state.set_stand_in(Some((texture, size)));
                state.pages.occupy(texture_bytes(kind, size, 1));
            }
            Err(error) => state.account.failed(Failure::new("the stand-in", Reason::Sink(error))),
        }
    }

    fn close(&mut self) {
        let mut state = self.shared.lock();
        if state.closed {
            return;
        }
        state.closed = true;
        let State { pages, account, .. } = &mut *state;
        pages.evict_all(account);
        let mut drops = pages.take_drops();
        if let Some((texture, size)) = state.set_stand_in(None) {
            drops.push(texture);
            state.pages.vacate(texture_bytes(PixelKind::Rgba8, size, 1));
        }
        self.shared.end();
        let tasks = state.tasks.take();
        drop(state);
        tasks.into_iter().for_each(Waker::wake);
        drops.extend(self.begun.take().into_iter().flat_map(|upload| upload.made));
        self.drop_all(drops, &mut Pumped::default());
        for worker in self.workers.drain(..) {
            // If it panicked, it has reported that already.
            let _ = worker.join();
        }
    }
}

/// Makes a texture, an empty one if it is `large` and the sink fills those over several frames; returns whether it is
/// to be filled. If the device is out of memory, textures that nobody holds are dropped first.
fn make<S: Sink>(
    sink: &mut S,
    shared: &Shared,
    new: &NewTexture<'_>,
    large: bool,
    dropped: &mut usize,
) -> Result<(Texture, bool), SinkError> {
    loop {
        let empty = if large { sink.make_empty(new) } else { None };
        let (result, empty) = match empty {
            Some(result) => (result, true),
            None => (sink.make_texture(new), false),
        };
        match result {
            Err(SinkError::OutOfMemory) => {}
            result => return result.map(|texture| (texture, empty)),
        }
        let mut state = shared.lock();
        let State { pages, account, .. } = &mut *state;
        let gone = pages.evict_oldest(Cause::Device, account);
        let drops = pages.take_drops();
        drop(state);
        if !gone {
            return Err(SinkError::OutOfMemory);
        }
        *dropped += drops.len();
        drops.into_iter().for_each(|texture| sink.drop_texture(texture));
    }
}

impl<S: Sink> Drop for Pump<S> {
    fn drop(&mut self) {
        self.close();
    }
}
