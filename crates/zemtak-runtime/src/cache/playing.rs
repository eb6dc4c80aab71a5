//! Clips that are held, and clips that play.

use super::clips::ClipInfo;
use super::lease_set::LeaseSet;
use super::ready::Ready;
use super::sets::ReadyClip;
use super::view::View;
use super::wanted::{Awaited, Handle};
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::clip::{Entered, Player, Ratio, Turns};

/// The sprites of a clip, held together. Clones are cheap and share the same hold: a crowd shares one.
#[derive(Debug, Clone)]
pub struct ClipLease(LeaseSet);

impl ClipLease {
    pub(super) fn new(set: LeaseSet) -> Self {
        Self(set)
    }

    /// The sprites of its steps, in order; one that is shown twice is listed twice. Empty until the clip is known.
    #[must_use]
    pub fn sprites(&self) -> &LeaseSet {
        &self.0
    }

    /// A player at the beginning of the clip. A speed of 1 is the clip's own, 0 stands still, a negative one plays
    /// backwards.
    #[must_use]
    pub fn play(&self, speed: Ratio) -> Playing {
        self.play_from(speed, Duration::ZERO)
    }

    /// A player that starts at a position of the clip: start each of a crowd elsewhere, and they do not move in step.
    ///
    /// ```
    /// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
    /// # let files = MemoryFiles::new();
    /// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
    /// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
    /// # files.put("moth.png", png.clone());
    /// # files.put("title.png", png);
    /// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
    /// use std::time::Duration;
    /// use zemtak_runtime::clip::Ratio;
    ///
    /// let flying = cache.lease_clip("night:moth/fly");
    /// // A swarm: all share one hold, and each is somewhere else in the clip.
    /// let mut swarm: Vec<_> = (0..9).map(|i| flying.play_from(Ratio::ONE, Duration::from_millis(137 * i))).collect();
    /// assert!(swarm[0].advance(Duration::ZERO).view.is_none()); // not there yet
    /// ```
    #[must_use]
    pub fn play_from(&self, speed: Ratio, place: Duration) -> Playing {
        Playing::new(self.clone(), speed, i64::try_from(place.as_nanos()).unwrap_or(i64::MAX))
    }

    /// Its mode, steps and length; `None` until the clip is known.
    #[must_use]
    pub fn info(&self) -> Option<ClipInfo> {
        self.0.clip().map(|known| ClipInfo::of(&known.timeline))
    }

    /// Waits until all of it is ready, in a task of any executor.
    #[must_use = "a future does nothing unless it is awaited"]
    pub fn ready(&self) -> Ready<'_> {
        self.0.ready()
    }
}

impl Awaited for ClipLease {
    fn awaited(&self) -> Handle {
        self.0.awaited()
    }
}

/// Plays a leased clip: tells in each frame of the game which sprite to draw.
///
/// Its time starts when the clip is known. When a new version of the atlas takes over, it continues in the new clip.
///
/// ```no_run
/// use std::time::Duration;
/// use zemtak_runtime::clip::Ratio;
/// # fn draw(_: zemtak_runtime::View) {}
/// # fn play(word: &str) {}
/// # fn frame(cache: &zemtak_runtime::Cache) {
/// let flying = cache.lease_clip("night:moth/fly");
/// let mut moth = flying.play(Ratio::ONE);
/// // Every frame of the game:
/// let now = moth.advance(Duration::from_micros(16_667));
/// now.events().for_each(|word| play(word));
/// if let Some(view) = now.view {
///     draw(view);
/// }
/// # }
/// ```
#[derive(Debug, Clone)]
pub struct Playing {
    clip: ClipLease,
    player: Player,
    speed: Ratio,
    /// The speed and the position to start at, until the clip is known.
    begins: Option<(Ratio, i64)>,
    /// The clip of the last advance, and what that entered.
    known: Option<Arc<ReadyClip>>,
    entered: Turns,
}

/// What a clip shows after an advance.
#[derive(Debug, Clone)]
pub struct Moment<'p> {
    /// The sprite to draw; `None` while it is not resident and there is no stand-in.
    pub view: Option<View>,
    /// The current step.
    pub step: usize,
    /// How often the clip has played through.
    pub played: i64,
    /// Whether a clip that plays once has reached its end.
    pub ended: bool,
    entered: Option<(Entered<'p>, &'p ReadyClip)>,
}

