//! A clip that plays on leased sprites.

use super::lease::View;
use super::lease_set::ClipLease;
use super::sets::ReadyClip;
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::clip::{Entered, Player, Ratio};

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
        Self { clip, player: Player::new(speed), begins: Some((speed, place)), known: None }
    }

    /// Goes on by a time, and says what to draw now. No step is skipped, however long it was: see [`Moment::entered`].
    pub fn advance(&mut self, time: Duration) -> Moment<'_> {
        self.advance_by(i64::try_from(time.as_nanos()).unwrap_or(i64::MAX))
    }

    /// The same for nanoseconds, which may be below 0.
    pub fn advance_by(&mut self, nanoseconds: i64) -> Moment<'_> {
        self.known = self.clip.ready();
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
        match &mut self.begins {
            Some((own, _)) => *own = speed,
            None => self.player.set_speed(speed),
        }
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
