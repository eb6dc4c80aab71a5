//! The account of a cache.

use crate::cache::ZemtakCache;
use crate::code::{Code, call, read, write};
use std::ffi::c_char;

/// The account of a cache.
#[repr(C)]
pub struct ZemtakLedger {
    /// Leases that were asked for.
    pub requests: u64,
    /// Pages and images made into textures, each counted once with all its layers.
    pub loads: u64,
    /// Their bytes.
    pub loaded_bytes: u64,
    /// Pages and images whose textures were dropped: to make room, by a trim, or for another reason.
    pub evictions: u64,
    /// Files that could not be loaded.
    pub failures: u64,
    /// Bytes of resident textures.
    pub resident_bytes: u64,
    /// The highest value of that so far.
    pub peak_bytes: u64,
    /// Bytes of textures that are leased.
    pub leased_bytes: u64,
    /// Leases that have not been given back.
    pub leases: u64,
    /// Handles that have not been given back: leases, sets, clips, playing clips, and batches.
    pub handles: u64,
}

/// Reads the account.
///
/// # Safety
/// Pointers are null or valid.
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
            handles: cache.cache.kept_count() + cache.of.len(),
        };
        Ok(())
    })
}

/// Writes the whole account as JSON, with who holds what by name, and each texture: `requests`, `loads`, `held`,
/// `textures` and the rest. Writes at most `size` bytes to `buffer`, including a zero at the end, and the number of
/// bytes that all of it takes to `length`; `ZEMTAK_OUT_OF_RANGE` if that is more than `size`.
///
/// # Safety
/// Pointers are null or valid; the buffer has that size.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_ledger_json(
    cache: *const ZemtakCache,
    buffer: *mut c_char,
    size: u64,
    length: *mut u64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, length) = unsafe { (read(cache)?, write(length)?) };
        let mut told = cache.cache.ledger().to_json().into_bytes();
        told.push(0);
        *length = told.len() as u64;
        if *length > size {
            return Err(Code::OutOfRange);
        }
        if buffer.is_null() {
            return Err(Code::Null);
        }
        // SAFETY: the caller promises that size.
        unsafe { std::ptr::copy_nonoverlapping(told.as_ptr(), buffer.cast(), told.len()) };
        Ok(())
    })
}
