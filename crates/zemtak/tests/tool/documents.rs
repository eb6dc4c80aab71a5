//! Answers as JSON: held to the schemas that the tool prints, as are the examples of the guide.

use crate::fixtures::{Folder, Run, blob, demo_art, png};
use jsonschema::Validator;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

const GUIDE: &str = include_str!("../../../../docs/json.md");

/// All schemas that the tool knows, by name.
fn schemas(folder: &Folder) -> BTreeMap<String, Validator> {
    let help = folder.zemtak("schema --help").exits(0).out();
    let names = help.split("[possible values: ").nth(1).unwrap().split(']').next().unwrap();
    let names = names.split(',').map(|name| name.split_whitespace().collect::<String>());
    let schema = |name: String| {
        let schema = folder.zemtak(&format!("schema {name}")).exits(0).json();
        (name, jsonschema::draft202012::new(&schema).unwrap())
    };
    names.map(schema).collect()
}

fn hold(schemas: &BTreeMap<String, Validator>, document: &Value, whose: &str) -> String {
    let kind = document["kind"].as_str().unwrap_or_else(|| panic!("{whose}: no kind in {document}"));
    let errors: Vec<String> =
        schemas[kind].iter_errors(document).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert!(errors.is_empty(), "{whose}\n{}", errors.join("\n"));
    kind.to_owned()
}

