//! Where a shared store is, and what a build may do there.

use super::Remote;
use super::folder::FolderStore;
use super::seal::Seal;
use crate::failure::{Problem, ProblemKind};
use crate::limits::Limits;
use crate::write::Writer;
use std::env::VarError;
use std::path::PathBuf;
use std::time::Duration;

/// Where builds share what they learn.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct SharedSettings {
    /// A folder, as `file:///mnt/art/store` or a path; `http://` or `https://` and the folder of a server that supports
    /// GET and PUT; `redis://HOST/NUMBER`; or `s3://BUCKET/FOLDER`.
    pub url: String,
    /// What a build may do there.
    pub access: Access,
    /// A secret: only values of those who know it are trusted. Without it, everybody who can write there is.
    pub secret: Option<String>,
}

/// The address may contain a password.
impl std::fmt::Debug for SharedSettings {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SharedSettings")
            .field("url", &self.place())
            .field("access", &self.access)
            .finish_non_exhaustive()
    }
}

/// What a build may do in a shared store.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Access {
    /// Read and write.
    #[default]
    Write,
    /// Read only: for builds whose results nobody should trust.
    Read,
}

impl std::str::FromStr for Access {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "write" => Ok(Self::Write),
            "read" => Ok(Self::Read),
            _ => Err("'read' or 'write'".to_owned()),
        }
    }
}

impl SharedSettings {
    /// The shared store of the environment, on top of the project's: `ZEMTAK_STORE` is its address, or no store if it
    /// is empty; `ZEMTAK_STORE_ACCESS` is `read` or `write`; `ZEMTAK_STORE_KEY` is the secret.
    ///
    /// # Errors
    /// `ZEMTAK_STORE_ACCESS` has another value, or one of the variables is not valid text.
    pub fn from_environment(project: Option<Self>) -> Result<Option<Self>, Problem> {
        let mut settings = match said("ZEMTAK_STORE")? {
            Some(url) if url.is_empty() => None,
            Some(url) => Some(Self { url, ..project.unwrap_or_else(|| Self::new("")) }),
            None => project,
        };
        if let Some(settings) = &mut settings {
            settings.secret = secret()?;
            if let Some(access) = said("ZEMTAK_STORE_ACCESS")? {
                settings.access = access.parse().map_err(|expected| {
                    let why = format!("expected {expected}");
                    Problem::usage(ProblemKind::InvalidValue, "ZEMTAK_STORE_ACCESS", why, "set it to read or write")
                })?;
            }
        }
        Ok(settings)
    }

    /// The same with only the secret of the environment.
    pub(crate) fn with_secret_of_environment(self) -> Result<Self, Problem> {
        Ok(Self { secret: secret()?, ..self })
    }

    /// A store at an address, for reading and writing, without a secret.
    pub fn new(url: impl Into<String>) -> Self {
        Self { url: url.into(), access: Access::default(), secret: None }
    }

    /// Its address without a name and password, for messages.
    pub(crate) fn place(&self) -> String {
        split_user(&self.url).0
    }

    /// Whether the address contains a name and password.
    #[must_use]
    pub fn has_password(&self) -> bool {
        split_user(&self.url).1.is_some()
    }

    pub(crate) fn seal(&self) -> Seal {
        Seal::new(self.secret.as_deref())
    }

