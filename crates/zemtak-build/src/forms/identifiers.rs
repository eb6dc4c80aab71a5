//! Names of sprites as names of constants: by a rule that looks at one name alone, so that none changes when others are
//! added.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use std::collections::BTreeMap;
use zemtak_core::name::SpriteName;

/// Constants that rules of the project define, by sprite.
pub type Idents = BTreeMap<SpriteName, String>;

/// A text as an identifier in capitals: ASCII letters and digits stay, letters beyond ASCII become `U` and their number
/// in hexadecimal, everything else becomes `_`. One that would begin with a digit begins with `N`.
pub fn identifier(text: &str) -> String {
    let mut name = String::new();
    for c in text.chars() {
        match c {
            _ if c.is_ascii_alphanumeric() => name.push(c.to_ascii_uppercase()),
            _ if c.is_alphanumeric() => name.push_str(&format!("U{:04X}", u32::from(c))),
            _ => name.push('_'),
        }
    }
    if name.starts_with(|c: char| c.is_ascii_digit()) || name.is_empty() { format!("N{name}") } else { name }
}

/// Names with a constant for each.
///
/// # Errors
/// Several names share a constant.
pub fn constants<'n>(
    atlas: &str,
    names: impl Iterator<Item = &'n str>,
    given: &Idents,
) -> Result<Vec<(&'n str, String)>, Failure> {
    let constant =
        |name: &'n str| (name, given.get(&SpriteName::new(name)).cloned().unwrap_or_else(|| identifier(name)));
    let all: Vec<(&str, String)> = names.map(constant).collect();
    let mut of: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (name, constant) in &all {
        of.entry(constant).or_default().push(format::name(name));
    }
    let clashes = of.into_iter().filter(|(_, names)| names.len() > 1).map(|(constant, names)| {
        let place = format!("atlas {atlas}: {}", names.join(", "));
        let why = format!("in Rust and C each would be the constant {constant}");
        let help =
            "rename one, or give it a constant of its own: a rule with match = \"its name\" and ident = \"OTHER\"";
        Problem::usage(ProblemKind::SharedConstant, &place, why, help)
    });
    let clashes: Vec<Problem> = clashes.collect();
    Failure::unless(clashes, all)
}

/// Whether a text can be a constant: capitals, digits and `_`, not beginning with a digit.
pub fn is_constant(text: &str) -> bool {
    let plain = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
    text.starts_with(|c: char| c.is_ascii_uppercase()) && text.chars().all(plain)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_gives_one_constant_whatever_stands_beside_it() {
        let told = ["moth/fly/03", "a+b", "a-b", "03", "Fl\u{fc}gel", "", "a\u{202e}b"].map(identifier);
        assert_eq!(told, ["MOTH_FLY_03", "A_B", "A_B", "N03", "FLU00FCGEL", "N", "A_B"]);
        let names = ["a+b", "a-b", "b"];
        let clash = constants("night", names.into_iter(), &Idents::new()).unwrap_err().to_string();
        assert!(clash.contains("atlas night: a+b, a-b: in Rust and C each would be the constant A_B"), "{clash}");
        let given = Idents::from([(SpriteName::new("a+b"), "A_PLUS_B".into())]);
        let all = constants("night", names.into_iter(), &given).unwrap();
        assert_eq!(all, [("a+b", "A_PLUS_B".into()), ("a-b", "A_B".into()), ("b", "B".into())]);
        assert!(is_constant("A_1") && !is_constant("1A") && !is_constant("a") && !is_constant(""));
    }
}