#[test]
fn every_answer_meets_its_schema_and_so_do_the_examples_of_the_guide() {
    let folder = Folder::new();
    let schemas = schemas(&folder);
    let art = demo_art();
    let project = demo_art().parent().unwrap().to_owned();
    for file in ["zemtak.toml", "scenes.toml", "faults.toml"] {
        folder.write(file, std::fs::read(project.join(file)).unwrap());
    }
    for (name, from) in [("lava2", "emblem"), ("lava02", "emblem"), ("moth/0", "moth/fly/00")] {
        folder.write(&format!("odd/{name}.png"), std::fs::read(art.join(format!("{from}.png"))).unwrap());
    }
    folder.write("odd/readme.txt", "no image");
    folder.write("bad/lamp.png", "no lamp");
    folder.write("bad/moth.png", std::fs::read(art.join("emblem.png")).unwrap());
    folder.write("pairs.json", "[[0.5, 0.5], [2, 0]]");
    folder.write("list.csv", "sprite,x,y\nmoth/fly/03,1,2\nlantern/teal/00,3,4\n");
    folder.write("alone.toml", "format = 1\n[[scene]]\nname = \"a\"\nseconds = 1\nhold = [\"night:**\"]\n");
    let night = "build/night.zemtak.json";
    let pack = format!("pack {} --name night", art.display());
    let mut seen = BTreeSet::new();
    for (line, code) in [
        (format!("{pack} --why --timings --sizes -half=0.5 --also csv"), 0),
        (format!("{pack} --check"), 1),
        ("setup --prefix local".into(), 0),
        ("reader c".into(), 0),
        ("view build/night.zemtak.json --png view.png --html view.html".into(), 0),
        ("mips build/night.zemtak.json --png levels.png".into(), 0),
        ("export build/night.zemtak.json --as ktx2 --pixels bc7 -o gpu".into(), 0),
        ("uv build/night.zemtak.json emblem --points pairs.json".into(), 0),
        ("diff build/night.zemtak.json build/night-half.zemtak.json --png diff.png --html both.html".into(), 1),
        (format!("{pack} --keep --mip-levels 1 --turn --diff"), 0),
        (pack, 0),
        ("pack odd bad/moth.png -o out --take **/lava* --take nix* --layout grid --why".into(), 0),
        ("pack odd -o small --page-size 8x8".into(), 3),
        ("pack bad".into(), 3),
        ("pack --unknown".into(), 2),
        ("verify build".into(), 2),
        (format!("verify {night} --against {}", art.display()), 0),
        (format!("verify {night} --against odd"), 1),
        ("demo".into(), 0),
        ("scan bad odd --png seen.png".into(), 0),
        ("new bad".into(), 0),
        (format!("uv {night} moth/fly/03 --as corners --v-up --part 0,0,30,30"), 0),
        (format!("uv {night} moth/** --as unorm16 --shrink 40"), 0),
        (format!("uv {night} moth/fly/03 --as glsl"), 0),
        ("uv --page 512x256 --box 34,2,28,30 --part 2,2,10,9 --flip x --as matrix".into(), 0),
        (format!("quad {night} moth/fly/03 --at 5,5 --angle 3"), 0),
        (format!("quad {night} --list list.csv --as buffer -o q.bin"), 0),
        ("quad --page 64x64 --box 1,1,8,8".into(), 0),
        ("grid 512x256 --cell 30x30 --index 17 --pixel 3,3 --uv 0.5,0.25 --v-up".into(), 0),
        (format!("cut {night}"), 0),
        (format!("cut {} --cell 50x50 --dry-run", art.join("emblem.png").display()), 0),
        ("pattern 64x64 --kind cells".into(), 0),
        (format!("clip list {night}"), 0),
        (format!("clip table {night} moth/fly"), 0),
        (format!("clip at {night} moth/fly 250ms -5ms"), 0),
        (format!("clip render {night} moth/fly -o moth.png"), 0),
        (format!("clip render {night} moth/fly -o moth.gif --speed 30"), 0),
        (format!("list {night}"), 0),
        (format!("describe {night} moth/fly/03"), 0),
        ("cache rehearse alone.toml --strict".into(), 1),
        ("plan odd --shares 2".into(), 0),
        ("pack odd --share 1/2".into(), 2),
        ("store info -o small".into(), 2),
        ("store info -o out".into(), 0),
        ("store check -o out".into(), 0),
        ("store trim -o out --max-size 1KiB --dry-run".into(), 0),
    ] {
        let answer = folder.zemtak(&format!("{line} --json")).exits(code).json();
        seen.insert(hold(&schemas, &answer, &line));
        // A demo's steps are documents of their own.
        for step in answer["steps"].as_array().into_iter().flatten().filter(|step| step["answer"].is_object()) {
            hold(&schemas, &step["answer"], step["command"].as_str().unwrap());
        }
    }
    let mut examples = 0;
    for block in GUIDE.split("```json ").skip(1) {
        let (kind, text) = block.split_once('\n').unwrap();
        let example: Value = serde_json::from_str(text.split("```").next().unwrap()).unwrap();
        assert_eq!(hold(&schemas, &example, kind), kind);
        examples += 1;
    }
    assert!(examples > 14, "{examples}");
    let told = folder.zemtak("pack odd -o out --fresh --json --progress json").exits(0).err();
    for line in told.lines() {
        seen.insert(hold(&schemas, &serde_json::from_str(line).unwrap(), line));
    }
    let end = r#""phase": "reading", "done": 3, "total": 3, "ended": true }"#;
    assert!(told.lines().any(|line| line.ends_with(end)), "{told}");
    // A long search says how far it is and what it has found so far.
    (0..24).for_each(|n| {
        folder.write(&format!("many/{n}.png"), png(&blob(20 + n * 37 % 41, 15 + n * 53 % 47, [9, 9, 9])));
    });
    let line = "pack many -o out --page-shape free --effort normal --progress json";
    let told: Vec<Value> =
        folder.zemtak(line).exits(0).err().lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    let searches: Vec<&Value> = told.iter().filter(|event| event["search"].is_object()).collect();
    searches.iter().for_each(|event| assert_eq!(hold(&schemas, event, line), "progress"));
    let part = |event: &Value, key: &str| event["search"][key].as_f64().unwrap();
    assert!(searches.iter().any(|event| part(event, "done") > 0.0 && part(event, "done") < 1.0), "{told:?}");
    assert!(
        searches.is_sorted_by_key(|event| part(event, "filled")) && part(searches[0], "filled") > 0.8,
        "{searches:?}"
    );
    // With a shared store.
    folder.write("shared/here", "");
    let shared = |line: &str| {
        let output = folder.command(line).env("ZEMTAK_STORE", "shared").output().unwrap();
        hold(&schemas, &Run::of(line, output).exits(0).json(), line)
    };
    let lines = ["pack odd --share 1/1 --json", "pack odd -o again --json", "plan odd --shares 2 --json"];
    seen.extend(lines.into_iter().chain(["store info --json", "store check --json"]).map(shared));
    // Events of `watch` are held to their schemas where they are tested.
    seen.extend(["descriptor", "raw-pages", "watch", "watching", "changed", "serving"].map(str::to_owned));
    assert_eq!(seen, schemas.keys().cloned().collect());
}

/// Programs go by these; a code that changed its words keeps its place in the guide.
#[test]
fn every_code_of_an_error_is_in_the_guide() {
    let codes: BTreeSet<&str> = zemtak_build::ProblemKind::ALL.iter().map(|kind| kind.code()).collect();
    assert_eq!(codes.len(), zemtak_build::ProblemKind::ALL.len());
    for kind in zemtak_build::ProblemKind::ALL {
        assert!(GUIDE.contains(&format!("| `{}` | {} |\n", kind.code(), kind.words())), "{}", kind.code());
    }
}

