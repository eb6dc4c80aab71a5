//! The pure computation of Zemtak. Bytes, pixels and numbers go in, values come out: no file is touched, nothing is
//! printed.
//!
//! The modules read in the order of the pipeline: [`codec`] (bytes to pixels), [`pixels`] and [`prepare`]
//! (trimming and what else is done to them, [`resample`] for other sizes, [`style`] to tell kinds of art), [`layout`]
//! (rectangles to pages), [`compose`] (pixels onto pages), [`atlas`] (the descriptor), and beside it [`coords`] and
//! [`clip`]; [`islands`] finds sprites on a sheet again, [`pattern`] draws test textures.

pub mod atlas;
pub mod clip;
pub mod codec;
pub mod compose;
pub mod coords;
pub mod geometry;
pub mod glob;
pub mod islands;
pub mod layout;
pub mod name;
mod par;
pub mod pattern;
pub mod pixels;
pub mod prepare;
pub mod resample;
mod separation;
pub mod style;
pub mod verify;
