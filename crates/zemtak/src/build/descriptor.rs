//! The descriptor of a plan.

use super::{PageFile, Plan};
use crate::settings::rule::{Pace, Says};
use crate::settings::{AtlasSettings, Word};
use crate::{show, store};
use zemtak_core::atlas::{self, Atlas, Built, Clip, Mode, Page, Rate, Sprite, Step};
use zemtak_core::clip::DEFAULT_FPS;
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::Size;
use zemtak_core::name::{ClipName, SpriteName};

impl Plan<'_> {
    /// The descriptor for these pages.
    #[must_use]
    pub fn descriptor<T>(&self, pages: &[PageFile<T>]) -> Atlas {
        let AtlasSettings { spacing, treatment, mip_levels, .. } = *self.task.settings;
        let built = Built {
            gutter: spacing.gutter,
            margin: spacing.margin,
            extrude: spacing.extrude,
            trim: treatment.trim,
            visible_alpha: treatment.visible_alpha,
            mip_levels,
            resample: treatment.scale.map(|scale| scale.resample.word().to_owned()),
        };
        Atlas {
            zemtak: atlas::VERSION,
            needs: Vec::new(),
            name: self.task.name.to_owned(),
            scale: self.factor(),
            base: self.task.base.map(str::to_owned),
            built,
            pages: pages.iter().map(|page| self.page_entry(page)).collect(),
            sprites: (0..self.task.sprites.len())
                .map(|i| (self.task.sprites[i].name.clone(), self.sprite(i)))
                .collect(),
            clips: self.clips.clips.iter().map(|(name, steps)| (name.clone(), self.clip(steps))).collect(),
        }
    }

    fn factor(&self) -> f64 {
        self.task.settings.treatment.scale.map_or(1.0, |scale| scale.factor.value())
    }

    fn page_entry<T>(&self, page: &PageFile<T>) -> Page {
        Page {
            alpha: self.task.settings.alpha(),
            filter: self.task.settings.filter,
            wrap: page.wrap,
            ..Page::new(&page.drawn.file, page.drawn.size, store::written(&page.drawn.hash))
        }
    }

    fn sprite(&self, i: usize) -> Sprite {
        let (facts, says) = (&self.task.sprites[i].facts, &self.says[i]);
        let place = self.layout.places[self.box_of[i]];
        let factor = self.factor();
        let scaled = |[x, y]: [f64; 2]| [x * factor, y * factor];
        let centre = [f64::from(facts.source.w) / 2.0, f64::from(facts.source.h) / 2.0];
        let points = says.points.iter().flatten();
        Sprite {
            page: place.page,
            rect: place.rect,
            turned: place.turned,
            canvas: facts.canvas,
            inset: facts.inset,
            pivot: scaled(says.pivot.map_or(centre, |pivot| pivot.on(facts.source))),
            uv: UvRect::of(place.rect, self.layout.pages[place.page]),
            points: points.map(|(name, point)| (name.clone(), scaled(*point))).collect(),
            stretch: says.stretch.map(|bands| bands_at(bands, factor, facts.canvas)),
            tags: says.tags.clone().unwrap_or_default(),
            user: says.user.clone(),
            outline: None,
            mesh: None,
        }
    }

    fn clip(&self, steps: &[SpriteName]) -> Clip {
        let says = self.says_of(steps);
        let pace = says.and_then(|s| s.pace.as_ref());
        let ms = |(nth, name): (usize, &SpriteName)| match pace {
            Some(Pace::Rate(_)) => None,
            Some(Pace::Durations(all)) => all.get(nth).or(all.last()).copied(),
            None => self.find(name).and_then(|i| self.task.sprites[i].facts.ms),
        };
        let step = |at: (usize, &SpriteName)| Step { sprite: at.1.clone(), ms: ms(at), events: Vec::new() };
        let steps: Vec<Step> = steps.iter().enumerate().map(step).collect();
        let fps = match pace {
            Some(Pace::Rate(rate)) => Some(rate.clone()),
            _ => steps.iter().any(|s| s.ms.is_none()).then(|| Rate::Number(f64::from(DEFAULT_FPS))),
        };
        Clip { mode: says.and_then(|s| s.mode).unwrap_or(Mode::Loop), fps, steps }
    }

    /// What rules say of a clip is what they say of its first step.
    fn says_of(&self, steps: &[SpriteName]) -> Option<&Says> {
        Some(&self.says[self.find(steps.first()?)?])
    }

    fn find(&self, name: &SpriteName) -> Option<usize> {
        self.task.sprites.binary_search_by(|s| s.name.cmp(name)).ok()
    }

    /// Lists of durations that do not have one for each step, bands that do not fit, and sizes that do not repeat well.
    #[must_use]
    pub fn warnings(&self) -> Vec<String> {
        let mut warnings: Vec<String> =
            self.clips.clips.iter().filter_map(|(name, steps)| self.odd_pace(name, steps)).collect();
        for (sprite, says) in self.task.sprites.iter().zip(&self.says) {
            let name = show::name(sprite.name.as_str());
            let Size { w, h } = sprite.facts.source;
            if says.stretch.is_some_and(|[l, t, r, b]| l + r > w || t + b > h) {
                warnings.push(format!("{name}: its stretch bands are wider than its {w} x {h} pixels and were cut"));
            }
            let canvas = sprite.facts.canvas;
            if says.repeats() && !(canvas.w.is_power_of_two() && canvas.h.is_power_of_two()) {
                warnings.push(format!(
                    "{name}: {canvas} pixels repeat, but are no powers of two; some devices repeat only those, and mip levels shift"
                ));
            }
        }
        warnings
    }

    fn odd_pace(&self, name: &ClipName, steps: &[SpriteName]) -> Option<String> {
        let Some(Pace::Durations(all)) = self.says_of(steps)?.pace.as_ref() else { return None };
        let name = show::name(name.as_str());
        (all.len() != 1 && all.len() != steps.len()).then(|| {
            let (given, wanted) = (all.len(), show::count(steps.len(), "step", "steps"));
            format!("clip {name}: {given} durations for {wanted}; the last goes on, or the rest is left out")
        })
    }
}

/// Bands at a factor, held to the canvas.
#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to the canvas")]
fn bands_at([l, t, r, b]: [u32; 4], factor: f64, canvas: Size) -> [u32; 4] {
    let at = |band: u32, most: u32| (f64::from(band) * factor).round().min(f64::from(most)) as u32;
    let (left, top) = (at(l, canvas.w), at(t, canvas.h));
    [left, top, at(r, canvas.w - left), at(b, canvas.h - top)]
}
