//! Leases: of a sprite, of a part of one, of many together; and what they show.

use crate::cache::ZemtakCache;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::text::text;
use std::ffi::c_char;
use zemtak_runtime::coords::{Flip, Part, Placement, Sampling, ScreenY, VAxis};
use zemtak_runtime::{Status, View};

/// What a lease shows.
#[repr(C)]
pub struct ZemtakView {
    /// The number that the sink gave its texture.
    pub texture: u64,
    /// u and v of the upright corners: top left, top right, bottom right, bottom left; V down, row 0 at v = 0.
    pub uvs: [[f32; 2]; 4],
    /// The point by which it is placed, in canvas pixels.
    pub pivot: [f64; 2],
    /// Its full size.
    pub canvas: [u32; 2],
    /// Where what is stored lies on the canvas: x, y, width, height.
    pub visible: [u32; 4],
    /// Whether it stands in for what is not there.
    pub stand_in: bool,
}

/// Where and how a sprite is drawn: its pivot at `at`, scaled (a negative scale mirrors), then turned, clockwise as seen; with `y_up` the
/// screen's y goes up and it turns counter-clockwise. With `v_up` row 0 of the page is at v = 1. `shrink` moves texture coordinates
/// inwards by so many texels.
#[repr(C)]
pub struct ZemtakPlacement {
    /// Where its pivot goes.
    pub at: [f64; 2],
    /// Screen units for a canvas pixel.
    pub scale: [f64; 2],
    /// By how many degrees it is turned.
    pub degrees: f64,
    /// Half a texel keeps linear filtering within the box.
    pub shrink: f64,
    /// Which way the screen's y goes.
    pub y_up: bool,
    /// Which way V goes.
    pub v_up: bool,
}

/// Two triangles.
#[repr(C)]
pub struct ZemtakQuad {
    /// The number that the sink gave their texture.
    pub texture: u64,
    /// Where the upright corners are drawn: top left, top right, bottom right, bottom left.
    pub positions: [[f32; 2]; 4],
    /// Their texture coordinates.
    pub uvs: [[f32; 2]; 4],
    /// Six indices of them.
    pub indices: [u8; 6],
}

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

impl ZemtakView {
    #[inline]
    pub fn of(view: &View) -> Self {
        let on = view.visible.on_canvas;
        // The corners of the box as stored are there already; of a turned one the upright top left is the stored top right.
        let [u0, v0, u1, v1] = view.uv.0;
        let [a, b, c, d] = [[u0, v0], [u1, v0], [u1, v1], [u0, v1]];
        Self {
            texture: view.texture.0,
            uvs: if view.visible.area.turned() { [b, c, d, a] } else { [a, b, c, d] },
            pivot: view.pivot,
            canvas: [view.canvas.w, view.canvas.h],
            visible: [on.x, on.y, on.w, on.h],
            stand_in: view.stand_in,
        }
    }
}

impl ZemtakQuad {
    pub fn of(view: &View, at: &ZemtakPlacement) -> Self {
        let y = if at.y_up { ScreenY::Up } else { ScreenY::Down };
        let v = if at.v_up { VAxis::Up } else { VAxis::Down };
        let placement = Placement { at: at.at, scale: at.scale, degrees: at.degrees, flip: Flip::default(), y };
        let quad = view.quad(&placement, &Sampling { v, shrink: at.shrink, ..Sampling::default() });
        Self { texture: view.texture.0, positions: quad.positions, uvs: quad.uv, indices: quad.indices }
    }
}

/// Leases a sprite by its name, as `night:moth/fly/03`, or a loose image by its path. It never waits: `zemtak_lease_status` tells how far it is.
/// The handle is to be given back by `zemtak_lease_release`.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_take(cache: *const ZemtakCache, name: *const c_char, lease: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, lease) = unsafe { (read(cache)?, text(name)?, write(lease)?) };
        *lease = 0;
        *lease = cache.leases.put(cache.cache.lease(name))?;
        Ok(())
    })
}

