//! Reading the values of options.

use crate::settings::{WIDEST_SPACE, Word};
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use zemtak_core::atlas::Atlas;
use zemtak_core::geometry::Size;
use zemtak_core::layout::LONGEST_SIDE;

/// A list that was given at all.
pub(super) fn said<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}

/// What a pair of a true and a false option says, of which the later one drops the earlier.
pub(super) fn either(yes: bool, no: bool) -> Option<bool> {
    (yes || no).then_some(yes)
}

/// Reads one of the words of a key.
pub(super) fn word<T: Word>() -> impl TypedValueParser<Value = T> {
    let values =
        T::ALL.iter().map(|(word, about, _)| PossibleValue::new(*word).help((!about.is_empty()).then_some(*about)));
    PossibleValuesParser::new(values).try_map(|word| T::of(&word).ok_or("an unknown word"))
}

pub(super) fn space() -> clap::builder::RangedI64ValueParser<u32> {
    clap::value_parser!(u32).range(0..=i64::from(WIDEST_SPACE))
}

pub(super) fn atlas_name(text: &str) -> Result<String, String> {
    if Atlas::is_name(text) { Ok(text.to_owned()) } else { Err("a name has only a-z, 0-9, _ and -".into()) }
}

pub(super) fn page_size(text: &str) -> Result<Size, String> {
    let sides = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    match sides {
        Some((w @ 1..=LONGEST_SIDE, h @ 1..=LONGEST_SIDE)) => Ok(Size::new(w, h)),
        _ => Err(format!("width and height as in 2048x1024, each from 1 to {LONGEST_SIDE}")),
    }
}

pub(super) fn aspect(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(ratio) if (1.0..=f64::from(LONGEST_SIDE)).contains(&ratio) => Ok(ratio),
        _ => Err(format!("a number from 1 to {LONGEST_SIDE}")),
    }
}
