//! What a game holds: leases, sets, clips, and playing clips.

use crate::sink::number;
use std::time::Duration;
use wasm_bindgen::prelude::*;
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::Part;
use zemtak_runtime::{self as runtime, Status};

/// Status and failure: the same for everything that can be awaited.
macro_rules! awaited {
    ($type:ident, |$own:ident| $status:expr) => {
        #[wasm_bindgen]
        impl $type {
            /// 0 loading, 1 ready, 2 failed; for several, 2 if one failed and the rest is ready.
            #[wasm_bindgen(getter)]
            #[must_use]
            pub fn status(&self) -> u32 {
                let Self($own) = self;
                match $status {
                    Status::Ready => 1,
                    Status::Failed(_) => 2,
                    _ => 0,
                }
            }

            /// Why it failed; for several, the first that failed.
            #[wasm_bindgen(getter)]
            #[must_use]
            pub fn failure(&self) -> Option<String> {
                let Self($own) = self;
                match $status {
                    Status::Failed(failure) => Some(failure.to_string()),
                    _ => None,
                }
            }
        }
    };
}

awaited!(Lease, |lease| lease.status());
awaited!(LeaseSet, |set| set.status());
awaited!(ClipLease, |clip| clip.sprites().status());

/// A counted hold on a sprite, or on a part of one. Give it back with `free()` or `using`.
#[wasm_bindgen]
pub struct Lease(pub(crate) runtime::Lease);

#[wasm_bindgen]
impl Lease {
    /// Its full name.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn name(&self) -> String {
        self.0.name().to_string()
    }

    /// What it shows: its texture, then u and v of the upright corners (top left, top right, bottom right, bottom left;
    /// V down), pivot x, y and canvas width, height in pixels, then x, y, width, height of the stored pixels on the
    /// canvas, and 1 if it is the stand-in. `undefined` while it shows nothing.
    #[must_use]
    pub fn view(&self) -> Option<Vec<f64>> {
        let view = self.0.view()?;
        let (on, canvas) = (view.visible.on_canvas, view.canvas);
        let corners = view.corners(&runtime::coords::Sampling::default());
        let mut told = vec![f64::from(number(view.texture))];
        told.extend(corners.as_flattened().iter().map(|number| f64::from(*number)));
        told.extend(view.pivot);
        told.extend([canvas.w, canvas.h, on.x, on.y, on.w, on.h, u32::from(view.stand_in)].map(f64::from));
        Some(told)
    }

    /// Another lease on the same.
    #[must_use]
    pub fn share(&self) -> Self {
        Self(self.0.clone())
    }

    /// A lease on a part in canvas pixels; `undefined` if nothing of it is stored.
    #[must_use]
    pub fn part(&self, x: i32, y: i32, width: u32, height: u32) -> Option<Self> {
        self.0.part(Part { x, y, w: width, h: height }).ok().map(Self)
    }

    /// The texture of a layer of its page, such as `normal`: the same corners show it. `undefined` while it is not
    /// resident.
    #[must_use]
    pub fn layer(&self, name: &str) -> Option<u32> {
        self.0.layer(name).map(number)
    }

    /// A named point in canvas pixels; `undefined` if it has none of that name.
    #[must_use]
    pub fn point(&self, name: &str) -> Option<Vec<f64>> {
        self.0.details()?.points.get(name).map(|point| point.to_vec())
    }

    /// Tags given in the project file.
    #[must_use]
    pub fn tags(&self) -> Vec<String> {
        self.0.details().map(|details| details.tags.clone()).unwrap_or_default()
    }

    /// The project's own data, as JSON; `undefined` if it has none.
    #[must_use]
    pub fn user(&self) -> Option<String> {
        self.0.details()?.user.clone()
    }
}

/// Many sprites leased together. Give them back with `free()`.
#[wasm_bindgen]
pub struct LeaseSet(pub(crate) runtime::LeaseSet);

#[wasm_bindgen]
impl LeaseSet {
    /// The full names of its sprites.
    #[must_use]
    pub fn names(&self) -> Vec<String> {
        self.0.names().iter().map(ToString::to_string).collect()
    }

