//! The cache, held against simple models of it, from one thread and from many, and told as stories.

#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test may fail loudly")]
#![cfg(not(loom))]

mod answers;
mod batches;
mod devices;
mod games;
mod hostile;
mod memory;
mod model;
mod network;
mod stories;
mod threads;
mod uploads;
mod world;
