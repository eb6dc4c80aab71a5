//! The descriptor of a plan.

use crate::forms::Idents;
use crate::pages::PageFile;
use crate::plan::Plan;
use crate::settings::rule::{Overrides, Pace};
use crate::settings::{AtlasSettings, Keyword};
use crate::store;
use crate::warning::Warning;
use zemtak_core::atlas::{Atlas, Built, Clip, Mode, Page, Rate, SamplingHints, Sprite, Step};
use zemtak_core::clip::DEFAULT_FPS;
use zemtak_core::geometry::Size;
use zemtak_core::name::{ClipName, SpriteName};

/// Changes whenever the same plan comes to another descriptor.
pub(crate) const VERSION: u32 = 3;

impl Plan<'_> {
    /// The descriptor for these pages.
    #[must_use]
    pub fn descriptor<T>(&self, pages: &[PageFile<T>]) -> Atlas {
        let AtlasSettings { spacing, treatment, mip_levels, .. } = *self.task.settings;
        let mut built = Built::default();
        built.gutter = spacing.gutter;
        built.margin = spacing.margin;
        built.extrude = spacing.extrude;
        built.trim = treatment.trim;
        built.visible_alpha = treatment.visible_alpha;
        built.mip_levels = mip_levels;
        built.resample = treatment.scale.map(|scale| scale.resample.word().to_owned());
        let mut atlas = Atlas::new(self.task.name, built);
        atlas.scale = self.factor();
        atlas.base = self.task.base.map(str::to_owned);
        atlas.pages = pages.iter().map(|page| self.page_entry(page)).collect();
        let sprites = self.task.sprites.iter().enumerate();
        atlas.sprites = sprites.map(|(i, sprite)| (sprite.name.clone(), self.sprite(i))).collect();
        atlas.clips = self.clips.clips.iter().map(|(name, steps)| (name.clone(), self.clip(steps))).collect();
        atlas
    }

    /// The constants that rules give to sprites.
    pub fn idents(&self) -> Idents {
        let sprites = self.task.sprites.iter().zip(&self.overrides);
        sprites.filter_map(|(sprite, overrides)| Some((sprite.name.clone(), overrides.ident.clone()?))).collect()
    }

    fn factor(&self) -> f64 {
        self.task.settings.treatment.scale.map_or(1.0, |scale| scale.factor.value())
    }

    fn page_entry<T>(&self, page: &PageFile<T>) -> Page {
        let mut entry = Page::new(&page.drawn.file, page.drawn.size, store::written(&page.drawn.hash));
        entry.alpha = self.task.settings.alpha();
        entry.sampling = SamplingHints::new(self.task.settings.filter, page.wrap);
        entry
    }

    fn sprite(&self, i: usize) -> Sprite {
        let (facts, overrides) = (&self.task.sprites[i].facts, &self.overrides[i]);
        let place = self.layout.places[self.box_of[i]];
        let factor = self.factor();
        let scaled = |[x, y]: [f64; 2]| [x * factor, y * factor];
        let centre = [f64::from(facts.source.w) / 2.0, f64::from(facts.source.h) / 2.0];
        let points = overrides.points.iter().flatten();
        let mut sprite = Sprite::new(place.page, place.rect, self.layout.pages[place.page]);
        sprite.turned = place.turned;
        sprite.canvas = facts.canvas;
        sprite.inset = facts.inset;
        sprite.pivot = scaled(overrides.pivot.map_or(centre, |pivot| pivot.on(facts.source)));
        sprite.points = points.map(|(name, point)| (name.clone(), scaled(*point))).collect();
        sprite.stretch = overrides.stretch.map(|bands| bands_at(bands, factor, facts.canvas));
        sprite.tags = overrides.tags.clone().unwrap_or_default();
        sprite.user = overrides.user.clone();
        sprite
    }

    fn clip(&self, steps: &[SpriteName]) -> Clip {
        let overrides = self.overrides_of(steps);
        let pace = overrides.and_then(|s| s.pace.as_ref());
        let ms = |(nth, name): (usize, &SpriteName)| match pace {
            Some(Pace::Rate(_)) => None,
            Some(Pace::Durations(all)) => all.get(nth).or(all.last()).copied(),
            None => self.find(name).and_then(|i| self.task.sprites[i].facts.ms),
        };
        let step = |(nth, name): (usize, &SpriteName)| {
            let mut step = Step::new(name.clone());
            step.ms = ms((nth, name));
            step
        };
        let mut clip = Clip::new(steps.iter().enumerate().map(step).collect());
        clip.mode = overrides.and_then(|s| s.mode).unwrap_or(Mode::Loop);
        clip.fps = match pace {
            Some(Pace::Rate(rate)) => Some(rate.clone()),
            _ => clip.steps.iter().any(|s| s.ms.is_none()).then(|| Rate::Number(f64::from(DEFAULT_FPS))),
        };
        clip
    }

    /// What rules say of a clip is what they say of its first step.
    fn overrides_of(&self, steps: &[SpriteName]) -> Option<&Overrides> {
        Some(&self.overrides[self.find(steps.first()?)?])
    }

    fn find(&self, name: &SpriteName) -> Option<usize> {
        self.task.sprites.binary_search_by(|s| s.name.cmp(name)).ok()
    }

    /// Lists of durations that do not have one for each step, bands that do not fit, and sizes that do not repeat well.
    #[must_use]
    pub fn warnings(&self) -> Vec<Warning> {
        let mut warnings: Vec<Warning> =
            self.clips.clips.iter().filter_map(|(name, steps)| self.odd_pace(name, steps)).collect();
        for (sprite, overrides) in self.task.sprites.iter().zip(&self.overrides) {
            let name = sprite.name.to_string();
            let size = sprite.facts.source;
            if overrides.stretch.is_some_and(|[l, t, r, b]| l + r > size.w || t + b > size.h) {
                warnings.push(Warning::WideBands { sprite: name.clone(), size });
            }
            let size = sprite.facts.canvas;
            if overrides.repeats() && !(size.w.is_power_of_two() && size.h.is_power_of_two()) {
                warnings.push(Warning::OddRepeat { sprite: name, size });
            }
        }
        warnings
    }

    fn odd_pace(&self, name: &ClipName, steps: &[SpriteName]) -> Option<Warning> {
        let Some(Pace::Durations(all)) = self.overrides_of(steps)?.pace.as_ref() else { return None };
        let (clip, given, steps) = (name.to_string(), all.len(), steps.len());
        (given != 1 && given != steps).then_some(Warning::DurationCount { clip, given, steps })
    }
}

/// Bands at a factor, held to the canvas.
#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to the canvas")]
fn bands_at([l, t, r, b]: [u32; 4], factor: f64, canvas: Size) -> [u32; 4] {
    let at = |band: u32, most: u32| (f64::from(band) * factor).round().min(f64::from(most)) as u32;
    let (left, top) = (at(l, canvas.w), at(t, canvas.h));
    [left, top, at(r, canvas.w - left), at(b, canvas.h - top)]
}