    /// Its progress: sprites ready, failed and known; bytes of textures resident and known; and 1 if all sprites are
    /// known.
    #[must_use]
    #[expect(clippy::cast_precision_loss, reason = "for a bar on the screen")]
    pub fn progress(&self) -> Vec<f64> {
        let told = self.0.progress();
        let counts = [told.done, told.failed, told.total].map(|count| count as f64);
        let bytes = [told.bytes, told.total_bytes].map(|bytes| bytes as f64);
        counts.into_iter().chain(bytes).chain([f64::from(u8::from(told.complete))]).collect()
    }
}

/// All sprites of a clip. Give them back with `free()`.
#[wasm_bindgen]
pub struct ClipLease(pub(crate) runtime::ClipLease);

#[wasm_bindgen]
impl ClipLease {
    /// How many steps it has; `undefined` until the clip is known.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn steps(&self) -> Option<usize> {
        self.0.info().map(|info| info.steps)
    }

    /// How many milliseconds it takes to play once; `undefined` until the clip is known.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn milliseconds(&self) -> Option<f64> {
        self.0.info().map(|info| info.length.as_secs_f64() * 1000.0)
    }

    /// Plays it from a position, in milliseconds: start each of a crowd elsewhere, and they do not move in step.
    #[must_use]
    pub fn play(&self, from: Option<f64>) -> Playing {
        Playing { playing: self.0.play_from(Ratio::ONE, duration(from.unwrap_or_default())), now: Now::default() }
    }
}

fn duration(milliseconds: f64) -> Duration {
    Duration::try_from_secs_f64(milliseconds / 1000.0).unwrap_or_default()
}

/// A playing clip. It holds its sprites too. Give it back with `free()`.
#[wasm_bindgen]
pub struct Playing {
    playing: runtime::Playing,
    now: Now,
}

/// What it has shown since the last advance.
#[derive(Default)]
struct Now {
    view: Option<runtime::View>,
    step: usize,
    played: i64,
    ended: bool,
    events: u64,
}

impl Playing {
    pub(crate) fn view(&self) -> Option<&runtime::View> {
        self.now.view.as_ref()
    }
}

#[wasm_bindgen]
impl Playing {
    /// Advances by milliseconds; a negative number plays backwards. They are rounded to nanoseconds, so no step is ever
    /// off by more than that.
    #[expect(clippy::cast_possible_truncation, reason = "a number that is too large is as large as can be")]
    pub fn advance(&mut self, milliseconds: f64) {
        let now = self.playing.advance_by((milliseconds * 1e6).round() as i64);
        let events = now.event_count();
        self.now = Now { view: now.view, step: now.step, played: now.played, ended: now.ended, events };
    }

    /// The current step, from 0.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn step(&self) -> usize {
        self.now.step
    }

    /// How often it has played through.
    #[wasm_bindgen(getter)]
    #[must_use]
    #[expect(clippy::cast_precision_loss, reason = "a game does not last that long")]
    pub fn played(&self) -> f64 {
        self.now.played as f64
    }

    /// Whether a clip that plays once is over.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn ended(&self) -> bool {
        self.now.ended
    }

    /// The events of the steps that began during the last advance, in order.
    #[wasm_bindgen(getter)]
    #[must_use]
    pub fn events(&self) -> Vec<String> {
        (0..self.now.events).filter_map(|index| self.playing.event(index)).map(str::to_owned).collect()
    }

    /// Plays at a speed of `numerator / denominator` from now on; backwards if negative.
    ///
    /// # Errors
    /// The denominator is 0.
    #[wasm_bindgen(js_name = setSpeed)]
    pub fn set_speed(&mut self, numerator: i32, denominator: Option<u32>) -> Result<(), JsError> {
        let speed = Ratio::new(numerator, denominator.unwrap_or(1));
        self.playing.set_speed(speed.ok_or_else(|| JsError::new("a speed has a denominator above 0"))?);
        Ok(())
    }

    /// Jumps to a position of the clip, in milliseconds. What lies before it counts neither as shown nor as played.
    pub fn seek(&mut self, milliseconds: f64) {
        self.playing.seek(duration(milliseconds));
    }

    /// Switches to another clip, at the same fraction of its length.
    #[wasm_bindgen(js_name = goOverTo)]
    pub fn go_over_to(&mut self, clip: &ClipLease) {
        self.playing.go_over_to(&clip.0);
    }
}
