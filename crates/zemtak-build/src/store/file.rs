//! A store in a single file beside the results.
//!
//! A million images make two million values. So the file stays in memory as it is, with its values sorted by key:
//! opening it copies nothing, and looking up an existing value locks nothing.

use super::{Checked, Hash, Store, StoreInfo, Trimmed, hash_by_all};
use crate::failure::Failure;
use crate::format;
use crate::write::{Replaced, Writer};
use std::cmp::Reverse;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU8, Ordering};
use std::sync::{PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};
use zemtak_files::{Disk, SystemDisk};

/// The store's file in the folder for results.
pub const FILE: &str = ".zemtak-store";

/// For how many builds that learn something a value stays although none of them asks for it: long enough for an atlas
/// that rests while others are worked on.
const PATIENCE: u8 = 250;

/// A larger store is not ours, and treated as missing.
const MOST_BYTES: u64 = 4 << 30;

/// The start of a store's file. The version changes with the meaning of its bytes; the meaning of its values is in
/// their keys.
const MAGIC: &[u8] = b"zemtak store 2\n";

/// What precedes a value: its key, how many builds ago it was last asked for, its length.
const HEAD: usize = 32 + 1 + 8;

/// How far from where a key should be is searched first.
const NEAR: usize = 64;

/// What builds have learnt: in a file, and since that was read.
#[derive(Debug)]
pub struct FileStore {
    path: PathBuf,
    writer: Writer,
    old: Old,
    new: RwLock<HashMap<Hash, Vec<u8>>>,
    /// Whether there is something to write.
    changed: AtomicBool,
}

/// The values of a file.
#[derive(Debug, Default)]
struct Old {
    bytes: Vec<u8>,
    /// In the order of their keys.
    slots: Vec<Slot>,
}

#[derive(Debug)]
struct Slot {
    /// The first bytes of the key.
    key: u64,
    /// Where in the file its head is.
    at: usize,
    /// How many builds ago it was last asked for.
    age: AtomicU8,
}

impl FileStore {
    /// The store in a folder; empty if there is none, or only a damaged one.
    #[must_use]
    pub(crate) fn open(folder: &Path, writer: &Writer) -> Self {
        let path = folder.join(FILE);
        let old = writer.disk.read(&path, MOST_BYTES).ok().and_then(Old::parse).unwrap_or_default();
        tracing::debug!(path = %path.display(), values = old.slots.len(), "store opened");
        Self { path, writer: writer.clone(), old, new: RwLock::default(), changed: AtomicBool::new(false) }
    }

    /// A store that knows nothing yet.
    #[must_use]
    pub(crate) fn empty(folder: &Path, writer: &Writer) -> Self {
        let (path, writer, changed) = (folder.join(FILE), writer.clone(), AtomicBool::new(true));
        Self { path, writer, old: Old::default(), new: RwLock::default(), changed }
    }

    /// Whether it knows nothing.
    pub(crate) fn is_empty(&self) -> bool {
        self.old.slots.is_empty() && self.learnt().is_empty()
    }

    /// Writes the store if anything in it is new. Returns the file that it has replaced.
    ///
    /// # Errors
    /// It cannot be written.
    pub(crate) fn save(&self) -> Result<Option<Replaced>, Failure> {
        if !self.changed.swap(false, Ordering::Relaxed) {
            return Ok(None);
        }
        let file = self.writer.prepare(&self.path, &self.to_bytes())?;
        let replaced = file.hold_replaced();
        file.commit().map(|()| replaced)
    }

    /// What the store in a folder holds.
    pub(crate) fn info(folder: &Path) -> StoreInfo {
        let Self { path, old, .. } = Self::open(folder, &Writer::default());
        let bytes = std::fs::metadata(&path).map_or(0, |meta| meta.len());
        StoreInfo { store: format::path(&path), values: old.slots.len() as u64, bytes, ..StoreInfo::default() }
    }

