//! The resource cache for browsers. `ts/` is what a game sees of it; docs/web.md tells the story.
//!
//! Pictures are fetched and decoded by the browser and uploaded from there: here a page is a name and a size.

mod batch;
mod cache;
mod files;
mod leases;
mod sink;
