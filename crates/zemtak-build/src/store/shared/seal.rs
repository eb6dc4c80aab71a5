//! Values as they are stored in a shared store: with a hash of key and value, so that damaged, swapped or forged ones
//! are recognised.

use super::super::Hash;
use super::{Kind, Value};
use crate::format;
use blake3::Hasher;
use std::time::Duration;

/// The start of each value. It changes with the meaning of what follows: the key, how many microseconds it took to
/// make, the hash, the value.
const MAGIC: &[u8] = b"zemtak value 2\n";

/// The prefix of the names of values: with other values under the same names they would be in each other's way.
pub(super) const ROOT: &str = "zemtak-2";

/// The bytes before a value.
const HEAD: usize = MAGIC.len() + 32 + 8 + 32;

/// The purpose for which a key is derived from the secret.
const PURPOSE: &str = "zemtak shared store, values, version 1";

/// With a secret, only those who have it can write values that are trusted, and values with other secrets have other
/// names.
#[derive(Clone)]
pub(crate) struct Seal(Option<Hash>);

impl std::fmt::Debug for Seal {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.0.is_some() { "Seal(secret)" } else { "Seal(plain)" })
    }
}

impl Seal {
    pub fn new(secret: Option<&str>) -> Self {
        Self(secret.map(|secret| blake3::derive_key(PURPOSE, secret.as_bytes())))
    }

    fn hasher(&self) -> Hasher {
        self.0.as_ref().map_or_else(Hasher::new, Hasher::new_keyed)
    }

    /// The name of a key's value.
    pub fn name(&self, kind: Kind, key: &Hash) -> String {
        let hash = self.hasher().update(b"name").update(key).finalize();
        let hex = format::hex(hash.as_bytes());
        format!("{ROOT}/{}/{}/{}", kind.word(), &hex[..2], &hex[2..])
    }

    fn sum(&self, key: &Hash, micros: u64, value: &[u8]) -> Hash {
        *self.hasher().update(MAGIC).update(key).update(&micros.to_le_bytes()).update(value).finalize().as_bytes()
    }

    /// A value in its stored form.
    pub fn close(&self, key: &Hash, value: &[u8], made_in: Duration) -> Vec<u8> {
        let micros = u64::try_from(made_in.as_micros()).unwrap_or(u64::MAX);
        [MAGIC, key, &micros.to_le_bytes(), &self.sum(key, micros, value), value].concat()
    }

    /// The value, if it is as it was sealed.
    pub fn open(&self, key: &Hash, mut sealed: Vec<u8>) -> Option<Value> {
        let micros = self.holds(&sealed).filter(|(there, _)| there == key)?.1;
        Some(Value { bytes: sealed.split_off(HEAD), made_in: Duration::from_micros(micros) })
    }

    /// Whether a value with this name is as it was sealed.
    pub fn belongs(&self, name: &str, sealed: &[u8]) -> bool {
        let kind = name.split('/').nth(1).and_then(Kind::of);
        kind.zip(self.holds(sealed)).is_some_and(|(kind, (key, _))| self.name(kind, &key) == name)
    }

    /// A stored value's key and how many microseconds it took, if all of it is as it was sealed.
    fn holds(&self, sealed: &[u8]) -> Option<(Hash, u64)> {
        let (key, rest) = sealed.strip_prefix(MAGIC)?.split_first_chunk::<32>()?;
        let (micros, rest) = rest.split_first_chunk::<8>()?;
        let (sum, value) = rest.split_first_chunk::<32>()?;
        let micros = u64::from_le_bytes(*micros);
        // Takes the same time for anything wrong, so an attacker learns nothing from the time.
        let holds = blake3::Hash::from_bytes(self.sum(key, micros, value)) == blake3::Hash::from_bytes(*sum);
        holds.then_some((*key, micros))
    }
}
