//! Places rectangles on pages. Knows sizes and numbers, but no pixels.
//!
//! [`lay_out`] takes a [`LayoutRequest`]: the sizes of boxes, the spacing of cells, and a page policy; it gives every
//! box a place. The result depends on nothing but the request. docs/layout.md describes the method.

mod arrange;
mod beam;
mod blocks;
mod bounds;
mod cells;
mod check;
mod descent;
mod effort;
mod error;
mod exact;
mod families;
mod fill;
mod fit;
mod free;
mod holes;
mod keep;
mod likeness;
mod pages;
mod policy;
mod proof;
mod request;
mod rng;
mod rows;
mod same_size;
mod sampler;
mod singly;
mod skyline;
mod spacing;
mod stock;
mod sweep;
mod together;
mod why;

pub use arrange::lay_out;
pub use check::{LayoutFault, check};
pub use effort::Effort;
pub use error::LayoutError;
pub use policy::{PagePolicy, Prefer, Shape};
pub use request::{
    Arrangement, Family, Item, Kept, Layout, LayoutRequest, Place, ProgressSink, SearchProgress, StopSignal,
};
pub use spacing::Spacing;
pub use why::{Bound, Change, Outlook, Trial, Why, why};

/// Changes whenever the same request yields another layout.
pub const LAYOUT_VERSION: u32 = 7;

#[cfg(test)]
mod answer_tests;
#[cfg(test)]
mod part_tests;
#[cfg(test)]
mod tests;
