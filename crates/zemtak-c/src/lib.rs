//! The resource cache behind a C interface: `libzemtak` and `zemtak.h`, which says what each call does.
//!
//! This crate alone contains unsafe code. What C passes in is a pointer that is null or valid; what it gets is a number
//! with a generation, so that one that was given back already is reported and not used. A panic ends in a code, not in
//! the game.

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
