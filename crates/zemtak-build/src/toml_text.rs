//! Reading a TOML text so that all its mistakes are reported at once, each with its line underlined.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format::{self, Lines};
use crate::limits::Limits;
use crate::settings::{Keyword, our_word_for};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::str::FromStr;
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use zemtak_files::Disk;

/// A value and its place.
pub type Value<'t> = Spanned<DeValue<'t>>;

/// The kind of a file.
#[derive(Debug, Clone, Copy)]
pub struct FileKind {
    /// In words.
    pub name: &'static str,
    /// What to do about mistakes in it.
    pub help: &'static str,
    /// The keys of each table, and where they belong: for keys in the wrong table.
    pub tables: &'static [(&'static str, &'static [&'static str])],
}

impl FileKind {
    /// Where else a key belongs, in words.
    fn home_of(&self, key: &str) -> Option<String> {
        let homes: Vec<&str> =
            self.tables.iter().filter(|(_, keys)| keys.contains(&key)).map(|(home, _)| *home).collect();
        (!homes.is_empty()).then(|| homes.join(" or "))
    }
}

/// The text of a file.
///
/// # Errors
/// It cannot be read, is too large, or is not UTF-8.
pub fn read(path: &Path, limits: &Limits, disk: &dyn Disk) -> Result<String, Failure> {
    let source = limits.read("text_bytes", path, disk)?;
    String::from_utf8(source).map_err(|_| {
        Problem::usage(ProblemKind::NotToml, &format::path(path), "TOML is UTF-8 text", "save it as UTF-8").into()
    })
}

/// A text being read, and the mistakes found so far.
pub struct Text<'t> {
    shown: String,
    source: &'t str,
    lines: Lines<'t>,
    kind: FileKind,
    /// With the byte at which each is.
    problems: RefCell<Vec<(usize, Problem)>>,
}

impl<'t> Text<'t> {
    /// The text of a file.
    pub fn new(path: &Path, source: &'t str, kind: FileKind) -> Self {
        Self { shown: format::path(path), source, lines: Lines::new(source), kind, problems: RefCell::default() }
    }

