//! Opening and closing a cache, and what is asked of all of it.

use crate::clips::Played;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::handles::Handles;
use crate::pump::ZemtakPump;
use crate::root::ZemtakRoot;
use crate::sink::{TableSink, ZemtakSink};
use crate::text::text;
use std::collections::VecDeque;
use std::ffi::c_char;
use std::sync::Mutex;
use std::time::Duration;
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, ClipLease, Event, Id, Lease, LeaseSet, Pixels, Settings};

/// A cache, and all that was leased from it. Its calls may come from any thread.
pub struct ZemtakCache {
    pub(crate) cache: Cache,
    pub(crate) leases: Handles<Lease>,
    pub(crate) sets: Handles<LeaseSet>,
    pub(crate) clips: Handles<ClipLease>,
    pub(crate) playing: Handles<Played>,
    /// Names that were looked up; they are good for as long as the cache.
    pub(crate) ids: Handles<Id>,
    pub(crate) events: Mutex<VecDeque<Event>>,
}

/// How a cache works. All zero is the default but for the roots.
#[repr(C)]
pub struct ZemtakSettings {
    /// Where files are looked for, the first root first.
    pub roots: *const ZemtakRoot,
    /// How many.
    pub root_count: u32,
    /// How many threads decode: 0 for as many as the machine has cores, -1 to have the pump do it.
    pub workers: i32,
    /// Bytes of texture memory within which textures stay that nobody holds; 0 for 256 MiB.
    pub budget: u64,
    /// How often files are looked at for changes, in milliseconds; 0 for never.
    pub watch_ms: u32,
    /// Red, green, blue and alpha of what is drawn for what is not there yet; alpha 0 for nothing.
    pub stand_in: [u8; 4],
}

impl ZemtakSettings {
    /// # Safety
    /// Its pointers are null or good.
    unsafe fn settings(&self) -> Result<Settings, Code> {
        if self.roots.is_null() || self.root_count == 0 {
            return Err(Code::Null);
        }
        // SAFETY: the caller promises so many roots.
        let roots = unsafe { std::slice::from_raw_parts(self.roots, self.root_count as usize) };
        // SAFETY: the caller promises each of them.
        let roots = roots.iter().map(|root| unsafe { root.files() }).collect::<Result<_, _>>()?;
        let mut settings = Settings { roots, ..Settings::default() };
        settings.workers = match self.workers {
            0 => None,
            count => Some(usize::try_from(count).unwrap_or(0)),
        };
        if self.budget > 0 {
            settings.budget = self.budget;
        }
        settings.watch = (self.watch_ms > 0).then(|| Duration::from_millis(self.watch_ms.into()));
        if self.stand_in[3] > 0 {
            settings.stand_in = Pixels::from_rgba(Size::new(1, 1), self.stand_in.to_vec());
        }
        Ok(settings)
    }
}

/// Opens a cache, and the pump that makes and drops its textures. This thread is the one of the graphics API: the pump works on no other.
/// Both are to be closed, the pump first or last.
///
/// # Safety
/// Pointers are null or good; the functions of `sink` may be called on this thread until the pump is closed, those of roots from any thread
/// until the cache is.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_open(
    settings: *const ZemtakSettings,
    sink: *const ZemtakSink,
    cache: *mut *mut ZemtakCache,
    pump: *mut *mut ZemtakPump,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, pump) = unsafe { (write(cache)?, write(pump)?) };
        (*cache, *pump) = (std::ptr::null_mut(), std::ptr::null_mut());
        // SAFETY: as promised.
        let (settings, sink) = unsafe { (read(settings)?.settings()?, TableSink::new(read(sink)?)?) };
        let (opened, pumping) = Cache::new(settings, sink);
        *pump = Box::into_raw(Box::new(ZemtakPump::new(pumping)));
        *cache = Box::into_raw(Box::new(ZemtakCache {
            cache: opened,
            leases: Handles::new(1),
            sets: Handles::new(2),
            clips: Handles::new(3),
            playing: Handles::new(4),
            ids: Handles::new(5),
            events: Mutex::default(),
        }));
        Ok(())
    })
}

/// Closes a cache: gives back all that is still leased, and sets the pointer to null, so that closing it once more is told
/// (`ZEMTAK_NULL`). No other call on it may be under way.
///
/// # Safety
/// The pointer is null or leads to a pointer that is null or was opened and not closed.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_close(cache: *mut *mut ZemtakCache) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { write(cache) }?;
        if cache.is_null() {
            return Err(Code::Null);
        }
        // SAFETY: it was made by `Box::into_raw`, and is nobody's any more.
        drop(unsafe { Box::from_raw(std::mem::replace(cache, std::ptr::null_mut())) });
        Ok(())
    })
}

/// Has the next pump drop all textures that nobody holds.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_trim(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.trim()))
}

/// Changes the budget. The next pump acts on it.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_set_budget(cache: *const ZemtakCache, bytes: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.set_budget(bytes)))
}

/// Has a name of the game's own stand for another name from now on.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_alias(
    cache: *const ZemtakCache,
    alias: *const c_char,
    name: *const c_char,
    error: *mut ZemtakText,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, alias, name, error) = unsafe { (read(cache)?, text(alias)?, text(name)?, error.as_mut()) };
        cache.cache.alias(alias, name).map_err(|failure| failed(&failure, error))
    })
}

/// Reads the atlas or image of a name anew; a new version takes the place of the old one behind all leases at once.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_reload(cache: *const ZemtakCache, name: *const c_char) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache).and_then(|cache| text(name).map(|name| cache.cache.reload(name))) })
}

/// Looks at the files of all atlases and images, and reloads those that have changed.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_reload_changed(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.reload_changed()))
}

/// Tries again to load everything that could not be had.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_retry_all(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.retry_all()))
}

/// Whether nothing is under way.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_is_idle(cache: *const ZemtakCache, idle: *mut bool) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, idle) = unsafe { (read(cache)?, write(idle)?) };
        *idle = cache.cache.is_idle();
        Ok(())
    })
}

/// The account of a cache.
#[repr(C)]
pub struct ZemtakLedger {
    /// Leases that were asked for.
    pub requests: u64,
    /// Textures that were made.
    pub loads: u64,
    /// Their bytes.
    pub loaded_bytes: u64,
    /// Textures that were dropped to make room, for a trim, or for another reason.
    pub evictions: u64,
    /// Files that could not be had.
    pub failures: u64,
    /// Bytes of textures that are there.
    pub resident_bytes: u64,
    /// The most that ever were.
    pub peak_bytes: u64,
    /// Bytes of textures that are leased.
    pub leased_bytes: u64,
    /// Leases that are not given back.
    pub leases: u64,
    /// Handles that are not given back: leases, sets, clips, and what plays.
    pub handles: u64,
}

/// Tells the account.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_ledger(cache: *const ZemtakCache, ledger: *mut ZemtakLedger) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, ledger) = unsafe { (read(cache)?, write(ledger)?) };
        let told = cache.cache.ledger();
        *ledger = ZemtakLedger {
            requests: told.requests,
            loads: told.loads,
            loaded_bytes: told.loaded_bytes,
            evictions: told.evictions.all(),
            failures: told.page_failures + told.other_failures,
            resident_bytes: told.resident_bytes,
            peak_bytes: told.peak_bytes,
            leased_bytes: told.leased_bytes,
            leases: told.leases,
            handles: (cache.leases.len() + cache.sets.len() + cache.clips.len() + cache.playing.len()) as u64,
        };
        Ok(())
    })
}
