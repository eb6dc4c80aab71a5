//! Batches: many sprites in few draws.

use crate::cache::ZemtakCache;
use crate::code::{Code, call, many, read, write};
use crate::handles;
use crate::view::{ZemtakPlacement, ZemtakQuad};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use zemtak_runtime::{Batch, BatchOrder, Cache, Look, Texture, Views};

/// How a sprite is drawn, apart from its place. All zero is layer 0, white.
#[repr(C)]
#[derive(Clone, Copy)]
pub struct ZemtakLook {
    /// Lower layers are drawn first.
    pub layer: i32,
    /// Red, green, blue and alpha that multiply its pixels; four zeros stand for white.
    pub tint: [u8; 4],
}

/// A sprite to draw.
#[repr(C)]
pub struct ZemtakSprite {
    /// A lease.
    pub lease: u64,
    /// Where.
    pub at: ZemtakPlacement,
    /// How.
    pub look: ZemtakLook,
}

/// A run of quads drawn with one texture.
#[repr(C)]
pub struct ZemtakDraw {
    /// The texture, by the number that the sink gave to it.
    pub texture: u64,
    /// The first quad: its vertices begin at four times this number, which is the base of the indices.
    pub first: u32,
    /// The number of quads: at most 16,384, so that 16-bit indices reach all vertices.
    pub quads: u32,
}

/// The data for drawing a batch. It stays in place until the next call with that batch.
#[repr(C)]
pub struct ZemtakLaidOut {
    /// Vertices, four for each quad, 20 bytes each: x, y, u, v as 32-bit floats, then red, green, blue, alpha as bytes
    /// in which 255 means 1. Or instances, one for each quad, 52 bytes each: as 32-bit floats the position of the
    /// upright sprite's top left corner, the vectors from there to its top right and bottom left corners, then the same
    /// three on the texture; then the colour. Little-endian.
    pub bytes: *const u8,
    /// The number of bytes.
    pub length: u64,
    /// What to draw, in order.
    pub draws: *const ZemtakDraw,
    /// The number of draws.
    pub draw_count: u32,
    /// The number of quads in all of them.
    pub quads: u32,
    /// How many sprites were left out because they lie outside the screen.
    pub culled: u32,
}

/// A batch, with the data returned for it.
#[derive(Default)]
pub struct Drawn {
    batch: Batch,
    draws: Vec<ZemtakDraw>,
    /// What sprites showed when they were added, for each call since the batch was cleared: in the next frame it is
    /// mostly the same.
    views: Vec<Views>,
    calls: usize,
}

impl Drawn {
    fn clear(&mut self) {
        self.batch.clear();
        self.views.truncate(self.calls);
        self.calls = 0;
    }

    /// Adds sprites, unless one is stale.
    fn add(&mut self, cache: &Cache, sprites: &[ZemtakSprite]) -> Result<(), Code> {
        if !sprites.iter().all(|sprite| handles::lease(sprite.lease).is_ok()) {
            return Err(Code::Stale);
        }
        if self.views.len() == self.calls {
            self.views.push(Views::new());
        }
        let views = &mut self.views[self.calls];
        let keys = sprites.iter().filter_map(|sprite| handles::lease(sprite.lease).ok());
        if !cache.views_of(keys, views) {
            return Err(Code::Stale);
        }
        self.calls += 1;
        for (sprite, view) in sprites.iter().zip(views.iter()) {
            if let Some(view) = view {
                let (placement, sampling) = sprite.at.parts();
                self.batch.add(view, &placement, &sampling, sprite.look.look());
            }
        }
        Ok(())
    }
}

impl ZemtakLook {
    fn look(self) -> Look {
        let tint = if self.tint == [0; 4] { [255; 4] } else { self.tint };
        Look { layer: self.layer, tint }
    }
}

impl ZemtakCache {
    fn batch(&self, handle: u64) -> Result<Arc<Mutex<Drawn>>, Code> {
        self.of.batches.with(handle, |batch| batch.clone())
    }
}

fn lock(batch: &Mutex<Drawn>) -> MutexGuard<'_, Drawn> {
    batch.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Creates a batch: it takes sprites and returns what a graphics API draws. If you keep it from frame to frame, it
/// allocates nothing. Give it back with `zemtak_batch_release`. Only one thread may use a batch at a time.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_take(cache: *const ZemtakCache, batch: *mut u64) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, batch) = unsafe { (read(cache)?, write(batch)?) };
        *batch = 0;
        *batch = cache.of.batches.put(Arc::default())?;
        Ok(())
    })
}

/// Removes all sprites.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_clear(cache: *const ZemtakCache, batch: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.batch(batch).map(|batch| lock(&batch).clear()))
}

