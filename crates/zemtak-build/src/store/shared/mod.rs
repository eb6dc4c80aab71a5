//! What other machines have learnt: a store that many builds share, behind each build's own.
//!
//! Nothing of it is required: a store that is unreachable, slow, full or wrong costs a warning and some time. What it
//! delivers is checked against a hash of key and value, with a secret if there is one, before anybody uses it.

mod ahead;
#[cfg(feature = "http")]
mod client;
mod folder;
#[cfg(feature = "http")]
mod http;
mod kind;
#[cfg(not(all(feature = "https", feature = "redis", feature = "s3")))]
mod missing;
#[cfg(feature = "redis")]
mod redis;
#[cfg(feature = "s3")]
mod s3;
mod seal;
mod settings;
mod upkeep;

pub use kind::Kind;
pub(crate) use kind::Value;
pub use settings::{Access, SharedSettings};
pub(crate) use upkeep::Upkeep;

use super::Hash;
use crate::failure::Problem;
use crate::limits::Limits;
use crate::warning::Warning;
use crate::write::Writer;
use ahead::{Ahead, AskedFor, Reading, Told};
pub(crate) use seal::Seal;
use std::collections::BTreeSet;
use std::fmt;
use std::slice;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, TrySendError, channel, sync_channel};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, SystemTime};

/// Values that wait to be written; anyone with more to share waits.
const WAITING: usize = 8;

/// How many requests run at a time if there are many small ones.
const READERS: usize = 16;

/// How many values are written at a time: most of the time is the round trip.
const WRITERS: usize = 4;

/// After this many failures in a row, the store is left alone for the rest of the build.
const PATIENCE: u32 = 3;

/// How long reaching a server may take: a build without it does not take much longer.
#[cfg(any(feature = "http", feature = "redis"))]
const CONNECT: Duration = Duration::from_secs(1);

/// How often those who wait check whether it is still wanted.
const PAUSE: Duration = Duration::from_millis(20);

/// Where values are kept for everybody, by names of lower-case letters, digits and `/`. Called from several threads at
/// once.
pub(crate) trait Remote: Send + Sync + fmt::Debug {
    /// The value of a name; `None` if there is none.
    fn get(&self, name: &str, most: u64) -> Result<Option<Vec<u8>>, RemoteError>;
    /// Keeps a value.
    fn put(&self, name: &str, value: &[u8]) -> Result<(), RemoteError>;
    /// Whether there is a value of a name.
    fn has(&self, name: &str) -> Result<bool, RemoteError>;
    /// Lists all values whose names have this prefix.
    fn list(&self, prefix: &str, each: &mut dyn FnMut(Listed)) -> Result<(), RemoteError>;
    /// Removes a value. A missing one is not an error.
    fn remove(&self, name: &str) -> Result<(), RemoteError>;
    /// The location for messages: without a password.
    fn place(&self) -> String;
}

/// A value in a store.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Listed {
    /// Its name.
    pub name: String,
    /// How many bytes it has.
    pub bytes: u64,
    /// When it was last asked for, as far as the store knows; otherwise when it was written.
    pub used: SystemTime,
}

/// Why a remote store did not do what it was asked to.
#[derive(Debug)]
pub(crate) struct RemoteError {
    /// The reason, for people.
    pub why: String,
    /// Whether asking again is pointless.
    pub lasting: bool,
}

/// A build's traffic with its shared store.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SharedTally {
    /// Where it is.
    pub store: String,
    /// Values that came from it.
    pub found: u64,
    /// Their bytes.
    pub found_bytes: u64,
    /// Values that it did not have.
    pub missed: u64,
    /// Values that were put into it.
    pub shared: u64,
    /// Their bytes.
    pub shared_bytes: u64,
    /// Values that could not be put into it.
    pub lost: u64,
    /// What was wrong with it, if anything: what was missing was rebuilt.
    pub trouble: Option<String>,
}

