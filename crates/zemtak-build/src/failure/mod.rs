//! Errors for users: what, where, why, and what to do; all those of a run together.

mod kind;

pub use kind::ProblemKind;

use crate::format;
use serde::Serialize;
use serde::ser::{SerializeStruct, Serializer};
use std::borrow::Cow;
use std::collections::HashSet;
use std::fmt;
use std::io::ErrorKind;
use zemtak_core::codec::EncodeError;
use zemtak_files::{NotRegular, TooLarge};

/// A single problem.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Problem {
    /// What is wrong.
    pub what: ProblemKind,
    /// The file or sprite.
    pub place: String,
    /// Why.
    pub why: String,
    /// What to do about it.
    pub help: Cow<'static, str>,
    /// The kind of mistake.
    pub cause: Cause,
}

/// Who can do something about a problem, the most serious last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Cause {
    /// The request or the project file asks for something impossible.
    Usage,
    /// An image or a descriptor is bad, or a sprite fits nowhere.
    BadInput,
    /// Reading or writing failed.
    Io,
    /// The caller stopped the build.
    Interrupted,
}

/// Everything that kept a request from being carried out; never empty.
#[derive(Clone, PartialEq, Eq)]
pub struct Failure {
    problems: Vec<Problem>,
}

impl Failure {
    /// Several problems at once; at least one.
    #[must_use]
    pub fn all(mut problems: Vec<Problem>) -> Self {
        debug_assert!(!problems.is_empty());
        // Several atlases may share a template or a root.
        let mut told = HashSet::new();
        problems.retain(|problem| told.insert(problem.clone()));
        Self { problems }
    }

    /// `value`, unless there are problems.
    ///
    /// # Errors
    /// All problems together.
    pub fn unless<T>(problems: Vec<Problem>, value: T) -> Result<T, Self> {
        if problems.is_empty() { Ok(value) } else { Err(Self::all(problems)) }
    }

    /// Sources did not stay the same for as long as a build takes.
    pub(crate) fn unstable(place: &str) -> Self {
        Self::io(place, &std::io::Error::other("sources keep changing while they are read"))
    }

    /// Reading or writing failed.
    #[must_use]
    pub fn io(place: &str, why: &(dyn std::error::Error + 'static)) -> Self {
        Problem::io(place, why).into()
    }

    /// The user stopped the command.
    #[must_use]
    pub fn interrupted() -> Self {
        Self::stopped("stopped before anything was written; what was there before is as it was")
    }

    /// The user interrupted the command, and it did not reach a point at which it could stop.
    #[must_use]
    pub fn broken_off() -> Self {
        Self::stopped("stopped in the middle; every file is as it was before, or new and whole")
    }

    fn stopped(why: &str) -> Self {
        let (what, cause) = (ProblemKind::Interrupted, Cause::Interrupted);
        Problem { what, place: String::new(), why: why.into(), help: "".into(), cause }.into()
    }

    /// The problems.
    #[must_use]
    pub fn problems(&self) -> &[Problem] {
        &self.problems
    }

    /// The most serious cause among them.
    #[must_use]
    pub fn cause(&self) -> Cause {
        self.problems.iter().map(|p| p.cause).max().unwrap_or(Cause::Io)
    }

    /// The problems by kind, in the order in which each kind first occurs.
    #[must_use]
    pub fn by_kind(&self) -> Vec<(ProblemKind, Vec<&Problem>)> {
        grouped(&self.problems, |problem| problem.what)
    }
}

/// The problems by what to do about them, in the order in which each advice first occurs.
#[must_use]
pub fn by_help<'p>(problems: &[&'p Problem]) -> Vec<(&'p str, Vec<&'p Problem>)> {
    grouped(problems.iter().copied(), |problem| &*problem.help)
}

