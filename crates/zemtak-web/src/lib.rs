//! The resource cache for browsers. `ts/` is what a game sees of it; docs/web.md describes it.
//!
//! The browser fetches, decodes and uploads pictures: here a page is a name and a size.

mod batch;
mod cache;
mod files;
mod leases;
mod sink;
