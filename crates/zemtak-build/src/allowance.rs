//! How much memory decoded pixels take at a time, whatever the number of threads.
//!
//! Three eighths of all are for decoding and treating images, three for drawing pages, one for treated sprites that
//! wait to be drawn, and one for files' bytes and the pages of the previous build. Decoding an image waits for its
//! share first. Nothing that holds a share passes work to other threads, so it always finishes and returns the share.

use crate::failure::{Problem, ProblemKind};
use crate::format;
use crate::limits::Limits;
use std::ops::Range;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use zemtak_core::geometry::Size;

/// The default on a machine that has more than twice as much.
const MOST_BY_DEFAULT: u64 = 4 << 30;

/// The most bytes per pixel for decoding and treating, including the result: 16 bits per channel arrive as 8 bytes, are
/// rounded to 4 and copied once more.
const DECODING: u64 = 20;

/// The bytes per pixel of a page that is drawn as a whole and encoded.
const DRAWING_WHOLE: u64 = 20;

/// The same if it is drawn band by band: the sprites, and twice the result.
const DRAWING_BANDS: u64 = 8;

/// The bytes of a decoded pixel.
const HELD: u64 = 4;

/// The memory that a run may use, and how much of it is in use.
#[derive(Debug)]
pub struct Allowance {
    limits: Limits,
    bytes: u64,
    /// What current decoders use.
    decoding: Mutex<u64>,
    given_back: Condvar,
    waiting: AtomicU64,
    files: Arc<AtomicU64>,
    held: Arc<AtomicU64>,
}

/// How a page is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Drawing {
    /// All at once.
    Whole,
    /// Band by band.
    Bands,
}

impl Drawing {
    /// The bytes that a page takes this way.
    fn bytes(self, page: Size) -> u64 {
        let a_pixel = match self {
            Self::Whole => DRAWING_WHOLE,
            Self::Bands => DRAWING_BANDS,
        };
        page.area().saturating_mul(a_pixel)
    }
}

impl Allowance {
    /// The allowance for these limits.
    #[must_use]
    pub fn new(limits: Limits) -> Self {
        let bytes = limits.memory.unwrap_or_else(default_memory);
        let (decoding, given_back) = (Mutex::new(0), Condvar::new());
        let (files, held) = (Arc::default(), Arc::default());
        Self { limits, bytes, decoding, given_back, waiting: AtomicU64::new(0), files, held }
    }

    /// All limits, including those that are not about memory.
    #[must_use]
    pub fn limits(&self) -> &Limits {
        &self.limits
    }

