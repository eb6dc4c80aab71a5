//! JSON read as it is documented, where serde is laxer: it also reads a struct from a list of its values in order, and a
//! word from an object, and of keys that come twice it takes the last.

use serde::de::value::MapAccessDeserializer;
use serde::de::{DeserializeSeed, Error as _, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::fmt::{self, Display};
use std::marker::PhantomData;

/// Reads a struct from an object.
///
/// # Errors
/// It is no object, or not one of that struct.
pub fn object<'de, D: Deserializer<'de>, T: Deserialize<'de>>(deserializer: D) -> Result<T, D::Error> {
    Object::default().deserialize(deserializer)
}

/// Reads a list of such structs.
///
/// # Errors
/// It is no list, or one of them is no such object.
pub fn objects<'de, D: Deserializer<'de>, T: Deserialize<'de>>(deserializer: D) -> Result<Vec<T>, D::Error> {
    deserializer.deserialize_seq(Objects(PhantomData))
}

/// Reads structs by name.
///
/// # Errors
/// It is no object, a name comes twice, or one of them is no such object.
pub fn objects_by_name<'de, D, K, V>(deserializer: D) -> Result<BTreeMap<K, V>, D::Error>
where
    D: Deserializer<'de>,
    K: Deserialize<'de> + Ord + Display,
    V: Deserialize<'de>,
{
    deserializer.deserialize_map(ByName(PhantomData))
}

/// Reads one of these words, and gives its place among them.
///
/// # Errors
/// It is no string, or none of the words.
pub fn word<'de, D: Deserializer<'de>>(deserializer: D, words: &'static [&'static str]) -> Result<usize, D::Error> {
    deserializer.deserialize_str(Word(words))
}

/// A struct that is read from an object, for entries that are read one by one.
#[derive(Debug)]
pub struct Object<T>(PhantomData<T>);

impl<T> Default for Object<T> {
    fn default() -> Self {
        Self(PhantomData)
    }
}

impl<'de, T: Deserialize<'de>> DeserializeSeed<'de> for Object<T> {
    type Value = T;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<T, D::Error> {
        deserializer.deserialize_map(self)
    }
}

impl<'de, T: Deserialize<'de>> Visitor<'de> for Object<T> {
    type Value = T;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, access: A) -> Result<T, A::Error> {
        T::deserialize(MapAccessDeserializer::new(access))
    }
}

struct Objects<T>(PhantomData<T>);

impl<'de, T: Deserialize<'de>> Visitor<'de> for Objects<T> {
    type Value = Vec<T>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut access: A) -> Result<Vec<T>, A::Error> {
        let mut all = Vec::new();
        while let Some(one) = access.next_element_seed(Object::default())? {
            all.push(one);
        }
        Ok(all)
    }
}

struct ByName<K, V>(PhantomData<(K, V)>);

impl<'de, K: Deserialize<'de> + Ord + Display, V: Deserialize<'de>> Visitor<'de> for ByName<K, V> {
    type Value = BTreeMap<K, V>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut access: A) -> Result<Self::Value, A::Error> {
        let twice = |key: &K| A::Error::custom(format!("\"{key}\" comes twice"));
        let value = Object::default;
        // In order, as we write them, each key is compared with the last one only.
        let mut sorted: Vec<(K, V)> = Vec::new();
        while let Some(key) = access.next_key::<K>()? {
            match sorted.last().map(|(last, _)| last.cmp(&key)) {
                None | Some(Ordering::Less) => sorted.push((key, access.next_value_seed(value())?)),
                Some(Ordering::Equal) => return Err(twice(&key)),
                Some(Ordering::Greater) => {
                    let mut map: BTreeMap<K, V> = sorted.into_iter().collect();
                    let mut next = Some(key);
                    while let Some(key) = next {
                        if map.contains_key(&key) {
                            return Err(twice(&key));
                        }
                        map.insert(key, access.next_value_seed(value())?);
                        next = access.next_key()?;
                    }
                    return Ok(map);
                }
            }
        }
        Ok(sorted.into_iter().collect())
    }
}

struct Word(&'static [&'static str]);

impl Visitor<'_> for Word {
    type Value = usize;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a string")
    }

    fn visit_str<E: serde::de::Error>(self, word: &str) -> Result<usize, E> {
        self.0.iter().position(|known| *known == word).ok_or_else(|| E::unknown_variant(word, self.0))
    }
}
