//! The readers that `zemtak reader` prints, each compiled by its language's own compiler or interpreter and held to what the
//! core computes: thousands of texture coordinates, quads, parts, stretched sprites and moments of clips, and descriptors that
//! must be refused.
//!
//! C and C++ run with all tests. `scripts/readers` installs what the others need and runs all of them.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a test may fail loudly, and numbers are rounded as the core rounds them"
)]

mod atlas;
#[path = "../fixtures/mod.rs"]
mod fixtures;
mod hostile;
mod languages;
mod questions;

use languages::Language;
use std::process::Command;
use std::sync::OnceLock;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};

/// The demo's atlases, as the tool packs them.
fn demo() -> &'static [Atlas] {
    static DEMO: OnceLock<Vec<Atlas>> = OnceLock::new();
    DEMO.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        let tool = || Command::new(env!("CARGO_BIN_EXE_zemtak"));
        assert!(tool().args(["demo", "demo"]).current_dir(folder.path()).output().unwrap().status.success());
        let files = std::fs::read_dir(folder.path().join("demo/build")).unwrap().map(|file| file.unwrap().path());
        let descriptors = files.filter(|file| file.to_string_lossy().ends_with(FILE_SUFFIX));
        descriptors.map(|file| parse(&std::fs::read_to_string(file).unwrap()).unwrap().atlas).collect()
    })
}

/// The same descriptor as another writer might put it: slashes and characters beyond ASCII escaped, numbers in other
/// notations, the first two sprites and clips exchanged.
fn otherwise(text: &str) -> String {
    let escape = |unit: &u16| match u8::try_from(*unit) {
        Ok(b'/') => "\\/".to_owned(),
        Ok(ascii) if ascii.is_ascii() => char::from(ascii).to_string(),
        _ if unit.is_multiple_of(2) => format!("\\u{unit:04x}"),
        _ => format!("\\u{unit:04X}"),
    };
    let mut written: String = text.encode_utf16().map(|unit| escape(&unit)).collect();
    let numbers = [
        ("[16, 31.5]", "[1.6E1, 0.315e+2]"),
        ("[-3.25, 200.1]", "[-325e-2, 200.099999999999994315658113919198513031005859375]"),
        ("\"fps\": 29.97,", "\"fps\": 2997E-0002,"),
        ("\"ms\": 250", "\"ms\": 0.00250e+05"),
    ];
    for (plain, other) in numbers {
        written = written.replace(plain, other);
    }
    let mut lines: Vec<&str> = written.lines().collect();
    for map in ["  \"sprites\": {", "  \"clips\": {"] {
        let first = lines.iter().position(|line| *line == map).map(|at| at + 1);
        if let Some(first) = first.filter(|first| lines[first + 1].ends_with(',')) {
            lines.swap(first, first + 1);
        }
    }
    let written = lines.join("\r\n");
    assert_eq!(parse(&written).unwrap().atlas, parse(text).unwrap().atlas);
    written
}

/// Holds a reader to the core, on made-up atlases and on the demo's.
fn hold(language: &Language) {
    let folder = tempfile::tempdir().unwrap();
    let reader = language.build(folder.path());
    let atlases = demo().iter().cloned().chain((0..3).map(atlas::made_up));
    let mut count = 0;
    for (n, atlas) in (0..).zip(atlases) {
        let asked = questions::of(&atlas, n);
        count += asked.len();
        let descriptor = folder.path().join(format!("{n}.zemtak.json"));
        let text = atlas.to_text().unwrap();
        std::fs::write(&descriptor, if n % 2 == 0 { text } else { otherwise(&text) }).unwrap();
        let list = folder.path().join("questions");
        std::fs::write(&list, asked.iter().map(|asked| format!("{}\n", asked.line)).collect::<String>()).unwrap();
        let told = reader.run(&[descriptor, list]);
        let lines: Vec<&str> = told.lines().collect();
        assert_eq!(lines.len(), asked.len(), "{}", language.name);
        for (asked, line) in asked.iter().zip(lines) {
            assert!(
                asked.is_answer(line),
                "{}\n{}\n  should be {}\n  but is   {line}",
                language.name,
                asked.line,
                asked.answer
            );
        }
    }
    let night = demo().iter().find(|atlas| atlas.name == "night").unwrap();
    std::fs::write(folder.path().join("night.zemtak.json"), night.to_text().unwrap()).unwrap();
    let guide = include_str!("../../../../docs/languages.md");
    assert_eq!(language.example(folder.path()), guide.split("```text\n").nth(1).unwrap().split("```").next().unwrap());
    assert!(count > 4000, "{count} questions");
    hostile::refused(language, &reader, folder.path());
}

#[test]
fn the_reader_for_c_agrees_with_the_core() {
    hold(&languages::C);
}

#[test]
fn the_reader_for_cpp_agrees_with_the_core() {
    hold(&languages::CPP);
}

macro_rules! others {
    ($($test:ident: $language:ident),+ $(,)?) => {
        $(
            #[test]
            #[ignore = "needs the language's compiler or interpreter: scripts/readers"]
            fn $test() {
                hold(&languages::$language);
            }
        )+
    };
}

/// Nobody edits the one and forgets the other.
#[test]
#[ignore = "needs the language's compiler or interpreter: scripts/readers"]
fn the_reader_for_javascript_is_what_the_compiler_makes_of_that_for_typescript() {
    let folder = tempfile::tempdir().unwrap();
    languages::TYPESCRIPT.build(folder.path());
    let made = std::fs::read_to_string(folder.path().join("reader/zemtak-reader.js")).unwrap();
    assert_eq!(made, include_str!("../../readers/zemtak-reader.js"));
}

others! {
    the_reader_for_c_agrees_by_another_compiler: C_BY_CLANG,
    the_reader_for_c_agrees_where_numbers_have_commas: C_WITH_COMMAS,
    the_reader_for_c_sharp_agrees_with_the_core: C_SHARP,
    the_reader_for_java_agrees_with_the_core: JAVA,
    the_reader_for_javascript_agrees_with_the_core: JAVASCRIPT,
    the_reader_for_lua_5_1_agrees_with_the_core: LUA_5_1,
    the_reader_for_lua_5_4_agrees_with_the_core: LUA_5_4,
    the_reader_for_luajit_agrees_with_the_core: LUAJIT,
    the_reader_for_python_agrees_with_the_core: PYTHON,
    the_reader_for_typescript_agrees_with_the_core: TYPESCRIPT,
}
