//! Pivots and named points written into a project file, keeping its order, white space and comments.

use super::read;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::limits::Limits;
use crate::{format, toml_text, write};
use serde::Deserialize;
use similar::TextDiff;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, Value, value};
use zemtak_files::SystemDisk;

/// The pivot and named points of sprites.
#[derive(Debug, Clone, PartialEq, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Placement {
    /// A glob of the sprites.
    #[serde(rename = "match")]
    pub pattern: String,
    /// The pivot, in pixels of the canvas.
    pub pivot: Option<[f64; 2]>,
    /// All named points, in pixels of the canvas.
    pub points: Option<BTreeMap<String, [f64; 2]>>,
}

/// A project file with proposed changes. Nothing is written yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Amended {
    path: PathBuf,
    old: String,
    new: String,
}

/// Lines of context shown with a change.
const CONTEXT: usize = 3;

/// A project file with rules that set the pivot and points of sprites of an atlas. A rule with the same glob is changed
/// if no later rule could override it; else a new one is added after all others, because later rules win.
///
/// # Errors
/// The file cannot be read, is invalid before or after the change, or has no such atlas.
pub fn amend(path: &Path, atlas: &str, placements: &[Placement]) -> Result<Amended, Failure> {
    let old = toml_text::read(path, &Limits::default(), &SystemDisk)?;
    read(path, &old)?;
    let wrong = |why: String| -> Failure {
        let help = "copy the lines and put them in by hand";
        Problem::usage(ProblemKind::InvalidValue, &format::path(path), why, help).into()
    };
    let mut document: DocumentMut = old.parse().map_err(|error: toml_edit::TomlError| wrong(error.to_string()))?;
    let table = document.get_mut("atlas").and_then(|all| all.get_mut(atlas)).and_then(Item::as_table_mut);
    let table = table.ok_or_else(|| wrong(format!("there is no [atlas.{atlas}] in it")))?;
    let rules = table.entry("rule").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let rules = rules.as_array_of_tables_mut().ok_or_else(|| wrong("its rules are written as one value".into()))?;
    for placement in placements {
        put(rules, placement);
    }
    let new = document.to_string();
    read(path, &new)?;
    Ok(Amended { path: path.to_owned(), old, new })
}

fn put(rules: &mut ArrayOfTables, placement: &Placement) {
    let same = |rule: &Table| rule.get("match").and_then(Item::as_str) == Some(&placement.pattern);
    let says = |rule: &Table| {
        (placement.pivot.is_some() && rule.contains_key("pivot"))
            || (placement.points.is_some() && rule.contains_key("points"))
    };
    let last = rules.len().checked_sub(1);
    let at = (0..rules.len()).rev().find(|at| rules.get(*at).is_some_and(|rule| same(rule) || says(rule)));
    let at = at.filter(|at| rules.get(*at).is_some_and(same));
    let Some(rule) = at.and_then(|at| rules.get_mut(at)) else {
        let mut rule = Table::new();
        rule.insert("match", value(&placement.pattern));
        // As far from the previous rule as that is from its own predecessor.
        let gap = last.and_then(|last| rules.get(last)).and_then(|rule| rule.decor().prefix()?.as_str());
        let gap = gap.filter(|gap| gap.trim().is_empty()).unwrap_or("\n").to_owned();
        rule.decor_mut().set_prefix(gap);
        set(&mut rule, placement);
        rules.push(rule);
        return;
    };
    set(rule, placement);
}

fn set(rule: &mut Table, placement: &Placement) {
    if let Some(pivot) = placement.pivot {
        rule.insert("pivot", value(InlineTable::from_iter([("px", point(pivot))])));
    }
    if let Some(points) = &placement.points {
        rule.insert("points", value(points.iter().map(|(name, at)| (name, point(*at))).collect::<InlineTable>()));
    }
}

/// Whole numbers without a decimal point, as a person writes them.
fn point(at: [f64; 2]) -> Value {
    #[allow(clippy::cast_possible_truncation, reason = "whole, and far below the largest")]
    let number = |n: f64| if n.fract() == 0.0 && n.abs() < 1e9 { Value::from(n as i64) } else { Value::from(n) };
    Value::Array(at.into_iter().map(number).collect::<Array>())
}

impl Amended {
    /// The project file.
    #[must_use]
    pub fn file(&self) -> String {
        format::path(&self.path)
    }

