//! Opening and closing a cache, and calls that concern all of it.

use crate::batches::Drawn;
use crate::clips::Played;
use crate::code::{Code, ZemtakText, call, failed, many, read, write};
use crate::handles::{Handles, Kind};
use crate::pump::ZemtakPump;
use crate::root::ZemtakRoot;
use crate::sink::{TableSink, ZemtakSink};
use crate::text::text;
use std::collections::VecDeque;
use std::ffi::c_char;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, ClipLease, Event, LeaseSet, Pixels, Settings};

/// A cache, and all that was leased from it. Its calls may come from any thread.
pub struct ZemtakCache {
    pub(crate) cache: Cache,
    /// Shared with pointers to it under other names.
    pub(crate) of: Arc<Tables>,
}

/// What was leased from a cache, except single leases, which the cache keeps itself.
pub struct Tables {
    cache: Cache,
    pub sets: Handles<LeaseSet>,
    pub clips: Handles<ClipLease>,
    pub playing: Handles<Played>,
    pub batches: Handles<Arc<Mutex<Drawn>>>,
    pub events: Mutex<VecDeque<Event>>,
}

impl Tables {
    fn new(cache: Cache) -> Self {
        Self {
            cache,
            sets: Handles::new(Kind::Set),
            clips: Handles::new(Kind::Clip),
            playing: Handles::new(Kind::Playing),
            batches: Handles::new(Kind::Batch),
            events: Mutex::default(),
        }
    }

    /// How many handles have not been given back.
    pub fn len(&self) -> u64 {
        (self.sets.len() + self.clips.len() + self.playing.len() + self.batches.len()) as u64
    }
}

impl Drop for Tables {
    /// The pump may still be open, and keeps what it needs.
    fn drop(&mut self) {
        self.cache.give_all_back();
    }
}

/// Settings of a cache. All zero means the defaults, except for the roots.
#[repr(C)]
pub struct ZemtakSettings {
    /// Where to look for files, the first root first.
    pub roots: *const ZemtakRoot,
    /// The number of roots.
    pub root_count: u32,
    /// How many threads decode: 0 for as many as the machine has cores, -1 to let the pump decode.
    pub workers: i32,
    /// Bytes of texture memory; within it, textures that nobody holds stay resident. 0 for 256 MiB.
    pub budget: u64,
    /// How often files are checked for changes, in milliseconds; 0 for never.
    pub watch_ms: u32,
    /// Red, green, blue and alpha of the stand-in for what is not resident; alpha 0 for none.
    pub stand_in: [u8; 4],
}

impl ZemtakSettings {
    /// # Safety
    /// Its pointers are null or valid.
    unsafe fn settings(&self) -> Result<Settings, Code> {
        // SAFETY: the caller promises this many roots.
        let roots = unsafe { many(self.roots, self.root_count)? };
        if roots.is_empty() {
            return Err(Code::Null);
        }
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

/// Opens a cache, and the pump that makes and drops its textures. The calling thread is the one of the graphics API:
/// the pump works on no other. Close both, the pump first or last.
///
/// # Safety
/// Pointers are null or valid; the functions of `sink` may be called on this thread until the pump is closed, those of
/// roots from any thread until the cache is.
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
        let of = Arc::new(Tables::new(opened.clone()));
        *cache = Box::into_raw(Box::new(ZemtakCache { cache: opened, of }));
        Ok(())
    })
}

/// Opens a second pointer to the same cache: what is leased through it is held under a name of the game's own, such as
/// that of a scene, which `zemtak_cache_ledger_json` reports. All handles are the same. Close it with
/// `zemtak_cache_close`, in any order.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_named(
    cache: *const ZemtakCache,
    holder: *const c_char,
    named: *mut *mut ZemtakCache,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, holder, named) = unsafe { (read(cache)?, text(holder)?, write(named)?) };
        *named = std::ptr::null_mut();
        let (own, of) = (cache.cache.named(holder), cache.of.clone());
        *named = Box::into_raw(Box::new(ZemtakCache { cache: own, of }));
        Ok(())
    })
}

/// Closes a cache: with the last pointer to it, gives back everything that is still leased. Sets the pointer to null,
/// so that closing it again returns `ZEMTAK_NULL`. No other call on it may be in progress.
///
/// # Safety
/// The pointer is null, or leads to a pointer that is null or was opened and not closed.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_close(cache: *mut *mut ZemtakCache) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { write(cache) }?;
        if cache.is_null() {
            return Err(Code::Null);
        }
        // SAFETY: it was made by `Box::into_raw`, and nobody owns it any more.
        drop(unsafe { Box::from_raw(std::mem::replace(cache, std::ptr::null_mut())) });
        Ok(())
    })
}

/// Makes the next pump drop all textures that nobody holds.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_trim(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.trim()))
}

/// Changes the budget. The next pump applies it.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_set_budget(cache: *const ZemtakCache, bytes: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.set_budget(bytes)))
}

/// Makes a name of the game's own stand for another name from now on.
///
/// # Safety
/// Pointers are null or valid.
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

/// Reads the atlas or image of a name again; a new version replaces the old one behind all leases at once.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_reload(cache: *const ZemtakCache, name: *const c_char) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache).and_then(|cache| text(name).map(|name| cache.cache.reload(name))) })
}

/// Checks the files of all atlases and images, and reloads those that have changed.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_reload_changed(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.reload_changed()))
}

/// Tries again to load everything that could not be loaded.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_retry_all(cache: *const ZemtakCache) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }.map(|cache| cache.cache.retry_all()))
}

/// Whether nothing is in progress.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_is_idle(cache: *const ZemtakCache, idle: *mut bool) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, idle) = unsafe { (read(cache)?, write(idle)?) };
        *idle = cache.cache.is_idle();
        Ok(())
    })
}