/// The literals that follow a word in a source text, up to an end.
fn literals<'t>(text: &'t str, word: &str, end: &str) -> Vec<&'t str> {
    let part = |after: &'t str| after.split(end).next().unwrap().split('"').skip(1).step_by(2).collect::<Vec<_>>();
    text.split(word).skip(1).flat_map(part).collect()
}

/// Those of warnings and defects stand in the code where they are told.
#[test]
fn every_code_of_a_warning_or_a_defect_is_in_the_guide() {
    let crates = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut seen = 0;
    for entry in walkdir::WalkDir::new(crates).into_iter().map(Result::unwrap) {
        let is_source = entry.path().extension().is_some_and(|e| e == "rs") && !entry.path().ends_with("kind.rs");
        if !is_source || entry.path().components().any(|part| part.as_os_str() == "tests") {
            continue;
        }
        let text = std::fs::read_to_string(entry.path()).unwrap();
        let code = text.split("#[cfg(test)]").next().unwrap();
        let mut codes = literals(code, "fn code(&self) -> &'static str", "\n    }\n");
        for told in ["Notice::about(", "Notice::of_all(", "Notice::of_problem("] {
            codes.extend(literals(code, told, ","));
        }
        for code in codes {
            assert!(GUIDE.contains(&format!("`{code}`")), "{code} of {}", entry.path().display());
            seen += 1;
        }
    }
    assert!(seen > 40, "{seen}");
}

#[cfg(unix)]
#[test]
fn a_watch_is_followed_line_by_line() {
    use std::process::{Command, Stdio};
    let folder = Folder::new();
    let schemas = schemas(&folder);
    let art = std::fs::read(demo_art().join("emblem.png")).unwrap();
    folder.write("art/a.png", &art);
    let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
    command.args(["watch", "art", "--settle", "20", "--view", "--json"]).current_dir(folder.path("."));
    let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
    // Two at once, as from `timeout`: the second one once ended it before it could say anything.
    let stop = |id: u32| {
        let kill = format!("kill -INT {id}; kill -TERM {id}");
        assert!(Command::new("sh").args(["-c", &kill]).status().unwrap().success());
    };
    let (mut kinds, mut built) = (Vec::new(), Vec::new());
    for line in std::io::BufRead::lines(std::io::BufReader::new(child.stdout.take().unwrap())) {
        let line = line.unwrap();
        let event: Value = serde_json::from_str(&line).unwrap();
        kinds.push(hold(&schemas, &event, &line));
        match (event["kind"].as_str().unwrap(), built.len()) {
            ("pack", 0) => folder.write("art/b.png", &art),
            ("pack", _) => stop(child.id()),
            _ => continue,
        }
        built.push(event["atlases"][0]["changes"].clone());
    }
    assert!(child.wait().unwrap().success());
    assert_eq!(kinds, ["serving", "watching", "pack", "changed", "pack", "watch"]);
    assert_eq!(built, [serde_json::json!(["not built yet"]), serde_json::json!(["1 sprite added (b)"])]);
}

/// Programs go by the kinds of findings too.
#[test]
fn every_kind_of_finding_is_in_the_guide() {
    for kind in zemtak_build::FindingKind::ALL {
        let row = format!("| `{}` | {} | {} |\n", kind.code(), kind.severity().code(), kind.words()[1]);
        assert!(GUIDE.contains(&row), "docs/json.md lacks\n{row}");
    }
}

/// What is used and why is told, and nothing else is.
#[test]
fn every_dependency_has_its_reason() {
    let repository = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let manifest = std::fs::read_to_string(repository.join("Cargo.toml")).unwrap();
    let guide = std::fs::read_to_string(repository.join("docs/dependencies.md")).unwrap();
    let all = manifest.split("[workspace.dependencies]\n").nth(1).unwrap().split("\n[").next().unwrap();
    let used: BTreeSet<&str> = all.lines().filter_map(|line| Some(line.split_once(" = ")?.0)).collect();
    let used: BTreeSet<&str> =
        used.into_iter().filter(|name| !name.starts_with("zemtak") && !name.starts_with('#')).collect();
    // The first cell of each row.
    let rows = guide.lines().filter_map(|line| line.strip_prefix("| `")?.split(" | ").next());
    let told: BTreeSet<&str> =
        rows.flat_map(|cell| cell.split(", ")).map(|name| name.trim_matches(['`', ' '])).collect();
    assert!(used.len() > 50);
    assert_eq!(used, told);
}
