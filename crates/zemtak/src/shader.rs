//! Texture coordinates as constants of shading languages.

use std::collections::BTreeSet;
use std::fmt::Write as _;

/// A sprite's name, its comment, and its matrix in rows.
type Named<'a> = (&'a str, String, [[f32; 3]; 2]);

/// Constants for GLSL ES 3.00, GLSL 1.20 and later: `uv = NAME * vec3(t, 1.0)`.
#[must_use]
pub fn glsl<'a>(matrices: impl Iterator<Item = Named<'a>>) -> String {
    constants(matrices, "uv = NAME * vec3(t, 1.0)", |name, numbers| format!("const mat3x2 {name} = mat3x2({numbers});"))
}

/// Constants for WGSL: `uv = NAME * vec3f(t, 1.0)`.
#[must_use]
pub fn wgsl<'a>(matrices: impl Iterator<Item = Named<'a>>) -> String {
    constants(matrices, "uv = NAME * vec3f(t, 1.0)", |name, numbers| {
        format!("const {name}: mat3x2<f32> = mat3x2<f32>({numbers});")
    })
}

fn constants<'a>(
    matrices: impl Iterator<Item = Named<'a>>,
    usage: &str,
    constant: impl Fn(&str, &str) -> String,
) -> String {
    let mut out = format!("// {usage}, with t in 0..1 from the upright picture's top left to its bottom right\n");
    let mut used = BTreeSet::new();
    for (name, about, [[a, b, c], [d, e, f]]) in matrices {
        // Column by column.
        let numbers = [a, d, b, e, c, f].map(|n| format!("{n:?}")).join(", ");
        let _ = writeln!(out, "// {about}\n{}", constant(&unused(&identifier(name), &mut used), &numbers));
    }
    out
}

/// A name that is valid in every shading language: capitals, digits and single underscores between them, a letter
/// first.
fn identifier(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        if c.is_ascii_alphanumeric() {
            out.push(c.to_ascii_uppercase());
        } else if !out.ends_with('_') {
            out.push('_');
        }
    }
    let out = out.trim_matches('_');
    if out.starts_with(|c: char| c.is_ascii_alphabetic()) {
        out.to_owned()
    } else {
        format!("UV_{out}").trim_end_matches('_').to_owned()
    }
}

fn unused(name: &str, used: &mut BTreeSet<String>) -> String {
    let numbered = (2..).map(|n| format!("{name}_{n}"));
    let free = std::iter::once(name.to_owned()).chain(numbered).find(|n| used.insert(n.clone()));
    free.unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_plain_and_all_different() {
        let names = ["moth/fly/03", "moth//fly_03", "3", "é", "", "__a__"].map(identifier);
        assert_eq!(names, ["MOTH_FLY_03", "MOTH_FLY_03", "UV_3", "UV", "UV", "A"]);
        let mut used = BTreeSet::new();
        assert_eq!(names.map(|n| unused(&n, &mut used))[1..5], ["MOTH_FLY_03_2", "UV_3", "UV", "UV_2"]);
    }
}
