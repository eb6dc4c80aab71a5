//! What can be waited for.

use super::state::State;
use super::status::Status;

/// What can be waited for with [`Pump::wait`](super::Pump::wait): a lease, a set of them, a clip.
pub trait Awaited {
    /// What is waited for, in the cache's own terms.
    #[doc(hidden)]
    fn awaited(&self) -> Handle;
}

/// The same, in the cache's own terms.
#[derive(Debug, Clone, Copy)]
pub struct Handle(pub(super) Wanted);

#[derive(Debug, Clone, Copy)]
pub(super) enum Wanted {
    Entry(u32),
    Set(u32),
}

impl Wanted {
    pub fn status(self, state: &State) -> Status {
        match self {
            Self::Entry(entry) => state.status(entry),
            Self::Set(set) => state.set_status(set),
        }
    }
}
