//! JSON as people like to read it: one entry per line; and read as it is documented.

mod read;

pub use read::{Object, object, objects, objects_by_name, word};

use serde::Serialize;
use serde_json::ser::Formatter;
use std::fmt::{Display, LowerExp};
use std::io;

/// A value on one line, with a space after each colon and comma, and numbers in the shortest form that reads back exactly.
///
/// # Errors
/// The value cannot be expressed in JSON.
pub fn one_line(value: &(impl Serialize + ?Sized)) -> Result<String, serde_json::Error> {
    let mut out = Vec::new();
    append(value, &mut out)?;
    Ok(String::from_utf8_lossy(&out).into_owned())
}

/// Appends a value as [`one_line`] writes it.
///
/// # Errors
/// The value cannot be expressed in JSON; a part of it may have been appended.
pub fn append(value: &(impl Serialize + ?Sized), out: &mut Vec<u8>) -> Result<(), serde_json::Error> {
    value.serialize(&mut serde_json::Serializer::with_formatter(out, Spaced))
}

struct Spaced;

impl Formatter for Spaced {
    fn begin_array_value<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        writer.write_all(if first { b"" } else { b", " })
    }

    fn begin_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b"{ ")
    }

    fn end_object<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b" }")
    }

    fn begin_object_key<W: ?Sized + io::Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        writer.write_all(if first { b"" } else { b", " })
    }

    fn begin_object_value<W: ?Sized + io::Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b": ")
    }

    fn write_f32<W: ?Sized + io::Write>(&mut self, writer: &mut W, value: f32) -> io::Result<()> {
        shortest(writer, value)
    }

    fn write_f64<W: ?Sized + io::Write>(&mut self, writer: &mut W, value: f64) -> io::Result<()> {
        // Most numbers are whole, and writing those as integers is much faster; -0 is not one of them.
        #[allow(clippy::cast_possible_truncation, reason = "what is cut off is noticed in the next line")]
        let whole = value as i32;
        if f64::from(whole).to_bits() == value.to_bits() {
            return self.write_i32(writer, whole);
        }
        shortest(writer, value)
    }
}

/// The shortest decimal text that reads back as the same number: 16, not 16.0. An exponent only if it avoids a long row
/// of zeros.
fn shortest<W: ?Sized + io::Write>(writer: &mut W, value: impl Display + LowerExp) -> io::Result<()> {
    let plain = value.to_string();
    if plain.len() > 24 { write!(writer, "{value:e}") } else { writer.write_all(plain.as_bytes()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whole numbers are written differently from others: on both sides of the limits, the text is the number's own and
    /// reads back bit for bit.
    #[test]
    fn numbers_read_back_as_they_were() {
        let borders = [0.0, 1.0, 16.0, 2_147_483_647.0, 2_147_483_648.0, 2_147_483_649.0, 9_007_199_254_740_993.0];
        let others = [0.1, 16.5, 1.0 / 3.0, 2_147_483_646.5, 1e15, 1e23, 1e300, 5e-324, f64::MAX];
        for number in borders.iter().chain(&others).flat_map(|number| [*number, -number]) {
            let text = one_line(&number).unwrap();
            assert_eq!(text.parse::<f64>().unwrap().to_bits(), number.to_bits(), "{text}");
            let plain = number.to_string();
            assert!(text == plain || (plain.len() > 24 && text.contains('e')), "{text} instead of {plain}");
        }
        assert_eq!(one_line(&[1.0, -0.0, 2.5]).unwrap(), "[1, -0, 2.5]");
    }
}
