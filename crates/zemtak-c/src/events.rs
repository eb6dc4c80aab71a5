//! What happened in a cache.

use crate::cache::ZemtakCache;
use crate::code::{Code, call, read, write};
use crate::text::{TEXT_BYTES, Text};
use std::sync::PoisonError;
use zemtak_runtime::Event;

/// What happened.
#[repr(C)]
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EventKind {
    /// A descriptor was read.
    Opened = 0,
    /// A texture was made.
    Loaded = 1,
    /// Something cannot be loaded; the text says why.
    Failed = 2,
    /// A new version has replaced the old one.
    Replaced = 3,
    /// A page was painted over since it was packed.
    Repainted = 4,
    /// A new version is broken, the old one is still drawn; the text says why.
    KeptOld = 5,
    /// A texture was dropped.
    Evicted = 6,
    /// A texture was given up before it was made.
    Cancelled = 7,
    /// Leased textures alone take more than the budget.
    OverBudget = 8,
    /// Something that this version of the interface has no name for.
    Other = 9,
}

/// Something that happened.
#[repr(C)]
pub struct ZemtakEvent {
    /// Its kind.
    pub kind: EventKind,
    /// Bytes of the texture, or of all textures.
    pub bytes: u64,
    /// The atlas or file, or the whole message of a failure. Ends with a zero byte.
    pub text: [u8; TEXT_BYTES],
}

/// The next thing that happened, in order; `ZEMTAK_NOTHING` if there is none.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_next_event(cache: *const ZemtakCache, event: *mut ZemtakEvent) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, event) = unsafe { (read(cache)?, write(event)?) };
        let mut waiting = cache.of.events.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.is_empty() {
            waiting.extend(cache.cache.events());
        }
        let next = waiting.pop_front().ok_or(Code::Nothing)?;
        let (kind, bytes, text) = match &next {
            Event::Opened { atlas } => (EventKind::Opened, 0, atlas.clone()),
            Event::Loaded { path, bytes } => (EventKind::Loaded, *bytes, path.clone()),
            Event::Failed(failure) => (EventKind::Failed, 0, failure.to_string()),
            Event::Replaced { name } => (EventKind::Replaced, 0, name.clone()),
            Event::Repainted { path } => (EventKind::Repainted, 0, path.clone()),
            Event::KeptOld(failure) => (EventKind::KeptOld, 0, failure.to_string()),
            Event::Evicted { path, bytes, .. } => (EventKind::Evicted, *bytes, path.clone()),
            Event::Cancelled { path } => (EventKind::Cancelled, 0, path.clone()),
            Event::OverBudget { resident, .. } => (EventKind::OverBudget, *resident, String::new()),
            _ => (EventKind::Other, 0, String::new()),
        };
        *event = ZemtakEvent { kind, bytes, text: Text::of(&text) };
        Ok(())
    })
}
