//! Information about clips.

use super::origins::origin_of;
use super::state::State;
use crate::failure::{Failure, Reason};
use std::collections::BTreeMap;
use std::time::Duration;
use zemtak_core::atlas::Mode;
use zemtak_core::clip::Timeline;

/// Information about a clip.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ClipInfo {
    /// What it does after its last step.
    pub mode: Mode,
    /// How many steps it has.
    pub steps: usize,
    /// How long it takes to play once, there and back if it bounces; rounded up to a nanosecond.
    pub length: Duration,
}

impl ClipInfo {
    pub(super) fn of(timeline: &Timeline) -> Self {
        let ticks: i64 = (0..timeline.turns()).map(|turn| timeline.ticks_of(turn)).sum();
        let a_nanosecond = timeline.ticks_per_nanosecond().max(1);
        let nanoseconds = u64::try_from(ticks).unwrap_or(0).div_ceil(u64::try_from(a_nanosecond).unwrap_or(1));
        Self { mode: timeline.mode(), steps: timeline.steps(), length: Duration::from_nanos(nanoseconds) }
    }
}

impl State {
    /// The clips of an atlas by their full names, once its descriptor is read; requests that if it is not.
    pub fn clips(&mut self, atlas: &str) -> Result<Option<BTreeMap<String, ClipInfo>>, Failure> {
        let full = |clip: &str| format!("{atlas}:{clip}");
        let a_name = full("*");
        let origin = origin_of(&a_name).ok_or_else(|| Failure::new(atlas, Reason::Name))?;
        let index = self.origins.intern(origin);
        let own = self.origins.get(index);
        if let Some(version) = &own.version {
            let info = |timeline: Timeline| ClipInfo::of(&timeline);
            let clips = version.snapshot.clips.iter().map(|(name, clip)| {
                let name = full(name.as_str());
                let info = Timeline::of(clip).map(info).map_err(|error| Failure::new(&name, error))?;
                Ok((name, info))
            });
            return clips.collect::<Result<_, _>>().map(Some);
        }
        if let Some(failure) = &own.failed {
            return Err(failure.clone());
        }
        if self.closed {
            return Err(Failure::new(atlas, Reason::Closed));
        }
        self.open(index);
        Ok(None)
    }
}