    /// Whether the store in a folder is as it was written.
    pub(crate) fn check(folder: &Path) -> Checked {
        let path = folder.join(FILE);
        let old = SystemDisk.read(&path, MOST_BYTES).ok().and_then(Old::parse);
        let store = format::path(&path);
        let damaged = if old.is_none() { vec![store.clone()] } else { Vec::new() };
        Checked { store, values: old.map_or(0, |old| old.slots.len() as u64), damaged, ..Checked::default() }
    }

    /// Forgets the least recently used values until the rest takes at most this many bytes.
    pub(crate) fn trim(&mut self, most: u64) -> Trimmed {
        let mut oldest: Vec<(Reverse<u8>, usize)> =
            self.old.slots.iter().map(Slot::age).map(Reverse).zip(0..).collect();
        oldest.sort_unstable();
        let mut trimmed = Trimmed { store: format::path(&self.path), ..Trimmed::default() };
        let mut left: u64 = (MAGIC.len() + 32) as u64;
        left += self.old.slots.iter().map(|slot| (HEAD + self.old.value(slot).len()) as u64).sum::<u64>();
        let mut gone = HashSet::new();
        for (_, slot) in oldest {
            if left <= most {
                break;
            }
            let bytes = (HEAD + self.old.value(&self.old.slots[slot]).len()) as u64;
            gone.insert(slot);
            left -= bytes;
            trimmed.removed += 1;
            trimmed.removed_bytes += bytes;
        }
        let mut number = 0..;
        self.old.slots.retain(|_| number.next().is_some_and(|slot: usize| !gone.contains(&slot)));
        self.changed.fetch_or(trimmed.removed > 0, Ordering::Relaxed);
        (trimmed.left, trimmed.left_bytes) = (self.old.slots.len() as u64, left);
        trimmed
    }

    fn learnt(&self) -> RwLockReadGuard<'_, HashMap<Hash, Vec<u8>>> {
        self.new.read().unwrap_or_else(PoisonError::into_inner)
    }

    fn learnt_mut(&self) -> RwLockWriteGuard<'_, HashMap<Hash, Vec<u8>>> {
        self.new.write().unwrap_or_else(PoisonError::into_inner)
    }

    /// The file: old values and new ones, merged in the order of their keys.
    fn to_bytes(&self) -> Vec<u8> {
        let learnt = self.learnt();
        let mut new: Vec<(&Hash, &Vec<u8>)> = learnt.iter().collect();
        new.sort_unstable();
        let room = self.old.bytes.len() + new.iter().map(|(_, value)| HEAD + value.len()).sum::<usize>();
        let mut bytes = Vec::with_capacity(room + MAGIC.len() + 32);
        bytes.extend_from_slice(MAGIC);
        let mut add = |key: &Hash, age: u8, value: &[u8]| {
            bytes.extend_from_slice(key);
            bytes.push(age);
            bytes.extend_from_slice(&(value.len() as u64).to_le_bytes());
            bytes.extend_from_slice(value);
        };
        let mut new = new.into_iter().peekable();
        for slot in self.old.slots.iter().filter(|slot| slot.age() <= PATIENCE) {
            let key = self.old.key(slot);
            while let Some((key, value)) = new.next_if(|(new, _)| *new < key) {
                add(key, 0, value);
            }
            match new.next_if(|(new, _)| *new == key) {
                Some((key, value)) => add(key, 0, value),
                None => add(key, slot.age(), self.old.value(slot)),
            }
        }
        new.for_each(|(key, value)| add(key, 0, value));
        // No lock may be held for this.
        drop(learnt);
        let sum = hash_by_all(&bytes);
        bytes.extend_from_slice(&sum);
        bytes
    }
}

impl Store for FileStore {
    fn get(&self, key: &Hash) -> Option<Vec<u8>> {
        if let Some(value) = self.learnt().get(key) {
            return Some(value.clone());
        }
        let slot = self.old.find(key)?;
        slot.age.store(0, Ordering::Relaxed);
        Some(self.old.value(slot).to_vec())
    }

