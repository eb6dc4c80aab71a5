//! A shared store in Redis, or in a server that speaks its protocol.

use super::{CONNECT, Listed, Remote, RemoteError};
use redis::{Cmd, Connection, ErrorKind, FromRedisValue, RedisError};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, SystemTime};

/// How many names are requested at a time.
const AT_A_TIME: usize = 1000;

pub(super) struct RedisStore {
    client: redis::Client,
    /// Without a password.
    place: String,
    /// How long it may take to answer.
    answer: Duration,
    /// Connections that nobody uses at the moment.
    idle: Mutex<Vec<Connection>>,
}

impl std::fmt::Debug for RedisStore {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_tuple("RedisStore").field(&self.place).finish()
    }
}

impl RedisStore {
    /// A database, as `redis://HOST:PORT/NUMBER`; `user` is a name and password with a colon between them, the name may be empty.
    ///
    /// # Errors
    /// What is wrong with that.
    pub fn new(place: &str, user: Option<&str>, answer: Duration) -> Result<Self, String> {
        let url = match user {
            Some(user) => place.replacen("://", &format!("://{user}@"), 1),
            None => place.to_owned(),
        };
        let client = redis::Client::open(url).map_err(|error| error.to_string())?;
        Ok(Self { client, place: place.to_owned(), answer, idle: Mutex::default() })
    }

    fn connect(&self) -> Result<Connection, RedisError> {
        let idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner).pop();
        if let Some(idle) = idle {
            return Ok(idle);
        }
        let connection = self.client.get_connection_with_timeout(CONNECT)?;
        connection.set_read_timeout(Some(self.answer))?;
        connection.set_write_timeout(Some(self.answer))?;
        Ok(connection)
    }

    /// Works over a connection, which others may use afterwards unless it failed.
    fn with<T>(&self, work: impl FnOnce(&mut Connection) -> Result<T, RedisError>) -> Result<T, RemoteError> {
        let mut connection = self.connect().map_err(|error| failed(&error))?;
        let done = work(&mut connection).map_err(|error| failed(&error))?;
        self.idle.lock().unwrap_or_else(PoisonError::into_inner).push(connection);
        Ok(done)
    }

    fn ask<T: FromRedisValue>(&self, command: &Cmd) -> Result<T, RemoteError> {
        self.with(|connection| command.query(connection))
    }
}

fn failed(error: &RedisError) -> RemoteError {
    let refused = matches!(error.kind(), ErrorKind::AuthenticationFailed | ErrorKind::InvalidClientConfig);
    let lasting = refused || error.is_connection_refusal() || error.is_timeout();
    RemoteError { why: error.to_string(), lasting }
}

impl Remote for RedisStore {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let value: Option<Vec<u8>> = self.ask(&Cmd::get(name))?;
        Ok(value.filter(|value| value.len() as u64 <= most))
    }

    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError> {
        self.ask(&Cmd::set(name, value))
    }

    fn has(&self, name: &str) -> Result<bool, RemoteError> {
        self.ask(&Cmd::exists(name))
    }

    fn list(&self, prefix: &str, each: &mut dyn FnMut(Listed)) -> Result<(), RemoteError> {
        let mut cursor = 0_u64;
        loop {
            let mut scan = redis::cmd("SCAN");
            scan.arg(cursor).arg("MATCH").arg(format!("{prefix}/*")).arg("COUNT").arg(AT_A_TIME);
            let (next, names): (u64, Vec<String>) = self.ask(&scan)?;
            let mut sizes = redis::pipe();
            for name in &names {
                sizes.cmd("STRLEN").arg(name).cmd("OBJECT").arg("IDLETIME").arg(name);
            }
            let answers: Vec<Option<u64>> =
                if names.is_empty() { Vec::new() } else { self.with(|connection| sizes.query(connection))? };
            let now = SystemTime::now();
            for (name, answer) in names.into_iter().zip(answers.as_chunks::<2>().0) {
                // A value that has disappeared meanwhile has no idle time.
                let [Some(bytes), Some(idle)] = *answer else { continue };
                let used = now.checked_sub(Duration::from_secs(idle)).unwrap_or(SystemTime::UNIX_EPOCH);
                each(Listed { name, bytes, used });
            }
            cursor = next;
            if cursor == 0 {
                return Ok(());
            }
        }
    }

    fn remove(&self, name: &str) -> Result<(), RemoteError> {
        self.ask(&Cmd::del(name))
    }

    fn place(&self) -> String {
        self.place.clone()
    }
}