impl Playing {
    pub(super) fn new(clip: ClipLease, speed: Ratio, place: i64) -> Self {
        Self {
            clip,
            player: Player::new(speed),
            speed,
            begins: Some((speed, place)),
            known: None,
            entered: Turns::default(),
        }
    }

    /// Advances by a duration, and returns what to draw now. No step is skipped, however long the duration: see
    /// [`Moment::entered`].
    pub fn advance(&mut self, time: Duration) -> Moment<'_> {
        self.advance_by(i64::try_from(time.as_nanos()).unwrap_or(i64::MAX))
    }

    /// The same in nanoseconds, which may be negative.
    pub fn advance_by(&mut self, nanoseconds: i64) -> Moment<'_> {
        self.known = self.clip.0.clip();
        let Some(known) = &self.known else {
            self.entered = Turns::default();
            let view = self.clip.sprites().view(0);
            return Moment { view, step: 0, played: 0, ended: false, entered: None };
        };
        if let Some((speed, place)) = self.begins.take() {
            self.player = Player::starting_at(speed, &known.timeline, place);
        }
        let entered = self.player.advance(&known.timeline, nanoseconds);
        self.entered = entered.turns();
        let step = self.player.step(&known.timeline);
        Moment {
            view: self.clip.sprites().view(step),
            step,
            played: self.player.played(),
            ended: self.player.ended(&known.timeline),
            entered: Some((entered, known)),
        }
    }

    /// Plays at another speed from here on.
    pub fn set_speed(&mut self, speed: Ratio) {
        self.speed = speed;
        match &mut self.begins {
            Some((own, _)) => *own = speed,
            None => self.player.set_speed(speed),
        }
    }

    /// Begins again, at the same speed.
    pub fn restart(&mut self) {
        self.seek(Duration::ZERO);
    }

    /// Jumps to a position of the clip, at the same speed. What lies before it counts neither as entered nor as played.
    pub fn seek(&mut self, place: Duration) {
        self.begins = Some((self.speed, i64::try_from(place.as_nanos()).unwrap_or(i64::MAX)));
    }

    /// Switches to another clip, at the same speed and at the same fraction of its length: half way stays half way, so
    /// that a walk becomes a run without a stumble. Starts at the beginning if either clip is not known yet.
    pub fn go_over_to(&mut self, clip: &ClipLease) {
        let place = self.place_and_length().zip(clip.info()).map(|((at, own), to)| {
            let other = to.length.as_nanos();
            i64::try_from((at * other).checked_div(own).unwrap_or(0)).unwrap_or(0)
        });
        self.clip = clip.clone();
        self.begins = Some((self.speed, place.unwrap_or(0)));
    }

    /// Where it is in its clip, and how long that is, in nanoseconds.
    fn place_and_length(&self) -> Option<(u128, u128)> {
        let (known, player) = match self.begins {
            None => (self.known.clone()?, self.player),
            // It jumped there since the last advance, perhaps to another clip.
            Some((speed, place)) => {
                let known = self.clip.0.clip()?;
                let player = Player::starting_at(speed, &known.timeline, place);
                (known, player)
            }
        };
        let place = u128::try_from(player.place(&known.timeline)).unwrap_or(0);
        Some((place, ClipInfo::of(&known.timeline).length.as_nanos()))
    }

    /// An event of the last advance, from 0: one of [`Moment::events`], to be asked for later.
    #[must_use]
    pub fn event(&self, index: u64) -> Option<&str> {
        let known = self.known.as_ref()?;
        known.event(self.entered.on(&known.timeline), index).map(String::as_str)
    }

    /// The clip's lease, to wait for.
    #[must_use]
    pub fn clip(&self) -> &ClipLease {
        &self.clip
    }
}

impl<'p> Moment<'p> {
    /// All steps that began during the advance, in order.
    pub fn entered(&self) -> impl Iterator<Item = usize> + use<'p> {
        self.entered.into_iter().flat_map(|(entered, _)| entered)
    }

    /// The events that the descriptor lists for those steps, in order.
    pub fn events(&self) -> impl Iterator<Item = &'p str> + use<'p> {
        let entered = self.entered.into_iter();
        entered.flat_map(|(entered, clip)| clip.events_of(entered).map(String::as_str))
    }

    /// How many events those are, without going through them: after days of suspension they may be millions.
    #[must_use]
    pub fn event_count(&self) -> u64 {
        self.entered.map_or(0, |(entered, clip)| clip.count_events(entered))
    }
}