    fn put(&self, key: Hash, value: Vec<u8>) {
        if let Some(slot) = self.old.find(&key).filter(|slot| self.old.value(slot) == value) {
            slot.age.store(0, Ordering::Relaxed);
            self.learnt_mut().remove(&key);
            return;
        }
        let mut new = self.learnt_mut();
        if new.get(&key) != Some(&value) {
            new.insert(key, value);
            self.changed.store(true, Ordering::Relaxed);
        }
    }
}

impl Slot {
    fn age(&self) -> u8 {
        self.age.load(Ordering::Relaxed)
    }
}

impl Old {
    /// The values of a store's file, each a build older; `None` if any byte is not as it was written.
    fn parse(bytes: Vec<u8>) -> Option<Self> {
        let (body, sum) = bytes.split_last_chunk::<32>()?;
        let mut rest = body.strip_prefix(MAGIC).filter(|_| hash_by_all(body) == *sum)?;
        let (mut slots, mut before): (Vec<Slot>, Option<&Hash>) = (Vec::new(), None);
        while !rest.is_empty() {
            let at = body.len() - rest.len();
            let (key, after) = rest.split_first_chunk::<32>()?;
            let (age, after) = after.split_first()?;
            let (length, after) = after.split_first_chunk::<8>()?;
            let (_, after) = after.split_at_checked(usize::try_from(u64::from_le_bytes(*length)).ok()?)?;
            if before.is_some_and(|before| before >= key) {
                return None;
            }
            slots.push(Slot { key: first(key), at, age: AtomicU8::new(age.saturating_add(1)) });
            (before, rest) = (Some(key), after);
        }
        Some(Self { slots, bytes })
    }

    /// Keys are hashes and so evenly distributed: a value lies roughly where its key suggests.
    fn find(&self, key: &Hash) -> Option<&Slot> {
        let (wanted, count) = (first(key), self.slots.len());
        let guess = usize::try_from((u128::from(wanted) * count as u128) >> 64).unwrap_or(0);
        let (mut from, mut to) = (guess.min(count.checked_sub(1)?), guess.min(count));
        // Widened until the first key that is not smaller lies in between.
        let mut step = NEAR;
        while from > 0 && self.slots[from].key >= wanted {
            from = from.saturating_sub(step);
            step *= 4;
        }
        let mut step = NEAR;
        while to < count && self.slots[to].key < wanted {
            to = (to + step).min(count);
            step *= 4;
        }
        let at = from + self.slots[from..to].partition_point(|slot| slot.key < wanted);
        self.slots[at..].iter().take_while(|slot| slot.key == wanted).find(|slot| self.key(slot) == key)
    }

    fn key(&self, slot: &Slot) -> &Hash {
        self.bytes[slot.at..].first_chunk().unwrap_or(&[0; 32])
    }

    fn value(&self, slot: &Slot) -> &[u8] {
        let from = slot.at + HEAD;
        let length = self.bytes[..from].last_chunk().map_or(0, |length| u64::from_le_bytes(*length));
        &self.bytes[from..from + usize::try_from(length).unwrap_or(0)]
    }
}

/// The first bytes of a key, in its order.
fn first(key: &Hash) -> u64 {
    key.first_chunk().map_or(0, |first| u64::from_be_bytes(*first))
}

#[cfg(test)]
mod tests {
    use super::super::Key;
    use super::*;
    use std::collections::BTreeMap;

    fn open(folder: &Path) -> FileStore {
        FileStore::open(folder, &Writer::default())
    }

    fn key(stage: &str, bytes: &[u8]) -> Hash {
        Key::new(stage, &[]).bytes(bytes).finish()
    }

