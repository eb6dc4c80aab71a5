//! A clip prepared for playing, and which step it shows at a given time.

use super::{DEFAULT_FPS, SECOND};
use crate::atlas::{Clip, Mode, Rate};

/// A ratio of whole numbers, for rates and speeds: kept as written, never rounded.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Ratio {
    num: i32,
    den: u32,
}

/// A fraction in lowest terms; the denominator is not 0.
#[must_use]
pub fn lowest_terms(num: u64, den: u64) -> [u64; 2] {
    let (mut a, mut b) = (num, den);
    while b != 0 {
        (a, b) = (b, a % b);
    }
    // 0 and 0 have no greatest common divisor.
    let a = a.max(1);
    [num / a, den / a]
}

/// How long a frame is shown at a rate of 0, in nanoseconds: 73 years.
pub const FOREVER: i64 = i64::MAX / 4;

/// Why a clip cannot be played.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ClipError {
    /// It has no steps.
    #[error("a clip has at least one step")]
    NoSteps,
    /// All its steps together take no time.
    #[error("all steps together take no time")]
    NoTime,
    /// A rate is below 0.
    #[error("a rate cannot be negative")]
    Rate,
    /// A step has an impossible duration.
    #[error("the duration of step {0} is negative, no number, or too long")]
    Duration(usize),
    /// A text is no ratio.
    #[error("'{0}' is neither a number of up to nine digits nor a ratio such as 60000/1001")]
    NotARatio(String),
    /// The clip is longer than can be counted.
    #[error("the clip is too long")]
    TooLong,
}

impl Ratio {
    /// 1: the clip's own speed.
    pub const ONE: Self = Self { num: 1, den: 1 };
    /// 0: it stands still.
    pub const ZERO: Self = Self { num: 0, den: 1 };

    /// A ratio in lowest terms, or `None` for a denominator of 0.
    #[must_use]
    pub fn new(num: i32, den: u32) -> Option<Self> {
        if den == 0 {
            return None;
        }
        // They only get smaller.
        let [size, den] = lowest_terms(num.unsigned_abs().into(), den.into()).map(u32::try_from);
        let (size, den) = (size.ok()?, den.ok()?);
        let signed = if num < 0 { 0_i32.wrapping_sub_unsigned(size) } else { size.cast_signed() };
        Some(Self { num: signed, den })
    }

    /// Reads `24`, `59.94`, `-0.5` or `60000/1001`.
    ///
    /// # Errors
    /// The text is anything else, or has numbers of more than nine digits.
    pub fn parse(text: &str) -> Result<Self, ClipError> {
        let wrong = || ClipError::NotARatio(text.to_owned());
        let digits = |part: &str| part.bytes().all(|b| b.is_ascii_digit());
        let ratio = if let Some((num, den)) = text.split_once('/') {
            let plain = digits(num.strip_prefix('-').unwrap_or(num)) && digits(den);
            num.parse().ok().zip(den.parse().ok()).filter(|_| plain)
        } else {
            let (whole, part) = text.split_once('.').unwrap_or((text, ""));
            let plain = digits(whole.strip_prefix('-').unwrap_or(whole)) && digits(part);
            let places = u32::try_from(part.len()).unwrap_or(u32::MAX);
            let den = 10_u32.checked_pow(places);
            format!("{whole}{part}").parse().ok().zip(den).filter(|_| plain)
        };
        ratio.and_then(|(num, den)| Self::new(num, den)).ok_or_else(wrong)
    }

    /// The numerator.
    #[must_use]
    pub const fn num(self) -> i32 {
        self.num
    }

    /// The denominator, above 0.
    #[must_use]
    pub const fn den(self) -> u32 {
        self.den
    }
}

impl std::fmt::Display for Ratio {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        if self.den == 1 { write!(f, "{}", self.num) } else { write!(f, "{}/{}", self.num, self.den) }
    }
}