impl SharedTally {
    /// The warning about that, if any.
    #[must_use]
    pub fn warning(&self) -> Option<Warning> {
        let why = self.trouble.clone()?;
        Some(Warning::SharedStore { store: self.store.clone(), why })
    }
}

/// A shared store in use, or none.
#[derive(Debug, Default)]
pub(crate) struct SharedStore {
    used: Option<Arc<Used>>,
    background: Mutex<Option<Background>>,
    ahead: OnceLock<Reading>,
    /// What was asked for, if that is to be recorded.
    asked_for: Mutex<AskedFor>,
}

#[derive(Debug)]
struct Used {
    remote: Box<dyn Remote>,
    seal: Seal,
    /// The largest value that is asked for or shared.
    most: u64,
    health: Mutex<Health>,
}

#[derive(Debug, Default)]
struct Health {
    tally: SharedTally,
    failures: u32,
    off: bool,
}

/// What writes in the background.
#[derive(Debug)]
struct Background {
    values: SyncSender<(String, Vec<u8>)>,
    /// Ends when the last of them is written.
    done: Receiver<()>,
}

impl SharedStore {
    /// The store of a build.
    ///
    /// # Errors
    /// Such a store is impossible: what is wrong with its address. Whether it answers shows when it is first asked.
    pub fn open(settings: Option<&SharedSettings>, writer: &Writer, limits: &Limits) -> Result<Self, Problem> {
        let Some(settings) = settings else { return Ok(Self::default()) };
        let remote = settings.remote(writer, limits)?;
        let tally = SharedTally { store: remote.place(), ..SharedTally::default() };
        let health = Mutex::new(Health { tally, ..Health::default() });
        let used = Arc::new(Used { remote, seal: settings.seal(), most: limits.store_value_bytes(), health });
        let background = (settings.access == Access::Write).then(|| Background::start(&used));
        Ok(Self { used: Some(used), background: Mutex::new(background), ..Self::default() })
    }

    /// Whether there is one that can be asked.
    pub fn is_open(&self) -> bool {
        self.in_use().is_some()
    }

    /// Whether there is one that accepts values.
    pub fn takes_values(&self) -> bool {
        self.is_open() && lock(&self.background).is_some()
    }

    fn in_use(&self) -> Option<&Arc<Used>> {
        self.used.as_ref().filter(|used| !used.health().off)
    }

    /// The value of a key, if somebody shared it and it is as it was shared. If it is not wanted any more, returns
    /// `None` at once, however long the store takes.
    pub fn get(&self, kind: Kind, key: &Hash, cancelled: impl Fn() -> bool) -> Option<Value> {
        self.get_all(kind, slice::from_ref(key), &cancelled).pop().flatten()
    }

    /// The values of many small keys, in order.
    pub fn get_all(&self, kind: Kind, keys: &[Hash], cancelled: &dyn Fn() -> bool) -> Vec<Option<Value>> {
        if !self.is_open() {
            return vec![None; keys.len()];
        }
        lock(&self.asked_for).0.extend(keys.iter().map(|key| (kind, *key)));
        let mut values = vec![None; keys.len()];
        let mut left: Vec<usize> = Vec::new();
        for (at, key) in keys.iter().enumerate() {
            match self.ahead.get().map_or(Told::Unknown, |ahead| ahead.take(key, cancelled)) {
                Told::There(value) => values[at] = Some(value),
                Told::Unknown => left.push(at),
                Told::Cancelled => return values,
            }
        }
        let keys: Vec<Hash> = left.iter().map(|&at| keys[at]).collect();
        let asked = self.ask(&keys, move |used, key| used.get(kind, key), cancelled);
        left.into_iter().zip(asked).for_each(|(at, value)| values[at] = value);
        values
    }

