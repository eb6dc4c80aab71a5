//! What the tool may write over: only what it wrote, and never what it reads.

use crate::fixtures::{Folder, blob, png};

const SCENES: &str =
    "format = 1\nroots = [\"build\"]\n[[scene]]\nname = \"a\"\nseconds = 1\nhold = [\"night:moth/*\"]\n";

/// A project with one atlas of two steps, its other forms, and a half size.
fn project() -> Folder {
    let folder = Folder::new();
    folder.write("art/moth/0.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/moth/1.png", png(&blob(9, 9, [4, 5, 6])));
    configure(
        &folder,
        r#"["c", "rust", "csv", "template:names.txt.jinja"]"#,
        r#"[{ suffix = "-half", factor = 0.5 }]"#,
    );
    folder.write("names.txt.jinja", "{{ sprites | join(\",\") }} {{ build_id }}\n");
    folder
}

fn configure(folder: &Folder, also: &str, sizes: &str) {
    let text = format!("format = 1\n[atlas.night]\nroot = \"art\"\nalso = {also}\nsizes = {sizes}\n");
    folder.write("zemtak.toml", text);
}

fn names(folder: &Folder) -> Vec<String> {
    folder.everything("build").into_iter().map(|file| file.0).collect()
}

/// A header that options no longer asked for stayed for ever, and `verify` said "all as promised" beside wrong numbers.
#[test]
fn files_that_a_build_no_longer_writes_go_unless_somebody_changed_them() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    let all = ["clips.csv", "csv", "h", "names.txt", "rs", "zemtak.json"]
        .map(|end| [format!("night-half.{end}"), format!("night.{end}")]);
    let mut all = all.concat();
    all.extend(["night-0.png".into(), "night-half-0.png".into()]);
    all.sort();
    assert_eq!(names(&folder), all);
    folder.zemtak("verify build/night.zemtak.json").exits(0);
    let header = folder.read("build/night.h");
    folder.write("build/night.rs", [&folder.read("build/night.rs")[..], b"// mine\n"].concat());
    configure(&folder, r#"["csv"]"#, "[]");
    // Also without what builds remember.
    std::fs::remove_file(folder.path("build/.zemtak-store")).unwrap();
    let run = folder.zemtak("pack").exits(0);
    let told = "1 file of an earlier build changed since and stayed: night.rs; delete what you do not need";
    assert!(run.err().contains(told), "{}", run.err());
    assert_eq!(names(&folder), ["night-0.png", "night.clips.csv", "night.csv", "night.rs", "night.zemtak.json"]);
    // What no descriptor names is still known for what it is.
    folder.write("build/night.h", header);
    folder.write("build/night.c", "/* somebody's own */\n");
    let proof = folder.zemtak("verify build/night.zemtak.json").exits(1);
    let defects = proof.out();
    assert!(defects.contains("2 defects") && defects.contains("  night.h is of build "), "{defects}");
    assert!(defects.contains("  night.rs is of build "), "{defects}");
}

/// A file that cannot be read may have been changed by anybody: it stays, and goes once it can be read.
#[test]
fn what_cannot_be_read_goes_with_a_later_build() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    configure(&folder, r#"["csv"]"#, "[]");
    let (page, aside) = (folder.path("build/night-half-0.png"), folder.path("aside.png"));
    std::fs::rename(&page, &aside).unwrap();
    std::fs::create_dir(&page).unwrap();
    folder.zemtak("pack").exits(0);
    std::fs::remove_dir(&page).unwrap();
    std::fs::rename(&aside, &page).unwrap();
    folder.zemtak("pack").exits(0);
    assert_eq!(names(&folder), ["night-0.png", "night.clips.csv", "night.csv", "night.zemtak.json"]);
}

