//! Lists of UVs in the formats of models and meshes: each pair is mapped, everything else stays as it is.

use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::Path;
use zemtak_build::{Failure, Problem, ProblemKind};
use zemtak_core::coords::VAxis;

/// A format of lists.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ListForm {
    /// A table with columns `u` and `v`, and possibly others.
    Csv,
    /// A list of pairs `[u, v]`, or of objects with `u` and `v` and possibly other keys.
    Json,
    /// The `vt` lines of an OBJ file among its other lines. V goes up in it.
    Obj,
}

/// Maps a pair, given its number, counted from 1.
pub type MapUv<'m> = &'m mut dyn FnMut(usize, [f64; 2]) -> [f64; 2];

impl ListForm {
    /// Decided by the file's extension, or without one by its first characters.
    #[must_use]
    pub fn of(path: &Path, text: &str) -> Self {
        let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
        match ending.as_deref() {
            Some("obj") => Self::Obj,
            Some("json") => Self::Json,
            Some(_) => Self::Csv,
            None if text.trim_start().starts_with('[') => Self::Json,
            None if text.lines().any(|line| texture_vertex(line).is_some()) => Self::Obj,
            None => Self::Csv,
        }
    }

    /// The direction of V, if the format defines it.
    #[must_use]
    pub fn axis(self) -> Option<VAxis> {
        (self == Self::Obj).then_some(VAxis::Up)
    }

    /// The text with every pair mapped.
    ///
    /// # Errors
    /// All invalid pairs, by line or number.
    pub fn map(self, text: &str, place: &str, map: MapUv<'_>) -> Result<String, Failure> {
        let mut mapping = Mapping { map, count: 0, wrong: Vec::new() };
        let out = match self {
            Self::Csv => csv(text, &mut mapping),
            Self::Json => json(text, &mut mapping),
            Self::Obj => obj(text, &mut mapping),
        };
        let problem = |(at, why): (String, String)| {
            let help =
                "give u and v as numbers: columns of a CSV, pairs or objects of a JSON list, vt lines of an OBJ file";
            Problem::bad_input(ProblemKind::WrongUvList, &format!("{place}{at}"), why, help)
        };
        Failure::unless(mapping.wrong.into_iter().map(problem).collect(), out)
    }
}

struct Mapping<'m> {
    map: MapUv<'m>,
    count: usize,
    /// Where each error is, and why.
    wrong: Vec<(String, String)>,
}

impl Mapping<'_> {
    fn mapped(&mut self, uv: [f64; 2]) -> [f64; 2] {
        self.count += 1;
        (self.map)(self.count, uv)
    }

    fn wrong(&mut self, at: impl Into<String>, why: impl Into<String>) {
        self.wrong.push((at.into(), why.into()));
    }

    /// Two texts as numbers, mapped; `None` if they are not numbers.
    fn texts(&mut self, u: &str, v: &str) -> Option<[String; 2]> {
        let number = |text: &str| text.trim().parse::<f64>().ok().filter(|n| n.is_finite());
        let uv = [number(u)?, number(v)?];
        Some(self.mapped(uv).map(shortest))
    }
}

/// The shortest text that a game's 32-bit float reads as the same value.
#[expect(clippy::cast_possible_truncation, reason = "rounding to f32 is wanted")]
fn shortest(n: f64) -> String {
    (n as f32).to_string()
}

fn csv(text: &str, mapping: &mut Mapping<'_>) -> String {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(text.as_bytes());
    let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    let head = reader.headers().cloned().unwrap_or_default();
    let column = |name: &str| head.iter().position(|cell| cell.trim().eq_ignore_ascii_case(name));
    let (Some(u), Some(v)) = (column("u"), column("v")) else {
        mapping.wrong(":1", "its first line names no columns u and v");
        return String::new();
    };
    let _ = writer.write_record(&head);
    for record in reader.records() {
        let record = match record {
            Ok(record) => record,
            Err(error) => {
                mapping.wrong("", error.to_string());
                continue;
            }
        };
        let line = record.position().map_or(0, csv::Position::line);
        let pair = record.get(u).zip(record.get(v)).and_then(|(u, v)| mapping.texts(u, v));
        let Some([new_u, new_v]) = pair else {
            mapping.wrong(format!(":{line}"), "u and v are no two numbers");
            continue;
        };
        let cells = record.iter().enumerate().map(|(n, cell)| match n {
            n if n == u => new_u.as_str(),
            n if n == v => new_v.as_str(),
            _ => cell,
        });
        let _ = writer.write_record(cells);
    }
    writer.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default()
}

fn json(text: &str, mapping: &mut Mapping<'_>) -> String {
    let mut list: Vec<Value> = match serde_json::from_str(text) {
        Ok(list) => list,
        Err(error) => {
            mapping.wrong(format!(":{}:{}", error.line(), error.column()), error.to_string());
            return String::new();
        }
    };
    for (n, entry) in list.iter_mut().enumerate() {
        let pair = match &*entry {
            Value::Array(pair) if pair.len() == 2 => [pair[0].as_f64(), pair[1].as_f64()],
            Value::Object(object) => ["u", "v"].map(|key| object.get(key).and_then(Value::as_f64)),
            _ => [None, None],
        };
        let [Some(u), Some(v)] = pair else {
            mapping.wrong(format!(", entry {n}"), format!("{entry} is neither [u, v] nor an object with u and v"));
            continue;
        };
        #[expect(clippy::cast_possible_truncation, reason = "rounding to f32 is wanted")]
        let [u, v] = mapping.mapped([u, v]).map(|n| json!(n as f32));
        match entry {
            Value::Object(object) => _ = (object.insert("u".into(), u), object.insert("v".into(), v)),
            other => *other = json!([u, v]),
        }
    }
    let lines: Vec<String> = list.iter().map(|entry| format!("  {entry}")).collect();
    if lines.is_empty() { "[]\n".into() } else { format!("[\n{}\n]\n", lines.join(",\n")) }
}

/// What stands before and after the keyword of a UV in an OBJ file; `None` on other lines. Any white space may separate
/// them.
fn texture_vertex(line: &str) -> Option<(&str, &str)> {
    let trimmed = line.trim_start();
    let values = trimmed.strip_prefix("vt")?;
    values.starts_with([' ', '\t']).then_some((&line[..line.len() - trimmed.len()], values))
}

fn obj(text: &str, mapping: &mut Mapping<'_>) -> String {
    let mut out = String::with_capacity(text.len());
    for (n, whole) in text.split_inclusive('\n').enumerate() {
        let line = whole.trim_end_matches(['\n', '\r']);
        let end = &whole[line.len()..];
        let Some((indent, values)) = texture_vertex(line) else {
            out.push_str(whole);
            continue;
        };
        let (values, comment) = values.split_at(values.find('#').unwrap_or(values.len()));
        let mut parts = values.split_whitespace();
        let pair = parts.next().zip(parts.next()).and_then(|(u, v)| mapping.texts(u, v));
        match pair {
            Some([u, v]) => {
                let rest: String = parts.map(|part| format!(" {part}")).collect();
                let gap = if comment.is_empty() { "" } else { " " };
                let _ = write!(out, "{indent}vt {u} {v}{rest}{gap}{comment}{end}");
            }
            None => mapping.wrong(format!(":{}", n + 1), "u and v are no two numbers"),
        }
    }
    out
}