    /// The file's text after the change.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.new
    }

    /// The changes line by line: `+` and `-` before lines that are added and removed, a space before those that stay.
    #[must_use]
    pub fn difference(&self) -> String {
        TextDiff::from_lines(&self.old, &self.new).unified_diff().context_radius(CONTEXT).to_string()
    }

    /// Identifies the text that it is a change of.
    #[must_use]
    pub fn was(&self) -> String {
        blake3::hash(self.old.as_bytes()).to_hex().to_string()
    }

    /// Writes it, if the file is still as it was when the difference was shown.
    ///
    /// # Errors
    /// It is not, or it cannot be written.
    pub fn write(&self, was: &str) -> Result<(), Failure> {
        if was != self.was() {
            let why = "it has changed since the difference was shown";
            let help = "look at the difference again";
            return Err(Problem::usage(ProblemKind::WouldOverwrite, &self.file(), why, help).into());
        }
        // The file itself, not a link to it; its permissions stay.
        let failed = |error: std::io::Error| Failure::io(&self.file(), &error);
        let real = self.path.canonicalize().map_err(failed)?;
        let mode = std::fs::metadata(&real).map_err(failed)?.permissions();
        let pending = write::prepare(&real, self.new.as_bytes())?;
        pending.commit()?;
        std::fs::set_permissions(&real, mode).map_err(failed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OLD: &str = "format = 1 # ours\n\n[atlas.night]\nroot = \"art\"\n\n# moths are held by their feet\n[[atlas.night.rule]]\nmatch = \"moth/*\"\npivot = \"bottom\"\nfps = 10\n\n[atlas.day]\n";

    fn amended(old: &str, placements: &[Placement]) -> Result<Amended, Failure> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("zemtak.toml");
        std::fs::write(&path, old).unwrap();
        amend(&path, "night", placements)
    }

    fn pivot(pattern: &str, at: [f64; 2]) -> Placement {
        Placement { pattern: pattern.into(), pivot: Some(at), points: None }
    }

    #[test]
    fn a_rule_of_the_same_glob_is_changed_and_all_else_stays() {
        let new = amended(OLD, &[pivot("moth/*", [16.0, 31.5])]).unwrap();
        assert_eq!(new.text(), OLD.replace("pivot = \"bottom\"", "pivot = { px = [16, 31.5] }"));
        assert!(new.difference().contains("-pivot = \"bottom\"\n+pivot = { px = [16, 31.5] }\n"));
        // Another rule after it could override it: then a new one, after that.
        let two = OLD.replace("[atlas.day]", "[[atlas.night.rule]]\nmatch = \"**\"\npivot = \"top\"\n\n[atlas.day]");
        let added = "\n[[atlas.night.rule]]\nmatch = \"moth/*\"\npivot = { px = [1, 2] }\n";
        let new = amended(&two, &[pivot("moth/*", [1.0, 2.0])]).unwrap();
        assert_eq!(new.text(), two.replace("pivot = \"top\"\n", &format!("pivot = \"top\"\n{added}")));
    }

    #[test]
    fn points_are_written_whole_and_a_first_rule_stands_in_its_atlas() {
        let points = BTreeMap::from([("lamp".to_owned(), [20.0, 8.25]), ("left wing".to_owned(), [-1.0, 0.0])]);
        let placement = Placement { pattern: "a \"quoted\" name".into(), pivot: None, points: Some(points) };
        let new = amended("format = 1\n\n[atlas.night]\n\n[atlas.day]\n", &[placement]).unwrap();
        let rule = "\n[[atlas.night.rule]]\nmatch = 'a \"quoted\" name'\npoints = { lamp = [20, 8.25], \"left wing\" = [-1, 0] }\n";
        assert_eq!(new.text(), format!("format = 1\n\n[atlas.night]\n{rule}\n[atlas.day]\n"));
    }

    #[test]
    fn what_would_not_be_a_project_file_is_not_made() {
        assert!(amended(OLD, &[pivot("{", [0.0, 0.0])]).is_err());
        assert!(amended("format = 1\n[atlas.day]\n", &[]).is_err());
        let inline = "format = 1\natlas.night.rule = [{ match = \"a\" }]\n";
        assert!(amended(inline, &[pivot("a", [0.0, 0.0])]).unwrap_err().to_string().contains("by hand"));
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("zemtak.toml");
        std::fs::write(&path, OLD).unwrap();
        let new = amend(&path, "night", &[pivot("moth/*", [1.0, 1.0])]).unwrap();
        assert!(new.write("of another text").is_err());
        assert_eq!(std::fs::read_to_string(&path).unwrap(), OLD);
        new.write(&new.was()).unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), new.text());
    }
}
