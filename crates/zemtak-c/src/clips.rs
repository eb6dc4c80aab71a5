//! Clips: leased with all their sprites, and played.

use crate::cache::ZemtakCache;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::text::{Text, text};
use crate::view::{ZemtakPlacement, ZemtakQuad, ZemtakView};
use std::ffi::{CString, c_char, c_void};
use std::time::Duration;
use zemtak_runtime::atlas::Mode;
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::{ClipInfo, Playing, Status, View};

/// A playing clip, and what it last showed.
pub struct Played {
    playing: Playing,
    pub(crate) view: Option<View>,
}

/// What a clip currently shows.
#[repr(C)]
pub struct ZemtakMoment {
    /// The number of the step, from 0.
    pub step: u32,
    /// Whether a clip that plays once is over.
    pub ended: bool,
    /// Whether there is anything to draw, so that the view is valid.
    pub drawn: bool,
    /// How often it has played through.
    pub played: i64,
    /// The number of events of the steps that began during the advance; `zemtak_playing_event` returns each.
    pub event_count: u32,
    /// What to draw.
    pub view: ZemtakView,
}

/// Leases all sprites of a clip, such as `night:moth/fly`. Give it back with `zemtak_clip_release`; whatever plays it
/// holds it too.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_take(cache: *const ZemtakCache, name: *const c_char, clip: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, clip) = unsafe { (read(cache)?, text(name)?, write(clip)?) };
        *clip = 0;
        *clip = cache.of.clips.put(cache.cache.lease_clip(name))?;
        Ok(())
    })
}

/// `ZEMTAK_OK` if it can be played, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_status(cache: *const ZemtakCache, clip: u64, error: *mut ZemtakText) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, error) = unsafe { (read(cache)?, error.as_mut()) };
        match cache.of.clips.with(clip, |clip| clip.sprites().status())? {
            Status::Ready => Ok(()),
            Status::Failed(failure) => Err(failed(&failure, error)),
            _ => Err(Code::NotReady),
        }
    })
}

/// Information about a clip.
#[repr(C)]
pub struct ZemtakClipDetails {
    /// What it does after its last step: 0 starts again, 1 stays there, 2 goes back and forth.
    pub mode: u32,
    /// How many steps it has.
    pub steps: u32,
    /// How long it takes to play once, there and back if it bounces.
    pub nanoseconds: u64,
}

impl From<ClipInfo> for ZemtakClipDetails {
    fn from(info: ClipInfo) -> Self {
        let mode = match info.mode {
            Mode::Once => 1,
            Mode::Bounce => 2,
            _ => 0,
        };
        let steps = u32::try_from(info.steps).unwrap_or(u32::MAX);
        Self { mode, steps, nanoseconds: u64::try_from(info.length.as_nanos()).unwrap_or(u64::MAX) }
    }
}

/// Mode, steps and length of a leased clip; `ZEMTAK_NOT_READY` until they are known.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_info(cache: *const ZemtakCache, clip: u64, info: *mut ZemtakClipDetails) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, info) = unsafe { (read(cache)?, write(info)?) };
        *info = cache.of.clips.with(clip, |clip| clip.info())?.ok_or(Code::NotReady)?.into();
        Ok(())
    })
}

/// Passes each clip of an atlas to `emit` with its full name, as `zemtak_clip_take` takes it. `ZEMTAK_NOT_READY` until
/// the descriptor is read; asking requests that, and loads no page. `error` may be null.
///
/// # Safety
/// Pointers are null or valid; `emit` may be called with `to`.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_cache_clips(
    cache: *const ZemtakCache,
    atlas: *const c_char,
    emit: Option<unsafe extern "C" fn(to: *mut c_void, name: *const c_char, info: *const ZemtakClipDetails)>,
    to: *mut c_void,
    error: *mut ZemtakText,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, atlas, error) = unsafe { (read(cache)?, text(atlas)?, error.as_mut()) };
        let emit = emit.ok_or(Code::Null)?;
        let clips = cache.cache.clips(atlas).map_err(|failure| failed(&failure, error))?.ok_or(Code::NotReady)?;
        for (name, info) in clips {
            let (name, info) = (CString::new(name).map_err(|_| Code::Bug)?, info.into());
            // SAFETY: the caller promises it; the arguments outlive the call.
            unsafe { emit(to, name.as_ptr(), &raw const info) };
        }
        Ok(())
    })
}