    /// Waits until there is memory for decoding a picture of `pixels`; dropping the result returns it.
    ///
    /// # Errors
    /// It needs more than there ever is.
    pub(crate) fn decode(&self, pixels: u64) -> Result<Decoding<'_>, TooMuch> {
        let (bytes, share) = (pixels.saturating_mul(DECODING), self.share());
        if bytes > share {
            return Err(TooMuch { needed: bytes.div_ceil(3).saturating_mul(8), memory: self.bytes });
        }
        let mut used = self.used();
        while *used + bytes > share {
            used = self.given_back.wait(used).unwrap_or_else(PoisonError::into_inner);
        }
        *used += bytes;
        Ok(Decoding { of: self, bytes })
    }

    fn used(&self) -> MutexGuard<'_, u64> {
        self.decoding.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The memory for everything that decodes, and for all pages being drawn.
    fn share(&self) -> u64 {
        self.bytes / 8 * 3
    }

    /// How many of these pages, from the first on, may be drawn at a time. At least one.
    pub(crate) fn drawn_together(&self, pages: &[Size], drawing: Drawing) -> usize {
        let mut sum = 0;
        let fits = |size: &&Size| {
            sum += drawing.bytes(**size);
            sum <= self.share()
        };
        pages.iter().take_while(fits).count().max(1)
    }

    /// Refuses a page that needs more memory to draw than there is.
    ///
    /// # Errors
    /// It needs more.
    pub(crate) fn check_page(&self, size: Size, drawing: Drawing) -> Result<(), TooMuch> {
        let bytes = drawing.bytes(size);
        // On its own it may use what several would share, and a little more.
        if bytes > self.bytes / 2 {
            return Err(TooMuch { needed: bytes.saturating_mul(2), memory: self.bytes });
        }
        Ok(())
    }

    /// Whether this many bytes of treated sprites may wait in memory until they are drawn; if so, call
    /// [`let_go`](Self::let_go) once for them.
    pub(crate) fn keep(&self, bytes: u64) -> bool {
        take(&self.waiting, bytes, self.bytes / 8)
    }

    /// Releases bytes that were kept.
    pub(crate) fn let_go(&self, bytes: u64) {
        self.waiting.fetch_sub(bytes, Ordering::Relaxed);
    }

    /// Keeps a file's bytes until they are decoded, if there is memory for that.
    pub(crate) fn keep_file(&self, bytes: Vec<u8>) -> Option<KeptFile> {
        take(&self.files, bytes.len() as u64, self.bytes / 16).then_some(())?;
        Some(KeptFile { counted: Arc::clone(&self.files), bytes })
    }

    /// Divides pages into groups that may be held in memory one after another, each as large as it may be now: at least
    /// one page.
    #[must_use]
    pub fn groups(&self, pages: &[Size]) -> Vec<Range<usize>> {
        let free = (self.bytes / 2).saturating_sub(self.held.load(Ordering::Relaxed));
        let (mut groups, mut start, mut sum) = (Vec::new(), 0, 0_u64);
        for (index, page) in pages.iter().enumerate() {
            let bytes = page.area().saturating_mul(HELD);
            if index > start && sum.saturating_add(bytes) > free {
                groups.push(start..index);
                (start, sum) = (index, 0);
            }
            sum = sum.saturating_add(bytes);
        }
        groups.extend((start < pages.len()).then_some(start..pages.len()));
        groups
    }

    /// Counts the pages of an atlas that must all be in memory at once, for as long as the result is kept. `about` is
    /// the atlas.
    ///
    /// # Errors
    /// See [`hold`](Self::hold).
    pub fn hold_pages(&self, about: &str, pages: &[Size]) -> Result<HeldPixels, Problem> {
        let pixels = pages.iter().map(|size| size.area()).fold(0, u64::saturating_add);
        self.hold(about, &format::count(pages.len(), "page", "pages"), pixels)
    }

    /// Counts pixels that must all be in memory at once, for as long as the result is kept. They may use half of the
    /// allowance: decoding them and working on them takes more. `what` describes them for people, such as "3 pages".
    ///
    /// # Errors
    /// Together with those that are held already, they need more.
    pub fn hold(&self, about: &str, what: &str, pixels: u64) -> Result<HeldPixels, Problem> {
        let bytes = pixels.saturating_mul(HELD);
        if take(&self.held, bytes, self.bytes / 2) {
            return Ok(HeldPixels { counted: Arc::clone(&self.held), bytes });
        }
        let needed = self.held.load(Ordering::Relaxed).saturating_add(bytes).saturating_mul(2);
        let what = format!("{what} with {} pixels in all", format::number(pixels));
        Err(TooMuch { needed, memory: self.bytes }.refusal(about, &what))
    }

    /// How many bytes from a shared store may wait until they are needed.
    pub(crate) fn of_ahead(&self) -> u64 {
        self.bytes / 16
    }

    /// How much of one file's treated frames is held before it is known whether they can be kept.
    pub(crate) fn of_a_file(&self) -> u64 {
        self.bytes / 64
    }

    /// Whether all pages of a previous build may be decoded, given their number of pixels.
    pub(crate) fn fits_former(&self, pixels: u64) -> bool {
        pixels.saturating_mul(5) <= self.bytes / 16
    }
}

fn take(from: &AtomicU64, bytes: u64, most: u64) -> bool {
    from.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |used| used.checked_add(bytes).filter(|sum| *sum <= most))
        .is_ok()
}