    #[test]
    fn a_store_comes_back_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let store = open(folder.path());
        store.put(key("a", b"1"), b"one".to_vec());
        store.put(Key::new("a", &[]).bytes(b"").bytes(b"1").finish(), Vec::new());
        store.save().unwrap();
        let path = folder.path().join(FILE);
        let bytes = std::fs::read(&path).unwrap();
        let again = open(folder.path());
        assert_eq!(again.get(&key("a", b"1")), Some(b"one".to_vec()));
        assert_eq!(again.get(&Key::new("a", &[]).bytes(b"").bytes(b"1").finish()), Some(Vec::new()));
        for cut in 0..bytes.len() {
            std::fs::write(&path, &bytes[..cut]).unwrap();
            assert_eq!(open(folder.path()).get(&key("a", b"1")), None, "cut at {cut}");
            let mut flipped = bytes.clone();
            flipped[cut] ^= 4;
            std::fs::write(&path, flipped).unwrap();
            assert_eq!(open(folder.path()).get(&key("a", b"1")), None, "flipped at {cut}");
        }
    }

    /// Compared with a map, over many builds, with keys that begin alike and others at both ends.
    #[test]
    fn a_store_holds_what_a_map_holds() {
        let folder = tempfile::tempdir().unwrap();
        let mut expected: BTreeMap<Hash, Vec<u8>> = BTreeMap::new();
        let mut dice = 7_u32;
        let mut roll = |sides: u32| {
            dice = dice.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (dice >> 8) % sides
        };
        for _ in 0..20 {
            let store = open(folder.path());
            for _ in 0..roll(60) {
                let mut key = key("map", &roll(90).to_le_bytes());
                match roll(6) {
                    0 => key[..8].fill(0),
                    1 => key[..8].fill(255),
                    2 => key[..8].fill(9),
                    _ => {}
                }
                let value = vec![u8::try_from(roll(4)).unwrap(); roll(5) as usize];
                assert_eq!(store.get(&key), expected.get(&key).cloned());
                store.put(key, value.clone());
                assert_eq!(store.get(&key).as_ref(), Some(&value));
                expected.insert(key, value);
            }
            store.save().unwrap();
            let again = open(folder.path());
            assert!(expected.iter().all(|(key, value)| again.get(key).as_ref() == Some(value)));
            assert_eq!(again.old.slots.len(), expected.len());
        }
        // What was there all along is nothing new.
        let store = open(folder.path());
        expected.iter().for_each(|(key, value)| store.put(*key, value.clone()));
        std::fs::remove_file(folder.path().join(FILE)).unwrap();
        store.save().unwrap();
        assert!(!folder.path().join(FILE).exists());
    }

    #[test]
    fn what_nobody_asks_for_goes_in_the_end() {
        let folder = tempfile::tempdir().unwrap();
        let store = open(folder.path());
        let (used, unused) = (key("used", b""), key("unused", b""));
        store.put(used, vec![1]);
        store.put(unused, vec![2]);
        store.save().unwrap();
        for build in 0..=PATIENCE {
            let store = open(folder.path());
            assert_eq!(store.get(&used), Some(vec![1]));
            assert!(store.old.find(&unused).is_some(), "it went after {build} builds");
            store.put(key("learnt", b""), vec![build]);
            store.save().unwrap();
        }
        assert_eq!((open(folder.path()).get(&unused), open(folder.path()).get(&used)), (None, Some(vec![1])));
        // Trimming first removes the least recently used.
        let store = open(folder.path());
        store.put(unused, vec![3; 100]);
        store.save().unwrap();
        let mut store = open(folder.path());
        assert!(store.get(&unused).is_some());
        let (all, whole) = (store.old.slots.len() as u64, store.to_bytes().len() as u64);
        let trimmed = store.trim(whole - 1);
        assert_eq!((trimmed.removed, trimmed.left, trimmed.left_bytes), (1, all - 1, whole - trimmed.removed_bytes));
        store.save().unwrap();
        assert_eq!(std::fs::metadata(folder.path().join(FILE)).unwrap().len(), trimmed.left_bytes);
        assert!(open(folder.path()).get(&unused).is_some());
    }
}