/// Sets the visible area: left, top, right, bottom, in the units of placements. Sprites that are added afterwards and
/// lie outside it are left out. Null for no limit.
///
/// # Safety
/// Pointers are null or valid; the screen has four numbers.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_set_screen(cache: *const ZemtakCache, batch: u64, screen: *const f32) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, screen) = unsafe { (read(cache)?, screen.cast::<[f32; 4]>().as_ref()) };
        lock(&*cache.batch(batch)?).batch.set_screen(screen.copied());
        Ok(())
    })
}

/// Adds many sprites at once, as they are at one moment. Those that show nothing yet are left out; if a handle is
/// stale, none is added.
///
/// # Safety
/// Pointers are null or valid; there are this many sprites.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_add(
    cache: *const ZemtakCache,
    batch: u64,
    sprites: *const ZemtakSprite,
    count: u32,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, sprites) = unsafe { (read(cache)?, many(sprites, count)?) };
        lock(&*cache.batch(batch)?).add(&cache.cache, sprites)
    })
}

/// Adds what a clip has shown since its last advance. `look` may be null.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_add_playing(
    cache: *const ZemtakCache,
    batch: u64,
    playing: u64,
    at: *const ZemtakPlacement,
    look: *const ZemtakLook,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, at, look) = unsafe { (read(cache)?, read(at)?, look.as_ref()) };
        let view = cache.of.playing.with(playing, |played| played.view)?;
        if let Some(view) = view {
            let (placement, sampling) = at.parts();
            let look = look.map_or_else(Look::default, |look| look.look());
            lock(&*cache.batch(batch)?).batch.add(&view, &placement, &sampling, look);
        }
        Ok(())
    })
}

/// Adds quads, such as those of `zemtak_lease_stretched`. `look` may be null.
///
/// # Safety
/// Pointers are null or valid; there are this many quads.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_add_quads(
    cache: *const ZemtakCache,
    batch: u64,
    quads: *const ZemtakQuad,
    count: u32,
    look: *const ZemtakLook,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, quads, look) = unsafe { (read(cache)?, many(quads, count)?, look.as_ref()) };
        let (batch, look) = (cache.batch(batch)?, look.map_or_else(Look::default, |look| look.look()));
        let batch = &mut lock(&batch).batch;
        quads.iter().for_each(|quad| batch.add_quad(Texture(quad.texture), quad.quad(), look));
        Ok(())
    })
}

/// Lays out all sprites: lowest layer first; within a layer by texture or, with `as_added`, in the order in which they
/// were added, for sprites that overlap. As vertices, or as `instances`.
///
/// # Safety
/// Pointers are null or valid.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_lay_out(
    cache: *const ZemtakCache,
    batch: u64,
    as_added: bool,
    instances: bool,
    laid_out: *mut ZemtakLaidOut,
) -> Code {
    call(|| {
        // SAFETY: as promised.
        let (cache, laid_out) = unsafe { (read(cache)?, write(laid_out)?) };
        let batch = cache.batch(batch)?;
        let Drawn { batch, draws, .. } = &mut *lock(&batch);
        let order = if as_added { BatchOrder::AsAdded } else { BatchOrder::ByTexture };
        let bytes = if instances {
            batch.lay_out_instances(order);
            batch.instances()
        } else {
            batch.lay_out(order);
            batch.vertices()
        };
        let small = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        draws.clear();
        draws.extend(batch.draws().iter().map(|draw| ZemtakDraw {
            texture: draw.texture.0,
            first: small(draw.first),
            quads: small(draw.quads),
        }));
        *laid_out = ZemtakLaidOut {
            bytes: bytes.as_ptr(),
            length: bytes.len() as u64,
            draws: draws.as_ptr(),
            draw_count: small(draws.len()),
            quads: small(batch.len()),
            culled: small(batch.culled()),
        };
        Ok(())
    })
}

/// The 16-bit indices of this many quads, six each, for every draw of any batch: the base of a draw is its first
/// vertex. Upload them once, for as many quads as a draw may have. `ZEMTAK_OUT_OF_RANGE` for more than 16,384.
///
/// # Safety
/// The pointer is null, or there is room for six times as many.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_indices(indices: *mut u16, quads: u32) -> Code {
    call(|| {
        if indices.is_null() {
            return Err(Code::Null);
        }
        let all = Batch::indices(quads as usize);
        if all.len() != quads as usize * 6 {
            return Err(Code::OutOfRange);
        }
        // SAFETY: the caller promises room for this many.
        unsafe { std::ptr::copy_nonoverlapping(all.as_ptr(), indices, all.len()) };
        Ok(())
    })
}

/// Gives a batch back. A second time is `ZEMTAK_STALE`.
///
/// # Safety
/// The cache is null or open.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zemtak_batch_release(cache: *const ZemtakCache, batch: u64) -> Code {
    // SAFETY: as promised.
    call(|| unsafe { read(cache) }?.of.batches.take(batch).map(drop))
}