/// Memory for decoding a picture; dropping this returns it.
#[derive(Debug)]
pub(crate) struct Decoding<'a> {
    of: &'a Allowance,
    bytes: u64,
}

impl Drop for Decoding<'_> {
    fn drop(&mut self) {
        *self.of.used() -= self.bytes;
        self.of.given_back.notify_all();
    }
}

/// A file's bytes that wait in memory; dropping this returns their room.
#[derive(Debug)]
pub(crate) struct KeptFile {
    counted: Arc<AtomicU64>,
    bytes: Vec<u8>,
}

impl KeptFile {
    /// The bytes, which no longer count.
    pub fn take(mut self) -> Vec<u8> {
        self.give_back();
        std::mem::take(&mut self.bytes)
    }

    fn give_back(&self) {
        self.counted.fetch_sub(self.bytes.len() as u64, Ordering::Relaxed);
    }
}

impl Drop for KeptFile {
    /// Nothing is left to return of what was taken.
    fn drop(&mut self) {
        self.give_back();
    }
}

/// Pixels in memory; dropping this returns their room.
#[derive(Debug)]
pub struct HeldPixels {
    counted: Arc<AtomicU64>,
    bytes: u64,
}

impl Drop for HeldPixels {
    fn drop(&mut self) {
        self.counted.fetch_sub(self.bytes, Ordering::Relaxed);
    }
}

/// Something needs more memory than a run may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct TooMuch {
    /// The memory that a run would have to be allowed.
    pub needed: u64,
    /// The memory that it is allowed.
    pub memory: u64,
}

impl TooMuch {
    /// What is wrong with something of this size, and what to do.
    pub fn problem(self, about: &str, size: Size) -> Problem {
        self.refusal(about, &format!("{size} pixels"))
    }

    fn refusal(self, about: &str, what: &str) -> Problem {
        // Rounded up, so that the reported number is enough.
        let (needed, memory) = (self.needed.div_ceil(1 << 20), format::bytes(self.memory));
        let why = format!("at least {needed} MiB of memory are needed for {what}; this run has {memory}");
        let help = "raise memory with --memory SIZE, or in [limits] of the project file";
        Problem::usage(ProblemKind::OverLimit, about, why, help)
    }
}

/// Half of the machine's memory, at most 4 GiB.
fn default_memory() -> u64 {
    machine_memory().map_or(MOST_BY_DEFAULT, |bytes| (bytes / 2).min(MOST_BY_DEFAULT))
}

/// The machine's memory, or what the system lets this process use of it, if known.
#[cfg(target_os = "linux")]
fn machine_memory() -> Option<u64> {
    let info = rustix::system::sysinfo();
    #[allow(clippy::useless_conversion, reason = "it has 32 bits on other machines")]
    let all = u64::from(info.totalram).saturating_mul(u64::from(info.mem_unit));
    // In a container.
    let allowed = zemtak_files::read_text("/sys/fs/cgroup/memory.max".as_ref(), 64);
    let allowed = allowed.ok().and_then(|text| text.trim().parse().ok());
    Some(allowed.map_or(all, |most: u64| most.min(all)))
}

