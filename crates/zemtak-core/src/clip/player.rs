//! Playing a clip: a position in it that moves on.

use super::timeline::{Ratio, Timeline};
use crate::atlas::Mode;

/// Plays a clip. It is small, can be copied freely, and allocates nothing, so a crowd of players is cheap.
///
/// It belongs to the timeline that it is advanced with; with another one it starts again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Player {
    speed: Ratio,
    /// Its position, in ticks of the timeline from the beginning of the period.
    tick: i64,
    /// The remainder below a tick, in parts of the speed's denominator.
    rest: i64,
    turn: u32,
    played: i64,
}

/// The steps that a player entered during an advance, in order. They need not be looked at; [`after`](Self::after) skips
/// any number of them at once.
#[derive(Debug, Clone, Copy)]
pub struct Entered<'t> {
    timeline: &'t Timeline,
    turns: Turns,
}

/// The turns of a timeline that a player entered during an advance: [`Entered`] without the borrow of its timeline.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Turns {
    /// The turn before the first.
    from: usize,
    count: u64,
    backwards: bool,
}

impl Player {
    /// At the beginning of a clip. A speed of 1 is the clip's own, 0 stands still, a negative one plays backwards.
    #[must_use]
    pub const fn new(speed: Ratio) -> Self {
        Self { speed, tick: 0, rest: 0, turn: 0, played: 0 }
    }

    /// Starts at a position of the clip, in nanoseconds: start each of a crowd elsewhere, and they do not move in step.
    /// What lies before it counts neither as entered nor as played.
    #[must_use]
    pub fn starting_at(speed: Ratio, timeline: &Timeline, place: i64) -> Self {
        let mut player = Self::new(Ratio::ONE);
        let _ = player.advance(timeline, place);
        Self { speed, played: 0, ..player }
    }

    /// Plays at another speed from here on.
    pub fn set_speed(&mut self, speed: Ratio) {
        self.rest = self.rest * i64::from(speed.den()) / i64::from(self.speed.den());
        self.speed = speed;
    }

    /// The step to show.
    #[must_use]
    #[inline]
    pub fn step(&self, timeline: &Timeline) -> usize {
        timeline.step_of((self.turn as usize).min(timeline.turns() - 1))
    }

    /// Its position in nanoseconds from the beginning of the clip, rounded down; a bounce counts there and back.
    #[must_use]
    pub fn place(&self, timeline: &Timeline) -> i64 {
        self.tick.div_euclid(timeline.ticks_per_nanosecond().max(1))
    }

    /// How often the clip has played through; negative after playing backwards past its beginning.
    #[must_use]
    pub fn played(&self) -> i64 {
        self.played
    }

    /// Whether a clip that plays once has reached its end.
    #[must_use]
    pub fn ended(&self, timeline: &Timeline) -> bool {
        timeline.mode() == Mode::Once && self.played > 0
    }

    /// Advances by `time` nanoseconds, and returns all steps entered on the way, however long that was.
    #[inline]
    pub fn advance<'t>(&mut self, timeline: &'t Timeline, time: i64) -> Entered<'t> {
        let speed = i64::from(self.speed.num());
        let way = time.checked_mul(timeline.scale()).and_then(|way| way.checked_mul(speed)?.checked_add(self.rest));
        // Nearly always it fits, and the step stays or the next one follows. One that has ended may be moved back.
        if let Some(way) = way.filter(|_| !self.ended(timeline)) {
            let den = i64::from(self.speed.den());
            let (ticks, rest) = if den == 1 { (way, 0) } else { (way.div_euclid(den), way.rem_euclid(den)) };
            let turn = self.turn as usize;
            if let Some(tick) = self.tick.checked_add(ticks) {
                let left = u64::from(!timeline.spans(turn, tick));
                if left == 0 || timeline.spans(turn + 1, tick) {
                    (self.tick, self.rest) = (tick, rest);
                    self.turn += u32::from(left == 1);
                    return Turns { from: turn, count: left, backwards: false }.on(timeline);
                }
            }
        }
        self.advance_far(timeline, time)
    }

    /// The same for any length of time, and when the step changes.
    fn advance_far<'t>(&mut self, timeline: &'t Timeline, time: i64) -> Entered<'t> {
        let den = i128::from(self.speed.den());
        let way =
            i128::from(time) * i128::from(timeline.scale()) * i128::from(self.speed.num()) + i128::from(self.rest);
        let (from, from_played) = (self.turn as usize, self.played);
        self.rest = i64::try_from(way.rem_euclid(den)).unwrap_or(0);
        self.go_to(timeline, i128::from(self.tick) + way.div_euclid(den));
        self.entered(timeline, from, from_played)
    }

    fn go_to(&mut self, timeline: &Timeline, tick: i128) {
        let length = i128::from(timeline.length());
        let (inside, played) = if timeline.mode() == Mode::Once {
            (tick.clamp(0, length), i128::from(tick >= length))
        } else {
            (tick.rem_euclid(length), i128::from(self.played) + tick.div_euclid(length))
        };
        self.tick = i64::try_from(inside).unwrap_or(0);
        self.played = i64::try_from(played).unwrap_or(i64::MAX);
        self.turn = u32::try_from(timeline.turn_at(self.tick)).unwrap_or(u32::MAX);
    }

    fn entered<'t>(&self, timeline: &'t Timeline, from: usize, from_played: i64) -> Entered<'t> {
        let turns = i128::try_from(timeline.turns()).unwrap_or(i128::MAX);
        let whole = if timeline.mode() == Mode::Once { 0 } else { i128::from(self.played) - i128::from(from_played) };
        let moved = whole * turns + i128::from(self.turn) - i128::try_from(from).unwrap_or(0);
        let count = u64::try_from(moved.unsigned_abs()).unwrap_or(u64::MAX);
        Turns { from, count, backwards: moved < 0 }.on(timeline)
    }
}

impl Turns {
    /// The steps of these turns. The timeline is the one that they were entered on.
    #[must_use]
    #[inline]
    pub fn on(self, timeline: &Timeline) -> Entered<'_> {
        Entered { timeline, turns: self }
    }
}

impl Entered<'_> {
    /// How many steps are left.
    #[must_use]
    pub fn count_left(&self) -> u64 {
        self.turns.count
    }

    /// The turns of these steps, to keep without a borrow.
    #[must_use]
    pub fn turns(&self) -> Turns {
        self.turns
    }

    /// Skips this many steps.
    #[must_use]
    pub fn after(mut self, steps: u64) -> Self {
        let Turns { from, count, backwards } = self.turns;
        let period = self.timeline.turns();
        // Less than a period, which is a `usize`.
        let way = usize::try_from(steps % period as u64).unwrap_or(0);
        let way = if backwards { period - way } else { way };
        self.turns = Turns { from: (from + way) % period, count: count.saturating_sub(steps), backwards };
        self
    }
}

impl Iterator for Entered<'_> {
    type Item = usize;

    fn next(&mut self) -> Option<usize> {
        let period = self.timeline.turns();
        let Turns { from, count, backwards } = &mut self.turns;
        *count = count.checked_sub(1)?;
        *from = match (*backwards, *from) {
            (false, turn) if turn + 1 >= period => 0,
            (false, turn) => turn + 1,
            (true, 0) => period - 1,
            (true, turn) => turn - 1,
        };
        Some(self.timeline.step_of(*from))
    }
}
