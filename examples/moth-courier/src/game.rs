//! The game itself: a moth gathers letters over a pond, a menu comes and goes, and the cache's account is drawn below.

use crate::frame::Frame;
use std::time::Duration;
use zemtak_runtime::clip::Ratio;
use zemtak_runtime::coords::tiles;
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, ClipLease, FrameLine, Lease, LeaseSet, Look, Playing};

/// How long the menu is open, and how long it is closed then.
const MENU: [u64; 2] = [2500, 2500];
/// What the bar of a frame stands on, and its height.
const ACCOUNT: ([i32; 2], i32) = ([8, 352], 44);
/// Of a button of the menu: its icon lies in the left band and keeps its size, and so does its pivot, 35 pixels from the left.
const BANDS: [u32; 4] = [46, 8, 12, 10];

/// Layers, from the back to the front.
mod layer {
    pub const SKY: i32 = 0;
    pub const POND: i32 = 1;
    pub const THINGS: i32 = 2;
    pub const MOTH: i32 = 3;
    pub const MENU: i32 = 4;
    pub const ACCOUNT: i32 = 5;
}

pub struct Game {
    cache: Cache,
    /// Holds all that is drawn at night, so that nothing of it is loaded while the moth flies.
    night: LeaseSet,
    fixed: Vec<(Lease, [i32; 2], i32)>,
    water: Lease,
    moving: Vec<(Playing, [i32; 2])>,
    moth: Playing,
    letters: Vec<Letter>,
    letterbox: Playing,
    menu: Option<Menu>,
    frames: Vec<FrameLine>,
    time: Duration,
}

struct Letter {
    lease: Lease,
    at: [i32; 2],
    gathered: bool,
}

/// The menu holds its sprites as long as it is open.
struct Menu {
    all: LeaseSet,
    emblem: Lease,
    buttons: Vec<(String, Lease)>,
}

impl Game {
    pub fn new(cache: &Cache) -> Self {
        let night = cache.named("night");
        let at = |name: &str| night.lease(format!("scene:{name}").as_str());
        let stars = [(40, 30), (150, 52), (222, 24), (330, 66), (436, 34), (606, 92), (90, 96)];
        let stars = stars.into_iter().zip(["star/large", "star/small"].into_iter().cycle());
        let mut fixed: Vec<_> = stars.map(|((x, y), name)| (at(name), [x, y], layer::SKY)).collect();
        fixed.push((at("moon/phase/04"), [556, 60], layer::SKY));
        let clip = |name: &str| night.lease_clip(&format!("scene:{name}"));
        let flying = clip("moth/fly");
        let names = ["letter/air", "letter/plain", "letter/sealed", "letter/bundle"];
        let letters = (0..).zip(names).map(|(i, name)| {
            let (lease, gathered) = (at(name), false);
            Letter { lease, at: [150 + 120 * i, 190 - 40 * (i % 2)], gathered }
        });
        Self {
            night: night.pin(["scene:**"]),
            fixed,
            water: at("tile/water"),
            moving: things(clip),
            moth: flying.play(Ratio::ONE),
            letters: letters.collect(),
            letterbox: clip("letterbox/open").play(Ratio::new(0, 1).unwrap_or(Ratio::ONE)),
            menu: None,
            frames: Vec::new(),
            time: Duration::ZERO,
            cache: cache.clone(),
        }
    }

    /// What to wait for before the night begins.
    pub fn night(&self) -> &LeaseSet {
        &self.night
    }

    /// Goes on by a time: asks for what is needed, and gives back what is not. Nothing is waited for.
    pub fn go_on(&mut self, time: Duration) {
        self.time += time;
        let [open, closed] = MENU;
        let wanted = self.time.as_millis() % u128::from(open + closed) < u128::from(open);
        if wanted && self.menu.is_none() {
            self.menu = Some(Menu::open(&self.cache.named("menu")));
        } else if !wanted && self.menu.take().is_some() {
            // Nobody needs the buttons for a while.
            self.cache.trim();
        }
        let (at, _) = self.moth_is();
        for letter in &mut self.letters {
            let near = at[0].abs_diff(letter.at[0]) < 24 && (at[1] - 32).abs_diff(letter.at[1]) < 28;
            if near && !letter.gathered {
                letter.gathered = true;
                // The box opens a little for each.
                self.letterbox.set_speed(Ratio::new(1, 4).unwrap_or(Ratio::ONE));
            }
        }
    }

    /// Where the moth is, and whether it flies to the left.
    fn moth_is(&self) -> ([i32; 2], bool) {
        let t = self.time.as_secs_f64();
        let at = [320.0 + 250.0 * (t * 0.7).sin(), 190.0 + 50.0 * (t * 1.9).sin()];
        (at.map(|v: f64| v.round() as i32), (t * 0.7).cos() < 0.0)
    }

