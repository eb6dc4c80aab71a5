//! Moth Courier: a small game drawn with OpenGL ES through Zemtak's resource cache.
//!
//! `zemtak demo` writes what it shows; then, beside that folder:
//!
//! ```text
//! cargo run --release --manifest-path examples/moth-courier/Cargo.toml                   # in a window
//! cargo run --release --manifest-path examples/moth-courier/Cargo.toml -- --offscreen    # without one, compared
//! ```
//!
//! Start `zemtak watch` in that folder and paint over a sprite while the window is open: it changes at once.

mod frame;
mod game;
mod offscreen;
mod reference;
mod renderer;
mod sink;
mod window;

use clap::Parser;
use std::error::Error;
use std::path::PathBuf;
use std::time::Duration;
use zemtak_runtime::{Folder, Pixels, Settings};

/// The units in which the game places things.
pub const WIDTH: f32 = 640.0;
pub const HEIGHT: f32 = 360.0;

#[derive(Parser)]
/// A moth gathers letters over a pond at night
struct Options {
    /// The folder that `zemtak demo` has written
    #[arg(default_value = "moth-courier")]
    demo: PathBuf,
    /// Draw without a window, and compare the last frame with one drawn from the loose images
    #[arg(long)]
    offscreen: bool,
    /// How many frames to draw then
    #[arg(long, value_name = "N", default_value_t = 100)]
    frames: u32,
    /// Where to put the last of them
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
}

fn main() -> Result<(), Box<dyn Error>> {
    let options = Options::parse();
    let build = options.demo.join("build");
    if !build.join("scene.zemtak.json").is_file() {
        return Err(format!("{} has no scene.zemtak.json: write it with `zemtak demo`", build.display()).into());
    }
    // Magenta where something is missing.
    let stand_in = Pixels::from_rgba([1, 1].into(), vec![255, 0, 255, 255]);
    let watch = Some(Duration::from_millis(300));
    let settings = Settings { stand_in, watch, ..Settings::over(Folder::new(build)) };
    if options.offscreen {
        offscreen::run(settings, &options.demo.join("art"), options.frames, options.png.as_deref())
    } else {
        window::run(settings)
    }
}
