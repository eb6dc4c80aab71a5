//! What values are about.

use serde::{Deserialize, Serialize};
use std::time::Duration;

/// What a value is about. Values of a shared store lie by kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[non_exhaustive]
pub enum Kind {
    /// What is known about images without their pixels.
    Images,
    /// Where boxes lie.
    Layouts,
    /// Pages and layers, encoded and proved.
    Pages,
    /// Which pages an atlas has.
    Atlases,
    /// How long atlases took to build, and what builds asked for.
    Work,
}

impl Kind {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::Images, Self::Layouts, Self::Pages, Self::Atlases, Self::Work];

    /// Its word.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Images => "images",
            Self::Layouts => "layouts",
            Self::Pages => "pages",
            Self::Atlases => "atlases",
            Self::Work => "work",
        }
    }

    /// The kind of a word.
    #[must_use]
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }
}

/// A value of a shared store.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Value {
    /// What was shared.
    pub bytes: Vec<u8>,
    /// How long one thread would have worked on it.
    pub made_in: Duration,
}
