//! Rules for the sprites whose names match a glob. Later rules win over earlier ones, key by key.

use super::rule_index::RuleIndex;
use super::{Expression, LayerRules, Pattern, Playing};
use crate::exact::product;
use serde::{Serialize, Serializer};
use serde_json::Value;
use std::collections::BTreeMap;
use zemtak_core::atlas::{Rate, Wrap};
use zemtak_core::geometry::Size;
use zemtak_core::name::SpriteName;
use zemtak_core::resample::Factor;

/// A rule for some sprites; what it does not say stays as it is.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Rule {
    /// Which sprites.
    pub pattern: Pattern,
    /// Where it is, for messages: file and line.
    pub place: String,
    /// Its keys.
    pub overrides: Overrides,
}

/// The keys of a rule.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Overrides {
    /// The point by which sprites are placed and rotated.
    pub pivot: Option<Pivot>,
    /// Named points in canvas pixels.
    pub points: Option<BTreeMap<String, [f64; 2]>>,
    /// Bands that keep their size: left, top, right, bottom.
    pub stretch: Option<[u32; 4]>,
    /// Tags of your own.
    pub tags: Option<Vec<String>>,
    /// The constant of the sprite in Rust and C.
    pub ident: Option<String>,
    /// Data of your own.
    pub user: Option<Value>,
    /// How clips are played.
    pub playing: Playing,
    /// Whether sprites may be stored turned.
    pub turn: Option<bool>,
    /// What is sampled beyond a sprite's edges.
    pub wrap: Option<Wrap>,
    /// The clip of which sprites are steps.
    pub clip: Option<Membership>,
    /// Further images with the same box.
    pub layers: Option<LayerRules>,
}

/// A pivot before the canvas is known.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub enum Pivot {
    /// Parts of the canvas: [0.5, 1] is the middle of the lower edge.
    Part([f64; 2]),
    /// Canvas pixels.
    Pixels([f64; 2]),
}

impl Pivot {
    /// The nine named points.
    pub const NAMED: [(&'static str, [f64; 2]); 9] = [
        ("top-left", [0.0, 0.0]),
        ("top", [0.5, 0.0]),
        ("top-right", [1.0, 0.0]),
        ("left", [0.0, 0.5]),
        ("centre", [0.5, 0.5]),
        ("right", [1.0, 0.5]),
        ("bottom-left", [0.0, 1.0]),
        ("bottom", [0.5, 1.0]),
        ("bottom-right", [1.0, 1.0]),
    ];

    /// In pixels of a source's canvas at a factor.
    #[must_use]
    pub fn on(self, source: Size, factor: Option<Factor>) -> [f64; 2] {
        match self {
            Self::Part([x, y]) => [product(x, source.w, factor), product(y, source.h, factor)],
            Self::Pixels(point) => point.map(|number| product(number, 1, factor)),
        }
    }
}

/// How long steps are shown.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub enum Pace {
    /// Frames per second.
    Rate(Rate),
    /// Milliseconds: one for all steps, or one for each.
    Durations(Vec<f64>),
}

/// How sprites become steps of a clip.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub enum Membership {
    /// All of them are steps of the clip with this name.
    Named(String),
    /// By an expression on the sprite's name.
    Read(Expression),
}

impl Overrides {
    fn over(self, under: Self) -> Self {
        Self {
            pivot: self.pivot.or(under.pivot),
            points: self.points.or(under.points),
            stretch: self.stretch.or(under.stretch),
            tags: self.tags.or(under.tags),
            ident: self.ident.or(under.ident),
            user: self.user.or(under.user),
            playing: self.playing.over(under.playing),
            turn: self.turn.or(under.turn),
            wrap: self.wrap.or(under.wrap),
            clip: self.clip.or(under.clip),
            layers: self.layers.or(under.layers),
        }
    }

    /// Whether the sprite fills a page of its own, which then repeats.
    #[must_use]
    pub fn repeats(&self) -> bool {
        self.wrap.is_some_and(|wrap| wrap != Wrap::Clamp)
    }
}

