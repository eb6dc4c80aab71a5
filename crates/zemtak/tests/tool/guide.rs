//! The guide: its commands are run on the demo's project, and answer what stands there.

use crate::fixtures::{Folder, blob, demo_art, png};

const GUIDE: &str = include_str!("../../../../docs/guide.md");

/// Lines without what differs from run to run: times of this machine, and the size of a local store, in which they lie.
pub fn steady(line: &str) -> String {
    let line = line.trim_end();
    if let Some((before, after)) = line.split_once(" KiB").filter(|_| line.starts_with("local store ")) {
        return format!("{} … KiB{after}", before.rsplit_once(' ').unwrap().0);
    }
    let timed = |line: &str| line.starts_with("  time ") || line.trim_start().starts_with("decoding, on this machine");
    match line.rsplit_once(" in ") {
        _ if timed(line) => line.split_whitespace().next().unwrap().to_owned(),
        Some((before, time)) if time.ends_with(" s") && time.contains('.') => before.to_owned(),
        _ => line.to_owned(),
    }
}

/// The demo's project, without anything built.
pub fn demo_project() -> Folder {
    let folder = Folder::new();
    let project = demo_art().parent().unwrap().to_owned();
    for entry in walkdir::WalkDir::new(&project).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file()) {
        let below = entry.path().strip_prefix(&project).unwrap();
        folder.write(below.to_str().unwrap(), std::fs::read(entry.path()).unwrap());
    }
    folder
}

#[test]
fn every_command_of_the_guide_answers_what_it_shows() {
    let folder = demo_project();
    let mut commands = 0;
    for block in GUIDE.split("```console\n").skip(1) {
        let block = block.split("\n```").next().unwrap();
        for shown in block.split("$ zemtak ").skip(1) {
            let (line, shown) = shown.split_once('\n').unwrap();
            let shown: Vec<String> = shown.lines().map(steady).collect();
            // All of it is left out.
            if shown == ["..."] {
                continue;
            }
            let run = folder.zemtak(line);
            let said = run.err() + &run.out();
            let said: Vec<String> = said.lines().map(steady).collect();
            match shown.split_first() {
                Some((first, rest)) if first == "..." => assert!(said.ends_with(rest), "{line}\n{}", said.join("\n")),
                _ => assert_eq!(said, shown, "{line}"),
            }
            commands += 1;
        }
    }
    assert_eq!(commands, 17);
}

#[test]
fn the_guide_shows_what_its_edits_change() {
    let folder = demo_project();
    folder.zemtak("pack --quiet").exits(0);
    std::fs::remove_file(folder.path("art/moth/fly/07.png")).unwrap();
    std::fs::rename(folder.path("art/star/large.png"), folder.path("art/star/huge.png")).unwrap();
    let air = folder.path("art/letter/air.png");
    let larger = image::imageops::resize(&image::open(&air).unwrap(), 52, 40, image::imageops::FilterType::Nearest);
    larger.save(&air).unwrap();

    let said = folder.zemtak("pack --name scene --diff").exits(0).out();
    let shown = GUIDE.split("```text\n").nth(1).unwrap().split("```").next().unwrap();
    assert!(said.contains(shown), "{said}");
}

/// The names between back quotes.
fn quoted(cell: &str) -> Vec<String> {
    cell.split('`').skip(1).step_by(2).map(str::to_owned).collect()
}

#[test]
fn names_make_the_clips_that_the_table_of_names_shows() {
    let table = include_str!("../../../../docs/names.md").split("## Clips").nth(1).unwrap();
    let rows = table.lines().filter(|line| line.starts_with("| `"));
    let mut seen = 0;
    for row in rows {
        let cells: Vec<&str> = row.split('|').map(str::trim).collect();
        let (sprites, clips) = (quoted(cells[1]), quoted(cells[2]));
        let folder = Folder::new();
        for (n, name) in sprites.iter().enumerate() {
            folder.write(&format!("art/{name}.png"), png(&blob(8 + u32::try_from(n).unwrap(), 8, [1, 2, 3])));
        }
        folder.zemtak("pack art -q").exits(0);
        let atlas: serde_json::Value = serde_json::from_slice(&folder.read("build/art.zemtak.json")).unwrap();
        let made: Vec<&String> = atlas["clips"].as_object().unwrap().keys().collect();
        let expected: Vec<String> = if cells[2] == "the atlas's name" { vec!["art".into()] } else { clips };
        assert_eq!(made, expected.iter().collect::<Vec<_>>(), "{row}");
        seen += 1;
    }
    assert_eq!(seen, 9);
}
