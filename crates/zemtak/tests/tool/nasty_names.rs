//! Names that are code somewhere, through every output. A file system that knows no `/` in names takes them all.
#![cfg(target_os = "linux")]

use crate::fixtures::{Folder, blob, png};

/// Each is code, or the end of a text, in one of the outputs.
const NASTY: [&str; 20] = [
    "=cmd|' _C calc'!A0",
    "+1",
    "-2",
    "@x",
    "<script>alert(1)<",
    "\"onload=\"alert(2)",
    "a'b",
    "{{ x }}{% y",
    "*_ evil",
    "rtl\u{202e}evil",
    "line\nbreak",
    "cr\rback",
    "tab\tx",
    "%s%n",
    "#define Y 1",
    "$(rm -rf)`ls`",
    "esc\u{1b}[31m",
    "&lt;",
    "r#\"x\"#",
    "\\u0041\\",
];

#[test]
fn no_name_becomes_code_in_any_output() {
    let outputs = |names: &[String]| {
        let folder = Folder::new();
        for name in names {
            folder.write(&format!("art/{name}.png"), png(&blob(9, 9, [7, 7, 7])));
        }
        folder.zemtak("pack art --name n --also csv --also c --also c-source --also rust").exits(0);
        folder.zemtak("view build/n.zemtak.json --html build/n.html").exits(0);
        let listed = folder.zemtak("list build/n.zemtak.json").exits(0).out();
        let text = |file: &str| String::from_utf8(folder.read(&format!("build/{file}"))).unwrap();
        let code = ["n.h", "n.c", "n.rs", "n.zemtak.json"].map(text);
        (code, text("n.csv"), text("n.html"), listed)
    };
    let nasty = NASTY.map(str::to_owned);
    let (code, csv, html, listed) = outputs(&nasty);
    let (tame_code, ..) = outputs(&('a'..='t').map(|letter| format!("tame {letter}")).collect::<Vec<_>>());
    let lines = |text: &String| text.lines().count();
    // A name that ended its literal or its line would make other lines.
    assert_eq!(code.each_ref().map(lines), tame_code.each_ref().map(lines));
    assert_eq!(lines(&listed), nasty.len() + 2);
    let disturbs = |c: char| c.is_control() && c != '\n' || c == '\u{202e}';
    for text in code[..3].iter().chain([&listed]) {
        assert_eq!(text.find(disturbs), None, "{text}");
    }
    let atlas: serde_json::Value = serde_json::from_str(&code[3]).unwrap();
    let mut told: Vec<&String> = atlas["sprites"].as_object().unwrap().keys().collect();
    let mut names: Vec<&String> = nasty.iter().collect();
    told.sort();
    names.sort();
    assert_eq!(told, names);
    let mut cells = csv::Reader::from_reader(csv.as_bytes());
    let cells: Vec<String> = cells.records().map(|row| row.unwrap()[0].to_owned()).collect();
    assert!(cells.iter().all(|cell| !cell.starts_with(['=', '+', '-', '@'])), "{cells:?}");
    let mut plain: Vec<String> = cells.iter().map(|cell| cell.strip_prefix('\'').unwrap_or(cell).to_owned()).collect();
    plain.sort();
    assert_eq!(plain.iter().collect::<Vec<_>>(), names);
    assert!(!html.contains("<script>alert") && !html.contains("\"onload=\"alert"));
}

/// A folder from somebody else could have any image of this machine packed.
#[cfg(unix)]
#[test]
fn a_link_out_of_the_named_folders_is_followed_only_if_told_to() {
    let folder = Folder::new();
    for file in ["art/moth.png", "shared/lamp.png", "shared/more/reed.png"] {
        folder.write(file, png(&blob(9, 9, [7, 7, 7])));
    }
    folder.write("shared/notes.txt", "");
    for (to, link) in
        [("../shared/lamp.png", "lamp.png"), ("../shared/more", "more"), ("../shared/notes.txt", "notes.txt")]
    {
        std::os::unix::fs::symlink(to, folder.path(&format!("art/{link}"))).unwrap();
    }
    for command in ["pack art", "scan art"] {
        let said = folder.zemtak(command);
        let (out, err) = (said.out(), said.err());
        assert!(format!("{out}{err}").contains("art/lamp.png: this link leads to "), "{out}{err}");
        assert!(
            format!("{out}{err}").contains("art/more: this link leads to ") && !err.contains("notes"),
            "{out}{err}"
        );
    }
    assert!(!folder.exists("build"));
    let sprites = |line: &str| folder.zemtak(line).exits(0).json()["atlases"][0]["sprites"].clone();
    assert_eq!(sprites("pack art --follow-links --json"), 3);
    // Into a folder that was named too, they lead nowhere else.
    folder.zemtak("pack art shared --name both --json").exits(0);
    folder.write("zemtak.toml", "format = 1\n[limits]\nfollow_links = true\n[atlas.a]\nroot = \"art\"\n");
    assert_eq!(sprites("pack --json"), 3);
}
