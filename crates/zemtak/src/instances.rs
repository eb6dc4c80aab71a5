//! Lists of placements: which sprite is drawn where, from a CSV or a JSON file, read one entry at a time.

use crate::values;
use serde::Deserialize;
use serde::de::{DeserializeSeed, SeqAccess, Visitor};
use std::fmt;
use std::io::{BufRead, BufReader, Read, stdin};
use std::path::Path;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::json;

/// The columns of a list; in JSON the keys of an entry.
pub const COLUMNS: [&str; 9] = ["sprite", "x", "y", "angle", "scale", "scale_x", "scale_y", "flip", "tint"];

/// Invalid entries reported at most; more would not help.
const MOST_PROBLEMS: usize = 50;

/// One placement of a list. The command line gives the defaults.
#[derive(Debug, Clone, PartialEq, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    /// The sprite.
    pub sprite: String,
    /// Where its pivot goes.
    pub x: f64,
    /// Where its pivot goes.
    pub y: f64,
    /// Degrees.
    #[serde(default)]
    pub angle: Option<f64>,
    /// Scale of both axes.
    #[serde(default)]
    pub scale: Option<f64>,
    /// Scale of one axis.
    #[serde(default)]
    pub scale_x: Option<f64>,
    /// Scale of one axis.
    #[serde(default)]
    pub scale_y: Option<f64>,
    /// `x`, `y` or `xy`.
    #[serde(default)]
    pub flip: Option<String>,
    /// `#rrggbb` or `#rrggbbaa`.
    #[serde(default)]
    pub tint: Option<String>,
}

/// The result of handling an entry; a text says what is wrong with it.
pub type Take<'t> = &'t mut dyn FnMut(&Entry) -> Result<(), String>;

/// Passes on each entry of a list, in order.
///
/// # Errors
/// The file cannot be read; or all invalid entries, by line or number, up to fifty.
pub fn read(path: &Path, take: Take<'_>) -> Result<(), Failure> {
    let standard = path == Path::new("-");
    let place = if standard { "standard input".into() } else { format::path(path) };
    let io = |e: std::io::Error| Failure::io(&place, &e);
    let source: Box<dyn Read> =
        if standard { Box::new(stdin()) } else { Box::new(zemtak_files::open(path).map_err(io)?) };
    let mut source = BufReader::with_capacity(1 << 16, source);
    // Decided by the extension, or without one by the first characters.
    let json = match path.extension() {
        Some(extension) => extension.eq_ignore_ascii_case("json"),
        None => source.fill_buf().map_err(io)?.iter().find(|b| !b.is_ascii_whitespace()) == Some(&b'['),
    };
    let mut wrong = Wrong { place, problems: Vec::new() };
    if json {
        read_json(source, &mut wrong, take);
    } else {
        read_csv(source, &mut wrong, take);
    }
    Failure::unless(wrong.problems, ())
}

struct Wrong {
    place: String,
    problems: Vec<Problem>,
}

impl Wrong {
    /// Notes an error at a position of the file (`:3` or `, entry 3`); `false` once there are enough.
    fn note(&mut self, at: &str, why: String) -> bool {
        let help = "each needs sprite, x and y; docs/coordinates.md lists the other columns";
        let place = format!("{}{at}", self.place);
        self.problems.push(Problem::bad_input(ProblemKind::UnusablePlacement, &place, why, help));
        self.problems.len() < MOST_PROBLEMS
    }
}

