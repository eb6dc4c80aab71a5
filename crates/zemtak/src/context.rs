//! What the stages of a build are handed: what earlier builds learnt, where the time goes, and how to behave.

use crate::answer::Manner;
use crate::store::Store;
use crate::timings::Timings;

/// Handed down through all stages of a build.
#[derive(Clone, Copy)]
pub struct Context<'a> {
    /// What earlier builds learnt.
    pub store: &'a dyn Store,
    /// Where the time goes.
    pub timings: &'a Timings,
    /// How to behave.
    pub manner: Manner,
}
