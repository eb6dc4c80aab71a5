//! A whole small game without a screen: it loads two scenes of Moth Courier, plays clips, draws quads, and gives
//! everything back. `cargo run -p zemtak-runtime --example game_loop -- moth-courier/build`
//!
//! The folder is what `zemtak demo` builds.

#![allow(clippy::print_stdout, reason = "it has no screen")]

use std::error::Error;
use std::time::Duration;
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::{Placement, Sampling};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, Event, Folder, PerFrame, Pixels, Playing, Pump, Settings, SimulatedDevice, View};

/// A sixtieth of a second.
const FRAME: Duration = Duration::from_nanos(16_666_667);

/// A game's own device would implement `Sink`; this one only counts.
type Device = Pump<SimulatedDevice>;

/// A moth or a lantern: where it is, and what it plays.
struct Thing {
    at: [f64; 2],
    moves: [f64; 2],
    clip: Playing,
}

fn main() -> Result<(), Box<dyn Error>> {
    let assets = std::env::args().nth(1).unwrap_or_else(|| "moth-courier/build".into());
    // Magenta until the sprite is there, and where it is missing.
    let stand_in = Pixels::from_rgba(Size::new(1, 1), vec![255, 0, 255, 255]);
    let settings = Settings { stand_in, ..Settings::over(Folder::new(assets)) };
    let (cache, mut device) = Cache::new(settings, SimulatedDevice::new().with_memory(64 << 20));
    desk(&cache.named("desk"), &mut device)?;
    night(&cache.named("night"), &mut device);
    // Between two scenes is a good moment to give back what nobody holds.
    cache.trim();
    let ledger = device.finish();
    println!("\nAt the end:\n{ledger}");
    if ledger.leases > 0 {
        return Err("something still holds sprites".into());
    }
    Ok(())
}

/// A loading screen: wait for a whole atlas, and tell how far it is.
fn desk(cache: &Cache, device: &mut Device) -> Result<(), Box<dyn Error>> {
    let buttons = cache.lease_all(["menu:**"]);
    device.wait(&buttons)?;
    let progress = buttons.progress();
    println!("desk: {} sprites of {} are ready, {} bytes", progress.done, progress.total, progress.bytes);
    device.sink_mut().begin_frame();
    for at in 0..progress.total {
        buttons.view(at).into_iter().for_each(|view| draw(device, &view, [40.0, 30.0]));
    }
    tell(device, "desk");
    Ok(())
}

/// The game itself: nothing waits, what is not there yet is drawn as the stand-in.
fn night(cache: &Cache, device: &mut Device) {
    let flying = cache.lease_clip("scene:moth/fly");
    let glowing = cache.lease_clip("scene:lantern/amber");
    let mut things: Vec<Thing> = (0..40_u8)
        .map(|i| {
            let clip = if i < 30 { &flying } else { &glowing };
            let speed = Ratio::new(i32::from(90 + i % 7 * 4), 100).unwrap_or(Ratio::ONE);
            let moves = if i < 30 { [0.4 + f64::from(i % 5) * 0.1, -0.05] } else { [0.0; 2] };
            Thing { at: [f64::from(i) * 8.0, 100.0], moves, clip: clip.play(speed) }
        })
        .collect();
    let _ = cache.events();
    for frame in 0..180 {
        // A few textures a frame, so that no frame is long.
        device.pump(PerFrame::default());
        for event in cache.events() {
            match event {
                Event::Loaded { path, bytes } => println!("frame {frame}: {path} is there, {bytes} bytes"),
                Event::Failed(failure) => println!("frame {frame}: {failure}"),
                _ => {}
            }
        }
        // Where a game waits for its screen.
        std::thread::sleep(Duration::from_millis(1));
        device.sink_mut().begin_frame();
        for thing in &mut things {
            thing.at = [thing.at[0] + thing.moves[0], thing.at[1] + thing.moves[1]];
            let now = thing.clip.advance(FRAME);
            now.view.iter().for_each(|view| draw(device, view, thing.at));
        }
    }
    tell(device, "night");
}

/// What a game does with its graphics API: bind the texture, append four vertices and six indices.
fn draw(device: &mut Device, view: &View, at: [f64; 2]) {
    let quad = view.quad(&Placement { at, ..Placement::default() }, &Sampling::default());
    assert!(quad.positions.iter().flatten().all(|number| number.is_finite()), "a vertex is nowhere");
    device.sink_mut().draw(view.texture);
}

fn tell(device: &Device, scene: &str) {
    let work = device.sink().work();
    println!("{scene}: so far {} sprites drawn in {} batches", work.draws, work.binds);
}
