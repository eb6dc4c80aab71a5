//! Clips: which sprites follow each other, and when.
//!
//! [`find`] makes clips from numbered names. A [`Timeline`] is a clip prepared for playing, and a [`Player`] plays one.
//! Time is computed in whole numbers, so nothing drifts: after ten hours at 24 frames per second the step is still
//! exact.
//!
//! ```
//! use zemtak_core::atlas::Mode;
//! use zemtak_core::clip::{Player, Ratio, Timeline};
//!
//! let fps = Ratio::parse("60000/1001")?;
//! let flying = Timeline::new(Mode::Loop, fps, &[None; 8])?;
//! // The tenth frame has just begun: 9 * 1001 / 60000 seconds, rounded up to nanoseconds.
//! assert_eq!(flying.at(150_150_000).step, 1);
//! assert_eq!(flying.at(150_149_999).step, 0);
//! let mut moth = Player::new(Ratio::ONE);
//! let entered: Vec<usize> = moth.advance(&flying, 50_000_000).collect();
//! assert_eq!((entered, moth.step(&flying)), (vec![1, 2], 2));
//! # Ok::<(), zemtak_core::clip::ClipError>(())
//! ```

mod findings;
mod frames;
mod names;
mod player;
mod timeline;

pub use findings::{Finding, findings};
pub use frames::{Common, common};
pub use names::{Assignment, FoundClips, find};
pub use player::{Entered, Player, Turns};
pub use timeline::{ClipError, FOREVER, Ratio, Shown, Timeline, lowest_terms};

/// Frames per second of a clip that does not say otherwise. It loops.
pub const DEFAULT_FPS: u32 = 10;

/// Nanoseconds in a second.
pub const SECOND: i64 = 1_000_000_000;

#[cfg(test)]
mod tests;
