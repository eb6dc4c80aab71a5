//! A game's `build.rs`: packs the atlases of the project file into `OUT_DIR`, and runs again when the art changes.

use zemtak_build::PackRequest;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let packed = PackRequest::of_project("zemtak.toml").out(std::env::var("OUT_DIR")?).run(&())?;
    for input in packed.inputs.paths() {
        println!("cargo::rerun-if-changed={}", input.display());
    }
    Ok(())
}