#[cfg(not(target_os = "linux"))]
fn machine_memory() -> Option<u64> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::AtomicBool;

    fn of(memory: u64) -> Allowance {
        Allowance::new(Limits { memory: Some(memory), ..Limits::default() })
    }

    /// Pages come in groups that fit in half of the memory; one that does not fit is a group of its own.
    #[test]
    fn pages_are_held_in_groups() {
        let page = |bytes: u64| Size::new(u32::try_from(bytes / HELD).unwrap(), 1);
        let groups = |held: u64, pages: &[u64]| {
            let allowance = of(100 * HELD);
            allowance.held.store(held * HELD, Ordering::Relaxed);
            allowance.groups(&pages.iter().map(|&bytes| page(bytes * HELD)).collect::<Vec<_>>())
        };
        assert_eq!(groups(0, &[]), []);
        assert_eq!(groups(0, &[20, 30, 1, 49, 1]), [0..2, 2..4, 4..5]);
        assert_eq!(groups(0, &[70, 70, 10]), [0..1, 1..2, 2..3]);
        assert_eq!(groups(20, &[20, 10, 30]), [0..2, 2..3], "what is held elsewhere counts");
        assert_eq!(groups(200, &[1, 1]), [0..1, 1..2]);
    }

    #[test]
    fn large_pictures_wait_for_each_other() {
        let allowance = of(8000);
        // Three eighths are 3000 bytes, of which 100 pixels take 2000.
        let first = allowance.decode(100).unwrap();
        let small = allowance.decode(50).unwrap();
        let entered = AtomicBool::new(false);
        std::thread::scope(|scope| {
            let waits = scope.spawn(|| {
                let _second = allowance.decode(100).unwrap();
                entered.store(true, Ordering::SeqCst);
            });
            std::thread::sleep(std::time::Duration::from_millis(20));
            assert!(!entered.load(Ordering::SeqCst));
            drop(small);
            drop(first);
            waits.join().unwrap();
        });
        assert!(entered.load(Ordering::SeqCst));
        assert_eq!(*allowance.used(), 0);
        // The reported number is enough.
        let TooMuch { needed, memory } = allowance.decode(151).unwrap_err();
        assert_eq!(memory, 8000);
        assert!(of(needed + 8).decode(151).is_ok() && of(needed - 8).decode(151).is_err());
    }

    #[test]
    fn pages_are_drawn_together_as_far_as_they_fit() {
        let allowance = of(8000);
        let page = Size::new(10, 10);
        assert_eq!(allowance.drawn_together(&[page; 9], Drawing::Bands), 3);
        assert_eq!(allowance.drawn_together(&[page; 9], Drawing::Whole), 1);
        assert_eq!(allowance.drawn_together(&[Size::new(100, 100); 2], Drawing::Whole), 1);
        assert!(allowance.check_page(Size::new(10, 20), Drawing::Whole).is_ok());
        assert!(allowance.check_page(Size::new(10, 21), Drawing::Whole).is_err());
    }

    #[test]
    fn pages_count_as_long_as_they_are_held() {
        let allowance = of(8 << 20);
        let page = Size::new(512, 512);
        let first = allowance.hold_pages("night", &[page; 2]).unwrap();
        let why = allowance.hold_pages("dawn", &[page; 3]).unwrap_err().why;
        assert!(
            why.starts_with("at least 10 MiB of memory are needed for 3 pages with 786,432 pixels in all"),
            "{why}"
        );
        drop(first);
        let _kept = allowance.hold_pages("dawn", &[page; 4]).unwrap();
        assert!(allowance.hold_pages("night", &[Size::new(1, 1)]).is_err());
    }

    #[test]
    fn pages_are_held_in_groups_one_after_another() {
        let allowance = of(8 << 20);
        let [small, large] = [512, 2048].map(|side| Size::new(side, side));
        assert_eq!(allowance.groups(&[small; 9]), [0..4, 4..8, 8..9]);
        // A page that never fits has a group of its own, and is refused there.
        assert_eq!(allowance.groups(&[small, large, small, small]), [0..1, 1..2, 2..4]);
        let _held = allowance.hold_pages("night", &[small; 3]).unwrap();
        assert_eq!(allowance.groups(&[small; 2]), [0..1, 1..2]);
        assert_eq!(allowance.groups(&[]), []);
    }

    #[test]
    fn what_is_kept_stays_within_its_part() {
        let allowance = of(8000);
        assert!(allowance.keep(600) && allowance.keep(400) && !allowance.keep(1));
        allowance.let_go(400);
        assert!(allowance.keep(400));
        // Files count until they are taken or nobody needs them any more.
        let [first, second] = [300, 200].map(|length| allowance.keep_file(vec![7; length]).unwrap());
        assert!(allowance.keep_file(vec![7; 1]).is_none());
        assert_eq!(first.take().len(), 300);
        drop(second);
        assert!(allowance.keep_file(vec![7; 500]).is_some());
    }
}
