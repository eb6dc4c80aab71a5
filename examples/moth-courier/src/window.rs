//! The game in a window.

use crate::frame::Frame;
use crate::game::Game;
use crate::renderer::Renderer;
use crate::sink::GlSink;
use glutin::config::ConfigTemplateBuilder;
use glutin::context::{ContextApi, ContextAttributesBuilder, PossiblyCurrentContext, Version};
use glutin::display::GetGlDisplay;
use glutin::prelude::*;
use glutin::surface::{Surface, SwapInterval, WindowSurface};
use glutin_winit::{DisplayBuilder, GlWindow};
use std::error::Error;
use std::num::NonZero;
use std::rc::Rc;
use std::time::{Duration, Instant};
use winit::application::ApplicationHandler;
use winit::dpi::LogicalSize;
use winit::event::WindowEvent;
use winit::event_loop::{ActiveEventLoop, EventLoop};
use winit::raw_window_handle::HasWindowHandle;
use winit::window::{Window, WindowId};
use zemtak_runtime::{Cache, Event, PerFrame, Pump, Settings};

pub fn run(settings: Settings) -> Result<(), Box<dyn Error>> {
    let mut app = App { settings: Some(settings), open: None, failed: None };
    EventLoop::new()?.run_app(&mut app)?;
    app.failed.map_or(Ok(()), Err)
}

struct App {
    settings: Option<Settings>,
    open: Option<Open>,
    failed: Option<Box<dyn Error>>,
}

/// All that lives as long as the window. The pump goes before the context: it drops the textures.
struct Open {
    game: Game,
    cache: Cache,
    pump: Pump<GlSink>,
    frame: Frame,
    renderer: Renderer,
    surface: Surface<WindowSurface>,
    context: PossiblyCurrentContext,
    window: Window,
    last: Instant,
}

impl ApplicationHandler for App {
    fn resumed(&mut self, events: &ActiveEventLoop) {
        let Some(settings) = self.settings.take() else { return };
        match Open::new(events, settings) {
            Ok(open) => self.open = Some(open),
            Err(error) => {
                self.failed = Some(error);
                events.exit();
            }
        }
    }

    fn window_event(&mut self, events: &ActiveEventLoop, _: WindowId, event: WindowEvent) {
        let Some(open) = &mut self.open else { return };
        match event {
            WindowEvent::CloseRequested => {
                self.open = None;
                events.exit();
            }
            WindowEvent::Resized(_) => open.window.resize_surface(&open.surface, &open.context),
            WindowEvent::RedrawRequested => {
                if let Err(error) = open.redraw() {
                    self.failed = Some(error);
                    events.exit();
                }
            }
            _ => {}
        }
    }
}

impl Open {
    fn new(events: &ActiveEventLoop, settings: Settings) -> Result<Self, Box<dyn Error>> {
        let size = LogicalSize::new(1280, 720);
        let attributes = Window::default_attributes().with_title("Moth Courier").with_inner_size(size);
        let builder = DisplayBuilder::new().with_window_attributes(Some(attributes));
        let any = ConfigTemplateBuilder::new();
        let (window, config) = builder.build(events, any, |mut configs| configs.next().expect("a display has one"))?;
        let window = window.ok_or("no window could be opened")?;
        let handle = window.window_handle()?.as_raw();
        let version = ContextApi::Gles(Some(Version::new(3, 0)));
        let context = ContextAttributesBuilder::new().with_context_api(version).build(Some(handle));
        let attributes = window.build_surface_attributes(Default::default())?;
        let display = config.display();
        // SAFETY: the handle is that of the window, which lives as long as the surface and the context.
        let (context, surface) = unsafe {
            (display.create_context(&config, &context)?, display.create_window_surface(&config, &attributes)?)
        };
        let context = context.make_current(&surface)?;
        surface.set_swap_interval(&context, SwapInterval::Wait(NonZero::<u32>::MIN))?;
        // SAFETY: the context is current, and stays so on this thread.
        let gl = Rc::new(unsafe { glow::Context::from_loader_function_cstr(|name| display.get_proc_address(name)) });
        let renderer = Renderer::new(gl.clone())?;
        let (cache, pump) = Cache::new(settings, GlSink::new(gl));
        let (game, frame) = (Game::new(&cache), Frame::new(renderer.white, false));
        Ok(Self { game, cache, pump, frame, renderer, surface, context, window, last: Instant::now() })
    }

    fn redraw(&mut self) -> Result<(), Box<dyn Error>> {
        // After a pause the game goes on where it was.
        let time = std::mem::replace(&mut self.last, Instant::now()).elapsed().min(Duration::from_millis(100));
        self.game.go_on(time);
        self.pump.pump(PerFrame::default());
        for event in self.cache.events() {
            match event {
                Event::Failed(failure) => eprintln!("{failure}"),
                Event::KeptOld(failure) => eprintln!("the old version is still drawn: {failure}"),
                Event::Replaced { name } => println!("a new version of {name}"),
                _ => {}
            }
        }
        self.frame.begin();
        self.game.draw(time, &mut self.frame);
        self.frame.end();
        self.renderer.draw(&self.frame.batch, self.window.inner_size().into());
        self.window.pre_present_notify();
        self.surface.swap_buffers(&self.context)?;
        self.window.request_redraw();
        Ok(())
    }
}
