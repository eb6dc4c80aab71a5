//! Leases: of a sprite, of a part of one; and what they show.

use crate::cache::ZemtakCache;
use crate::code::{Code, ZemtakText, call, failed, read, write};
use crate::handles;
use crate::text::text;
use crate::view::{ZemtakPlacement, ZemtakQuad, ZemtakView};
use std::ffi::c_char;
use zemtak_runtime::coords::{Middle, Part};
use zemtak_runtime::{Lease, Status, View};

impl ZemtakCache {
    /// Another lease like the handle's, for what need not be fast.
    pub(crate) fn lease_of(&self, handle: u64) -> Result<Lease, Code> {
        self.cache.kept(handles::lease(handle)?).ok_or(Code::Stale)
    }

    /// What a lease shows.
    pub(crate) fn view_of(&self, handle: u64) -> Result<View, Code> {
        self.cache.view_of(handles::lease(handle)?).ok_or(Code::Stale)?.ok_or(Code::NotReady)
    }

    /// The quads of a stretched sprite.
    pub(crate) fn stretched(
        &self,
        lease: u64,
        view: &View,
        to: [f64; 2],
        tiled: bool,
        at: &ZemtakPlacement,
    ) -> Result<impl Iterator<Item = ZemtakQuad> + use<>, Code> {
        if !to.iter().all(|side| side.is_finite() && *side >= 0.0) {
            return Err(Code::OutOfRange);
        }
        let bands = self.lease_of(lease)?.details().and_then(|details| details.stretch).unwrap_or_default();
        let (placement, sampling) = at.parts();
        let middle = if tiled { Middle::Tiled } else { Middle::Stretched };
        let texture = view.texture.0;
        Ok(view.stretched(bands, to, middle, placement, sampling).map(move |quad| ZemtakQuad::of_quad(texture, &quad)))
    }
}

/// Leases a sprite by its name, such as `night:moth/fly/03`, or a loose image by its path. Never waits: ask
/// `zemtak_lease_status`. Give the handle back with `zemtak_lease_release`.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_take(cache: *const ZemtakCache, name: *const c_char, lease: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, lease) = unsafe { (read(cache)?, text(name)?, write(lease)?) };
        *lease = 0;
        *lease = handles::of_lease(cache.cache.lease_key(name))?;
        Ok(())
    })
}

/// Looks up a name, to lease it faster: once per name, since the number is valid as long as the cache. Loads nothing.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_id_of(cache: *const ZemtakCache, name: *const c_char, id: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, id) = unsafe { (read(cache)?, text(name)?, write(id)?) };
        *id = 0;
        *id = handles::of_id(cache.cache.id(name))?;
        Ok(())
    })
}

/// Leases a sprite by the number of its name. A number of another cache gives a lease that fails.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_take_id(cache: *const ZemtakCache, id: u64, lease: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, lease) = unsafe { (read(cache)?, write(lease)?) };
        *lease = 0;
        *lease = handles::of_lease(cache.cache.lease_key(handles::id(id)?))?;
        Ok(())
    })
}

/// Another lease on the same sprite or part.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_share(cache: *const ZemtakCache, lease: u64, other: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, other) = unsafe { (read(cache)?, write(other)?) };
        *other = 0;
        *other = handles::of_lease(cache.cache.keep(&cache.lease_of(lease)?))?;
        Ok(())
    })
}

/// A lease on a part of a sprite, or on a part of this part, in canvas pixels. `ZEMTAK_NOTHING` if nothing of it is
/// stored.
///
/// # Safety
/// Pointers are null or valid.
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
        let taken = cache.lease_of(lease)?.part(asked).map_err(|_| Code::Nothing)?;
        *part = handles::of_lease(cache.cache.keep(&taken))?;
        Ok(())
    })
}

/// Gives a lease back. A second time is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_release(cache: *const ZemtakCache, lease: u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let cache = unsafe { read(cache) }?;
        if cache.cache.give_back(handles::lease(lease)?) { Ok(()) } else { Err(Code::Stale) }
    })
}

fn told(status: &Status, error: Option<&mut ZemtakText>) -> Result<(), Code> {
    match status {
        Status::Ready => Ok(()),
        Status::Failed(failure) => Err(failed(failure, error)),
        _ => Err(Code::NotReady),
    }
}

/// `ZEMTAK_OK` if it can be drawn, `ZEMTAK_NOT_READY`, or `ZEMTAK_FAILED` with the reason. `error` may be null.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_status(cache: *const ZemtakCache, lease: u64, error: *mut ZemtakText) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, error) = unsafe { (read(cache)?, error.as_mut()) };
        told(&cache.lease_of(lease)?.status(), error)
    })
}

/// What a lease shows: the sprite or, while it is not resident, the stand-in. `ZEMTAK_NOT_READY` if there is neither.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_view(cache: *const ZemtakCache, lease: u64, view: *mut ZemtakView) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, view) = unsafe { (read(cache)?, write(view)?) };
        *view = ZemtakView::of(&cache.view_of(lease)?);
        Ok(())
    })
}

/// The vertices that draw what a lease shows.
///
/// # Safety
/// Pointers are null or valid.
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
        *quad = ZemtakQuad::of(&cache.view_of(lease)?, at);
        Ok(())
    })
}

/// The quads that draw a sprite stretched to a size in canvas pixels: its bands keep their size, and the middle is
/// stretched, or repeated in whole copies if `tiled`. Writes at most `capacity` of them to `quads`, which may be null
/// for 0, and returns how many there are in `count`. None for a part.
///
/// # Safety
/// Pointers are null or valid; there is room for this many quads.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_stretched(
    cache: *const ZemtakCache,
    lease: u64,
    width: f64,
    height: f64,
    tiled: bool,
    at: *const ZemtakPlacement,
    quads: *mut ZemtakQuad,
    capacity: u32,
    count: *mut u32,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, at, count) = unsafe { (read(cache)?, read(at)?, write(count)?) };
        *count = 0;
        if quads.is_null() && capacity > 0 {
            return Err(Code::Null);
        }
        let view = cache.view_of(lease)?;
        for (place, quad) in cache.stretched(lease, &view, [width, height], tiled, at)?.enumerate() {
            if place < capacity as usize {
                // SAFETY: the caller promises room for this many.
                unsafe { quads.add(place).write(quad) };
            }
            *count += 1;
        }
        Ok(())
    })
}

/// The texture of a layer of its page, such as `normal`: the same corners show it. `ZEMTAK_NOTHING` if the page has no
/// such layer.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_layer(
    cache: *const ZemtakCache,
    lease: u64,
    layer: *const c_char,
    texture: *mut u64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, layer, texture) = unsafe { (read(cache)?, text(layer)?, write(texture)?) };
        let lease = cache.lease_of(lease)?;
        told(&lease.status(), None)?;
        *texture = lease.layer(layer).ok_or(Code::Nothing)?.0;
        Ok(())
    })
}

/// A named point of it, in canvas pixels. `ZEMTAK_NOTHING` if it has none of that name.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_lease_point(
    cache: *const ZemtakCache,
    lease: u64,
    name: *const c_char,
    x: *mut f64,
    y: *mut f64,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, name, x, y) = unsafe { (read(cache)?, text(name)?, write(x)?, write(y)?) };
        let details = cache.lease_of(lease)?.details().ok_or(Code::NotReady)?;
        [*x, *y] = *details.points.get(name).ok_or(Code::Nothing)?;
        Ok(())
    })
}
