//! The directions of crates and modules: an arrow points only downwards, and none comes back.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

type Arrows = BTreeMap<String, BTreeSet<String>>;

/// Which module of a folder uses which other, by the words after `crate::` or `super::` in code that is no test.
fn arrows(folder: &Path, leader: &str) -> Arrows {
    let mut arrows = Arrows::new();
    for entry in walkdir::WalkDir::new(folder).into_iter().map(Result::unwrap) {
        let path = entry.path();
        let name = path.strip_prefix(folder).unwrap().with_extension("");
        let module = name.iter().next().map(|part| part.to_str().unwrap().to_owned()).unwrap_or_default();
        if path.extension().is_none_or(|e| e != "rs")
            || module.contains("test")
            || ["lib", "main", "mod"].contains(&&*module)
        {
            continue;
        }
        let text = fs::read_to_string(path).unwrap();
        let code = text.split("#[cfg(test)]").next().unwrap();
        let code: String =
            code.lines().filter(|line| !line.trim_start().starts_with("//")).collect::<Vec<_>>().join("\n");
        let to = arrows.entry(module.clone()).or_default();
        for part in code.split(leader).skip(1) {
            // A group such as `{a, b::C}` names several.
            let group = part.strip_prefix('{').and_then(|rest| rest.split('}').next()).unwrap_or(part);
            for item in group.split(',').take(if group == part { 1 } else { usize::MAX }) {
                let word: String = item.trim().chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
                if word.starts_with(|c: char| c.is_lowercase()) && word != module && word != "self" {
                    to.insert(word);
                }
            }
        }
    }
    // Words that are no modules here are functions and macros.
    let modules: BTreeSet<String> = arrows.keys().cloned().collect();
    arrows.values_mut().for_each(|to| to.retain(|word| modules.contains(word)));
    arrows
}

/// A way round in a circle, if there is one.
fn circle(arrows: &Arrows) -> Option<Vec<String>> {
    let mut done = BTreeSet::new();
    fn visit(at: &str, arrows: &Arrows, way: &mut Vec<String>, done: &mut BTreeSet<String>) -> Option<Vec<String>> {
        if let Some(start) = way.iter().position(|on_way| on_way == at) {
            return Some(way[start..].to_vec());
        }
        if !done.contains(at) {
            way.push(at.to_owned());
            for next in &arrows[at] {
                if let Some(circle) = visit(next, arrows, way, done) {
                    return Some(circle);
                }
            }
            way.pop();
            done.insert(at.to_owned());
        }
        None
    }
    arrows.keys().find_map(|start| visit(start, arrows, &mut Vec::new(), &mut done))
}

#[test]
fn a_circle_of_modules_is_found() {
    let arrows = |list: &[(&str, &[&str])]| -> Arrows {
        list.iter().map(|(from, to)| ((*from).into(), to.iter().map(|t| (*t).into()).collect())).collect()
    };
    assert_eq!(circle(&arrows(&[("a", &["b", "c"]), ("b", &["c"]), ("c", &[])])), None);
    let round = circle(&arrows(&[("a", &["b"]), ("b", &["c"]), ("c", &["b"])])).unwrap();
    assert_eq!(round, ["b", "c"]);
    // The reading of the sources sees what is there.
    let core = super::architecture::arrows(&crates().join("zemtak-core/src"), "crate::");
    assert!(
        core["layout"].contains("geometry") && core["verify"].contains("atlas") && !core["geometry"].contains("layout")
    );
}

/// How many arrows lie one below the other under each module.
fn level(module: &str, arrows: &Arrows) -> usize {
    arrows[module].iter().map(|below| level(below, arrows) + 1).max().unwrap_or(0)
}

/// A crate's modules from the top down: each line uses what stands in lines below it, and nothing else.
fn map(name: &str) -> String {
    let arrows = arrows(&crates().join(name).join("src"), "crate::");
    assert_eq!(circle(&arrows), None, "{name}");
    let mut lines: BTreeMap<std::cmp::Reverse<usize>, Vec<&str>> = BTreeMap::new();
    for module in arrows.keys() {
        lines.entry(std::cmp::Reverse(level(module, &arrows))).or_default().push(module);
    }
    lines.values().map(|modules| format!("  {}\n", modules.join("  "))).collect()
}

