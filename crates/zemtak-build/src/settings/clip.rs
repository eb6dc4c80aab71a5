//! Clips that the project writes out, beside those that names make.

use super::rule::Pace;
use serde::Serialize;
use std::collections::BTreeMap;
use zemtak_core::atlas::Mode;

/// Events that a game receives when a step begins, by step from 0.
pub type Events = BTreeMap<u32, Vec<String>>;

/// A clip whose steps are listed.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct WrittenClip {
    /// Its name. It replaces a clip of this name that sprite names make.
    pub name: String,
    /// Where it is defined, for messages: file and line.
    pub place: String,
    /// Sprites of this atlas, or `atlas:sprite` of another.
    pub steps: Vec<String>,
    /// How it is played.
    pub playing: Playing,
}

/// How a clip is played, as far as specified.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Playing {
    /// How long steps are shown.
    pub pace: Option<Pace>,
    /// What it does after the last step.
    pub mode: Option<Mode>,
    /// Events for the game.
    pub events: Option<Events>,
}

impl Playing {
    /// This, completed by the other where it says nothing.
    #[must_use]
    pub fn over(self, under: Self) -> Self {
        Self { pace: self.pace.or(under.pace), mode: self.mode.or(under.mode), events: self.events.or(under.events) }
    }
}
