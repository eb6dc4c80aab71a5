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

/// The demo's sprites, packed, some of them turned; and a lamp of the hall, with all that a sprite may have.
fn demo(folder: &Path) -> PathBuf {
    let (art, build) = (Path::new(env!("CARGO_MANIFEST_DIR")).join("../zemtak/demo/art"), folder.join("build"));
    let hall = folder.join("hall");
    std::fs::create_dir(&hall).unwrap();
    for (from, to) in [("button/map/up.png", "lamp.png"), ("button/map/down.png", "lamp_n.png")] {
        std::fs::copy(art.join(from), hall.join(to)).unwrap();
    }
    let project = "format = 1\n[atlas.hall]\nroot = \"hall\"\n[[atlas.hall.rule]]\nmatch = \"lamp\"\nlayers = { normal = \"{name}_n\" }\n\
        stretch = [4, 4, 4, 4]\npoints = { light = [7, 5] }\n";
    std::fs::write(folder.join("zemtak.toml"), project).unwrap();
    PackRequest::of_project(folder).out(&build).run(&()).unwrap();
    let keys = Keys { turn: Some(true), ..Keys::default() };
    PackRequest::of_paths([art]).out(&build).name("night").keys(keys).run(&()).unwrap();
    build
}

fn compiled(folder: &Path, library: &Path, more: &[&str]) -> PathBuf {
    let (crate_folder, out) = (Path::new(env!("CARGO_MANIFEST_DIR")), folder.join("game"));
    let mut compiler = Command::new("cc");
    compiler.args(["-std=c11", "-D_GNU_SOURCE", "-g", "-Wall", "-Wextra", "-Wpedantic", "-Werror"]).args(more);
    compiler.arg("-I").arg(crate_folder.join("include")).arg(crate_folder.join("tests/game/game.c")).arg(library);
    run(compiler.args(["-lpthread", "-ldl", "-lm", "-o"]).arg(&out));
    out
}

#[test]
fn a_game_in_c_runs_under_the_sanitizers() {
    let folder = tempfile::tempdir().unwrap();
    let build = demo(folder.path());
    let game = compiled(folder.path(), &library(), &["-fsanitize=address,undefined", "-fno-sanitize-recover=all"]);
    assert_eq!(run(Command::new(game).arg(&build)), "all as it should be\n");
    // What is no part of the program is not watched: the library synchronises by means that the sanitizer does not see.
    let shared = library().with_file_name("libzemtak.so");
    let beside = format!("-Wl,-rpath,{}", shared.parent().unwrap().display());
    let game = compiled(folder.path(), &shared, &["-fsanitize=thread", &beside]);
    let mut game = Command::new(game);
    game.env("TSAN_OPTIONS", "ignore_noninstrumented_modules=1").arg(&build);
    assert_eq!(run(&mut game), "all as it should be\n");
}

#[test]
#[ignore = "needs valgrind"]
fn a_game_in_c_leaks_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let (build, game) = (demo(folder.path()), compiled(folder.path(), &library(), &[]));
    let mut valgrind = Command::new("valgrind");
    valgrind.args(["--quiet", "--error-exitcode=9", "--leak-check=full", "--errors-for-leak-kinds=definite,indirect"]);
    assert_eq!(run(valgrind.arg(game).arg(build)), "all as it should be\n");
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