    /// Draws all of it, after `go_on` by the same time.
    pub fn draw(&mut self, time: Duration, frame: &mut Frame) {
        let look = |layer: i32| Look { layer, ..Look::default() };
        frame.bar([640, 360], [0, 0], Look { layer: layer::SKY, tint: [24, 22, 54, 255] });
        for (lease, at, layer) in &self.fixed {
            frame.sprite(|| lease.name().to_string(), lease.view(), *at, false, look(*layer));
        }
        self.draw_pond(frame);
        for (thing, at) in &mut self.moving {
            play(frame, thing, time, *at, false, look(layer::THINGS));
        }
        play(frame, &mut self.letterbox, time, [604, 232], false, look(layer::THINGS));
        // What was gathered is counted in a corner.
        let mut corner = [610, 336];
        for letter in &self.letters {
            let (mut at, mut layer) = (letter.at, layer::THINGS);
            if letter.gathered {
                (at, layer) = (corner, layer::ACCOUNT);
                corner[0] -= 46;
            }
            frame.sprite(|| letter.lease.name().to_string(), letter.lease.view(), at, false, look(layer));
        }
        let (at, left) = self.moth_is();
        play(frame, &mut self.moth, time, at, left, look(layer::MOTH));
        if let Some(menu) = &self.menu {
            menu.draw(frame);
        }
        self.draw_account(frame);
    }

    /// Water covers the lower part: a page cannot repeat a part of itself, so it is laid in tiles.
    fn draw_pond(&self, frame: &mut Frame) {
        let Some(view) = self.water.view() else { return };
        let pond = Size::new(640, 100);
        for ([x, y], part) in tiles(view.canvas, pond).into_iter().flatten() {
            let [px, py] = view.pivot.map(|v| v as i32);
            let at = [x.cast_signed() + px, 260 + y.cast_signed() + py];
            frame.part("scene:tile/water", &view, part, at, Look { layer: layer::POND, ..Look::default() });
        }
    }

    /// The last four seconds of the cache: amber what was made, rose what was missed, teal what is resident.
    fn draw_account(&mut self, frame: &mut Frame) {
        self.cache.frames(&mut self.frames);
        let ([left, bottom], height) = ACCOUNT;
        let look = |tint: [u8; 4]| Look { layer: layer::ACCOUNT, tint };
        frame.bar([244, height as u32 + 4], [left - 2, bottom - height - 2], look([10, 8, 24, 170]));
        for (x, own) in (left..).zip(&self.frames) {
            // Three pixels more for each doubling, from 1 KiB on.
            let log = |bytes: u64| (bytes >> 10).checked_ilog2().map_or(0, |log| (log as i32 * 3).min(height));
            if own.made > 0 {
                let tall = log(own.made_bytes).max(1);
                frame.bar([1, tall as u32], [x, bottom - tall], look([255, 190, 92, 255]));
            }
            if own.misses > 0 {
                frame.bar([1, 4], [x, bottom - height], look([240, 96, 130, 255]));
            }
            frame.bar([1, 1], [x, bottom - log(own.resident_bytes)], look([110, 220, 200, 255]));
        }
    }
}

/// Lanterns above and reeds below, none in step with another.
fn things(clip: impl Fn(&str) -> ClipLease) -> Vec<(Playing, [i32; 2])> {
    let lanterns = ["amber", "rose", "teal"].map(|colour| clip(&format!("lantern/{colour}")));
    let reed = clip("reed/sway");
    let lanterns = (0..5).map(|i| {
        let place = Duration::from_millis(170 * i);
        (lanterns[i as usize % 3].play_from(Ratio::ONE, place), [64 + 110 * i as i32, 0])
    });
    let reeds = (0..9).map(|i| {
        let place = Duration::from_millis(210 * i);
        (reed.play_from(Ratio::ONE, place), [24 + 74 * i as i32 - 20 * (i as i32 % 2), 268 + 14 * (i as i32 % 3)])
    });
    lanterns.chain(reeds).collect()
}

/// Draws what a clip shows after a time.
fn play(frame: &mut Frame, clip: &mut Playing, time: Duration, at: [i32; 2], flipped: bool, look: Look) {
    let now = clip.advance(time);
    let (view, step) = (now.view, now.step);
    let name = || clip.clip().sprites().names().get(step).map(ToString::to_string).unwrap_or_default();
    frame.sprite(name, view, at, flipped, look);
}

impl Menu {
    fn open(cache: &Cache) -> Self {
        let buttons = ["button/play/over", "button/map/up", "button/post/up"].map(|name| {
            let name = format!("menu:{name}");
            let lease = cache.lease(name.as_str());
            (name, lease)
        });
        Self { all: cache.lease_all(["menu:**"]), emblem: cache.lease("menu:emblem"), buttons: buttons.into() }
    }

    fn draw(&self, frame: &mut Frame) {
        // Not before all of it is there: a menu that fills up piece by piece looks broken.
        if self.all.progress().done < self.all.progress().total {
            return;
        }
        let look = Look { layer: layer::MENU, ..Look::default() };
        frame.bar([196, 250], [222, 50], Look { tint: [12, 10, 32, 180], ..look });
        frame.sprite(|| "menu:emblem".into(), self.emblem.view(), [320, 122], false, look);
        for (i, (name, button)) in (0..).zip(&self.buttons) {
            frame.panel(name, button.view(), BANDS, [160, 28], [240 + 35, 212 + 34 * i], look);
        }
    }
}
