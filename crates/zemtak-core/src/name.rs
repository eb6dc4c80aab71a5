//! Names of sprites and clips, and the order in which they are listed.

use serde::{Deserialize, Serialize};
use std::cmp::Ordering;
use std::fmt;

/// Compares two texts, ordering runs of ASCII digits by number: `a2 < a10`, and `a2 < a02`.
///
/// Runs may have any number of digits. Of two runs with the same value, the one with fewer digits comes first, so the
/// order is total: only equal texts compare equal.
#[must_use]
pub fn natural_cmp(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a.as_bytes(), b.as_bytes());
    // A common prefix does not matter, except for digits at its end: they may be part of longer numbers.
    let same = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let digits_before = a[..same].iter().rev().take_while(|c| c.is_ascii_digit()).count();
    (a, b) = (&a[same - digits_before..], &b[same - digits_before..]);
    // Now they differ in the first byte, or in the number at the beginning or the byte after it.
    let (da, db) = (digits(a), digits(b));
    if da > 0 && db > 0 { number_cmp(&a[..da], &b[..db]).then_with(|| a[da..].cmp(&b[db..])) } else { a.cmp(b) }
}

fn digits(text: &[u8]) -> usize {
    text.iter().take_while(|c| c.is_ascii_digit()).count()
}

/// Compares two runs of digits by value, then by length.
pub(crate) fn number_cmp(a: &[u8], b: &[u8]) -> Ordering {
    let value = |run: &[u8]| run.iter().position(|&c| c != b'0').unwrap_or(run.len());
    let (va, vb) = (&a[value(a)..], &b[value(b)..]);
    va.len().cmp(&vb.len()).then_with(|| va.cmp(vb)).then_with(|| a.len().cmp(&b.len()))
}

/// A name without the digits at its end, and those digits.
#[must_use]
pub fn split_number(name: &str) -> (&str, &str) {
    name.split_at(name.trim_end_matches(|c: char| c.is_ascii_digit()).len())
}

macro_rules! name_type {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(Box<str>);

        impl $name {
            /// Wraps a text that is already in the form of a name.
            #[must_use]
            pub fn new(text: &str) -> Self {
                Self(text.into())
            }

            /// The name as text.
            #[must_use]
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }

        impl PartialOrd for $name {
            fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
                Some(self.cmp(other))
            }
        }

        impl Ord for $name {
            fn cmp(&self, other: &Self) -> Ordering {
                natural_cmp(&self.0, &other.0)
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(&self.0)
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Debug::fmt(&self.0, f)
            }
        }
    };
}

name_type! {
    /// A sprite's name: its path below its root, `/` as separator, without extension. Ordered by [`natural_cmp`].
    SpriteName
}

name_type! {
    /// A clip's name. Clips and sprites are separate namespaces. Ordered by [`natural_cmp`].
    ClipName
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn numbers_sort_by_value_then_by_digits() {
        let sorted = ["a", "a1", "a2", "a2b", "a02", "a10", "a99999999999999999999999", "b"];
        for pair in sorted.windows(2) {
            assert_eq!(natural_cmp(pair[0], pair[1]), Ordering::Less, "{pair:?}");
            assert_eq!(natural_cmp(pair[1], pair[0]), Ordering::Greater, "{pair:?}");
        }
    }

    /// The order by definition: a name is a sequence of numbers and of other single bytes.
    fn by_definition(a: &str, b: &str) -> Ordering {
        fn parts(mut text: &[u8]) -> Vec<(bool, Vec<u8>)> {
            let mut parts = Vec::new();
            while !text.is_empty() {
                let number = text[0].is_ascii_digit();
                let length = if number { digits(text) } else { 1 };
                parts.push((number, text[..length].to_vec()));
                text = &text[length..];
            }
            parts
        }
        let (a, b) = (parts(a.as_bytes()), parts(b.as_bytes()));
        for ((number_a, part_a), (number_b, part_b)) in a.iter().zip(&b) {
            let order = if *number_a && *number_b {
                let value = |part: &[u8]| String::from_utf8_lossy(part).parse::<u128>().unwrap();
                value(part_a).cmp(&value(part_b)).then(part_a.len().cmp(&part_b.len()))
            } else {
                part_a[0].cmp(&part_b[0])
            };
            if order != Ordering::Equal {
                return order;
            }
        }
        a.len().cmp(&b.len())
    }

    proptest! {
        #[test]
        fn the_order_is_that_of_numbers_and_other_bytes(
            same in "[a/0-3_]{0,5}",
            a in "[a/0-3_]{0,5}",
            b in "[a/0-3_]{0,5}",
        ) {
            // Names usually begin alike.
            let (a, b) = (format!("{same}{a}"), format!("{same}{b}"));
            prop_assert_eq!(natural_cmp(&a, &b), by_definition(&a, &b), "{} {}", a, b);
        }

        #[test]
        fn the_order_is_total(mut names in prop::collection::vec("[a/0-2_]{0,6}", 3)) {
            names.sort_by(|a, b| natural_cmp(a, b));
            prop_assert_ne!(natural_cmp(&names[0], &names[2]), Ordering::Greater);
            for (a, b) in [(0, 1), (1, 2)] {
                prop_assert_eq!(natural_cmp(&names[a], &names[b]) == Ordering::Equal, names[a] == names[b]);
            }
        }
    }
}
