//! Answers in words, as a whole: every command that the guide does not show, on the demo.

use crate::guide::{demo_project, steady};

/// Run one after another in the demo's project. Work is estimated before anything is built: later on estimates depend
/// on how long it took.
const LINES: &[&str] = &[
    "plan",
    "plan --shares 3",
    "plan --shares 2 --verbose",
    "pack --dry-run",
    "pack --quiet",
    "pack --check",
    "list menu",
    "list scene moth/l* --verbose",
    "list menu stamp/moth --json",
    "describe menu emblem",
    "clip list scene",
    "clip at scene moth/land 10ms 0.5s 9s",
    "uv menu button/map/up button/map/down --as rect",
    "uv menu emblem --as matrix --flip x",
    "quad menu emblem --at 10,20 --flip x --tint #80ff00",
    "grid 64x36 --cell 8x8 --gutter 2 --pixel 12,12 --index 6",
    "cut art/button/map/up.png -o cut",
    "export menu --as qoi -o export",
    "store check",
    "pack --name menu --filter linear --quiet -o other",
    "diff build/menu.zemtak.json other/menu.zemtak.json",
    "verify other/menu.zemtak.json --against art/letter",
    "pack --name scene --gutter 4 --check",
    "scan art/moth art/lantern",
];

#[test]
fn every_command_answers_like_this() {
    let folder = demo_project();
    let mut all = String::new();
    for line in LINES {
        let run = folder.zemtak(line);
        all.push_str(&format!("$ zemtak {line}\n"));
        for said in (run.err() + &run.out()).lines() {
            all.push_str(&format!("{}\n", steady(said)));
        }
        if run.code() != Some(0) {
            all.push_str(&format!("(exit code {})\n", run.code().unwrap()));
        }
        all.push('\n');
    }
    insta::assert_snapshot!(all);
}
