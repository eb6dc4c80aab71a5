//! Parsing the values of options.

use crate::commands::export::FormName;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use zemtak_build::settings::{Keyword, PageFormat, WIDEST_SPACE};
use zemtak_core::atlas::Atlas;
use zemtak_core::coords::Part;
use zemtak_core::geometry::LONGEST_SIDE;
use zemtak_core::geometry::{Rect, Size};

/// The list, if it was given at all.
pub(super) fn said<T>(list: Vec<T>) -> Option<Vec<T>> {
    (!list.is_empty()).then_some(list)
}

/// The result of a pair of options for true and false, of which the later one replaces the earlier.
pub(super) fn either(yes: bool, no: bool) -> Option<bool> {
    (yes || no).then_some(yes)
}

/// Parses one of the words of a key.
pub(super) fn word<T: Keyword>() -> impl TypedValueParser<Value = T> {
    let values =
        T::ALL.iter().map(|(word, about, _)| PossibleValue::new(*word).help((!about.is_empty()).then_some(*about)));
    PossibleValuesParser::new(values).try_map(|word| T::of(&word).ok_or("an unknown word"))
}

pub(super) fn space() -> clap::builder::RangedI64ValueParser<u32> {
    clap::value_parser!(u32).range(0..=i64::from(WIDEST_SPACE))
}

pub(super) fn atlas_name(text: &str) -> Result<String, String> {
    if Atlas::is_name(text) { Ok(text.to_owned()) } else { Err("a name of the characters a-z, 0-9, _ and -".into()) }
}

pub(super) fn page_size(text: &str) -> Result<Size, String> {
    let sides = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    match sides {
        Some((w @ 1..=LONGEST_SIDE, h @ 1..=LONGEST_SIDE)) => Ok(Size::new(w, h)),
        _ => Err(format!("width and height, such as 2048x1024, each from 1 to {LONGEST_SIDE}")),
    }
}

pub(super) fn aspect(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(ratio) if (1.0..=f64::from(LONGEST_SIDE)).contains(&ratio) => Ok(ratio),
        _ => Err(format!("a number from 1 to {LONGEST_SIDE}")),
    }
}

pub(super) fn decibels(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(decibels) if (1.0..=100.0).contains(&decibels) => Ok(decibels),
        _ => Err("a number of decibels from 1 to 100".into()),
    }
}

/// A format of pages, or a form of the descriptor.
pub(super) fn form_name(text: &str) -> Result<FormName, String> {
    if let Some(format) = PageFormat::of(text) {
        return Ok(FormName::Pages(format));
    }
    let pages: String = PageFormat::ALL.iter().map(|(word, ..)| format!("{word}, ")).collect();
    text.parse().map(FormName::Text).map_err(|texts: String| texts.replacen("one of ", &format!("one of {pages}"), 1))
}

/// The whole numbers of a text such as `1,2,3,4`.
fn numbers<const N: usize, T: std::str::FromStr>(text: &str) -> Option<[T; N]> {
    let parsed: Option<Vec<T>> = text.split(',').map(|part| part.trim().parse().ok()).collect();
    parsed?.try_into().ok()
}

pub(super) fn any_size(text: &str) -> Result<Size, String> {
    let sides = text.split_once('x').and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    match sides {
        Some((w @ 1.., h @ 1..)) => Ok(Size::new(w, h)),
        _ => Err("width and height, such as 512x256, each at least 1".into()),
    }
}

pub(super) fn rect(text: &str) -> Result<Rect, String> {
    numbers(text).map(Rect::from).ok_or_else(|| "x,y,w,h in whole pixels, such as 34,2,28,30".into())
}

pub(super) fn part(text: &str) -> Result<Part, String> {
    let help = || "x,y,w,h in whole canvas pixels, such as 8,0,16,32; w and h at least 1".to_owned();
    let [x, y, w, h]: [i64; 4] = numbers(text).ok_or_else(help)?;
    let sides = u32::try_from(w).ok().zip(u32::try_from(h).ok()).filter(|(w, h)| *w > 0 && *h > 0);
    match (i32::try_from(x), i32::try_from(y), sides) {
        (Ok(x), Ok(y), Some((w, h))) => Ok(Part { x, y, w, h }),
        _ => Err(help()),
    }
}

pub(super) fn bands(text: &str) -> Result<[u32; 4], String> {
    numbers(text).ok_or_else(|| "left,top,right,bottom in whole canvas pixels, such as 4,4,4,4".into())
}

pub(super) fn point(text: &str) -> Result<[f64; 2], String> {
    let [x, y]: [f64; 2] = numbers(text).ok_or("x,y, such as 120,64.5")?;
    if x.is_finite() && y.is_finite() { Ok([x, y]) } else { Err("x,y as finite numbers".into()) }
}

pub(super) fn pixel(text: &str) -> Result<[u32; 2], String> {
    numbers(text).ok_or_else(|| "x,y in whole pixels, such as 120,64".into())
}

/// One factor for both axes, or two.
pub(super) fn scale(text: &str) -> Result<[f64; 2], String> {
    let both = |one: f64| [one; 2];
    let scale = numbers::<1, f64>(text).map(|[one]| both(one)).or_else(|| numbers(text));
    let usable = |scale: &[f64; 2]| scale.iter().all(|s| s.is_finite() && *s != 0.0);
    scale.filter(usable).ok_or_else(|| "a factor such as 2, or one for each axis such as 2,1.5; not 0".into())
}

/// A size on the screen, which may have fractions.
pub(super) fn room(text: &str) -> Result<[f64; 2], String> {
    let sides = text.split_once('x').and_then(|(w, h)| Some([w.parse().ok()?, h.parse().ok()?]));
    let usable = |room: &[f64; 2]| room.iter().all(|side: &f64| side.is_finite() && *side > 0.0);
    sides.filter(usable).ok_or_else(|| "width and height, such as 64x64, each above 0".into())
}

pub(super) fn shrink(text: &str) -> Result<f64, String> {
    crate::values::number(text)
        .ok()
        .filter(|s| *s >= 0.0)
        .ok_or_else(|| "a number of texels from 0, such as 0.5".into())
}

/// Columns and rows.
pub(super) fn counts(text: &str) -> Result<[u32; 2], String> {
    any_size(text).map(|size| [size.w, size.h]).map_err(|_| "columns and rows, such as 8x4, each at least 1".into())
}