/// Problems that have the same key together.
fn grouped<'p, K: PartialEq>(
    problems: impl IntoIterator<Item = &'p Problem>,
    key_of: impl Fn(&'p Problem) -> K,
) -> Vec<(K, Vec<&'p Problem>)> {
    let mut groups: Vec<(K, Vec<&Problem>)> = Vec::new();
    for problem in problems {
        let key = key_of(problem);
        match groups.iter_mut().find(|(known, _)| *known == key) {
            Some((_, same)) => same.push(problem),
            None => groups.push((key, vec![problem])),
        }
    }
    groups
}

/// The system's message, in words that need no manual.
fn system_reason(error: &(dyn std::error::Error + 'static)) -> String {
    let Some(error) = error.downcast_ref::<std::io::Error>() else { return error.to_string() };
    if let Some(TooLarge { bytes, limit }) = TooLarge::of(error) {
        return format!("its {} are over the limit of {}", format::bytes(bytes), format::bytes(limit));
    }
    let known = match error.kind() {
        ErrorKind::NotFound => "no such file or folder",
        ErrorKind::PermissionDenied => "permission denied",
        ErrorKind::IsADirectory => "this is a folder, where a file is expected",
        ErrorKind::AlreadyExists => "there is a file of this name already",
        ErrorKind::NotADirectory => "a part of the path is a file, where a folder is expected",
        ErrorKind::FileTooLarge if error.get_ref().is_none() => "the file would be larger than the system allows",
        ErrorKind::StorageFull => "the disk is full",
        ErrorKind::ReadOnlyFilesystem => "the file system is read-only",
        ErrorKind::InvalidFilename => "the name is too long or not allowed here",
        ErrorKind::DirectoryNotEmpty => "the folder is not empty",
        _ => return error.to_string().split(" (os error").next().unwrap_or_default().to_owned(),
    };
    // A reason of our own says more than its kind.
    if error.get_ref().is_some() { error.to_string() } else { known.to_owned() }
}

/// Problems of a kind under one heading, each with its place and reason, and below those that it is for what to do.
impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, (kind, problems)) in self.by_kind().into_iter().enumerate() {
            let count = if problems.len() > 1 { format!(" ({})", problems.len()) } else { String::new() };
            write!(f, "{}{kind}{count}", if number > 0 { "\n" } else { "" })?;
            for (help, problems) in by_help(&problems) {
                problems.iter().try_for_each(|problem| write!(f, "\n  {}", problem.reason()))?;
                if !help.is_empty() {
                    write!(f, "\n  do: {help}")?;
                }
            }
        }
        Ok(())
    }
}

/// The same as the text, so that a build script that returns it from `main` shows something readable.
impl fmt::Debug for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl std::error::Error for Failure {}

impl From<Problem> for Failure {
    fn from(problem: Problem) -> Self {
        Self { problems: vec![problem] }
    }
}

/// For programs: the kind's code and words, where, why, and what to do.
impl Serialize for Problem {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut fields = serializer.serialize_struct("Problem", 5)?;
        fields.serialize_field("code", self.what.code())?;
        fields.serialize_field("what", self.what.words())?;
        fields.serialize_field("where", &self.place)?;
        fields.serialize_field("why", &self.why)?;
        fields.serialize_field("help", &self.help)?;
        fields.end()
    }
}

/// All of it in one line, except for what to do.
impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}: {}", self.what, self.place, self.why)
    }
}

impl Problem {
    /// Place and reason as lines of text, all but the first indented by four; control characters are escaped.
    #[must_use]
    pub fn reason(&self) -> String {
        let colon = if self.place.is_empty() { "" } else { ": " };
        format!("{}{colon}{}", format::name(&self.place), format::lines_indented(&self.why, 4))
    }