#[test]
fn the_map_in_the_docs_is_that_of_the_code() {
    let there = fs::read_to_string(crates().join("../docs/architecture.md")).unwrap();
    for name in ["zemtak", "zemtak-build", "zemtak-runtime", "zemtak-core"] {
        let expected = format!("{name}\n{}", map(name));
        assert!(there.contains(&format!("{expected}\n")), "docs/architecture.md lacks\n{expected}");
    }
}

#[test]
fn modules_lean_one_way() {
    let folders = [
        ("zemtak-core/src", "crate::"),
        ("zemtak-core/src/layout", "super::"),
        ("zemtak-core/src/codec", "super::"),
        ("zemtak-core/src/coords", "super::"),
        ("zemtak-core/src/clip", "super::"),
        ("zemtak-build/src", "crate::"),
        ("zemtak-runtime/src", "crate::"),
        ("zemtak-runtime/src/cache", "super::"),
        ("zemtak/src", "crate::"),
    ];
    let circles: Vec<String> = folders
        .into_iter()
        .filter_map(|(folder, leader)| {
            Some(format!("{folder}: {}", circle(&arrows(&crates().join(folder), leader))?.join(" -> ")))
        })
        .collect();
    assert_eq!(circles, Vec::<String>::new());
}

/// The crates of ours that a crate needs to be built.
fn needs(name: &str) -> Vec<String> {
    let manifest = fs::read_to_string(crates().join(name).join("Cargo.toml")).unwrap();
    let manifest: toml::Table = manifest.parse().unwrap();
    let needs = manifest.get("dependencies").and_then(|needs| needs.as_table());
    let needs = needs.into_iter().flat_map(|needs| needs.keys()).filter(|key| key.starts_with("zemtak"));
    needs.cloned().collect()
}

#[test]
fn crates_lean_one_way() {
    assert_eq!(needs("zemtak-core"), Vec::<String>::new());
    assert_eq!(needs("zemtak-files"), Vec::<String>::new());
    assert_eq!(needs("zemtak-runtime"), ["zemtak-core", "zemtak-files"]);
    assert_eq!(needs("zemtak-build"), ["zemtak-core", "zemtak-files"]);
    assert_eq!(needs("zemtak-c"), ["zemtak-runtime"]);
    // No file is opened without looking at what it is: see zemtak-files.
    for (folder, text) in sources() {
        for way in ["fs::read(", "fs::read_to_string(", " File::open(", "(File::open(", "::File::open("] {
            assert!(!text.contains(way) || folder.ends_with("write.rs"), "{}: {way}", folder.display());
        }
    }
    // What packs knows no command line and prints nothing.
    for entry in walkdir::WalkDir::new(crates().join("zemtak-build/src")).into_iter().map(Result::unwrap) {
        if entry.path().extension().is_none_or(|e| e != "rs") {
            continue;
        }
        let text = fs::read_to_string(entry.path()).unwrap();
        for line in text.lines().filter(|line| !line.trim_start().starts_with("//")) {
            let prints =
                ["println!", "print!(", "clap::", "indicatif::", "ctrlc::"].iter().find(|word| line.contains(*word));
            let lasting = line.trim_start().starts_with("static ") || line.trim_start().starts_with("pub static ");
            let of_a_thread = line.contains("Cell<");
            assert!(prints.is_none() && (!lasting || of_a_thread), "{}: {line}", entry.path().display());
        }
    }
}

/// The sources of what reads files for others, without their tests.
fn sources() -> Vec<(PathBuf, String)> {
    let folders = ["zemtak-build/src", "zemtak-runtime/src", "zemtak/src"];
    let all = folders.into_iter().flat_map(|folder| walkdir::WalkDir::new(crates().join(folder)).into_iter().flatten());
    let all = all.filter(|entry| entry.path().extension().is_some_and(|e| e == "rs"));
    let read = |path: &Path| {
        let text = fs::read_to_string(path).unwrap();
        text.split("#[cfg(test)]").next().unwrap_or_default().to_owned()
    };
    all.map(|entry| (entry.path().to_owned(), read(entry.path()))).collect()
}
