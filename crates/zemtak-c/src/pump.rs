//! The pump: textures are made and dropped on the thread of the graphics API.

use crate::cache::ZemtakCache;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::sink::TableSink;
use std::thread::{self, ThreadId};
use std::time::Duration;
use zemtak_runtime::{PerFrame, Pump};

/// Makes and drops the textures of a cache, on the thread that opened it.
pub struct ZemtakPump {
    pump: Pump<TableSink>,
    thread: ThreadId,
}

impl ZemtakPump {
    pub fn new(pump: Pump<TableSink>) -> Self {
        Self { pump, thread: thread::current().id() }
    }
}

/// A pump, if this is its thread. On any other thread, nothing of it is touched except the id of its own thread, which
/// never changes.
///
/// # Safety
/// The pointer is null or leads to a pump that was opened and not closed.
unsafe fn on_its_thread<'p>(pump: *mut ZemtakPump) -> Result<&'p mut ZemtakPump, Code> {
    if pump.is_null() {
        return Err(Code::Null);
    }
    // SAFETY: it is not null, and nobody writes to that field.
    if unsafe { (*pump).thread } != thread::current().id() {
        return Err(Code::WrongThread);
    }
    // SAFETY: it is not null, and only this thread gets here.
    unsafe { write(pump) }
}

/// The most that a pump does. 0 stands for the default.
#[repr(C)]
pub struct ZemtakPerFrame {
    /// The most pages to make. Default: no limit but the other two.
    pub uploads: u32,
    /// Bytes after which no further page is begun. Default: 16 MiB.
    pub bytes: u64,
    /// Microseconds after which no further page is begun. Default: 4,000.
    pub microseconds: u64,
}

/// What a pump has done.
#[repr(C)]
pub struct ZemtakPumped {
    /// Pages of which it made textures. A page counts once, with all its layers.
    pub made: u32,
    /// Textures that it dropped, those of layers too.
    pub dropped: u32,
    /// Pages that wait for the next pump.
    pub ready: u32,
}

/// Makes and drops textures: call it once a frame, on the thread that opened the cache. `frame` and `pumped` may be
/// null.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_pump_run(
    pump: *mut ZemtakPump,
    frame: *const ZemtakPerFrame,
    pumped: *mut ZemtakPumped,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (pump, frame, pumped) = unsafe { (on_its_thread(pump)?, frame.as_ref(), pumped.as_mut()) };
        let mut limits = PerFrame::default();
        if let Some(frame) = frame {
            if frame.uploads > 0 {
                limits.uploads = frame.uploads as usize;
            }
            if frame.bytes > 0 {
                limits.bytes = frame.bytes;
            }
            if frame.microseconds > 0 {
                limits.time = Duration::from_micros(frame.microseconds);
            }
        }
        let done = pump.pump.pump(limits);
        if let Some(pumped) = pumped {
            let small = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
            *pumped = ZemtakPumped { made: small(done.made), dropped: small(done.dropped), ready: small(done.ready) };
        }
        Ok(())
    })
}

/// Pumps until a sprite (a lease), sprites (a set) or a clip (a clip lease) can be drawn: for a loading screen.
///
/// # Safety
/// Pointers are null or valid; both were opened together.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_pump_wait(
    pump: *mut ZemtakPump,
    cache: *const ZemtakCache,
    handle: u64,
    error: *mut ZemtakText,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (pump, cache, error) = unsafe { (on_its_thread(pump)?, read(cache)?, error.as_mut()) };
        let pump = &mut pump.pump;
        // The objects stay in place: a wait works on copies, so that other threads can continue.
        let done = if let Ok(lease) = cache.lease_of(handle) {
            pump.wait(&lease)
        } else if let Ok(set) = cache.of.sets.with(handle, |set| set.clone()) {
            pump.wait(&set)
        } else {
            pump.wait(cache.of.clips.with(handle, |clip| clip.clone())?.sprites())
        };
        done.map_err(|failure| failed(&failure, error))
    })
}

/// Makes all textures again after the device was lost and they with it; does not ask the sink to drop them.
///
/// # Safety
/// The pump is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_pump_device_lost(pump: *mut ZemtakPump) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { on_its_thread(pump) }.map(|pump| pump.pump.device_lost()))
}

/// Drops all textures, and sets the pointer to null. From then on leases show nothing.
///
/// # Safety
/// The pointer is null or leads to a pointer that is null or was opened and not closed.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_pump_close(pump: *mut *mut ZemtakPump) -> Code {
    call(|| {
        // SAFETY: as promised.
        let pump = unsafe { write(pump) }?;
        // SAFETY: it was opened and not closed.
        unsafe { on_its_thread(*pump) }?;
        // SAFETY: it was made by `Box::into_raw`, and nobody owns it any more.
        drop(unsafe { Box::from_raw(std::mem::replace(pump, std::ptr::null_mut())) });
        Ok(())
    })
}
