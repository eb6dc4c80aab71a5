//! Requests over HTTP, for stores behind servers.

use super::{CONNECT, RemoteError};
use std::time::Duration;
use ureq::http::StatusCode;
use ureq::{Agent, Error, RequestBuilder};

/// Talks to one server.
pub(super) struct Client {
    agent: Agent,
    /// The value of the header of that name, if any.
    authorization: Option<String>,
}

impl Client {
    /// A client that waits at most this long for an answer.
    pub fn new(authorization: Option<String>, answer: Duration) -> Self {
        let config = Agent::config_builder()
            .timeout_connect(Some(CONNECT))
            .timeout_global(Some(answer))
            .http_status_as_error(false);
        // Studios have their own certificate authorities, which the system knows.
        #[cfg(feature = "https")]
        let config = config
            .tls_config(ureq::tls::TlsConfig::builder().root_certs(ureq::tls::RootCerts::PlatformVerifier).build());
        Self { agent: config.build().into(), authorization }
    }

    fn authorized<B>(&self, request: RequestBuilder<B>) -> RequestBuilder<B> {
        match &self.authorization {
            Some(authorization) => request.header("Authorization", authorization),
            None => request,
        }
    }

    /// What is at an address.
    pub fn get(&self, url: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let mut answer = self.authorized(self.agent.get(url)).call().map_err(|error| failed(&error))?;
        if !there(answer.status())? {
            return Ok(None);
        }
        let read = answer.body_mut().with_config().limit(most).read_to_vec();
        read.map(Some).map_err(|error| failed(&error))
    }

    /// Whether there is anything at an address.
    pub fn has(&self, url: &str) -> Result<bool, RemoteError> {
        there(self.authorized(self.agent.head(url)).call().map_err(|error| failed(&error))?.status())
    }

    /// Puts something there.
    pub fn put(&self, url: &str, value: &[u8]) -> Result<(), RemoteError> {
        let answer = self.authorized(self.agent.put(url)).send(value).map_err(|error| failed(&error))?;
        if answer.status().is_success() { Ok(()) } else { Err(refused(answer.status())) }
    }

    /// Removes what is there.
    pub fn remove(&self, url: &str) -> Result<(), RemoteError> {
        let answer = self.authorized(self.agent.delete(url)).call().map_err(|error| failed(&error))?;
        if answer.status().is_success() { Ok(()) } else { there(answer.status()).map(drop) }
    }
}

/// Whether an answer has what was asked for.
fn there(status: StatusCode) -> Result<bool, RemoteError> {
    match status {
        StatusCode::OK => Ok(true),
        StatusCode::NOT_FOUND | StatusCode::GONE => Ok(false),
        status => Err(refused(status)),
    }
}

fn failed(error: &Error) -> RemoteError {
    let (why, lasting) = match error {
        Error::Io(error) => (error.to_string(), error.kind() == std::io::ErrorKind::ConnectionRefused),
        Error::ConnectionFailed | Error::HostNotFound | Error::Timeout(_) => (error.to_string(), true),
        error => (error.to_string(), false),
    };
    RemoteError { why, lasting }
}

fn refused(status: StatusCode) -> RemoteError {
    RemoteError { why: format!("the server says {status}"), lasting: status.is_client_error() }
}
