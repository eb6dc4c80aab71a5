//! Clips that are held, and clips that play.

use super::clips::ClipInfo;
use super::lease_set::LeaseSet;
use super::ready::Ready;
use super::sets::ReadyClip;
use super::view::View;
use super::wanted::{Awaited, Handle};
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::clip::{Entered, Player, Ratio};

/// The sprites of a clip, held together. Clones are cheap, and are the same hold: a crowd shares one.
#[derive(Debug, Clone)]
pub struct ClipLease(LeaseSet);

impl ClipLease {
    pub(super) fn new(set: LeaseSet) -> Self {
        Self(set)
    }

    /// The sprites of its steps, in order; one that is shown twice is there twice. None as long as the clip is not known.
    #[must_use]
    pub fn sprites(&self) -> &LeaseSet {
        &self.0
    }

    /// A player at the beginning of the clip. A speed of 1 is as fast as the clip says, 0 stands still, below 0 goes
    /// backwards.
    #[must_use]
    pub fn play(&self, speed: Ratio) -> Playing {
        self.play_from(speed, Duration::ZERO)
    }

    /// A player that begins at a place of the clip, so that a crowd does not move in step.
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

    /// Its mode, steps and length; nothing as long as the clip is not known.
    #[must_use]
    pub fn info(&self) -> Option<ClipInfo> {
        self.0.clip().map(|known| ClipInfo::of(&known.timeline))
    }

    /// Waits until all of it is ready, in a task of whatever executor.
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

/// Plays a leased clip: says at each frame of the game which sprite to draw.
///
/// Its time begins when the clip is known. When a new version of the atlas takes over, it goes on in the new clip.
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
    /// The speed and place to begin at, as long as the clip is not known.
    begins: Option<(Ratio, i64)>,
    known: Option<Arc<ReadyClip>>,
}

/// What a clip shows after it went on.
#[derive(Debug, Clone)]
pub struct Moment<'p> {
    /// The sprite to draw: nothing as long as it is not there and there is no stand-in.
    pub view: Option<View>,
    /// The step that is shown.
    pub step: usize,
    /// How often the clip was played through.
    pub played: i64,
    /// Whether a clip that plays once has come to its end.
    pub ended: bool,
    entered: Option<(Entered<'p>, &'p ReadyClip)>,
}

impl Playing {
    pub(super) fn new(clip: ClipLease, speed: Ratio, place: i64) -> Self {
        Self { clip, player: Player::new(speed), speed, begins: Some((speed, place)), known: None }
    }

    /// Goes on by a time, and says what to draw now. No step is skipped, however long it was: see [`Moment::entered`].
    pub fn advance(&mut self, time: Duration) -> Moment<'_> {
        self.advance_by(i64::try_from(time.as_nanos()).unwrap_or(i64::MAX))
    }

    /// The same for nanoseconds, which may be below 0.
    pub fn advance_by(&mut self, nanoseconds: i64) -> Moment<'_> {
        self.known = self.clip.0.clip();
        let Some(known) = &self.known else {
            let view = self.clip.sprites().view(0);
            return Moment { view, step: 0, played: 0, ended: false, entered: None };
        };
        if let Some((speed, place)) = self.begins.take() {
            self.player = Player::starting_at(speed, &known.timeline, place);
        }
        let entered = self.player.advance(&known.timeline, nanoseconds);
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

    /// Goes to a place of the clip, at the same speed. What lies before it counts neither as entered nor as played.
    pub fn seek(&mut self, place: Duration) {
        self.begins = Some((self.speed, i64::try_from(place.as_nanos()).unwrap_or(i64::MAX)));
    }

    /// Plays another clip from here on, at the same speed and as far into it as this one was: half way stays half way, so that
    /// a walk becomes a run without a stumble. Where either is not known yet, from its beginning.
    pub fn go_over_to(&mut self, clip: &ClipLease) {
        let place = self.known.as_ref().zip(clip.0.clip()).map(|(from, to)| {
            let [own, other] = [&from.timeline, &to.timeline].map(|timeline| ClipInfo::of(timeline).length.as_nanos());
            let at = u128::try_from(self.player.place(&from.timeline)).unwrap_or(0);
            i64::try_from((at * other).checked_div(own).unwrap_or(0)).unwrap_or(0)
        });
        (self.clip, self.known) = (clip.clone(), None);
        self.begins = Some((self.speed, place.unwrap_or(0)));
    }

    /// What is waited for and counted: the clip's lease.
    #[must_use]
    pub fn clip(&self) -> &ClipLease {
        &self.clip
    }
}

impl<'p> Moment<'p> {
    /// All steps that were entered on the way, in order.
    pub fn entered(&self) -> impl Iterator<Item = usize> + use<'p> {
        self.entered.into_iter().flat_map(|(entered, _)| entered)
    }

    /// The words that the descriptor has for those steps, in order.
    pub fn events(&self) -> impl Iterator<Item = &'p str> + use<'p> {
        let entered = self.entered.into_iter();
        entered.flat_map(|(entered, clip)| {
            entered.flat_map(|step| clip.events.get(step).into_iter().flatten().map(String::as_str))
        })
    }
}