#[test]
fn companions_are_held_to_what_was_written() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    let text = String::from_utf8(folder.read("build/night.h")).unwrap();
    folder.write("build/night.h", text.replace("    { \"moth/0\", 0u", "    { \"moth/0\", 1u"));
    std::fs::remove_file(folder.path("build/night.csv")).unwrap();
    folder.write("build/night.names.txt", "other");
    let proof = folder.zemtak("verify build/night.zemtak.json").exits(1);
    let told = "  night.h was changed since it was written\n  night.names.txt is not of the descriptor's build\n";
    assert!(proof.out().contains(told) && proof.out().contains("2 defects"), "{}", proof.out());
    // Of what cannot be read nothing is known.
    std::fs::create_dir(folder.path("build/night.csv")).unwrap();
    let proof = folder.zemtak("verify build/night.zemtak.json").exits(4);
    assert!(proof.out().contains(told) && proof.out().contains("build/night.csv: a folder"), "{}", proof.out());
    std::fs::remove_dir(folder.path("build/night.csv")).unwrap();
    // The header of the build before, which somebody carried back.
    folder.zemtak("pack --fresh").exits(0);
    let header = folder.read("build/night.h");
    let before = String::from_utf8_lossy(&header).split(", build ").nth(1).unwrap()[..16].to_owned();
    folder.write("art/moth/1.png", png(&blob(12, 9, [4, 5, 6])));
    folder.zemtak("pack").exits(0);
    folder.write("build/night.h", header);
    let proof = folder.zemtak("verify build/night.zemtak.json").exits(1).out();
    assert!(proof.contains(&format!("  night.h is of build {before}, not of the descriptor's\n")), "{proof}");
    // All forms and both descriptors of one build say so.
    folder.zemtak("pack --fresh").exits(0);
    let id = folder.zemtak("verify build/night.zemtak.json").exits(0);
    assert!(id.out().contains("all as promised"), "{}", id.out());
    let descriptor: serde_json::Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    let id = descriptor["build_id"].as_str().unwrap();
    for (file, line) in [
        ("night.h", format!("/* Zemtak: atlas night, build {id}. ")),
        ("night.rs", format!("// Zemtak: atlas night, build {id}. ")),
        ("night.names.txt", format!("moth/0,moth/1 {id}")),
    ] {
        let text = String::from_utf8(folder.read(&format!("build/{file}"))).unwrap();
        assert!(text.starts_with(&line), "{file}: {text}");
    }
    let files: Vec<&String> = descriptor["companions"].as_object().unwrap().keys().collect();
    assert_eq!(
        files,
        ["night-half.zemtak.json", "night.clips.csv", "night.csv", "night.h", "night.names.txt", "night.rs"]
    );
}

#[test]
fn a_build_replaces_its_own_results_and_nobody_elses() {
    let folder = project();
    for (file, mine) in [("night-0.png", png(&blob(3, 3, [9, 9, 9]))), ("night.h", b"#pragma once\n".to_vec())] {
        folder.write(&format!("build/{file}"), mine);
    }
    folder.write("build/night.zemtak.json", "{ \"mine\": true }");
    let before = folder.everything("build");
    let run = folder.zemtak("pack").exits(2);
    let each = ["night-0.png", "night.h", "night.zemtak.json"]
        .map(|file| format!("  build/{file}: it was not written by zemtak, and a result would take its place\n"));
    let told = format!("error: a file would be overwritten (3)\n{}  do: move it away, ", each.concat());
    assert!(run.err().contains(&told), "{}", run.err());
    assert_eq!(folder.everything("build"), before);
    folder.zemtak("pack --force").exits(0);
    folder.zemtak("verify build/night.zemtak.json --against art").exits(0);
    // By their marks alone, as after a checkout: of another build, without descriptor and store.
    folder.write("art/moth/1.png", png(&blob(12, 9, [4, 5, 6])));
    for file in
        ["night.zemtak.json", "night-half.zemtak.json", ".zemtak-store", "night.names.txt", "night-half.names.txt"]
    {
        std::fs::remove_file(folder.path(&format!("build/{file}"))).unwrap();
    }
    folder.zemtak("pack").exits(0);
    folder.zemtak("verify build/night.zemtak.json --against art").exits(0);
}