/// A clip prepared for playing. It never changes.
///
/// At a rate of n/d frames per second, time is counted in ticks of 1/n nanoseconds: then a frame takes d * 10^9 ticks,
/// and both this and any duration in nanoseconds are whole numbers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Timeline {
    mode: Mode,
    steps: usize,
    /// Ticks in a nanosecond.
    scale: i64,
    /// When each turn begins, in ticks, and when the last one ends. A turn is one step of a period; a bounce meets
    /// steps twice, there and back.
    starts: Vec<i64>,
}

/// What a clip shows at a given time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shown {
    /// The step.
    pub step: usize,
    /// How often it has played through; negative before the beginning.
    pub played: i64,
    /// Whether a clip that plays once has reached its end.
    pub ended: bool,
}

impl Timeline {
    /// A clip with this mode, this rate, and the duration of each step in nanoseconds if it has one of its own. At a
    /// rate of 0 it stands still on the first step without one.
    ///
    /// # Errors
    /// It has no steps or takes no time, the rate is below 0, or it is too long.
    pub fn new(mode: Mode, fps: Ratio, durations: &[Option<u64>]) -> Result<Self, ClipError> {
        if durations.is_empty() {
            return Err(ClipError::NoSteps);
        }
        if fps.num < 0 {
            return Err(ClipError::Rate);
        }
        // At a rate of 0 a frame never ends, and nothing comes after it.
        let scale = i64::from(fps.num).max(1);
        let frame = if fps.num == 0 { Some(FOREVER) } else { i64::from(fps.den).checked_mul(SECOND) };
        let frame = frame.ok_or(ClipError::TooLong)?;
        let ticks = |own: &Option<u64>| match own {
            None => Some(frame),
            Some(nanoseconds) => i64::try_from(*nanoseconds).ok()?.checked_mul(scale),
        };
        let ticks: Vec<i64> = durations.iter().map(ticks).collect::<Option<_>>().ok_or(ClipError::TooLong)?;
        // There and back: the ends are shown once.
        let back = match ticks.as_slice() {
            [_, between @ .., _] if mode == Mode::Bounce => between,
            _ => &[],
        };
        let still = ticks.iter().position(|ticks| *ticks == FOREVER).map_or(usize::MAX, |step| step + 1);
        let turns = ticks.iter().chain(back.iter().rev()).take(still);
        let mut starts = vec![0_i64];
        for turn in turns {
            let end = starts.last().and_then(|start| start.checked_add(*turn));
            // Half of the range is left for sums.
            starts.push(end.filter(|end| *end < i64::MAX / 2).ok_or(ClipError::TooLong)?);
        }
        if starts.last() == Some(&0) {
            return Err(ClipError::NoTime);
        }
        Ok(Self { mode, steps: ticks.len(), scale, starts })
    }

    /// A clip of a descriptor. Durations are rounded to nanoseconds.
    ///
    /// # Errors
    /// As for [`Timeline::new`]; also an impossible rate or duration.
    pub fn of(clip: &Clip) -> Result<Self, ClipError> {
        let fps = match &clip.fps {
            None => Ratio::new(DEFAULT_FPS.cast_signed(), 1).ok_or(ClipError::Rate)?,
            // The shortest text that reads back as the number is what was written.
            Some(Rate::Number(fps)) => Ratio::parse(&fps.to_string())?,
            Some(Rate::Ratio(text)) => Ratio::parse(text)?,
        };
        let duration = |(i, ms): (usize, Option<f64>)| match ms {
            None => Ok(None),
            Some(ms) if (0.0..=1e12).contains(&ms) => {
                #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to be within range")]
                let nanoseconds = (ms * 1e6).round() as u64;
                Ok(Some(nanoseconds))
            }
            Some(_) => Err(ClipError::Duration(i)),
        };
        let durations: Result<Vec<_>, _> = clip.steps.iter().map(|s| s.ms).enumerate().map(duration).collect();
        Self::new(clip.mode, fps, &durations?)
    }

    /// What it does after its last step.
    #[must_use]
    pub fn mode(&self) -> Mode {
        self.mode
    }

