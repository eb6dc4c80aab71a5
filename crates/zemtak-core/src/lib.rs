//! The pure computation of Zemtak. Bytes, pixels and numbers go in, values come out: no file is touched, nothing is
//! printed.
//!
//! The modules read in the order of the pipeline: [`codec`] (bytes to pixels), [`pixels`] and [`prepare`]
//! (trimming and what else is done to them, [`resample`] for other sizes, [`style`] to tell kinds of art), [`layout`]
//! (rectangles to pages), [`compose`] (pixels onto pages), [`mips`] (smaller levels of them, and how they are sampled),
//! [`texture`] (what a graphics card is given), [`atlas`] (the descriptor), and beside it [`coords`] and [`clip`];
//! [`islands`] finds sprites on a sheet again, [`pattern`] draws test textures; [`glob`] matches names.
//!
//! # Features
//!
//! - `decode-png` (the default), `decode-jpeg`, `decode-webp`, `decode-bmp`, `decode-tga`, `decode-qoi`, `decode-gif` and
//!   `decode-apng` (frames of animated PNGs) read a format each, `decode-ktx2` textures in KTX2, of which `decode-blocks`
//!   unpacks compressed ones; `decode-all` is all of them.
//! - `encode-png`, `encode-apng`, `encode-qoi`, `encode-webp`, `encode-gif` and `encode-ktx2` write one each, and prove it;
//!   `encode-all`.
//! - `pack` is what makes atlases: treatment of pictures, layout, composing, verification.
//! - `unknown-keys` tells of keys in a descriptor that this version does not know.
//! - `parallel` spreads work over all cores; without it the same bytes come out of one thread.

pub mod atlas;
pub mod clip;
pub mod codec;
#[cfg(feature = "pack")]
pub mod compose;
pub mod coords;
pub mod diff;
pub mod geometry;
pub mod glob;
#[cfg(feature = "pack")]
pub mod islands;
pub mod json;
#[cfg(feature = "pack")]
pub mod layout;
mod light;
pub mod mips;
pub mod name;
mod par;
#[cfg(feature = "pack")]
pub mod pattern;
pub mod pixels;
#[cfg(feature = "pack")]
pub mod prepare;
#[cfg(feature = "pack")]
pub mod resample;
#[cfg(feature = "pack")]
mod separation;
#[cfg(feature = "pack")]
pub mod style;
pub mod texture;
#[cfg(feature = "pack")]
pub mod verify;
