//! Values as they lie in a shared store: with a hash of key and value, so that a damaged, swapped or forged one is known.

use super::super::Hash;
use crate::format;
use blake3::Hasher;

/// The start of each value. It changes with the meaning of what follows.
const MAGIC: &[u8] = b"zemtak value 1\n";

/// What the secret is made a key by.
const PURPOSE: &str = "zemtak shared store, values, version 1";

/// With a secret only those who have it can write what is believed, and values of other secrets have other names.
#[derive(Clone)]
pub(super) struct Seal(Option<Hash>);

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
    pub fn name(&self, key: &Hash) -> String {
        let hash = self.hasher().update(b"name").update(key).finalize();
        let hex = format::hex(hash.as_bytes());
        format!("zemtak-1/{}/{}", &hex[..2], &hex[2..])
    }

    fn sum(&self, key: &Hash, value: &[u8]) -> Hash {
        *self.hasher().update(MAGIC).update(key).update(value).finalize().as_bytes()
    }

    /// A value as it is stored.
    pub fn close(&self, key: &Hash, value: &[u8]) -> Vec<u8> {
        [MAGIC, &self.sum(key, value), value].concat()
    }

    /// The value, if it is as it was closed.
    pub fn open(&self, key: &Hash, mut sealed: Vec<u8>) -> Option<Vec<u8>> {
        let (sum, value) = sealed.strip_prefix(MAGIC)?.split_first_chunk::<32>()?;
        // As long for any that is wrong: who tries learns nothing from the time.
        let holds = blake3::Hash::from_bytes(self.sum(key, value)) == blake3::Hash::from_bytes(*sum);
        holds.then(|| sealed.split_off(MAGIC.len() + 32))
    }
}
