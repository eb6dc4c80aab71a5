//! A game in C and one in C++ on the library: under the sanitizers, and wrong in every way that can be made.

#![cfg(target_os = "linux")]
#![allow(missing_docs, clippy::unwrap_used, clippy::panic, reason = "a test may fail loudly")]
#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, reason = "the numbers of a small picture")]

#[path = "../../../../examples/scene.rs"]
mod scene;
mod sdl;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::Command;
use zemtak_build::PackRequest;
use zemtak_build::settings::Keys;

fn run(command: &mut Command) -> String {
    let output = command.output().unwrap();
    let err = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{command:?}: {}\n{err}", output.status);
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// Builds the library, as a user does, and tells where it is.
fn library() -> PathBuf {
    let cargo = |more: &[&str]| {
        let mut cargo = Command::new(env!("CARGO"));
        cargo.args(["build", "--locked", "--message-format", "json", "-p"]).args(more);
        run(cargo.current_dir(env!("CARGO_MANIFEST_DIR")))
    };
    let told = cargo(&["zemtak-c"]);
    let file = told.split('"').find(|word| word.ends_with("/libzemtak.a")).unwrap();
    PathBuf::from(file)
}

/// Beside the demo: a lamp with all that a sprite may have, a pond of premultiplied colours with a page that repeats,
/// stone in compressed blocks.
const PROJECT: &str = r#"
format = 1
[atlas.hall]
root = "hall"
[[atlas.hall.rule]]
match = "lamp"
layers = { normal = "{name}_n" }
stretch = [4, 4, 4, 4]
points = { light = [7, 5] }
[atlas.pond]
root = "pond"
alpha = "premultiplied"
filter = "linear"
[[atlas.pond.rule]]
match = "water"
wrap = "mirror"
[[atlas.pond.rule]]
match = "lily/*"
fps = 10
events = { 1 = ["open", "ring"] }
[atlas.stone]
root = "stone"
pages_as = "ktx2"
pixels = "bc7"
"#;

/// Where a sprite of the demo becomes one of that project, or a loose image.
const COPIES: [(&str, &str); 8] = [
    ("button/map/up.png", "hall/lamp.png"),
    ("button/map/down.png", "hall/lamp_n.png"),
    ("button/map/up.png", "pond/lily/1.png"),
    ("button/map/down.png", "pond/lily/2.png"),
    ("emblem.png", "pond/water.png"),
    ("button/map/up.png", "stone/slab.png"),
    ("button/map/up.png", "build/loose/a.png"),
    ("button/map/down.png", "build/loose/b.png"),
];

/// The demo's sprites, packed, some of them turned; and that project.
fn demo(folder: &Path) -> PathBuf {
    let (art, build) = (Path::new(env!("CARGO_MANIFEST_DIR")).join("../zemtak/demo/art"), folder.join("build"));
    for (from, to) in COPIES {
        std::fs::create_dir_all(folder.join(to).parent().unwrap()).unwrap();
        std::fs::copy(art.join(from), folder.join(to)).unwrap();
    }
    std::fs::write(folder.join("zemtak.toml"), PROJECT).unwrap();
    PackRequest::of_project(folder).out(&build).run(&()).unwrap();
    let keys = Keys { turn: Some(true), ..Keys::default() };
    PackRequest::of_paths([art]).out(&build).name("night").keys(keys).run(&()).unwrap();
    build
}

fn compiled(folder: &Path, source: &str, library: &Path, more: &[&str]) -> PathBuf {
    let (crate_folder, out) = (Path::new(env!("CARGO_MANIFEST_DIR")), folder.join("game"));
    let mut compiler = Command::new("cc");
    compiler.args(["-std=c11", "-D_GNU_SOURCE", "-g", "-Wall", "-Wextra", "-Wpedantic", "-Werror"]).args(more);
    compiler.arg("-I").arg(crate_folder.join("include")).arg(crate_folder.join("tests/game").join(source)).arg(library);
    run(compiler.args(["-lpthread", "-ldl", "-lm", "-o"]).arg(&out));
    out
}

/// Runs a program under the sanitizers of addresses and of undefined behaviour, then under that of threads.
fn under_sanitizers(source: &str) {
    let folder = tempfile::tempdir().unwrap();
    let build = demo(folder.path());
    let game =
        compiled(folder.path(), source, &library(), &["-fsanitize=address,undefined", "-fno-sanitize-recover=all"]);
    assert_eq!(run(Command::new(game).arg(&build)), "all as it should be\n");
    // What is no part of the program is not watched: the library synchronises by means that the sanitizer does not see.
    let shared = library().with_file_name("libzemtak.so");
    let beside = format!("-Wl,-rpath,{}", shared.parent().unwrap().display());
    let game = compiled(folder.path(), source, &shared, &["-fsanitize=thread", &beside]);
    let mut game = Command::new(game);
    game.env("TSAN_OPTIONS", "ignore_noninstrumented_modules=1").arg(&build);
    assert_eq!(run(&mut game), "all as it should be\n");
}

#[test]
fn a_game_in_c_runs_under_the_sanitizers() {
    under_sanitizers("game.c");
}

/// No test called six of the calls, and none saw whether a setting was taken, or what a device is told of a texture.
#[test]
fn settings_in_c_are_what_they_say() {
    under_sanitizers("settings.c");
}

#[test]
#[ignore = "needs valgrind"]
fn games_in_c_leak_nothing() {
    for source in ["game.c", "settings.c"] {
        let folder = tempfile::tempdir().unwrap();
        let (build, game) = (demo(folder.path()), compiled(folder.path(), source, &library(), &[]));
        let mut valgrind = Command::new("valgrind");
        valgrind.args([
            "--quiet",
            "--error-exitcode=9",
            "--leak-check=full",
            "--errors-for-leak-kinds=definite,indirect",
        ]);
        assert_eq!(run(valgrind.arg(game).arg(build)), "all as it should be\n");
    }
}

/// What C++ adds to the header.
#[test]
fn a_game_in_cpp_gives_everything_back() {
    let folder = tempfile::tempdir().unwrap();
    let (crate_folder, game) = (Path::new(env!("CARGO_MANIFEST_DIR")), folder.path().join("game"));
    let mut compiler = Command::new("c++");
    compiler.args([
        "-std=c++17",
        "-Wall",
        "-Wextra",
        "-Wpedantic",
        "-Wshadow",
        "-Werror",
        "-g",
        "-fsanitize=address,undefined",
        "-I",
    ]);
    compiler.arg(crate_folder.join("include")).arg(crate_folder.join("tests/game/game.cpp")).arg(library());
    run(compiler.args(["-lpthread", "-ldl", "-lm", "-o"]).arg(&game));
    assert_eq!(run(Command::new(game).arg(demo(folder.path()))), "all as it should be\n");
}

/// `scripts/header --check` holds all of it; this, without its tools, that no call is missing.
#[test]
fn the_header_has_every_call() {
    let names = |text: &str, before: &str| -> BTreeSet<String> {
        let name = |rest: &str| rest.split('(').next().unwrap().to_owned();
        text.split(before).skip(1).map(name).filter(|name| name.starts_with("zemtak_")).collect()
    };
    let folder = Path::new(env!("CARGO_MANIFEST_DIR"));
    let sources = std::fs::read_dir(folder.join("src"))
        .unwrap()
        .map(|file| std::fs::read_to_string(file.unwrap().path()).unwrap());
    let exported = names(&sources.collect::<String>(), "pub unsafe extern \"C\" fn ");
    let header = std::fs::read_to_string(folder.join("include/zemtak.h")).unwrap();
    assert_eq!(exported, names(&header, "zemtak_code "));
    assert!(exported.len() > 30, "{}", exported.len());
}