    /// The outermost table. Invalid TOML is reported, and the rest read anyway.
    pub fn parse(&self) -> Spanned<DeTable<'t>> {
        let (table, errors) = DeTable::parse_recoverable(self.source);
        for error in errors {
            self.wrong(ProblemKind::NotToml, error.span().unwrap_or(0..0), error.message());
        }
        table
    }

    /// Records a mistake at a place.
    pub fn wrong(&self, what: ProblemKind, span: Range<usize>, why: &str) {
        let mark = self.lines.marked(span.clone());
        let place = self.place(span.start);
        let problem = Problem::usage(what, &place, format!("{why}\n{mark}"), self.kind.help);
        self.problems.borrow_mut().push((span.start, problem));
    }

    /// File, line and column.
    pub fn place(&self, at: usize) -> String {
        let (line, column) = self.lines.line_and_column(at);
        format!("{}:{line}:{column}", self.shown)
    }

    /// What was read, unless there were mistakes.
    pub fn finish<T>(self, value: T) -> Result<T, Failure> {
        let mut problems = self.problems.into_inner();
        problems.sort_by_key(|(at, _)| *at);
        Failure::unless(problems.into_iter().map(|(_, problem)| problem).collect(), value)
    }

    /// A value of the wrong kind.
    fn expected<T>(&self, value: &Value<'_>, what: &str) -> Option<T> {
        let found = match value.get_ref() {
            DeValue::String(_) => "a text",
            DeValue::Integer(_) | DeValue::Float(_) => "a number",
            DeValue::Boolean(_) => "true or false",
            DeValue::Datetime(_) => "a date",
            DeValue::Array(_) => "a list",
            DeValue::Table(_) => "a table",
        };
        self.wrong(ProblemKind::InvalidValue, value.span(), &format!("expected {what}, found {found}"));
        None
    }

    /// A value that is read from its text by its type.
    pub fn parsed<T: FromStr<Err = String>>(&self, value: &Value<'_>, what: &str) -> Option<T> {
        let Some(text) = value.get_ref().as_str() else { return self.expected(value, what) };
        text.parse().map_err(|why| self.wrong(ProblemKind::InvalidValue, value.span(), &format!("expected {why}"))).ok()
    }

    /// One of a few words.
    pub fn word<T: Keyword>(&self, value: &Value<'_>) -> Option<T> {
        let words = || T::ALL.iter().map(|(word, ..)| *word);
        let choices = words().map(|w| format!("\"{w}\"")).collect::<Vec<_>>().join(", ");
        let Some(text) = value.get_ref().as_str() else { return self.expected(value, &format!("one of {choices}")) };
        T::of(text).or_else(|| {
            let near = format::nearest(text, words()).map(|w| format!("did you mean \"{w}\"? ")).unwrap_or_default();
            self.wrong(ProblemKind::InvalidValue, value.span(), &format!("{near}expected one of {choices}"));
            None
        })
    }

    /// A text.
    pub fn string(&self, value: &Value<'_>) -> Option<String> {
        value.get_ref().as_str().map(str::to_owned).or_else(|| self.expected(value, "a text"))
    }

    /// A path; it may lead above the folder that it is relative to.
    pub fn path(&self, value: &Value<'_>) -> Option<PathBuf> {
        let text = self.string(value)?;
        if text.is_empty() {
            self.wrong(ProblemKind::InvalidValue, value.span(), "a path cannot be empty");
        }
        (!text.is_empty()).then(|| text.into())
    }

    /// True or false.
    pub fn truth(&self, value: &Value<'_>) -> Option<bool> {
        value.get_ref().as_bool().or_else(|| self.expected(value, "true or false"))
    }

    /// A whole number within bounds.
    pub fn whole(&self, value: &Value<'_>, bounds: Range<u32>) -> Option<u32> {
        let what = format!("a whole number from {} to {}", bounds.start, bounds.end - 1);
        let Some(number) = value.get_ref().as_integer() else { return self.expected(value, &what) };
        let number = u32::from_str_radix(number.as_str(), number.radix()).ok().filter(|n| bounds.contains(n));
        if number.is_none() {
            self.wrong(ProblemKind::InvalidValue, value.span(), &format!("expected {what}"));
        }
        number
    }

    /// A number of bytes, as a text with a unit or a plain number.
    pub fn bytes(&self, value: &Value<'_>) -> Option<u64> {
        let text = match value.get_ref() {
            DeValue::Integer(n) if n.radix() == 10 => n.as_str(),
            DeValue::String(text) => text.as_ref(),
            _ => "",
        };
        let bytes = format::parse_bytes(text);
        if bytes.is_none() {
            self.wrong(
                ProblemKind::InvalidValue,
                value.span(),
                "expected a number of bytes, or a text such as \"2 MiB\"",
            );
        }
        bytes
    }

    /// A number as written.
    pub fn number_text<'v>(&self, value: &'v Value<'_>) -> Option<&'v str> {
        match value.get_ref() {
            DeValue::Integer(n) if n.radix() == 10 => Some(n.as_str()),
            DeValue::Float(n) => Some(n.as_str()),
            _ => self.expected(value, "a number"),
        }
    }

    /// A finite number that passes a check; `what` describes those that do.
    pub fn number(&self, value: &Value<'_>, what: &str, fine: impl Fn(f64) -> bool) -> Option<f64> {
        let number: Option<f64> = self.number_text(value)?.parse().ok();
        let number = number.filter(|n| n.is_finite() && fine(*n));
        if number.is_none() {
            self.wrong(ProblemKind::InvalidValue, value.span(), &format!("expected {what}"));
        }
        number
    }

    /// A list whose items are read by `read`.
    pub fn list<T>(&self, value: &Value<'_>, read: impl Fn(&Value<'_>) -> Option<T>) -> Option<Vec<T>> {
        let Some(list) = value.get_ref().as_array() else { return self.expected(value, "a list") };
        let items: Vec<Option<T>> = list.iter().map(read).collect();
        items.into_iter().collect()
    }

    /// A list of exactly `N` items.
    pub fn exactly<T, const N: usize>(
        &self,
        value: &Value<'_>,
        read: impl Fn(&Value<'_>) -> Option<T>,
    ) -> Option<[T; N]> {
        let list = self.list(value, read)?;
        let count = list.len();
        list.try_into()
            .map_err(|_| {
                let why = format!("expected a list of {N}, found {count}");
                self.wrong(ProblemKind::InvalidValue, value.span(), &why);
            })
            .ok()
    }

    /// A table whose keys are read one by one.
    pub fn table<'v>(&'v self, value: &'v Value<'t>, of: &'static str) -> Option<Table<'v, 't>> {
        match value.get_ref() {
            DeValue::Table(table) => Some(Table { text: self, table, of, known: Vec::new() }),
            _ => self.expected(value, "a table"),
        }
    }

    /// The outermost table.
    pub fn outermost<'v>(&'v self, table: &'v DeTable<'t>) -> Table<'v, 't> {
        Table { text: self, table, of: self.kind.name, known: Vec::new() }
    }
}

/// A table whose keys are asked for one by one; keys that nobody asked for are errors.
pub struct Table<'v, 't> {
    text: &'v Text<'t>,
    table: &'v DeTable<'t>,
    of: &'static str,
    known: Vec<&'static str>,
}

impl<'v, 't> Table<'v, 't> {
    /// The value of a key, if it exists and can be read.
    pub fn read<T>(&mut self, key: &'static str, read: impl FnOnce(&'v Value<'t>) -> Option<T>) -> Option<T> {
        self.known.push(key);
        self.table.get(key).and_then(read)
    }

    /// Whether a key exists, even if its value cannot be read.
    #[must_use]
    pub fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// Whether there is no key in it.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.table.is_empty()
    }

    /// All existing keys, with their values.
    pub fn all(&self) -> impl Iterator<Item = (&'v str, Range<usize>, &'v Value<'t>)> {
        self.table.iter().map(|(key, value)| (key.get_ref().as_ref(), key.span(), value))
    }

    /// Reports keys that nobody asked for. Returns the places of the others.
    pub fn end(self) -> BTreeMap<&'static str, String> {
        for (key, span, _) in self.all().filter(|(key, ..)| !self.known.contains(key)) {
            let near = format::nearest(key, self.known.iter().copied());
            let near = match (near, self.text.kind.home_of(key), our_word_for(key)) {
                (Some(near), Some(home), _) => format!("did you mean '{near}'? '{key}' belongs {home}"),
                (None, Some(home), _) => format!("it belongs {home}"),
                (_, None, Some(ours)) => format!("here that is {ours}"),
                (Some(near), None, None) => format!("did you mean '{near}'?"),
                (None, None, None) => format!("it can be {}", self.known.join(", ")),
            };
            self.text.wrong(
                ProblemKind::UnknownKey,
                span,
                &format!("'{}' is not a key of {}; {near}", format::name(key), self.of),
            );
        }
        let place = |key: &&'static str| Some((*key, self.text.place(self.table.get_key_value(*key)?.0.span().start)));
        self.known.iter().filter_map(place).collect()
    }
}
