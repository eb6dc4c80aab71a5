//! A shared store behind a server that takes GET and PUT, such as one that speaks WebDAV.

use super::{Remote, RemoteError};
use base64::Engine;
use std::time::Duration;
use ureq::http::StatusCode;
use ureq::{Agent, Error};

/// How long a server may take to be reached, and to answer: a build without it is not much longer.
const CONNECT: Duration = Duration::from_secs(1);
const ANSWER: Duration = Duration::from_secs(20);

pub(super) struct HttpStore {
    agent: Agent,
    /// With `/` at its end, without a password.
    base: String,
    authorization: Option<String>,
}

impl std::fmt::Debug for HttpStore {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_tuple("HttpStore").field(&self.base).finish()
    }
}

impl HttpStore {
    /// A server's folder. `user` is a name and password with a colon between them.
    pub fn new(base: &str, user: Option<&str>) -> Self {
        let config = Agent::config_builder()
            .timeout_connect(Some(CONNECT))
            .timeout_global(Some(ANSWER))
            .http_status_as_error(false)
            .build();
        let base = format!("{}/", base.trim_end_matches('/'));
        let authorization =
            user.map(|user| format!("Basic {}", base64::engine::general_purpose::STANDARD.encode(user)));
        Self { agent: config.into(), base, authorization }
    }

    fn url(&self, name: &str) -> String {
        format!("{}{name}", self.base)
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

impl Remote for HttpStore {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let mut request = self.agent.get(self.url(name));
        if let Some(authorization) = &self.authorization {
            request = request.header("Authorization", authorization);
        }
        let mut answer = request.call().map_err(|error| failed(&error))?;
        match answer.status() {
            StatusCode::OK => {
                let read = answer.body_mut().with_config().limit(most).read_to_vec();
                read.map(Some).map_err(|error| failed(&error))
            }
            StatusCode::NOT_FOUND | StatusCode::GONE => Ok(None),
            status => Err(refused(status)),
        }
    }

    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError> {
        let mut request = self.agent.put(self.url(name));
        if let Some(authorization) = &self.authorization {
            request = request.header("Authorization", authorization);
        }
        let answer = request.send(value).map_err(|error| failed(&error))?;
        if answer.status().is_success() { Ok(()) } else { Err(refused(answer.status())) }
    }

    fn place(&self) -> String {
        self.base.clone()
    }
}
