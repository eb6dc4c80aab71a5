//! A shared store in a bucket of an S3-compatible object store.

use super::client::Client;
use super::{Listed, Remote, RemoteError};
use ini::Ini;
use jiff::Timestamp;
use rusty_s3::actions::ListObjectsV2;
use rusty_s3::{Bucket, Credentials, S3Action, UrlStyle};
use std::path::PathBuf;
use std::time::{Duration, SystemTime};
use zemtak_files::TEXT_BYTES;

/// How long a signed address is valid.
const SIGNED: Duration = Duration::from_secs(600);

/// The largest list of a thousand names.
const LIST_BYTES: u64 = 16 << 20;

pub(super) struct S3Store {
    client: Client,
    bucket: Bucket,
    credentials: Option<Credentials>,
    /// The prefix of names in the bucket: empty, or ending in `/`.
    prefix: String,
}

impl std::fmt::Debug for S3Store {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_tuple("S3Store").field(&self.place()).finish()
    }
}

impl S3Store {
    /// A bucket, or a folder in one: `BUCKET/FOLDER`. Its location and the credentials come from the environment and
    /// the usual files.
    ///
    /// # Errors
    /// What is wrong with those.
    pub fn new(path: &str, answer: Duration) -> Result<Self, String> {
        let (bucket, folder) = path.split_once('/').unwrap_or((path, ""));
        let folder = folder.trim_matches('/');
        if folder.split('/').any(|part| part == "." || part == "..") {
            return Err("a folder in a bucket has no '.' and '..'".into());
        }
        let prefix = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        let account = Account::of_environment();
        let region = account.region.unwrap_or_else(|| "us-east-1".into());
        let (endpoint, style) = match account.endpoint {
            Some(endpoint) => (endpoint, UrlStyle::Path),
            None => (format!("https://s3.{region}.amazonaws.com"), UrlStyle::VirtualHost),
        };
        let endpoint = endpoint.parse().map_err(|error| format!("AWS_ENDPOINT_URL '{endpoint}': {error}"))?;
        let bucket = Bucket::new(endpoint, style, bucket.to_owned(), region).map_err(|error| error.to_string())?;
        Ok(Self { client: Client::new(None, answer), bucket, credentials: account.credentials, prefix })
    }

    fn name(&self, name: &str) -> String {
        format!("{}{name}", self.prefix)
    }

    fn who(&self) -> Option<&Credentials> {
        self.credentials.as_ref()
    }
}

impl Remote for S3Store {
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError> {
        let name = self.name(name);
        self.client.get(self.bucket.get_object(self.who(), &name).sign(SIGNED).as_str(), most)
    }

    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError> {
        let name = self.name(name);
        self.client.put(self.bucket.put_object(self.who(), &name).sign(SIGNED).as_str(), value)
    }

    fn has(&self, name: &str) -> Result<bool, RemoteError> {
        let name = self.name(name);
        self.client.has(self.bucket.head_object(self.who(), &name).sign(SIGNED).as_str())
    }

    /// It does not record reads, so a value was last used when it was written.
    fn list(&self, prefix: &str, each: &mut dyn FnMut(Listed)) -> Result<(), RemoteError> {
        let prefix = format!("{}/", self.name(prefix));
        let mut next: Option<String> = None;
        loop {
            let mut list = self.bucket.list_objects_v2(self.who());
            list.with_prefix(prefix.as_str());
            if let Some(next) = &next {
                list.with_continuation_token(next.as_str());
            }
            let wrong = |why: String| RemoteError { why, lasting: true };
            let answer = self.client.get(list.sign(SIGNED).as_str(), LIST_BYTES)?;
            let answer = answer.ok_or_else(|| wrong("there is no such bucket".into()))?;
            let answer = String::from_utf8(answer).map_err(|error| wrong(error.to_string()))?;
            let listed = ListObjectsV2::parse_response(&answer).map_err(|error| wrong(error.to_string()))?;
            for object in listed.contents {
                let Some(name) = object.key.strip_prefix(&self.prefix).map(str::to_owned) else { continue };
                let used = object.last_modified.and_then(|text| text.parse::<Timestamp>().ok());
                let used = used.map_or(SystemTime::UNIX_EPOCH, SystemTime::from);
                each(Listed { name, bytes: object.size.unwrap_or_default(), used });
            }
            next = listed.next_continuation_token;
            if next.is_none() {
                return Ok(());
            }
        }
    }

    fn remove(&self, name: &str) -> Result<(), RemoteError> {
        let name = self.name(name);
        self.client.remove(self.bucket.delete_object(self.who(), &name).sign(SIGNED).as_str())
    }

    fn place(&self) -> String {
        format!("s3://{}/{}", self.bucket.name(), self.prefix)
    }
}

/// Credentials and location: from the variables and files that all clients of such stores read.
struct Account {
    credentials: Option<Credentials>,
    region: Option<String>,
    endpoint: Option<String>,
}

impl Account {
    fn of_environment() -> Self {
        let said = |name: &str| std::env::var(name).ok().filter(|text| !text.is_empty());
        let profile = said("AWS_PROFILE").unwrap_or_else(|| "default".into());
        let file = |variable: &str, name: &str| {
            let home = || Some(PathBuf::from(std::env::var_os("HOME")?).join(".aws").join(name));
            let path = said(variable).map(PathBuf::from).or_else(home)?;
            Ini::load_from_str(&zemtak_files::read_text(&path, TEXT_BYTES).ok()?).ok()
        };
        let secrets = file("AWS_SHARED_CREDENTIALS_FILE", "credentials");
        let config = file("AWS_CONFIG_FILE", "config");
        let secret = |key: &str| secrets.as_ref()?.get_from(Some(profile.as_str()), key).map(str::to_owned);
        let section = if profile == "default" { profile.clone() } else { format!("profile {profile}") };
        let setting = |key: &str| config.as_ref()?.get_from(Some(section.as_str()), key).map(str::to_owned);
        let of_file = || {
            let (key, secret_key) = (secret("aws_access_key_id")?, secret("aws_secret_access_key")?);
            Some(match secret("aws_session_token") {
                Some(token) => Credentials::new_with_token(key, secret_key, token),
                None => Credentials::new(key, secret_key),
            })
        };
        Self {
            credentials: Credentials::from_env().or_else(of_file),
            region: said("AWS_REGION").or_else(|| said("AWS_DEFAULT_REGION")).or_else(|| setting("region")),
            endpoint: said("AWS_ENDPOINT_URL_S3")
                .or_else(|| said("AWS_ENDPOINT_URL"))
                .or_else(|| setting("endpoint_url")),
        }
    }
}
