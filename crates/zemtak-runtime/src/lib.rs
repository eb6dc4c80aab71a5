//! What a game links: the resource cache, and reading frame descriptors and their pages without it.
//!
//! A [`Cache`] loads each texture once, however many ask for it, shares it by counted [`Lease`]s, and drops it when its room
//! is needed and nobody holds it. Textures are made and dropped by a [`Pump`] on the thread of the graphics API, through a
//! [`Sink`] that the game implements; files are read and decoded by other threads.
//!
//! ```no_run
//! use zemtak_runtime::{Cache, Folder, MemorySink, PerFrame, Settings};
//!
//! # fn main() -> Result<(), zemtak_runtime::Failure> {
//! let (cache, mut pump) = Cache::new(Settings::over(Folder::new("assets")), MemorySink::new());
//! let moth = cache.lease("night:moth/fly/03");
//! pump.wait(&moth)?;
//! loop {
//!     pump.pump(PerFrame::default());
//!     if let Some(view) = moth.view() {
//!         // Bind view.texture, draw view.quad(..).
//!         println!("{:?} {:?}", view.texture, view.uv);
//!     }
//! #   break;
//! }
//! # Ok(())
//! # }
//! ```
//!
//! # Features
//!
//! - `png` (a default), `qoi`, `webp`, `jpeg`: the formats of pages and loose images that can be read. Raw pages
//!   always can. A page of another format fails with the name of the missing feature.
//! - `ktx2`: pages with mip levels, in compressed blocks if they were packed so; a sink that takes such blocks gets
//!   them as they are. `blocks` unpacks them for sinks that do not.
//! - `hash`: pages are checked against the hash in their descriptor, in debug builds and whenever a new version is
//!   read.
//! - `tracing`: spans for everything that is read, decoded and made into textures, and events, for a profiler.
//! - `exact-numbers` (a default): reads numbers of more than 15 digits exactly (an atlas's scale, a step's `ms` and a
//!   sprite's `user` data may have so many); without it they may be off by their last bit.
//! - `unknown-keys`: reports the keys of a descriptor that this version does not know.
//!
//! See docs/runtime.md for the whole story.

mod batch;
mod cache;
mod event;
mod failure;
mod files;
mod open;
mod sink;
mod slots;
mod sync;
mod trace;

pub use batch::{Batch, BatchDraw, BatchOrder, INSTANCE_BYTES, INSTANCE_GLSL, INSTANCE_WGSL, Look};
#[doc(hidden)]
pub use cache::Handle;
pub use cache::{
    Asked, Awaited, Cache, ClipInfo, ClipLease, Details, Evictions, FRAMES_KEPT, FrameLine, Held, Id, Lease, LeaseKey,
    LeaseSet, Ledger, Moment, PerFrame, Playing, Progress, Pump, Pumped, Ready, Settings, Status, TextureLine, View,
    Views,
};
pub use event::{Cause, EVENTS_KEPT, Event};
pub use failure::{Failure, Reason};
pub use files::{Files, Folder, MemoryFiles, Stamp};
#[cfg(feature = "hash")]
pub use open::page_hash;
pub use open::{AtlasFile, HashCheck, OpenError, PAGE_BYTES, RAW_PAGE};
pub use sink::{
    DeviceFault, LARGEST_SIDE, Level, MemorySink, NewTexture, Rows, Sampler, SimulatedDevice, Sink, SinkError, Texture,
    Work, texture_bytes,
};
pub use slots::Slots;
pub use zemtak_core::atlas;
pub use zemtak_core::atlas::DESCRIPTOR_BYTES;
pub use zemtak_core::clip;
pub use zemtak_core::codec::{DecodeError, Limits};
pub use zemtak_core::coords;
pub use zemtak_core::geometry;
pub use zemtak_core::name;
pub use zemtak_core::pixels::Pixels;