/// Looks a name up, to lease it faster: once for a name, for the number is good as long as the cache. Nothing is loaded.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_id_of(cache: *const ZemtakCache, name: *const c_char, id: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, id) = unsafe { (read(cache)?, text(name)?, write(id)?) };
        *id = 0;
        *id = cache.ids.put(cache.cache.id(name))?;
        Ok(())
    })
}

/// Leases a sprite by the number of its name.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_take_id(cache: *const ZemtakCache, id: u64, lease: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, lease) = unsafe { (read(cache)?, write(lease)?) };
        *lease = 0;
        *lease = cache.leases.put(cache.cache.lease(cache.ids.with(id, |id| *id)?))?;
        Ok(())
    })
}

/// One more lease of the same sprite or part.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_share(cache: *const ZemtakCache, lease: u64, other: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, other) = unsafe { (read(cache)?, write(other)?) };
        *other = 0;
        *other = cache.leases.put(cache.leases.with(lease, |lease| lease.clone())?)?;
        Ok(())
    })
}

/// A lease of a part of a sprite, or of a part of this part, in canvas pixels. `ZEMTAK_NOTHING` where nothing of it is stored.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_part(
    cache: *const ZemtakCache,
    lease: u64,
    x: i32,
    y: i32,
    width: u32,
    height: u32,
    part: *mut u64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, part) = unsafe { (read(cache)?, write(part)?) };
        *part = 0;
        let asked = Part { x, y, w: width, h: height };
        let taken = cache.leases.with(lease, |lease| lease.part(asked))?.map_err(|_| Code::Nothing)?;
        *part = cache.leases.put(taken)?;
        Ok(())
    })
}

/// Gives a lease back. Once more is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_release(cache: *const ZemtakCache, lease: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.leases.take(lease).map(drop))
}

fn told(status: &Status, error: Option<&mut ZemtakText>) -> Result<(), Code> {
    match status {
        Status::Ready => Ok(()),
        Status::Failed(failure) => Err(failed(failure, error)),
        _ => Err(Code::NotReady),
    }
}

/// `ZEMTAK_OK` where it can be drawn, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_status(cache: *const ZemtakCache, lease: u64, error: *mut ZemtakText) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, error) = unsafe { (read(cache)?, error.as_mut()) };
        told(&cache.leases.with(lease, |lease| lease.status())?, error)
    })
}

/// What a lease shows: the sprite or, for want of it, what stands in. `ZEMTAK_NOT_READY` where there is neither.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_view(cache: *const ZemtakCache, lease: u64, view: *mut ZemtakView) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, view) = unsafe { (read(cache)?, write(view)?) };
        let shown = cache.leases.with(lease, |lease| lease.view())?.ok_or(Code::NotReady)?;
        *view = ZemtakView::of(&shown);
        Ok(())
    })
}

/// The vertices that draw what a lease shows.
///
/// # Safety
/// Pointers are null or good.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_quad(
    cache: *const ZemtakCache,
    lease: u64,
    at: *const ZemtakPlacement,
    quad: *mut ZemtakQuad,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, at, quad) = unsafe { (read(cache)?, read(at)?, write(quad)?) };
        let shown = cache.leases.with(lease, |lease| lease.view())?.ok_or(Code::NotReady)?;
        *quad = ZemtakQuad::of(&shown, at);
        Ok(())
    })
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
        if names.is_null() {
            return Err(Code::Null);
        }
        // SAFETY: the caller promises so many names.
        let names = unsafe { std::slice::from_raw_parts(names, count as usize) };
        // SAFETY: the caller promises each of them.
        let names = names.iter().map(|name| unsafe { text(*name) }).collect::<Result<Vec<_>, _>>()?;
        *set = cache.sets.put(cache.cache.lease_all(names))?;
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
        let told = cache.sets.with(set, |set| set.progress())?;
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
        let shown = cache.sets.with(set, |set| set.view(at as usize))?.ok_or(Code::NotReady)?;
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
    call(|| unsafe { read(cache) }?.sets.take(set).map(drop))
}
