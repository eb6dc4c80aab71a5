//! The game on SDL2, held to the same frame put together from the loose images, without anything of ours.

use crate::scene::{Picture, difference, frame};
use crate::{library, run};
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use std::process::Command;
use zemtak_build::PackRequest;

fn loose(name: &str) -> Picture {
    let file = demo().join("art").join(format!("{name}.png"));
    let mut reader = png::Decoder::new(BufReader::new(File::open(&file).unwrap())).read_info().unwrap();
    let mut rgba = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut rgba).unwrap();
    assert_eq!((info.color_type, info.bit_depth), (png::ColorType::Rgba, png::BitDepth::Eight), "{name}");
    Picture { size: [info.width, info.height].map(|side| side as usize), rgba }
}

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../zemtak/demo")
}

fn game(folder: &Path) -> PathBuf {
    let (game, include) = (folder.join("game"), Path::new(env!("CARGO_MANIFEST_DIR")).join("include"));
    let words = |text: String| text.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
    let flags = words(run(Command::new("pkg-config").args(["--cflags", "--libs", "sdl2"])));
    let mut compiler = Command::new("cc");
    compiler
        .args(["-std=c11", "-g", "-Wall", "-Wextra", "-Wpedantic", "-Werror", "-fsanitize=address,undefined"])
        .arg("-I")
        .arg(include);
    compiler.arg(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/moth-courier-sdl/main.c"));
    compiler.arg(library()).args(flags).args(["-lpthread", "-ldl", "-lm", "-o"]).arg(&game);
    run(&mut compiler);
    game
}

#[test]
#[ignore = "needs SDL2"]
fn a_game_on_sdl_draws_what_the_loose_images_show() {
    let folder = tempfile::tempdir().unwrap();
    let (build, file) = (folder.path().join("build"), folder.path().join("frame.rgba"));
    PackRequest::of_project(demo()).out(&build).run(&()).unwrap();
    let game = game(folder.path());
    for number in [0, 1, 47, 100, 333] {
        // The driver of the screen keeps a little; what is ours is looked at by `games_in_c_leak_nothing`.
        let mut game = Command::new(&game);
        game.env("SDL_VIDEODRIVER", "dummy").env("ASAN_OPTIONS", "detect_leaks=0");
        run(game.arg(&build).arg(number.to_string()).arg(&file));
        let seen = std::fs::read(&file).unwrap();
        // SDL rounds each time that it blends, and mirrored sprites twice: it was seen to be off by 3.
        assert_eq!(difference(&seen, &frame(number, loose), 4), None, "frame {number}");
    }
}