/// `rehearse --png` in the project, a strip of a clip beside its sprites: the next build had them in an atlas.
#[test]
fn pictures_that_commands_drew_are_no_sprites_and_test_patterns_are() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    folder.write("scenes.toml", SCENES);
    for line in [
        "clip render build/night.zemtak.json moth -o art/strip.png --as strip",
        "clip render build/night.zemtak.json moth -o art/walk.png",
        "clip render build/night.zemtak.json moth -o art/walk2.gif",
        "cache rehearse scenes.toml --png art/more/chart.png",
        "pattern 16x16 --kind uv -o art/uv.png",
    ] {
        if line.contains("more") {
            std::fs::create_dir(folder.path("art/more")).unwrap();
        }
        folder.zemtak(line).exits(0);
    }
    for _ in 0..2 {
        let atlas = folder.zemtak("pack --json").exits(0).json()["atlases"][0].clone();
        assert_eq!(
            (atlas["sprites"].clone(), atlas["own_pictures"].clone()),
            (3.into(), serde_json::json!({ "": 3, "more": 1 }))
        );
    }
    let verified = folder.zemtak("verify build/night.zemtak.json --against art --json").exits(0).json();
    assert_eq!(verified["images_not_in_atlas"], 0);
    std::fs::remove_file(folder.path("zemtak.toml")).unwrap();
    let new = folder.zemtak("new art --json").exits(0).json();
    assert_eq!((new["images"].clone(), new["own_pictures"].clone()), (3.into(), 4.into()));
    let run = folder.zemtak("pack art/more -o out").exits(2);
    assert!(run.err().contains("all its images are results of earlier builds"), "{}", run.err());
}

#[test]
fn every_command_replaces_its_own_files_and_others_only_by_force() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    folder.write("scenes.toml", SCENES);
    for (line, before) in [
        (
            "clip render build/night.zemtak.json moth -o a.png",
            "clip render build/night.zemtak.json moth --zoom 2 -o a.png",
        ),
        (
            "clip render build/night.zemtak.json moth -o a.gif",
            "clip render build/night.zemtak.json moth --zoom 2 -o a.gif",
        ),
        ("pattern 16x16 --kind uv -o p.png", "pattern 16x16 --kind cells -o p.png"),
        ("cache rehearse scenes.toml --png r.png", "cache rehearse scenes.toml --png r.png"),
        (
            "quad build/night.zemtak.json moth/0 --as buffer -o q.bin",
            "quad build/night.zemtak.json moth/0 --as buffer -o q.bin",
        ),
        ("view build/night.zemtak.json --html v.html", "view build/night.zemtak.json --html v.html"),
    ] {
        let file = line.rsplit(' ').next().unwrap();
        folder.zemtak(before).exits(0);
        folder.zemtak(line).exits(0);
        let drawn = folder.read(file);
        // Long enough for a mark of ours to be looked for in it.
        let mine = "mine, and nobody else's. ".repeat(20);
        folder.write(file, &mine);
        let run = folder.zemtak(line).exits(2);
        assert!(run.err().contains("it already exists and was not written by zemtak"), "{line}\n{}", run.err());
        assert_eq!(folder.read(file), mine.as_bytes());
        folder.zemtak(&format!("{line} --force")).exits(0);
        assert_eq!(folder.read(file), drawn, "{line}");
    }
    // A page bears another mark than a clip.
    folder.zemtak("clip render build/night.zemtak.json moth -o build/night-half-0.png").exits(2);
    // Other numbers make another buffer, which nothing tells from somebody's own file.
    folder.zemtak("quad build/night.zemtak.json moth/1 --as buffer -o q.bin --at 5,5").exits(2);
}

/// A descriptor with the marks of a merge in it names nothing, and the pages of its atlas would go.
#[test]
fn nothing_goes_while_a_descriptor_cannot_be_read() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    folder.zemtak("pack art --name other -o build").exits(0);
    let whole = folder.read("build/other.zemtak.json");
    folder.write("build/other.zemtak.json", [b"<<<<<<< ours\n", &whole[..]].concat());
    configure(&folder, "[]", "[]");
    folder.zemtak("pack").exits(0);
    assert!(folder.exists("build/other-0.png") && folder.exists("build/night.h"));
    // Once it can, what nobody names goes.
    folder.write("build/other.zemtak.json", whole);
    folder.write("art/moth/1.png", png(&blob(12, 9, [4, 5, 6])));
    folder.zemtak("pack").exits(0);
    assert!(
        folder.exists("build/other-0.png")
            && !folder.exists("build/night.h")
            && !folder.exists("build/night-half-0.png")
    );
}
