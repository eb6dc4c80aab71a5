//! In the place of a shared store behind a server, in a program that was built without: a project that has one is built by it too.

use super::{Remote, RemoteError};

#[derive(Debug)]
pub(super) struct HttpStore(String);

impl HttpStore {
    pub fn new(base: &str, _user: Option<&str>) -> Self {
        Self(base.to_owned())
    }

    fn failed<T>() -> Result<T, RemoteError> {
        let why = "this program was built without the feature 'http' of zemtak-build".to_owned();
        Err(RemoteError { why, lasting: true })
    }
}

impl Remote for HttpStore {
    fn get(&self, _: &str, _: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        Self::failed()
    }

    fn put(&self, _: &str, _: &[u8]) -> Result<(), RemoteError> {
        Self::failed()
    }

    fn place(&self) -> String {
        self.0.clone()
    }
}