    /// How many steps it has.
    #[must_use]
    pub fn steps(&self) -> usize {
        self.steps
    }

    /// How many steps a period shows; a bounce also shows them on the way back.
    #[must_use]
    pub fn turns(&self) -> usize {
        self.starts.len() - 1
    }

    /// The step of a turn.
    #[must_use]
    #[inline]
    pub fn step_of(&self, turn: usize) -> usize {
        if turn < self.steps { turn } else { (2 * self.steps).saturating_sub(2 + turn) }
    }

    /// When a turn begins, in nanoseconds, rounded up: it is shown from then on. The number of turns stands for the
    /// end.
    #[must_use]
    pub fn start_of(&self, turn: usize) -> i64 {
        let ticks = self.starts[turn.min(self.turns())];
        ticks / self.scale + i64::from(ticks % self.scale != 0)
    }

    /// How long a turn is shown: seconds as a fraction in lowest terms.
    #[must_use]
    pub fn length_of(&self, turn: usize) -> [u64; 2] {
        let (start, end) = self.span(turn.min(self.turns() - 1));
        let (num, den) = ((end - start).unsigned_abs(), self.scale.unsigned_abs() * SECOND.unsigned_abs());
        lowest_terms(num, den)
    }

    /// How long a turn is shown, exactly, in ticks; no time if it is never reached.
    #[must_use]
    pub fn ticks_of(&self, turn: usize) -> i64 {
        if turn < self.turns() { self.starts[turn + 1] - self.starts[turn] } else { 0 }
    }

    /// The number of ticks in a nanosecond, such that all times of the clip are whole: the numerator of its rate.
    #[must_use]
    pub fn ticks_per_nanosecond(&self) -> i64 {
        self.scale
    }

    /// What is shown at a given time in nanoseconds. Negative times count back from the end of a period; a clip that
    /// plays once then shows its first step.
    #[must_use]
    pub fn at(&self, time: i64) -> Shown {
        self.at_speed(time, Ratio::ONE, 0)
    }

    /// What is shown at a given time, for a clip that plays at this speed and started at this position, in nanoseconds
    /// of the clip.
    #[must_use]
    pub fn at_speed(&self, time: i64, speed: Ratio, start: i64) -> Shown {
        let wide = i128::from(time) * i128::from(self.scale) * i128::from(speed.num);
        let ticks = wide.div_euclid(i128::from(speed.den)) + i128::from(start) * i128::from(self.scale);
        let length = i128::from(self.length());
        if self.mode == Mode::Once {
            let ended = ticks >= length;
            let inside = i64::try_from(ticks.clamp(0, length)).unwrap_or(0);
            return Shown { step: self.turn_at(inside), played: i64::from(ended), ended };
        }
        let inside = i64::try_from(ticks.rem_euclid(length)).unwrap_or(0);
        let played = i64::try_from(ticks.div_euclid(length)).unwrap_or(i64::MAX);
        Shown { step: self.step_of(self.turn_at(inside)), played, ended: false }
    }

    /// Ticks in a nanosecond.
    pub(super) fn scale(&self) -> i64 {
        self.scale
    }

    /// All turns together, in ticks.
    pub(super) fn length(&self) -> i64 {
        self.starts[self.turns()]
    }

    /// Whether a turn is shown at a tick.
    #[inline]
    pub(super) fn spans(&self, turn: usize, tick: i64) -> bool {
        matches!(self.starts.get(turn..turn + 2), Some([start, end]) if *start <= tick && tick < *end)
    }

    /// When a turn begins and ends, in ticks.
    fn span(&self, turn: usize) -> (i64, i64) {
        (self.starts[turn], self.starts[turn + 1])
    }

    /// The turn at a tick of the first period; at its end the last one.
    pub(super) fn turn_at(&self, tick: i64) -> usize {
        let begun = self.starts[..self.turns()].partition_point(|start| *start <= tick);
        let turn = begun.saturating_sub(1);
        // Steps without length at the very end are never shown while time passes, but the clip comes to rest on them.
        turn.min(self.turns() - 1)
    }
}
