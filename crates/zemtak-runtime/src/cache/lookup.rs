//! What sets wait for: globs, and clips whose atlas has not been read yet.

use crate::failure::{Failure, Reason};

/// What a set waits for.
#[derive(Debug, Clone)]
pub(super) struct PendingLookup {
    pub set: u32,
    pub what: What,
}

#[derive(Debug, Clone)]
pub(super) enum What {
    /// All names that a glob matches.
    Glob(Glob),
    /// The steps of the set's clip.
    Clip,
}

/// A glob as it was asked for, and ready to match.
#[derive(Debug, Clone)]
pub(super) struct Glob {
    pub asked: String,
    glob: zemtak_core::glob::Glob,
}

impl Glob {
    /// Whether a name is a glob rather than a name.
    pub fn is_meant_by(name: &str) -> bool {
        name.contains(['*', '?', '[', '{'])
    }

    pub fn new(asked: &str, glob: &str) -> Result<Self, Failure> {
        let glob = zemtak_core::glob::Glob::new(glob);
        let glob = glob.map_err(|error| Failure::new(asked, Reason::Glob(error.to_string())))?;
        Ok(Self { asked: asked.to_owned(), glob })
    }

    pub fn matches(&self, name: &str) -> bool {
        // A name may contain characters that mean something in a glob.
        self.glob.as_str() == name || self.glob.matches(name)
    }
}
