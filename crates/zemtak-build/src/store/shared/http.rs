//! A shared store behind a server that supports GET and PUT, such as WebDAV.

use super::client::Client;
use super::{Listed, Remote, RemoteError};
use base64::Engine;
use std::time::Duration;

pub(super) struct HttpStore {
    client: Client,
    /// With `/` at its end, without a password.
    base: String,
}

impl std::fmt::Debug for HttpStore {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_tuple("HttpStore").field(&self.base).finish()
    }
}

impl HttpStore {
    /// A server's folder. `user` is a name and password with a colon between them.
    pub fn new(base: &str, user: Option<&str>, answer: Duration) -> Self {
        let base = format!("{}/", base.trim_end_matches('/'));
        let basic = |user: &str| format!("Basic {}", base64::engine::general_purpose::STANDARD.encode(user));
        Self { client: Client::new(user.map(basic), answer), base }
    }

    fn url(&self, name: &str) -> String {
        format!("{}{name}", self.base)
    }
}

impl Remote for HttpStore {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        self.client.get(&self.url(name), most)
    }

    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError> {
        self.client.put(&self.url(name), value)
    }

    fn has(&self, name: &str) -> Result<bool, RemoteError> {
        self.client.has(&self.url(name))
    }

    fn list(&self, _: &str, _: &mut dyn FnMut(Listed)) -> Result<(), RemoteError> {
        let why =
            "a server that takes GET and PUT cannot list what it has: run this where its folder is, with --url FOLDER";
        Err(RemoteError { why: why.to_owned(), lasting: true })
    }

    fn remove(&self, name: &str) -> Result<(), RemoteError> {
        self.client.remove(&self.url(name))
    }

    fn place(&self) -> String {
        self.base.clone()
    }
}
