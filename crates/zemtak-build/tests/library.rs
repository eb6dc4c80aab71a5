//! The library as its users call it: from a build script, followed, stopped.

#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, reason = "a test may fail loudly")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use zemtak_build::{Allowance, Cause, Failure, Limits, Observer, PackRequest, Phase, Proof, State, Verify};
use zemtak_core::atlas::parse;
use zemtak_core::codec::{self, PngEffort, decode, encode_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

fn png(side: u32, grey: u8) -> Vec<u8> {
    let pixels = [grey, grey, grey, 255].repeat((side * side) as usize);
    encode_png(&Pixels::from_rgba(Size::new(side, side), pixels).unwrap(), PngEffort::Fast).unwrap()
}

/// A game with a project file and some art.
fn game() -> tempfile::TempDir {
    let game = tempfile::tempdir().unwrap();
    fs::create_dir_all(game.path().join("art/moth")).unwrap();
    for frame in 0..4 {
        fs::write(game.path().join(format!("art/moth/{frame}.png")), png(8 + frame, 40)).unwrap();
    }
    let project = "format = 1\n[atlas.night]\nroot = \"art\"\nalso = [\"template:names.txt.jinja\"]\n";
    fs::write(game.path().join("zemtak.toml"), project).unwrap();
    fs::write(game.path().join("names.txt.jinja"), "{{ name }}\n").unwrap();
    game
}

/// Runs the example as Cargo runs a build script: in the game's folder, with a folder for what it makes.
fn build_script(game: &Path) -> Output {
    let example = std::env::current_exe().unwrap().with_file_name("").join("../examples/build_script");
    let mut command = Command::new(example.with_extension(std::env::consts::EXE_EXTENSION));
    command.current_dir(game).env("OUT_DIR", game.join("out")).output().expect("cargo test builds examples")
}

#[test]
fn a_build_script_packs_and_says_when_to_run_again() {
    let game = game();
    let run = build_script(game.path());
    let told = String::from_utf8(run.stdout).unwrap();
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let mut again: Vec<&str> = told.lines().collect();
    again.sort_unstable();
    let expected = ["art", "names.txt.jinja", "zemtak.toml"].map(|path| format!("cargo::rerun-if-changed={path}"));
    assert_eq!(again, expected);
    let made = ["night-0.png", "night.zemtak.json", "night.names.txt"].map(|file| game.path().join("out").join(file));
    assert!(made.iter().all(|file| file.exists()), "{made:?}");
    let before = fs::read(&made[0]).unwrap();
    fs::write(game.path().join("art/moth/2.png"), png(10, 90)).unwrap();
    assert!(build_script(game.path()).status.success());
    assert_ne!(fs::read(&made[0]).unwrap(), before);
    // What is wrong is told in words that a person can use, and the good build stays.
    fs::write(game.path().join("art/moth/3.png"), "no picture").unwrap();
    let broken = build_script(game.path());
    let told = String::from_utf8(broken.stderr).unwrap();
    assert!(!broken.status.success() && told.contains("moth/3.png") && told.contains("not an image"), "{told}");
    assert!(made.iter().all(|file| file.exists()));
}

/// Notes all that it is told, and stops a build in a phase.
#[derive(Default)]
struct Notes {
    told: Mutex<Vec<(Phase, Option<usize>, usize)>>,
    stop_in: Option<Phase>,
    stopped: AtomicBool,
}

impl Observer for Notes {
    fn began(&self, phase: Phase, total: Option<usize>) {
        self.told.lock().unwrap().push((phase, total, 0));
        self.stopped.fetch_or(self.stop_in == Some(phase), Ordering::SeqCst);
    }

    fn advanced(&self, phase: Phase) {
        self.told.lock().unwrap().iter_mut().rfind(|(own, ..)| *own == phase).unwrap().2 += 1;
    }

    fn cancelled(&self) -> bool {
        self.stopped.load(Ordering::SeqCst)
    }
}

fn request(game: &Path) -> PackRequest {
    PackRequest::of_project(game).out(game.join("out"))
}

#[test]
fn an_observer_is_told_each_phase_and_every_item_of_it() {
    let game = game();
    let notes = Notes::default();
    let packed = request(game.path()).run(&notes).unwrap();
    let told = notes.told.into_inner().unwrap();
    assert_eq!(told, [(Phase::Reading, Some(4), 4), (Phase::LayingOut, None, 0), (Phase::Drawing, Some(1), 1)]);
    let files: Vec<PathBuf> = packed.files.iter().map(|file| file.path.clone()).collect();
    let named = |name: &str| game.path().join("out").join(name);
    assert_eq!(files, [named("night-0.png"), named("night.names.txt"), named("night.zemtak.json")]);
    assert!(packed.files.iter().all(|file| file.changed) && packed.wrote());
    let again = request(game.path()).run(&()).unwrap();
    assert!(again.atlases[0].state == State::Unchanged && again.files.iter().all(|file| !file.changed));
}

#[test]
fn a_build_that_is_stopped_in_any_phase_leaves_nothing_and_says_so() {
    for phase in [Phase::Reading, Phase::LayingOut, Phase::Drawing] {
        let game = game();
        let notes = Notes { stop_in: Some(phase), ..Notes::default() };
        let failure = request(game.path()).run(&notes).unwrap_err();
        assert_eq!(failure.cause(), Cause::Interrupted, "{failure}");
        assert!(!game.path().join("out").exists(), "{phase:?}");
    }
}

/// Compares the built atlas with its art. Its pages are read by whoever calls: here without a look at their hashes.
fn verified(game: &Path, notes: &Notes) -> Result<Proof, Failure> {
    verified_against(&game.join("art"), game, notes)
}

fn verified_against(art: &Path, game: &Path, notes: &Notes) -> Result<Proof, Failure> {
    let descriptor = game.join("out/night.zemtak.json");
    let atlas = parse(&fs::read_to_string(&descriptor).unwrap()).unwrap().atlas;
    let read = |page: usize, _: Option<&str>| {
        let bytes = fs::read(game.join("out").join(&atlas.pages[page].file))?;
        Ok(Some(decode(&bytes, None, &codec::Limits::default())?.pixels))
    };
    Verify {
        descriptor: &descriptor,
        atlas: &atlas,
        unknown_keys: &[],
        read: &read,
        against: Some(art),
        project: None,
        mips: None,
        allowance: &Allowance::new(Limits::default()),
    }
    .run(notes)
}

#[test]
fn an_atlas_is_compared_with_its_art_and_all_that_differs_is_told() {
    let game = game();
    request(game.path()).run(&()).unwrap();
    let notes = Notes::default();
    let proof = verified(game.path(), &notes).unwrap();
    assert!(proof.holds() && proof.sprites == 4 && proof.pages == 1, "{proof:?}");
    assert_eq!(notes.told.into_inner().unwrap(), [(Phase::Comparing, Some(4), 4)]);
    let stopped = verified(game.path(), &Notes { stop_in: Some(Phase::Comparing), ..Notes::default() });
    assert_eq!(stopped.unwrap_err().cause(), Cause::Interrupted);

    let told = |proof: Proof| -> Vec<(&str, Option<String>)> {
        assert!(!proof.holds());
        proof.defects.iter().map(|defect| (defect.code(), defect.about().map(str::to_owned))).collect()
    };
    let (page, frame) = (game.path().join("out/night-0.png"), |n: u32| game.path().join(format!("art/moth/{n}.png")));
    let sprite = |n: u32| Some(format!("moth/{n}"));
    // A folder with none of them is told once.
    let elsewhere = verified_against(&game.path().join("art/moth"), game.path(), &Notes::default()).unwrap();
    let folder = zemtak_build::format::path(&game.path().join("art/moth"));
    assert_eq!(told(elsewhere), [("no_source", Some(folder))]);
    fs::write(frame(1), png(9, 80)).unwrap();
    fs::remove_file(frame(0)).unwrap();
    fs::remove_file(frame(2)).unwrap();
    fs::write(frame(7), png(9, 80)).unwrap();
    fs::write(frame(3), "no picture").unwrap();
    let proof = verified(game.path(), &Notes::default()).unwrap();
    assert_eq!((proof.problems.len(), proof.images_not_in_atlas), (1, 1), "{proof:?}");
    let expected = [("no_source", sprite(0)), ("no_source", sprite(2)), ("other_pixels", sprite(1))];
    assert_eq!(told(proof), expected);
    // Where cells have no room for their rings, those say nothing.
    let descriptor = game.path().join("out/night.zemtak.json");
    let text = fs::read_to_string(&descriptor).unwrap();
    fs::write(&descriptor, text.replace("\"extrude\": 1", "\"extrude\": 3")).unwrap();
    let codes: Vec<&str> =
        told(verified(game.path(), &Notes::default()).unwrap()).iter().map(|(code, _)| *code).collect();
    assert!(codes.contains(&"in_margin") && !codes.contains(&"wrong_ring"), "{codes:?}");
    fs::write(&descriptor, text).unwrap();
    fs::write(&page, "no page").unwrap();
    let file = || Some(zemtak_build::format::path(&page));
    assert_eq!(told(verified(game.path(), &Notes::default()).unwrap())[0], ("wrong_page", file()));
    fs::remove_file(&page).unwrap();
    assert_eq!(told(verified(game.path(), &Notes::default()).unwrap())[0], ("missing_page", file()));
}