    pub(crate) fn remote(&self, writer: &Writer, limits: &Limits) -> Result<Box<dyn Remote>, Problem> {
        let in_folder = |folder: &str| {
            let writer = Writer { sync: false, ..writer.clone() };
            Box::new(FolderStore { folder: PathBuf::from(folder), writer, writes: self.access == Access::Write })
        };
        let (url, user) = split_user(&self.url);
        let Some((scheme, rest)) = url.split_once("://") else {
            return Ok(in_folder(&self.url));
        };
        let answer = Duration::from_secs(limits.store_seconds().max(1));
        let remote = match scheme {
            "file" if rest.starts_with('/') => Ok(in_folder(rest) as Box<dyn Remote>),
            "http" if !rest.is_empty() => Ok(http(&url, user.as_deref(), answer)),
            "https" if !rest.is_empty() => Ok(https(&url, user.as_deref(), answer)),
            "redis" if !rest.is_empty() => redis(&url, user.as_deref(), answer),
            "s3" if user.is_some() => {
                Err("a name and password for S3 come from the environment, as AWS_ACCESS_KEY_ID or AWS_PROFILE"
                    .to_owned())
            }
            "s3" if !rest.is_empty() => s3(&url, rest, answer),
            _ => Err("there is no shared store of that kind".to_owned()),
        };
        remote.map_err(|why| {
            let help = "give a folder, file:///FOLDER, http://HOST/FOLDER, https://HOST/FOLDER, redis://HOST/NUMBER or \
                s3://BUCKET/FOLDER";
            Problem::usage(ProblemKind::InvalidValue, &url, why, help)
        })
    }
}

#[cfg(feature = "http")]
fn http(url: &str, user: Option<&str>, answer: Duration) -> Box<dyn Remote> {
    Box::new(super::http::HttpStore::new(url, user, answer))
}

#[cfg(not(feature = "http"))]
fn http(url: &str, _: Option<&str>, _: Duration) -> Box<dyn Remote> {
    missing(url, "http")
}

#[cfg(feature = "https")]
fn https(url: &str, user: Option<&str>, answer: Duration) -> Box<dyn Remote> {
    http(url, user, answer)
}

#[cfg(not(feature = "https"))]
fn https(url: &str, _: Option<&str>, _: Duration) -> Box<dyn Remote> {
    missing(url, "https")
}

#[cfg(feature = "redis")]
fn redis(url: &str, user: Option<&str>, answer: Duration) -> Result<Box<dyn Remote>, String> {
    Ok(Box::new(super::redis::RedisStore::new(url, user, answer)?))
}

#[cfg(not(feature = "redis"))]
#[allow(clippy::unnecessary_wraps, reason = "an address can be wrong where the feature is there")]
fn redis(url: &str, _: Option<&str>, _: Duration) -> Result<Box<dyn Remote>, String> {
    Ok(missing(url, "redis"))
}

#[cfg(feature = "s3")]
fn s3(_: &str, path: &str, answer: Duration) -> Result<Box<dyn Remote>, String> {
    Ok(Box::new(super::s3::S3Store::new(path, answer)?))
}

#[cfg(not(feature = "s3"))]
#[allow(clippy::unnecessary_wraps, reason = "an address can be wrong where the feature is there")]
fn s3(url: &str, _: &str, _: Duration) -> Result<Box<dyn Remote>, String> {
    Ok(missing(url, "s3"))
}

#[cfg(not(all(feature = "https", feature = "redis", feature = "s3")))]
fn missing(place: &str, feature: &'static str) -> Box<dyn Remote> {
    Box::new(super::missing::Missing { place: place.to_owned(), feature })
}

/// The value of an environment variable.
fn said(name: &str) -> Result<Option<String>, Problem> {
    match std::env::var(name) {
        Ok(text) => Ok(Some(text)),
        Err(VarError::NotPresent) => Ok(None),
        Err(VarError::NotUnicode(_)) => {
            let why = "its value is not UTF-8";
            Err(Problem::usage(ProblemKind::InvalidValue, name, why, "set it to UTF-8 text, or unset it"))
        }
    }
}

fn secret() -> Result<Option<String>, Problem> {
    Ok(said("ZEMTAK_STORE_KEY")?.filter(|secret| !secret.is_empty()))
}

/// An address without its name and password, and those.
fn split_user(url: &str) -> (String, Option<String>) {
    let split = || {
        let (scheme, rest) = url.split_once("://")?;
        let host = rest.split('/').next()?;
        let (user, _) = host.rsplit_once('@')?;
        Some((format!("{scheme}://{}", &rest[user.len() + 1..]), user.to_owned()))
    };
    split().map_or_else(|| (url.to_owned(), None), |(url, user)| (url, Some(user)))
}