fn read_csv(file: impl Read, wrong: &mut Wrong, take: Take<'_>) {
    let mut reader = csv::ReaderBuilder::new().trim(csv::Trim::All).from_reader(file);
    let header = match reader.headers() {
        Ok(header) => header.clone(),
        Err(error) => {
            wrong.note(":1", reason(&error));
            return;
        }
    };
    for column in header.iter().filter(|column| !COLUMNS.contains(column)) {
        let near = format::did_you_mean(column, COLUMNS.into_iter());
        wrong.note(":1", format!("the first line names an unknown column '{}'{near}", format::name(column)));
    }
    for column in COLUMNS[..3].iter().filter(|column| !header.iter().any(|h| h == **column)) {
        wrong.note(":1", format!("the first line names no column '{column}'"));
    }
    if !wrong.problems.is_empty() {
        return;
    }
    let columns: Vec<usize> = header.iter().filter_map(|h| COLUMNS.iter().position(|c| *c == h)).collect();
    // One record and one entry are reused for all lines: nothing is allocated per line.
    let (mut record, mut entry) = (csv::StringRecord::new(), Entry::default());
    loop {
        let line = reader.position().line();
        let result = match reader.read_record(&mut record) {
            Ok(false) => return,
            Ok(true) => entry.set(&columns, &record).and_then(|()| checked(&entry, take)),
            Err(error) => Err(reason(&error)),
        };
        if let Err(why) = result {
            let line = record.position().map_or(line, csv::Position::line);
            if !wrong.note(&format!(":{line}"), why) {
                return;
            }
        }
    }
}

impl Entry {
    /// Takes the values of a line; an empty cell means the default.
    fn set(&mut self, columns: &[usize], record: &csv::StringRecord) -> Result<(), String> {
        for (column, text) in columns.iter().zip(record) {
            let name = COLUMNS[*column];
            let number = |text: &str| match text {
                "" => Ok(None),
                text => values::number(text).map(Some).map_err(|why| format!("{name}: {why}")),
            };
            let needed = |text: &str| number(text)?.ok_or_else(|| format!("{name} is empty"));
            match name {
                "sprite" => text.clone_into(&mut self.sprite),
                "x" => self.x = needed(text)?,
                "y" => self.y = needed(text)?,
                "angle" => self.angle = number(text)?,
                "scale" => self.scale = number(text)?,
                "scale_x" => self.scale_x = number(text)?,
                "scale_y" => self.scale_y = number(text)?,
                "flip" => self.flip = (!text.is_empty()).then(|| text.to_owned()),
                _ => self.tint = (!text.is_empty()).then(|| text.to_owned()),
            }
        }
        Ok(())
    }
}

/// A CSV error without its position, which is reported separately.
fn reason(error: &csv::Error) -> String {
    match error.kind() {
        csv::ErrorKind::UnequalLengths { expected_len, len, .. } => {
            format!("it has {len} values, the first line has {expected_len}")
        }
        _ => error.to_string(),
    }
}

fn checked(entry: &Entry, take: Take<'_>) -> Result<(), String> {
    let numbers = [
        ("x", Some(entry.x)),
        ("y", Some(entry.y)),
        ("angle", entry.angle),
        ("scale", entry.scale),
        ("scale_x", entry.scale_x),
        ("scale_y", entry.scale_y),
    ];
    for (name, number) in numbers {
        if number.is_some_and(|n| !n.is_finite()) {
            return Err(format!("{name} is not a finite number"));
        }
        if name.starts_with("scale") && number == Some(0.0) {
            return Err(format!("{name} is 0, so nothing would be seen"));
        }
    }
    take(entry)
}

fn read_json(file: impl Read, wrong: &mut Wrong, take: Take<'_>) {
    let mut reader = serde_json::Deserializer::from_reader(file);
    let result = Entries { wrong, take }.deserialize(&mut reader).and_then(|()| reader.end());
    if let Err(error) = result {
        let why = error.to_string();
        let why = why.split(" at line ").next().unwrap_or_default().to_owned();
        wrong.note(&format!(":{}:{}", error.line(), error.column()), why);
    }
}

/// Reads a JSON list entry by entry.
struct Entries<'w, 't> {
    wrong: &'w mut Wrong,
    take: Take<'t>,
}

impl<'de> DeserializeSeed<'de> for Entries<'_, '_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Entries<'_, '_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of placements")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut entries: A) -> Result<(), A::Error> {
        let mut number = 0_u64;
        let mut telling = true;
        while let Some(entry) = entries.next_element_seed(json::Object::<Entry>::default())? {
            number += 1;
            if let Err(why) = checked(&entry, self.take)
                && telling
            {
                telling = self.wrong.note(&format!(", entry {number}"), why);
            }
        }
        Ok(())
    }
}
