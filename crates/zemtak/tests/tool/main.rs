//! The built binary on files in temporary folders.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a test may fail loudly, and its numbers are small"
)]

#[path = "../fixtures/mod.rs"]
mod fixtures;

mod answers;
mod architecture;
mod art;
mod cache;
mod clips;
mod coordinates;
mod determinism;
mod diff;
mod documents;
mod export;
mod forms;
mod guide;
mod hostile;
mod layers;
mod layout;
mod limits;
mod manners;
mod mips;
mod nasty_names;
mod new;
mod options;
mod ownership;
mod pack;
mod project;
mod rebuild;
mod scan;
mod screenshots;
mod scripts;
mod setup;
mod shared_store;
mod shares;
mod textures;
mod verify;
mod view;
