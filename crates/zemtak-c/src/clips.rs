//! Clips: leased with all their sprites, and played.

use crate::cache::ZemtakCache;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::leases::{ZemtakPlacement, ZemtakQuad, ZemtakView};
use crate::text::{Text, text};
use std::ffi::c_char;
use std::time::Duration;
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::{Playing, Status, View};

/// What plays, and what it told last.
pub struct Played {
    playing: Playing,
    view: Option<View>,
    events: Vec<String>,
}

/// What a clip shows now.
#[repr(C)]
pub struct ZemtakMoment {
    /// The step's number, from 0.
    pub step: u32,
    /// Whether a clip that plays once is over.
    pub ended: bool,
    /// Whether there is anything to draw: the view is good.
    pub drawn: bool,
    /// How often it has played through.
    pub played: i64,
    /// Events of the steps that began on the way: `zemtak_playing_event` tells them.
    pub event_count: u32,
    /// What is to be drawn.
    pub view: ZemtakView,
}

/// Leases all sprites of a clip, as `night:moth/fly`. Given back by `zemtak_clip_release`; what plays it holds it too.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_take(cache: *const ZemtakCache, name: *const c_char, clip: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, clip) = unsafe { (read(cache)?, text(name)?, write(clip)?) };
        *clip = 0;
        *clip = cache.clips.put(cache.cache.lease_clip(name))?;
        Ok(())
    })
}

/// `ZEMTAK_OK` where it can be played, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_status(cache: *const ZemtakCache, clip: u64, error: *mut ZemtakText) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, error) = unsafe { (read(cache)?, error.as_mut()) };
        match cache.clips.with(clip, |clip| clip.sprites().status())? {
            Status::Ready => Ok(()),
            Status::Failed(failure) => Err(failed(&failure, error)),
            _ => Err(Code::NotReady),
        }
    })
}

/// Gives it back. Once more is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_clip_release(cache: *const ZemtakCache, clip: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.clips.take(clip).map(drop))
}

/// Plays a clip at a speed of `speed_num / speed_den` from a place in it. Given back by `zemtak_playing_release`.
///
/// # Safety
/// Pointers are null or good.
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
        let started = cache.clips.with(clip, |clip| clip.play_from(speed, place))?;
        *playing = cache.playing.put(Played { playing: started, view: None, events: Vec::new() })?;
        Ok(())
    })
}

/// Goes on, or back where that is below 0, and tells what to show.
///
/// # Safety
/// Pointers are null or good.
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
        cache.playing.with(playing, |played| {
            let now = played.playing.advance_by(nanoseconds);
            played.events.clear();
            played.events.extend(now.events().map(str::to_owned));
            played.view = now.view;
            moment.step = u32::try_from(now.step).unwrap_or(u32::MAX);
            (moment.ended, moment.played) = (now.ended, now.played);
            moment.event_count = u32::try_from(played.events.len()).unwrap_or(u32::MAX);
            moment.drawn = now.view.is_some();
            if let Some(view) = &now.view {
                moment.view = ZemtakView::of(view);
            }
        })
    })
}

/// The vertices that draw what the last advance told.
///
/// # Safety
/// Pointers are null or good.
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
        let view = cache.playing.with(playing, |played| played.view)?.ok_or(Code::NotReady)?;
        *quad = ZemtakQuad::of(&view, at);
        Ok(())
    })
}

/// An event of the last advance, from 0. `ZEMTAK_OUT_OF_RANGE` behind the last.
///
/// # Safety
/// Pointers are null or good.
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
        let told = cache.playing.with(playing, |played| played.events.get(at as usize).map(|event| Text::of(event)))?;
        event.text = told.ok_or(Code::OutOfRange)?;
        Ok(())
    })
}

/// Gives it back. Once more is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_playing_release(cache: *const ZemtakCache, playing: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.playing.take(playing).map(drop))
}
