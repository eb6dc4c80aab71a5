//! Many sprites together.

use crate::cache::ZemtakCache;
use crate::code::{Code, call, many, read, write};
use crate::text::text;
use crate::view::ZemtakView;
use std::ffi::c_char;

/// The progress of many sprites.
#[repr(C)]
pub struct ZemtakProgress {
    /// Sprites that can be drawn.
    pub done: u32,
    /// Sprites that cannot be loaded.
    pub failed: u32,
    /// All sprites known so far.
    pub total: u32,
    /// Whether all are known: globs are looked up first.
    pub complete: bool,
    /// Bytes of resident textures.
    pub bytes: u64,
    /// Bytes of all textures known so far.
    pub total_bytes: u64,
}

/// Leases many sprites together: names and globs, such as `night:lantern-?`. Give them back with `zemtak_set_release`.
///
/// # Safety
/// Pointers are null or valid; there are this many names.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_set_take(
    cache: *const ZemtakCache,
    names: *const *const c_char,
    count: u32,
    set: *mut u64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, set) = unsafe { (read(cache)?, write(set)?) };
        *set = 0;
        // SAFETY: the caller promises this many names.
        let names = unsafe { many(names, count)? };
        // SAFETY: the caller promises each of them.
        let names = names.iter().map(|name| unsafe { text(*name) }).collect::<Result<Vec<_>, _>>()?;
        *set = cache.of.sets.put(cache.cache.lease_all(names))?;
        Ok(())
    })
}

/// Their progress.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_set_progress(
    cache: *const ZemtakCache,
    set: u64,
    progress: *mut ZemtakProgress,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, progress) = unsafe { (read(cache)?, write(progress)?) };
        let told = cache.of.sets.with(set, |set| set.progress())?;
        let small = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        *progress = ZemtakProgress {
            done: small(told.done),
            failed: small(told.failed),
            total: small(told.total),
            complete: told.complete,
            bytes: told.bytes,
            total_bytes: told.total_bytes,
        };
        Ok(())
    })
}

/// What one of them shows, by its index in the order of their names.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_set_view(cache: *const ZemtakCache, set: u64, at: u32, view: *mut ZemtakView) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, view) = unsafe { (read(cache)?, write(view)?) };
        let shown = cache.of.sets.with(set, |set| set.view(at as usize))?.ok_or(Code::NotReady)?;
        *view = ZemtakView::of(&shown);
        Ok(())
    })
}

/// Gives them back. A second time is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_set_release(cache: *const ZemtakCache, set: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.of.sets.take(set).map(drop))
}