    /// Reading or writing failed.
    #[must_use]
    pub fn io(place: &str, why: &(dyn std::error::Error + 'static)) -> Self {
        let error = why.downcast_ref::<std::io::Error>();
        let help = match error.map(std::io::Error::kind) {
            _ if error.is_some_and(NotRegular::is) => {
                "name a regular file; where a list may be '-', pipe it into standard input"
            }
            Some(ErrorKind::FileTooLarge) if error.and_then(TooLarge::of).is_some() => {
                "check that it is the file that was meant"
            }
            Some(ErrorKind::FileTooLarge) => "raise the size that the system allows a file, or ask for smaller files",
            Some(ErrorKind::AlreadyExists | ErrorKind::NotADirectory) => "give another path, or move that file away",
            Some(ErrorKind::StorageFull | ErrorKind::QuotaExceeded) => "make room, then try again",
            _ => "check that the path exists and may be read and written",
        };
        Self {
            what: ProblemKind::Io,
            place: place.into(),
            why: system_reason(why),
            help: help.into(),
            cause: Cause::Io,
        }
    }

    /// A store could not be read or written.
    pub(crate) fn of_store(store: &str, why: impl Into<String>) -> Self {
        let help = "see that it is there and lets you in; docs/studio.md tells what each kind of store needs".into();
        Self { what: ProblemKind::Io, place: store.into(), why: why.into(), help, cause: Cause::Io }
    }

    /// A picture cannot be encoded, or does not show the same once decoded. `help` is for the former.
    #[must_use]
    pub fn not_encoded(place: &str, error: &EncodeError, help: impl Into<Cow<'static, str>>) -> Self {
        match error {
            EncodeError::Unproved(why) => Self {
                what: ProblemKind::NotProved,
                place: place.into(),
                why: format!("{why}; it was not written"),
                help: "this is a bug in zemtak: please report it with the images".into(),
                cause: Cause::Io,
            },
            error => Self::bad_input(ProblemKind::CannotEncode, place, error.to_string(), help),
        }
    }

    /// The command line asks for something impossible.
    #[must_use]
    pub fn usage(what: ProblemKind, place: &str, why: impl Into<String>, help: impl Into<Cow<'static, str>>) -> Self {
        Self { what, place: place.into(), why: why.into(), help: help.into(), cause: Cause::Usage }
    }

    /// An input is bad.
    #[must_use]
    pub fn bad_input(
        what: ProblemKind,
        place: &str,
        why: impl Into<String>,
        help: impl Into<Cow<'static, str>>,
    ) -> Self {
        Self { what, place: place.into(), why: why.into(), help: help.into(), cause: Cause::BadInput }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use zemtak_core::codec::Unproved;

    /// All advice once stood below all problems, and nobody could tell which page had to be how large.
    #[test]
    fn advice_is_told_once_and_below_what_it_is_for() {
        let too_large = |atlas, help| Problem::usage(ProblemKind::SpriteTooLarge, atlas, "large", help);
        let (at_72, at_78) = ("set page.size to 72 x 95", "set page.size to 78 x 64");
        let problems = vec![too_large("scene", at_72), too_large("menu", at_78), too_large("night", at_72)];
        let told = "sprites too large for any page (3)\n  scene: large\n  night: large\n  do: set page.size to 72 x 95\n  \
                    menu: large\n  do: set page.size to 78 x 64";
        assert_eq!(Failure::all(problems).to_string(), told);
        assert!(!Failure::interrupted().to_string().contains("do:"));
    }

    #[test]
    fn what_does_not_read_back_is_an_error_of_its_own_that_names_the_file() {
        let unproved = EncodeError::Unproved(Unproved::Pixels { picture: 0, row: 7 });
        let failure = Failure::from(Problem::not_encoded("night-0.png", &unproved, "ask for less"));
        assert_eq!(failure.cause(), Cause::Io);
        let text = failure.to_string();
        assert!(text.starts_with("the encoded picture does not decode to the same pixels\n  night-0.png: "), "{text}");
        assert!(text.contains("row 7") && text.contains("not written") && !text.contains("ask for less"), "{text}");
        let large = EncodeError::TooLarge(zemtak_core::geometry::Size::new(1, 1), 1);
        assert_eq!(Problem::not_encoded("night-0.png", &large, "ask for less").cause, Cause::BadInput);
    }
}