    /// Whether there are values for many keys, in order.
    pub fn has_each(&self, kind: Kind, keys: &[Hash], cancelled: &dyn Fn() -> bool) -> Vec<bool> {
        self.ask(keys, move |used, key| used.has(kind, key), cancelled)
    }

    /// Reads ahead what the previous build recorded under this key. At most `most` bytes wait.
    pub fn read_ahead(&self, key: &Hash, most: u64, cancelled: &dyn Fn() -> bool) {
        let Some(used) = self.in_use() else { return };
        if let Some(wanted) = self.noted(key, cancelled) {
            self.ahead.get_or_init(|| Ahead::start(wanted, most, used));
        }
    }

    /// Records under this key what was asked for, for the next build like this one.
    pub fn note_asked(&self, key: &Hash, cancelled: &dyn Fn() -> bool) {
        let asked = std::mem::take(&mut *lock(&self.asked_for));
        let Ok(value) = postcard::to_stdvec(&asked) else { return };
        let all = |asked: AskedFor| asked.0.into_iter().collect::<BTreeSet<_>>();
        if self.noted(key, cancelled).map(all) != Some(all(asked)) {
            self.put(Kind::Work, key, &value, Duration::ZERO, cancelled);
        }
    }

    /// What was recorded under this key, which builds themselves never ask for.
    fn noted(&self, key: &Hash, cancelled: &dyn Fn() -> bool) -> Option<AskedFor> {
        let answers = self.ask(slice::from_ref(key), |used, key| used.get(Kind::Work, key), cancelled);
        postcard::from_bytes(&answers.into_iter().next()??.bytes).ok()
    }

    /// Sends a request for each key, on threads of its own: most of the time is the round trip, and the threads of the
    /// build are for work. What is not wanted any more, or unavailable, gets the default.
    fn ask<T: Default + Clone + Send + 'static>(
        &self,
        keys: &[Hash],
        question: impl Fn(&Used, &Hash) -> T + Send + Sync + 'static,
        cancelled: &dyn Fn() -> bool,
    ) -> Vec<T> {
        let mut answers = vec![T::default(); keys.len()];
        let Some(used) = self.in_use() else { return answers };
        let (answer, waiting) = channel();
        let (used, wanted, next) = (used.clone(), keys.to_vec(), AtomicUsize::new(0));
        let ask = Arc::new(move || {
            while let Some((at, key)) = wanted.iter().enumerate().nth(next.fetch_add(1, Ordering::Relaxed)) {
                // Nobody is waiting any more, or nobody answers.
                if used.health().off || answer.send((at, question(&used, key))).is_err() {
                    return;
                }
            }
        });
        if start(keys.len().min(READERS), &ask) == 0 {
            ask();
        }
        drop(ask);
        loop {
            match waiting.recv_timeout(PAUSE) {
                Ok((at, answer)) => answers[at] = answer,
                Err(RecvTimeoutError::Timeout) if !cancelled() => {}
                Err(_) => return answers,
            }
        }
    }

    /// Shares a value in the background. If too much is waiting already, this waits too, as long as it is wanted.
    pub fn put(&self, kind: Kind, key: &Hash, value: &[u8], made_in: Duration, cancelled: impl Fn() -> bool) {
        let Some(used) = self.used.as_ref().filter(|used| value.len() as u64 <= used.most) else { return };
        let Some(values) = lock(&self.background).as_ref().map(|background| background.values.clone()) else { return };
        if used.is_off_for_a_value() {
            return;
        }
        let mut waiting = (used.seal.name(kind, key), used.seal.close(key, value, made_in));
        while let Err(TrySendError::Full(back)) = values.try_send(waiting) {
            if cancelled() {
                return;
            }
            waiting = back;
            std::thread::sleep(PAUSE);
        }
    }

    /// Leaves it alone from now on, because something was wrong that may have come from it.
    pub fn distrust(&self) {
        if let Some(used) = self.used.as_ref().filter(|used| used.health().tally.found > 0) {
            used.fail("what was remembered of the sources did not hold, there or here", true);
        }
    }

    /// Waits until everything shared has arrived, and returns the result. `None` if there is no store. If cancelled,
    /// gives up what has not arrived yet.
    pub fn finish(&self, cancelled: impl Fn() -> bool) -> Option<SharedTally> {
        if let Some(Background { values, done }) = lock(&self.background).take() {
            drop(values);
            while done.recv_timeout(PAUSE) == Err(RecvTimeoutError::Timeout) && !cancelled() {}
        }
        self.used.as_ref().map(|used| used.health().tally.clone())
    }
}

