//! How a lease is asked for: by name or by id.

/// A name that was looked up. It can be copied freely, is valid as long as the cache lives, and is faster than the
/// name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Id {
    pub(super) entry: u32,
    pub(super) cache: u32,
}

impl Id {
    /// As a number, for interfaces to other languages: the upper half tells which cache it belongs to.
    #[must_use]
    pub fn to_bits(self) -> u64 {
        u64::from(self.cache) << 32 | u64::from(self.entry)
    }

    /// The id that [`Id::to_bits`] turned into this number. Any other number is treated like an id of another cache.
    #[must_use]
    #[expect(clippy::cast_possible_truncation, reason = "its halves")]
    pub fn from_bits(bits: u64) -> Self {
        Self { entry: bits as u32, cache: (bits >> 32) as u32 }
    }
}

/// What to lease: a name or an id.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub enum Asked<'n> {
    /// A name.
    Name(&'n str),
    /// An id.
    Id(Id),
}

impl<'n> From<&'n str> for Asked<'n> {
    fn from(name: &'n str) -> Self {
        Self::Name(name)
    }
}

impl<'n> From<&'n String> for Asked<'n> {
    fn from(name: &'n String) -> Self {
        Self::Name(name)
    }
}

impl From<Id> for Asked<'_> {
    fn from(id: Id) -> Self {
        Self::Id(id)
    }
}
