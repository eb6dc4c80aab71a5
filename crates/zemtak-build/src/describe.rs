//! The descriptor of a plan.

use crate::exact::{product, rounded};
use crate::forms::Idents;
use crate::pages::PageFile;
use crate::plan::Plan;
use crate::settings::rule::{Pace, Pivot};
use crate::settings::{AtlasSettings, Keyword, Playing};
use crate::store;
use crate::warning::Warning;
use zemtak_core::atlas::{Atlas, Built, Clip, Layer, Mode, Page, Rate, SamplingHints, Sprite, Step, Wrap};
use zemtak_core::clip::DEFAULT_FPS;
use zemtak_core::geometry::Size;
use zemtak_core::mips::{own_cell, safe_level};
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_core::resample::Factor;

/// Changes whenever the same plan yields another descriptor.
pub(crate) const VERSION: u32 = 5;

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
        built.align = (spacing.align != 1 << mip_levels).then_some(spacing.align);
        built.resample = treatment.scale.map(|scale| scale.resample.word().to_owned());
        let mut atlas = Atlas::new(self.task.name, built);
        atlas.scale = self.factor();
        atlas.base = self.task.base.map(str::to_owned);
        let (own, layers): (Vec<_>, Vec<_>) = pages.iter().partition(|page| page.layer.is_none());
        atlas.pages = own.into_iter().map(|page| self.page_entry(page)).collect();
        for page in layers {
            let layer = layer_entry(page);
            atlas.pages[page.page].layers.extend(page.layer.clone().map(|name| (name, layer)));
        }
        let sprites = self.task.sprites.iter().enumerate();
        atlas.sprites = sprites.map(|(i, sprite)| (sprite.name.clone(), self.sprite(i))).collect();
        atlas.clips = self.clips.clips.iter().map(|(name, steps)| (name.clone(), self.clip(name, steps))).collect();
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
        if let Some(texture) = &page.drawn.texture {
            (entry.pixels, entry.sampling.mips) = (texture.kind, texture.mips);
        }
        entry.sampling.safe_mips = Some(self.safe_mips(page.page));
        entry.extrude = (page.wrap != Wrap::Clamp).then_some(0);
        entry
    }

    /// The deepest mip level of a page at which no sample of a sprite takes in anything else; -1 if one does even at
    /// full size.
    fn safe_mips(&self, page: usize) -> i32 {
        let (size, ring, filter) = (self.layout.pages[page], self.ring_of(page), self.task.settings.filter);
        let places = self.layout.places.iter().filter(|place| place.page == page);
        let safe = places.map(|place| {
            let cell = own_cell(place.rect, ring.extrude, ring.align, size);
            safe_level(size, place.rect, cell, filter).map_or(-1, |level| i32::try_from(level).unwrap_or(i32::MAX))
        });
        safe.min().unwrap_or(0)
    }

    fn sprite(&self, i: usize) -> Sprite {
        let (facts, overrides) = (&self.task.sprites[i].facts, &self.overrides[i]);
        let place = self.layout.places[self.box_of[i]];
        let factor = self.task.settings.treatment.scale.map(|scale| scale.factor);
        let pivot = overrides.pivot.unwrap_or(Pivot::Part([0.5; 2]));
        let points = overrides.points.iter().flatten();
        let mut sprite = Sprite::new(place.page, place.rect, self.layout.pages[place.page]);
        sprite.turned = place.turned;
        sprite.canvas = facts.canvas;
        sprite.inset = facts.inset;
        sprite.pivot = pivot.on(facts.source, factor);
        sprite.points = points.map(|(name, point)| (name.clone(), point.map(|n| product(n, 1, factor)))).collect();
        sprite.stretch = overrides.stretch.map(|bands| bands_at(bands, factor, facts.canvas));
        sprite.tags = overrides.tags.clone().unwrap_or_default();
        sprite.user = overrides.user.clone().map(Box::new);
        sprite
    }

    fn clip(&self, name: &ClipName, steps: &[SpriteName]) -> Clip {
        let playing = self.playing(name, steps);
        let pace = playing.and_then(|playing| playing.pace.as_ref());
        let ms = |nth: usize, name: &SpriteName| match pace {
            Some(Pace::Rate(_)) => None,
            Some(Pace::Durations(all)) => all.get(nth).or(all.last()).copied(),
            None => self.find(name).and_then(|i| self.task.sprites[i].facts.ms),
        };
        let events = playing.and_then(|playing| playing.events.as_ref());
        let events = |nth: usize| u32::try_from(nth).ok().and_then(|nth| events?.get(&nth)).cloned();
        let step = |(nth, name): (usize, &SpriteName)| {
            let mut step = Step::new(self.at_this_size(name));
            step.ms = ms(nth, name);
            step.events = events(nth).unwrap_or_default();
            step
        };
        let mut clip = Clip::new(steps.iter().enumerate().map(step).collect());
        clip.mode = playing.and_then(|playing| playing.mode).unwrap_or(Mode::Loop);
        clip.fps = match pace {
            Some(Pace::Rate(rate)) => Some(rate.clone()),
            _ => clip.steps.iter().any(|s| s.ms.is_none()).then(|| Rate::Number(f64::from(DEFAULT_FPS))),
        };
        clip
    }

    /// How a clip is played: as written, or else according to the rules for its first step.
    fn playing(&self, name: &ClipName, steps: &[SpriteName]) -> Option<&Playing> {
        let written = self.task.settings.clips.iter().find(|clip| clip.name == name.as_str());
        let first = || Some(&self.overrides[self.find(steps.first()?)?].playing);
        written.map(|clip| &clip.playing).or_else(first)
    }

    /// A step from another atlas is taken from that atlas's size with the same suffix.
    fn at_this_size(&self, step: &SpriteName) -> SpriteName {
        let suffix = self.task.base.and_then(|base| self.task.name.strip_prefix(base));
        match (step.as_str().split_once(':'), suffix) {
            (Some((atlas, sprite)), Some(suffix)) => SpriteName::new(&format!("{atlas}{suffix}:{sprite}")),
            _ => step.clone(),
        }
    }

    fn find(&self, name: &SpriteName) -> Option<usize> {
        self.task.sprites.binary_search_by(|s| s.name.cmp(name)).ok()
    }

    /// Lists of durations that do not match the number of steps, bands that do not fit, and sizes that do not repeat
    /// well.
    #[must_use]
    pub fn warnings(&self) -> Vec<Warning> {
        let mut warnings: Vec<Warning> =
            self.clips.clips.iter().flat_map(|(name, steps)| self.odd_playing(name, steps)).collect();
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

    /// Durations and events that do not match a clip's steps.
    fn odd_playing(&self, name: &ClipName, steps: &[SpriteName]) -> Vec<Warning> {
        let Some(playing) = self.playing(name, steps) else { return Vec::new() };
        let (clip, steps) = (name.to_string(), steps.len());
        let mut warnings = Vec::new();
        if let Some(Pace::Durations(all)) = &playing.pace
            && all.len() != 1
            && all.len() != steps
        {
            warnings.push(Warning::DurationCount { clip: clip.clone(), given: all.len(), steps });
        }
        let beyond = |step: &u32| usize::try_from(*step).is_ok_and(|step| step >= steps);
        if let Some(step) = playing.events.iter().flat_map(|events| events.keys().rev().copied()).find(beyond) {
            warnings.push(Warning::EventBeyond { clip, step, steps });
        }
        warnings
    }
}

/// A layer as in a descriptor: data, with the boxes of its page.
fn layer_entry<T>(page: &PageFile<T>) -> Layer {
    let mut layer = Layer::new(&page.drawn.file, store::written(&page.drawn.hash));
    if let Some(texture) = &page.drawn.texture {
        layer.pixels = texture.kind;
    }
    layer
}

/// Bands at a factor, limited to the canvas.
fn bands_at([l, t, r, b]: [u32; 4], factor: Option<Factor>, canvas: Size) -> [u32; 4] {
    let at = |band: u32, most: u32| rounded(band, factor).min(most);
    let (left, top) = (at(l, canvas.w), at(t, canvas.h));
    [left, top, at(r, canvas.w - left), at(b, canvas.h - top)]
}