/// Starts threads that do the same, and returns how many the system had.
fn start(count: usize, work: &Arc<impl Fn() + Send + Sync + 'static>) -> usize {
    let one = |_: &usize| {
        let work = Arc::clone(work);
        std::thread::Builder::new().spawn(move || work()).is_ok()
    };
    (0..count).take_while(one).count()
}

impl Background {
    fn start(used: &Arc<Used>) -> Self {
        let (values, waiting) = sync_channel::<(String, Vec<u8>)>(WAITING);
        let (working, done) = channel();
        let (waiting, to) = (Mutex::new(waiting), used.clone());
        let write = Arc::new(move || {
            // It is held by all writers: without any, the receiver knows that all is done.
            let _working = &working;
            let next = || lock(&waiting).recv();
            while let Ok((name, value)) = next() {
                to.put(&name, &value);
            }
        });
        if start(WRITERS, &write) == 0 {
            used.fail("the system has no thread for sharing", true);
        }
        Self { values, done }
    }
}

impl Used {
    fn health(&self) -> MutexGuard<'_, Health> {
        lock(&self.health)
    }

    fn has(&self, kind: Kind, key: &Hash) -> bool {
        let answer = self.remote.has(&self.seal.name(kind, key));
        answer.unwrap_or_else(|error| {
            self.fail(&error.why, error.lasting);
            false
        })
    }

    fn get(&self, kind: Kind, key: &Hash) -> Option<Value> {
        let answer = self.remote.get(&self.seal.name(kind, key), self.most);
        let found = match answer {
            Ok(found) => found,
            Err(error) => {
                self.fail(&error.why, error.lasting);
                return None;
            }
        };
        let mut health = self.health();
        health.failures = 0;
        let Some(sealed) = found else {
            health.tally.missed += 1;
            return None;
        };
        let Some(value) = self.seal.open(key, sealed) else {
            // The store answers: what is made here replaces its value.
            health.note("it has a value that is not as it was shared");
            return None;
        };
        health.tally.found += 1;
        health.tally.found_bytes += value.bytes.len() as u64;
        Some(value)
    }

    fn put(&self, name: &str, value: &[u8]) {
        if self.is_off_for_a_value() {
            return;
        }
        match self.remote.put(name, value) {
            Ok(()) => {
                let mut health = self.health();
                health.failures = 0;
                health.tally.shared += 1;
                health.tally.shared_bytes += value.len() as u64;
            }
            Err(error) => {
                self.health().tally.lost += 1;
                self.fail(&error.why, error.lasting);
            }
        }
    }

    /// Whether it is left alone; the value that was to be put there is then lost.
    fn is_off_for_a_value(&self) -> bool {
        let mut health = self.health();
        health.tally.lost += u64::from(health.off);
        health.off
    }

    /// Records a failure. After several in a row, the store is left alone.
    fn fail(&self, why: &str, lasting: bool) {
        let mut health = self.health();
        health.failures += 1;
        health.off |= lasting || health.failures >= PATIENCE;
        health.note(why);
    }
}

impl Health {
    /// Records the first thing that was wrong.
    fn note(&mut self, why: &str) {
        self.tally.trouble.get_or_insert_with(|| why.to_owned());
        tracing::debug!(why, off = self.off, "the shared store failed");
    }
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests;
