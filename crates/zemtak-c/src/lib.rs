//! The resource cache behind a C interface: `libzemtak` and `zemtak.h`, which says what each call does.
//!
//! Unsafe code is in this crate alone. What C hands over is a pointer that is null or good; what it is handed is a number with a
//! generation, so that one that was given back already is told and not used. A panic ends in a code, not in the game.

mod account;
mod batches;
mod cache;
mod clips;
mod code;
mod events;
mod handles;
mod leases;
mod pump;
mod root;
mod sets;
mod sink;
mod text;
mod view;
