//! Globs on names and paths with `/`.
//!
//! `*` and `?` match anything but `/`, `**` matches whole folders, `[a-c]` matches one of several characters and
//! `[!a-c]` any other but `/`, `{a,b}` matches one of several texts; `\` takes the next character literally.

use std::collections::BTreeSet;
use std::fmt;

/// A valid glob.
///
/// ```
/// use zemtak_core::glob::Glob;
///
/// let flying = Glob::new("moth/**/fly-?")?;
/// assert!(flying.matches("moth/night/fly-3") && flying.matches("moth/fly-é") && !flying.matches("moth/fly-03"));
/// assert_eq!(Glob::new("moth/{fly").unwrap_err().to_string(), "unclosed brace expansion at byte 5; missing '}' \
///     (to match a literal '{', escape it as '\\{' or '[{]')");
/// # Ok::<(), zemtak_core::glob::GlobError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Glob {
    text: String,
    /// In the form that the matcher expects.
    pattern: String,
    /// How many bytes at its beginning are literal.
    literal: usize,
}

/// Why a text is not a valid glob.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct GlobError(String);

/// The longest glob in bytes unless a longer one is allowed: as long as the longest path that systems allow.
pub const LONGEST: usize = 4096;

/// Characters with a special meaning.
const SPECIAL: [char; 8] = ['*', '?', '[', ']', '{', '}', '\\', '!'];

impl Glob {
    /// Reads a glob.
    ///
    /// # Errors
    /// It has an unclosed bracket or brace, a `\` at the end, more than ten braces in a row or nested, or more than
    /// [`LONGEST`] bytes.
    pub fn new(text: &str) -> Result<Self, GlobError> {
        if text.len() > LONGEST {
            return Err(GlobError(format!("its {} bytes are over the limit of {LONGEST}", text.len())));
        }
        Self::of_any_length(text)
    }

    /// Reads a glob of any length. Matching takes time in proportion to its length, so callers need a limit of their
    /// own.
    ///
    /// # Errors
    /// As for [`new`](Self::new), except for the length.
    pub fn of_any_length(text: &str) -> Result<Self, GlobError> {
        fast_glob::validate(text).map_err(|error| GlobError(error.to_string()))?;
        let literal = text.find(SPECIAL).unwrap_or(text.len());
        Ok(Self { text: text.to_owned(), pattern: for_matcher(text), literal })
    }

    /// The text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The beginning of every path that it matches.
    #[must_use]
    pub fn start(&self) -> &str {
        &self.text[..self.literal]
    }

    /// The end of every path that it matches.
    #[must_use]
    pub fn end(&self) -> &str {
        let end = self.text.rsplit(SPECIAL).next().unwrap_or_default();
        // If "**" stands for no folder at all, the '/' after it is missing too.
        end.strip_prefix('/').unwrap_or(end)
    }

    /// Whether it matches a name or path.
    #[must_use]
    pub fn matches(&self, path: &str) -> bool {
        // Nearly all of many globs are decided here.
        if !path.as_bytes().starts_with(&self.text.as_bytes()[..self.literal]) {
            return false;
        }
        if self.pattern.is_ascii() && path.is_ascii() {
            return fast_glob::glob_match(&self.pattern, path);
        }
        let Some((pattern, path)) = bytewise(&self.pattern, path) else { return false };
        fast_glob::glob_match(pattern, path)
    }
}

impl fmt::Display for Glob {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// A glob in the form that the matcher expects: there a leading '!' negates the result, and `\n` and some other letters
/// after a `\` are control characters.
fn for_matcher(text: &str) -> String {
    let mut pattern = String::from(if text.starts_with('!') { "\\" } else { "" });
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match chars.peek() {
            Some(next) if c == '\\' && next.is_ascii_alphanumeric() => {}
            Some('\\') if c == '\\' => {
                pattern.push_str("\\\\");
                chars.next();
            }
            _ => pattern.push(c),
        }
    }
    pattern
}

/// Pattern and path with one byte for each character that is not ASCII, in the order of the characters: the matcher
/// works on bytes, but `?` and `[a-ö]` mean whole characters. `None` if pattern and path together have more than 128
/// such characters.
fn bytewise(pattern: &str, path: &str) -> Option<(Vec<u8>, Vec<u8>)> {
    let wide: BTreeSet<char> = pattern.chars().chain(path.chars()).filter(|c| !c.is_ascii()).collect();
    let wide: Vec<char> = wide.into_iter().collect();
    let byte = |c: char| match wide.binary_search(&c) {
        Ok(at) => u8::try_from(128 + at).ok(),
        Err(_) => u8::try_from(u32::from(c)).ok(),
    };
    let all = |text: &str| text.chars().map(byte).collect::<Option<Vec<u8>>>();
    Some((all(pattern)?, all(path)?))
}

