//! The pure computation of Zemtak. Bytes, pixels and numbers go in, values come out; it touches no file and prints
//! nothing.
//!
//! The modules in the order of the pipeline: [`codec`] (bytes to pixels), [`pixels`] and [`prepare`] (trimming and
//! other treatment, [`resample`] for other sizes, [`style`] to recognise kinds of art), [`layout`] (rectangles onto
//! pages), [`compose`] (pixels onto pages), [`mips`] (smaller levels of pages, and how they are sampled), [`texture`]
//! (what a graphics card gets), [`atlas`] (the descriptor), and beside it [`coords`] and [`clip`]; [`islands`] finds
//! sprites on a sheet, [`pattern`] draws test textures; [`glob`] matches names.
//!
//! # Features
//!
//! - `decode-png` (the default), `decode-jpeg`, `decode-webp`, `decode-bmp`, `decode-tga`, `decode-qoi`, `decode-gif`
//!   and `decode-apng` (frames of animated PNGs) each read one format; `decode-ktx2` reads textures in KTX2, and
//!   `decode-blocks` unpacks compressed ones; `decode-all` is all of them.
//! - `encode-png`, `encode-apng`, `encode-qoi`, `encode-webp`, `encode-gif` and `encode-ktx2` each write one format,
//!   and prove it; `encode-all` is all of them.
//! - `pack` is what makes atlases: treatment of pictures, layout, composing, verification.
//! - `exact-numbers` reads numbers of more than 15 digits exactly (an atlas's scale, a step's `ms` and a sprite's `user`
//!   data may have so many); without it they may be off by their last bit. `pack` has it.
//! - `unknown-keys` reports keys in a descriptor that this version does not know.
//! - `parallel` spreads work over all cores; without it, one thread makes the same bytes.

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