/// All rules of an atlas.
#[derive(Debug, Clone, Default)]
pub struct Rules {
    rules: Vec<Rule>,
    /// Those that may apply to a name; separate indexes for those that concern `wrap` and layers.
    all: RuleIndex,
    wrapping: RuleIndex,
    layering: RuleIndex,
}

impl Serialize for Rules {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.rules.serialize(serializer)
    }
}

impl Rules {
    /// These rules, the later ones over the earlier ones.
    #[must_use]
    pub fn new(rules: Vec<Rule>) -> Self {
        let index = |says: fn(&Overrides) -> bool| {
            let saying = rules.iter().enumerate().filter(|(_, rule)| says(&rule.overrides));
            RuleIndex::new(saying.map(|(number, rule)| (number, &rule.pattern)))
        };
        let (all, wrapping) = (index(|_| true), index(|overrides| overrides.wrap.is_some()));
        let layering = index(|overrides| overrides.layers.is_some());
        Self { rules, all, wrapping, layering }
    }

    /// The rules in their order.
    #[must_use]
    pub fn as_slice(&self) -> &[Rule] {
        &self.rules
    }

    /// The numbers of those that apply to a sprite, ascending.
    #[must_use]
    pub fn matching(&self, name: &SpriteName) -> Vec<usize> {
        self.of_index(&self.all, name).collect()
    }

    fn of_index(&self, index: &RuleIndex, name: &SpriteName) -> impl DoubleEndedIterator<Item = usize> {
        let name = name.as_str();
        index.candidates(name).into_iter().filter(move |&number| self.rules[number].pattern.matches(name))
    }

    /// The combined keys of the rules with these numbers, ascending.
    #[must_use]
    pub fn together(&self, numbers: &[usize]) -> Overrides {
        let over = |under: Overrides, number: &usize| self.rules[*number].overrides.clone().over(under);
        numbers.iter().fold(Overrides::default(), over)
    }

    /// Whether any rule defines layers.
    #[must_use]
    pub fn have_layers(&self) -> bool {
        self.rules.iter().any(|rule| rule.overrides.layers.is_some())
    }

    /// The layers of a sprite; `None` if no rule says anything about them.
    #[must_use]
    pub fn layers(&self, name: &SpriteName) -> Option<LayerRules> {
        let last = self.of_index(&self.layering, name).next_back()?;
        self.rules[last].overrides.layers.clone()
    }

    /// Whether a sprite fills a page of its own, which then repeats. Consults only the rules that say something about
    /// it.
    #[must_use]
    pub fn repeats(&self, name: &SpriteName) -> bool {
        let last = self.of_index(&self.wrapping, name).next_back();
        last.is_some_and(|number| self.rules[number].overrides.repeats())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Consulting each rule gives the same; with 100,000 of them that took half a second for a hundred sprites.
    #[test]
    fn the_rules_found_are_those_that_match() {
        let globs = [
            "**",
            "moth/*",
            "moth/fly-?",
            "**/fly-1",
            "m*1",
            "*",
            "moth/fly-1",
            "lamp/**",
            "mo{th,on}/*",
            "\\**",
            "é*",
            "",
        ];
        let rule = |glob: &str| Rule {
            pattern: glob.parse().unwrap(),
            place: String::new(),
            overrides: Overrides { tags: Some(vec![glob.to_owned()]), ..Overrides::default() },
        };
        let rules = Rules::new(globs.map(rule).into());
        let mut found = 0;
        for name in ["moth/fly-1", "moth/fly-é", "moon/x", "lamp", "lamp/a/b", "m1", "élan", "*x", "m", "fly-1"] {
            let name = SpriteName::new(name);
            let asked: Vec<usize> =
                (0..globs.len()).filter(|&i| rules.as_slice()[i].pattern.matches(name.as_str())).collect();
            assert_eq!(rules.matching(&name), asked, "{name}");
            found += asked.len();
        }
        assert!(found > 20, "{found}");
    }
}
