//! JSON as people like to read it: one entry a line.

use serde::Serialize;
use serde_json::ser::Formatter;
use std::fmt::{Display, LowerExp};
use std::io;

/// A value on one line, with a space after each colon and comma, and numbers in the shortest form that reads back exactly.
///
/// # Errors
/// A value that JSON does not have.
pub fn one_line(value: &(impl Serialize + ?Sized)) -> Result<String, serde_json::Error> {
    let mut out = Vec::new();
    value.serialize(&mut serde_json::Serializer::with_formatter(&mut out, Spaced))?;
    Ok(String::from_utf8_lossy(&out).into_owned())
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
        shortest(writer, value)
    }
}

/// The shortest decimal text that reads back as the same number: 16, not 16.0. An exponent only where it saves a line of
/// zeros.
fn shortest<W: ?Sized + io::Write>(writer: &mut W, value: impl Display + LowerExp) -> io::Result<()> {
    let plain = value.to_string();
    if plain.len() > 24 { write!(writer, "{value:e}") } else { writer.write_all(plain.as_bytes()) }
}
