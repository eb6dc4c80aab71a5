//! Frames without a screen, the last one held against the loose images.

use crate::frame::Frame;
use crate::game::Game;
use crate::reference::{Picture, Reference};
use crate::renderer::Renderer;
use crate::sink::GlSink;
use glutin::api::egl::device::Device;
use glutin::api::egl::display::Display;
use glutin::config::{ConfigSurfaceTypes, ConfigTemplateBuilder};
use glutin::context::{ContextApi, ContextAttributesBuilder, Version};
use glutin::prelude::*;
use glutin::surface::{PbufferSurface, SurfaceAttributesBuilder};
use std::error::Error;
use std::num::NonZero;
use std::path::Path;
use std::rc::Rc;
use std::time::Duration;
use zemtak_runtime::{Cache, PerFrame, Settings};

/// Screen pixels for each of the game's.
const SCALE: u32 = 2;
const SIZE: [u32; 2] = [640 * SCALE, 360 * SCALE];
/// How far a channel may be off: graphics cards round each time they blend, and not all alike.
const ALLOWED: u8 = 2;
const FRAME: Duration = Duration::from_nanos(16_666_667);

pub fn run(settings: Settings, art: &Path, frames: u32, png: Option<&Path>) -> Result<(), Box<dyn Error>> {
    with_context(|gl| {
        let renderer = Renderer::new(gl.clone())?;
        let (cache, mut pump) = Cache::new(settings, GlSink::new(gl));
        let mut game = Game::new(&cache);
        pump.wait(game.night())?;
        let mut frame = Frame::new(renderer.white, true);
        let mut draws = 0;
        for _ in 0..frames.max(1) {
            game.go_on(FRAME);
            pump.pump(PerFrame::default());
            // There is no screen to wait for, so files are waited for instead.
            while !cache.is_idle() {
                pump.pump(PerFrame::default());
            }
            frame.begin();
            game.draw(FRAME, &mut frame);
            frame.end();
            draws = renderer.draw(&frame.batch, SIZE);
        }
        let drawn = Picture { size: SIZE, pixels: renderer.pixels(SIZE) };
        if let Some(png) = png {
            drawn.save(png)?;
        }
        println!("{} sprites in {draws} draws", frame.batch.len());
        let expected = Reference::new(art).draw(frame.shown.as_deref().unwrap_or_default(), SCALE)?;
        compare(&drawn, &expected)?;
        drop(game);
        let ledger = pump.finish();
        println!("{} loads, {} leases at the end", ledger.loads, ledger.leases);
        if ledger.leases > 0 { Err(format!("something still holds sprites:\n{ledger}").into()) } else { Ok(()) }
    })
}

fn compare(drawn: &Picture, expected: &Picture) -> Result<(), Box<dyn Error>> {
    if drawn.pixels.len() != expected.pixels.len() {
        return Err(format!("{} pixels were read back instead of {}", drawn.pixels.len(), expected.pixels.len()).into());
    }
    let off: Vec<u8> = drawn.pixels.iter().zip(&expected.pixels).map(|(own, other)| distance(*own, *other)).collect();
    if let Some(first) = off.iter().position(|off| *off > ALLOWED) {
        let wrong = off.iter().filter(|off| **off > ALLOWED).count();
        let [x, y] = [first % SIZE[0] as usize, first / SIZE[0] as usize];
        let (own, other) = (drawn.pixels[first], expected.pixels[first]);
        return Err(format!("{wrong} pixels differ, first {x}, {y}: {own:?} instead of {other:?}").into());
    }
    let most = off.iter().max().unwrap_or(&0);
    println!("{} pixels as the loose images say, none off by more than {most} of 255", off.len());
    Ok(())
}

/// How far the channel that differs most is off.
fn distance(own: [u8; 4], other: [u8; 4]) -> u8 {
    own.iter().zip(other).map(|(a, b)| a.abs_diff(b)).max().unwrap_or(0)
}

/// Runs something with an OpenGL ES 3 context that draws into memory.
fn with_context<T>(run: impl FnOnce(Rc<glow::Context>) -> Result<T, Box<dyn Error>>) -> Result<T, Box<dyn Error>> {
    let devices: Vec<Device> = Device::query_devices()?.collect();
    let mut last: Box<dyn Error> = "no EGL device is there".into();
    for device in &devices {
        match context_on(device) {
            Ok((context, surface, gl)) => {
                let result = run(Rc::new(gl));
                drop((context, surface));
                return result;
            }
            Err(error) => last = error,
        }
    }
    Err(last)
}

type Current = (
    glutin::api::egl::context::PossiblyCurrentContext,
    glutin::api::egl::surface::Surface<PbufferSurface>,
    glow::Context,
);

fn context_on(device: &Device) -> Result<Current, Box<dyn Error>> {
    // SAFETY: there is no native display that could go away before this one.
    let display = unsafe { Display::with_device(device, None)? };
    let template = ConfigTemplateBuilder::new().with_surface_type(ConfigSurfaceTypes::PBUFFER).with_alpha_size(8);
    // SAFETY: the template names no native window.
    let config = unsafe { display.find_configs(template.build())? }.next().ok_or("no configuration is there")?;
    let version = ContextApi::Gles(Some(Version::new(3, 0)));
    let attributes = ContextAttributesBuilder::new().with_context_api(version).build(None);
    let [w, h] = SIZE.map(|side| NonZero::new(side).unwrap_or(NonZero::<u32>::MIN));
    let surface = SurfaceAttributesBuilder::<PbufferSurface>::new().build(w, h);
    // SAFETY: display and configuration are those from above.
    let (context, surface) =
        unsafe { (display.create_context(&config, &attributes)?, display.create_pbuffer_surface(&config, &surface)?) };
    let context = context.make_current(&surface)?;
    // SAFETY: the context is current, and stays so on this thread.
    let gl = unsafe { glow::Context::from_loader_function_cstr(|name| display.get_proc_address(name)) };
    Ok((context, surface, gl))
}
