//! Replaces a kind of store in a program that was built without it: a project that has one can still be built.

use super::{Listed, Remote, RemoteError};

#[derive(Debug)]
pub(super) struct Missing {
    /// Its address.
    pub place: String,
    /// The Cargo feature that it needs.
    pub feature: &'static str,
}

impl Missing {
    fn failed<T>(&self) -> Result<T, RemoteError> {
        let why = format!("this program was built without the feature '{}'", self.feature);
        Err(RemoteError { why, lasting: true })
    }
}

impl Remote for Missing {
    fn get(&self, _: &str, _: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        self.failed()
    }

    fn put(&self, _: &str, _: &[u8]) -> Result<(), RemoteError> {
        self.failed()
    }

    fn has(&self, _: &str) -> Result<bool, RemoteError> {
        self.failed()
    }

    fn list(&self, _: &str, _: &mut dyn FnMut(Listed)) -> Result<(), RemoteError> {
        self.failed()
    }

    fn remove(&self, _: &str) -> Result<(), RemoteError> {
        self.failed()
    }

    fn place(&self) -> String {
        self.place.clone()
    }
}
