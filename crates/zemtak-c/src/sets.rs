//! Many sprites together.

use crate::cache::ZemtakCache;
use crate::code::{Code, call, many, read, write};
use crate::text::text;
use crate::view::ZemtakView;
use std::ffi::c_char;

/// How far many sprites are.
#[repr(C)]
pub struct ZemtakProgress {
    /// Sprites that can be drawn.
    pub done: u32,
    /// Sprites that cannot be had.
    pub failed: u32,
    /// All that are known.
    pub total: u32,
    /// Whether all are known: globs are looked up first.
    pub complete: bool,
    /// Bytes of textures that are there.
    pub bytes: u64,
    /// Of all that are known.
    pub total_bytes: u64,
}

/// Leases many sprites together: names and globs, as `night:lantern-?`. Given back by `zemtak_set_release`.
///
/// # Safety
/// Pointers are null or good; there are so many names.
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
        // SAFETY: the caller promises so many names.
        let names = unsafe { many(names, count)? };
        // SAFETY: the caller promises each of them.
        let names = names.iter().map(|name| unsafe { text(*name) }).collect::<Result<Vec<_>, _>>()?;
        *set = cache.of.sets.put(cache.cache.lease_all(names))?;
        Ok(())
    })
}

/// How far they are.
///
/// # Safety
/// Pointers are null or good.
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

/// What one of them shows, by its place in the order of their names.
///
/// # Safety
/// Pointers are null or good.
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

/// Gives them back. Once more is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_set_release(cache: *const ZemtakCache, set: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.of.sets.take(set).map(drop))
}
