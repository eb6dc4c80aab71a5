//! The content of a shared store: listed, trimmed and checked.

use super::{Kind, Listed, READERS, Remote, RemoteError, Seal};
use crate::store::{Checked, StoreInfo, TrimBounds, Trimmed};
use crate::write::is_part;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, SystemTime};

/// Where all values of this version lie.
const ROOT: &str = super::seal::ROOT;

/// A partial file of this age is from a process that was killed.
const FORGOTTEN: Duration = Duration::from_secs(3600);

/// Access to a store for upkeep, or the reason why it is impossible.
pub(crate) struct Upkeep<'a> {
    pub remote: &'a dyn Remote,
    pub seal: &'a Seal,
    pub cancelled: &'a (dyn Fn() -> bool + Sync),
}

/// The values of a store, and what was left there half written.
struct There {
    values: Vec<(Kind, Listed)>,
    parts: Vec<Listed>,
}

impl Upkeep<'_> {
    fn list(&self) -> Result<There, RemoteError> {
        let mut there = There { values: Vec::new(), parts: Vec::new() };
        self.remote.list(ROOT, &mut |listed| {
            let file = listed.name.rsplit('/').next().unwrap_or_default();
            let kind = listed.name.split('/').nth(1).and_then(Kind::of);
            // Anything else there is not ours.
            match kind {
                Some(_) if is_part(file) => there.parts.push(listed),
                Some(kind) => there.values.push((kind, listed)),
                None => {}
            }
        })?;
        Ok(there)
    }

    /// What is there, by kind.
    pub fn info(&self) -> Result<StoreInfo, RemoteError> {
        let values = self.list()?.values;
        let mut kinds: BTreeMap<Kind, (u64, u64)> = BTreeMap::new();
        for (kind, listed) in &values {
            let (count, bytes) = kinds.entry(*kind).or_default();
            *count += 1;
            *bytes += listed.bytes;
        }
        let oldest = values.iter().map(|(_, listed)| listed.used).min();
        Ok(StoreInfo {
            store: self.remote.place(),
            shared: true,
            values: values.len() as u64,
            bytes: values.iter().map(|(_, listed)| listed.bytes).sum(),
            kinds: kinds.into_iter().map(|(kind, (count, bytes))| (kind, count, bytes)).collect(),
            least_used: oldest.and_then(|oldest| oldest.elapsed().ok()),
            trouble: None,
        })
    }

    /// Removes the least recently used values until the rest is within bounds.
    pub fn trim(&self, bounds: TrimBounds, dry_run: bool) -> Result<Trimmed, RemoteError> {
        let There { mut values, parts } = self.list()?;
        values.sort_by(|(_, a), (_, b)| (a.used, &a.name).cmp(&(b.used, &b.name)));
        let all: u64 = values.iter().map(|(_, listed)| listed.bytes).sum();
        let now = SystemTime::now();
        let age = |listed: &Listed| now.duration_since(listed.used).unwrap_or_default();
        let mut left = all;
        let goes = |(_, listed): &&(Kind, Listed)| {
            let too_much = bounds.bytes.is_some_and(|most| left > most);
            let too_old = bounds.age.is_some_and(|most| age(listed) > most);
            left -= if too_much || too_old { listed.bytes } else { 0 };
            too_much || too_old
        };
        let victims: Vec<&Listed> = values.iter().take_while(goes).map(|(_, listed)| listed).collect();
        let forgotten = parts.iter().filter(|part| age(part) > FORGOTTEN);
        if !dry_run {
            let all: Vec<&Listed> = victims.iter().copied().chain(forgotten).collect();
            self.of_each(&all, |listed| self.remote.remove(&listed.name))?;
        }
        Ok(Trimmed {
            store: self.remote.place(),
            shared: true,
            removed: victims.len() as u64,
            removed_bytes: all - left,
            left: (values.len() - victims.len()) as u64,
            left_bytes: left,
        })
    }

    /// Reads all values and checks each against its hash; if asked to, removes those that are not as they were shared.
    pub fn check(&self, remove: bool) -> Result<Checked, RemoteError> {
        let there = self.list()?.values;
        let values: Vec<&Listed> = there.iter().map(|(_, listed)| listed).collect();
        let damaged = self.of_each(&values, |listed| {
            let value = self.remote.get(&listed.name, listed.bytes)?;
            let holds = value.is_none_or(|value| self.seal.belongs(&listed.name, &value));
            if !holds && remove {
                self.remote.remove(&listed.name)?;
            }
            Ok((!holds).then(|| listed.name.clone()))
        })?;
        let mut damaged: Vec<String> = damaged.into_iter().flatten().collect();
        damaged.sort();
        let (store, values) = (self.remote.place(), values.len() as u64);
        Ok(Checked { store, shared: true, values, damaged, removed: remove })
    }

    /// Does something with each, several at a time: most of the time is the round trip. If cancelled, returns the
    /// results so far.
    fn of_each<T: Send>(
        &self,
        all: &[&Listed],
        work: impl Fn(&Listed) -> Result<T, RemoteError> + Sync,
    ) -> Result<Vec<T>, RemoteError> {
        let next = AtomicUsize::new(0);
        let some = || {
            let mut done = Vec::new();
            while let Some(listed) = all.get(next.fetch_add(1, Ordering::Relaxed)).filter(|_| !(self.cancelled)()) {
                done.push(work(listed)?);
            }
            Ok(done)
        };
        let parts: Vec<Result<Vec<T>, RemoteError>> = std::thread::scope(|scope| {
            let start = |_| std::thread::Builder::new().spawn_scoped(scope, some).ok();
            let threads: Vec<_> = (0..READERS.min(all.len())).map_while(start).collect();
            if threads.is_empty() {
                return vec![some()];
            }
            // They do not panic: errors are results there.
            threads.into_iter().filter_map(|thread| thread.join().ok()).collect()
        });
        Ok(parts.into_iter().collect::<Result<Vec<Vec<T>>, RemoteError>>()?.into_iter().flatten().collect())
    }
}