/// A glob that matches exactly this text.
#[must_use]
pub fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\\' => out.push_str("\\\\"),
            // Brackets need no escaping of their own in files in which '\' does.
            '*' | '?' | '[' | ']' | '{' | '}' => out.extend(['[', c, ']']),
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use globset::GlobBuilder;
    use proptest::prelude::*;

    /// The verdict of another library on a glob. For it `[!a]` matches a '/' too.
    fn other(glob: &str, path: &str) -> Option<bool> {
        let glob = GlobBuilder::new(&glob.replace("[!a]", "[!a/]"))
            .literal_separator(true)
            .backslash_escape(true)
            .build()
            .ok()?;
        Some(glob.compile_matcher().is_match(path))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]

        #[test]
        fn globs_mean_what_another_library_says_whatever_the_letters(
            parts in prop::collection::vec(
                prop::sample::select(vec![
                    "a", "b", "y", "z", "/", "*", "?", "[ab]", "[!a]", "[a-y]", "{a,b}", "{z,a*}", "!", "\\*",
                ]),
                1..7,
            ),
            path in "[abyz/!*]{0,7}",
        ) {
            let glob = parts.concat();
            // The other library takes "**" next to letters for two "*", and an empty part for none.
            if glob.contains("**") || path.contains("//") || path.starts_with('/') || path.ends_with('/') {
                return Ok(());
            }
            let Some(expected) = other(&glob, &path) else { return Ok(()) };
            let ours = Glob::new(&glob).unwrap();
            prop_assert_eq!(ours.as_str(), &glob);
            prop_assert_eq!(ours.matches(&path), expected, "{} {}", glob, path);
            prop_assert!(!expected || path.starts_with(ours.start()) && path.ends_with(ours.end()), "{} {}", glob, path);
            // Letters beyond ASCII, which are in the same order, count as one each.
            let wide = |text: &str| text.replace('y', "é").replace('z', "語");
            prop_assert_eq!(Glob::new(&wide(&glob)).unwrap().matches(&wide(&path)), expected, "{} {}", glob, path);
        }

        #[test]
        fn an_escaped_name_matches_itself_alone(name in "[a!*?{}\\[\\]\\\\é/]{1,8}", other in "[a!*?é/]{1,8}") {
            let glob = Glob::new(&escape(&name)).unwrap();
            prop_assert!(glob.matches(&name));
            prop_assert_eq!(glob.matches(&other), name == other);
        }
    }

    /// The matcher took `\n` for a line break; fuzzing found it.
    #[test]
    fn a_letter_behind_a_backslash_is_that_letter() {
        for letter in ('a'..='z').chain('0'..='9') {
            let glob = Glob::new(&format!("moth\\\\\\{letter}?")).unwrap();
            assert!(glob.matches(&format!("moth\\{letter}1")), "{letter}");
            assert!(Glob::new(&format!("[\\{letter}]")).unwrap().matches(&letter.to_string()), "{letter}");
        }
        assert!(!Glob::new("moth\\n").unwrap().matches("moth\n"));
    }

    #[test]
    fn whole_folders_are_matched_by_two_stars() {
        let cases = [
            ("**", "a/b/c", true),
            ("**/c", "c", true),
            ("**/c", "a/b/c", true),
            ("a/**", "a/b/c", true),
            ("a/**", "a", false),
            ("a/**/c", "a/c", true),
            ("a/**/c", "a/b/b/c", true),
            ("**/draft-*", "x/draft-1", true),
            ("**/draft-*", "x/draft-1/y", false),
            ("ä/**", "ä/ö", true),
            // Random parts came to this once in thousands of runs.
            ("*[!a]*", "a/a", false),
            ("[!a]", "/", false),
            ("[!a]", "b", true),
        ];
        for (glob, path, expected) in cases {
            let ours = Glob::new(glob).unwrap();
            assert_eq!(ours.matches(path), expected, "{glob} {path}");
            assert!(!expected || path.starts_with(ours.start()) && path.ends_with(ours.end()), "{glob} {path}");
            assert_eq!(other(glob, path), Some(expected), "{glob} {path}");
        }
    }

    #[test]
    fn what_nests_without_end_is_refused_and_not_descended_into() {
        let deep = format!("{}{}", "{".repeat(300), "}".repeat(300));
        assert!(Glob::new(&deep).unwrap_err().to_string().contains("10 levels"));
        assert!(Glob::new(&"a".repeat(LONGEST)).is_ok() && Glob::new(&"*".repeat(LONGEST + 1)).is_err());
    }
}