/// Gives it back. A second time is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_release(cache: *const ZemtakCache, clip: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.of.clips.take(clip).map(drop))
}

/// Plays a clip at a speed of `speed_num / speed_den`, starting at a position. Give it back with
/// `zemtak_playing_release`.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_take(
    cache: *const ZemtakCache,
    clip: u64,
    speed_num: i32,
    speed_den: u32,
    nanoseconds: u64,
    playing: *mut u64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, playing) = unsafe { (read(cache)?, write(playing)?) };
        *playing = 0;
        let speed = Ratio::new(speed_num, speed_den).ok_or(Code::OutOfRange)?;
        let place = Duration::from_nanos(nanoseconds);
        let started = cache.of.clips.with(clip, |clip| clip.play_from(speed, place))?;
        *playing = cache.of.playing.put(Played { playing: started, view: None })?;
        Ok(())
    })
}

/// Advances by this many nanoseconds, backwards if negative, and returns what to show.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_advance(
    cache: *const ZemtakCache,
    playing: u64,
    nanoseconds: i64,
    moment: *mut ZemtakMoment,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, moment) = unsafe { (read(cache)?, write(moment)?) };
        cache.of.playing.with(playing, |played| {
            let now = played.playing.advance_by(nanoseconds);
            played.view = now.view;
            moment.step = u32::try_from(now.step).unwrap_or(u32::MAX);
            (moment.ended, moment.played) = (now.ended, now.played);
            moment.event_count = u32::try_from(now.event_count()).unwrap_or(u32::MAX);
            moment.drawn = now.view.is_some();
            if let Some(view) = &now.view {
                moment.view = ZemtakView::of(view);
            }
        })
    })
}

/// Plays at another speed from now on, `speed_num / speed_den`; backwards if negative.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_set_speed(
    cache: *const ZemtakCache,
    playing: u64,
    speed_num: i32,
    speed_den: u32,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { read(cache) }?;
        let speed = Ratio::new(speed_num, speed_den).ok_or(Code::OutOfRange)?;
        cache.of.playing.with(playing, |played| played.playing.set_speed(speed))
    })
}

/// Jumps to a position of the clip, 0 to start again. What lies before it counts neither as shown nor as played.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_seek(cache: *const ZemtakCache, playing: u64, nanoseconds: u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { read(cache) }?;
        cache.of.playing.with(playing, |played| played.playing.seek(Duration::from_nanos(nanoseconds)))
    })
}

/// Switches to another clip, at the same speed and at the same fraction of its length: half way stays half way, so that
/// a walk becomes a run without a stumble.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_go_over_to(cache: *const ZemtakCache, playing: u64, clip: u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { read(cache) }?;
        let clip = cache.of.clips.with(clip, |clip| clip.clone())?;
        cache.of.playing.with(playing, |played| played.playing.go_over_to(&clip))
    })
}

/// The vertices that draw what the last advance returned.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_quad(
    cache: *const ZemtakCache,
    playing: u64,
    at: *const ZemtakPlacement,
    quad: *mut ZemtakQuad,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, at, quad) = unsafe { (read(cache)?, read(at)?, write(quad)?) };
        let view = cache.of.playing.with(playing, |played| played.view)?.ok_or(Code::NotReady)?;
        *quad = ZemtakQuad::of(&view, at);
        Ok(())
    })
}

/// An event of the last advance, from 0. `ZEMTAK_OUT_OF_RANGE` after the last.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_event(
    cache: *const ZemtakCache,
    playing: u64,
    at: u32,
    event: *mut ZemtakText,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, event) = unsafe { (read(cache)?, write(event)?) };
        let told = cache.of.playing.with(playing, |played| played.playing.event(at.into()).map(Text::of))?;
        event.text = told.ok_or(Code::OutOfRange)?;
        Ok(())
    })
}

/// Gives it back. A second time is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_release(cache: *const ZemtakCache, playing: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.of.playing.take(playing).map(drop))
}
