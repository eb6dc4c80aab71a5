//! Loaded sprites to the plan of an atlas: twins, groups and the layout.

mod boxes;
mod refused;
mod together;
mod written;

use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::load::Sprite;
use crate::observer::Phase;
use crate::settings::rule::{Membership, Overrides};
use crate::settings::{AtlasSettings, Places, Together};
use crate::store::{self, Key, Kind};
use crate::timings::{Stage, Stopwatch};
use crate::work::{Origin, Part};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicBool, Ordering};
use zemtak_core::atlas::{Atlas, Page};
use zemtak_core::clip::{self, Assignment};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{
    Arrangement, Item, Kept, LAYOUT_VERSION, Layout, LayoutRequest, Outlook, Place, ProgressSink, SearchProgress,
    StopSignal, Why, lay_out, why,
};
use zemtak_core::name::{ClipName, SpriteName};

/// The largest page that is drawn, in pixels: 4 GiB in memory.
const PAGE_PIXELS: u64 = 1 << 30;

/// What to build: an atlas by name, how, and of what.
#[derive(Debug, Clone, Copy)]
pub struct Task<'a> {
    /// The atlas's name.
    pub name: &'a str,
    /// The atlas that it is another size of.
    pub base: Option<&'a str>,
    /// Its settings.
    pub settings: &'a AtlasSettings,
    /// Where the settings are in the project file.
    pub places: &'a Places,
    /// The sprites, sorted by name.
    pub sprites: &'a [Sprite<'a>],
    /// The previous atlas, whose boxes should stay where they can.
    pub keep: Option<&'a Atlas>,
}

/// An atlas before its pages are drawn.
#[derive(Debug)]
pub struct Plan<'a> {
    pub(crate) task: Task<'a>,
    /// What the rules say about each sprite.
    pub(crate) overrides: Vec<Overrides>,
    /// The numbers of the rules that apply to any sprite.
    pub applied: BTreeSet<usize>,
    /// For each sprite, the box that it lies in.
    pub(crate) box_of: Vec<usize>,
    /// For each box, the sprite that is drawn there.
    pub(crate) drawn: Vec<usize>,
    pub(crate) layout: Layout,
    /// The request for the layout, to explain it.
    pub(crate) items: Vec<Item>,
    kept: Option<Kept>,
    pub(crate) clips: clip::FoundClips,
    /// Whether the search was stopped early.
    pub cut_short: bool,
    /// Where the layout came from.
    pub(crate) laid_out: Part,
}

/// Another layout of the same sprites, or why there is none.
pub(crate) type OtherLayout = Result<Outlook, String>;

/// How many sprites share the box of another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shared {
    /// Sprites with visible pixels whose box is that of an earlier sprite.
    pub twins: usize,
    /// Sprites without visible pixels.
    pub empty: usize,
}

impl<'a> Plan<'a> {
    /// Finds twins and lays out the boxes.
    ///
    /// # Errors
    /// Sprites that fit on no page, all of them, or page options that cannot be met.
    pub fn new(task: Task<'a>, context: Context<'_>) -> Result<Self, Failure> {
        let Task { settings, sprites, .. } = task;
        let limits = context.allowance.limits();
        limits.check("sprites", sprites.len(), task.name)?;
        limits.check("rules", settings.rules.as_slice().len(), task.name)?;
        let matching: Vec<Vec<usize>> = sprites.iter().map(|s| settings.rules.matching(&s.name)).collect();
        let overrides: Vec<Overrides> = matching.iter().map(|numbers| settings.rules.together(numbers)).collect();
        let applied = matching.into_iter().flatten().collect();
        let names: BTreeSet<SpriteName> = sprites.iter().map(|s| s.name.clone()).collect();
        let mut clips = clip::find(&names, task.base.unwrap_or(task.name), &assignments(sprites, &overrides));
        written::add(&settings.clips, task.base.unwrap_or(task.name), &names, &mut clips)?;
        let long =
            |(name, steps): (&ClipName, &Vec<SpriteName>)| limits.check("clip_steps", steps.len(), name.as_str()).err();
        Failure::unless(clips.clips.iter().filter_map(long).collect(), ())?;
        let (box_of, drawn) = boxes::find(task, &overrides);
        let groups = match settings.together {
            Together::Clip => together::groups(&clips, sprites, &box_of),
            Together::None => vec![None; drawn.len()],
        };
        let items = boxes::items(task, &overrides, &drawn, &groups);
        let mut plan = Self {
            task,
            overrides,
            applied,
            box_of,
            drawn,
            layout: Layout::default(),
            items,
            kept: None,
            clips,
            cut_short: false,
            laid_out: Part::HERE,
        };
        plan.kept = task.keep.map(|former| plan.kept_of(former));
        plan.layout = plan.lay_out(context)?;
        plan.move_into_cells();
        plan.refuse_huge_pages(context)?;
        Ok(plan)
    }

    /// The layout, remembered if exactly the same was requested before.
    fn lay_out(&mut self, context: Context<'_>) -> Result<Layout, Failure> {
        type Written = (Vec<Size>, Vec<(usize, Rect, bool)>);
        let AtlasSettings { spacing, page, layout, effort, .. } = self.task.settings;
        let key = Key::new("layout", &[LAYOUT_VERSION])
            .value(&(spacing, page, layout, effort))
            .value(&(&self.items, &self.kept))
            .finish();
        let known = context.learnt(Kind::Layouts, &key).and_then(|(bytes, part)| {
            let written = serde_json::from_slice::<Written>(&bytes).ok();
            written.filter(|(pages, places)| self.holds_all(pages, places)).zip(Some(part))
        });
        if let Some(((pages, places), part)) = known {
            self.laid_out = part;
            let places = places.into_iter().map(|(page, rect, turned)| Place { page, rect, turned }).collect();
            tracing::debug!(boxes = self.items.len(), pages = pages.len(), "the layout is known from an earlier build");
            return Ok(Layout { pages, places });
        }
        let progress = context.progress(Phase::LayingOut, None);
        let good_enough = AtomicBool::new(false);
        let stop = || {
            let enough = context.observer.layout_is_good_enough();
            good_enough.fetch_or(enough, Ordering::Relaxed);
            enough || context.cancelled()
        };
        let told = |progress: SearchProgress| context.observer.searched(progress.done, progress.filled);
        // The work of a search on several threads is measured by its time: what they did for others meanwhile cannot be
        // separated.
        let alone = rayon::current_num_threads() == 1;
        let started = if alone { Stopwatch::of_work() } else { Stopwatch::of_time() };
        let laid_out = context.timings.time(Stage::LayOut, || lay_out(&self.request(&stop, &told)));
        let made_in = started.elapsed();
        self.laid_out = Part { origin: Origin::Made, made_in };
        self.cut_short = good_enough.into_inner();
        tracing::debug!(boxes = self.items.len(), cut_short = self.cut_short, "laid out");
        drop(progress);
        context.check()?;
        let layout = laid_out.map_err(|error| self.explain(&error))?;
        let places = layout.places.iter().map(|p| (p.page, p.rect, p.turned)).collect();
        let written: Written = (layout.pages.clone(), places);
        if let Some(bytes) = serde_json::to_vec(&written).ok().filter(|_| !self.cut_short) {
            context.learn(Kind::Layouts, key, bytes, made_in);
        }
        Ok(layout)
    }

    /// Whether a remembered layout has a place on its pages for each box, of its size.
    fn holds_all(&self, pages: &[Size], places: &[(usize, Rect, bool)]) -> bool {
        let holds = |(item, (page, rect, turned)): (&Item, &(usize, Rect, bool))| {
            let size = if *turned { Size::new(item.size.h, item.size.w) } else { item.size };
            rect.size() == size && pages.get(*page).is_some_and(|page| rect.inside(*page))
        };
        places.len() == self.items.len() && self.items.iter().zip(places).all(holds)
    }

    /// The places of boxes of the previous atlas that exist again with the same size.
    fn kept_of(&self, former: &Atlas) -> Kept {
        let pages = former.pages.iter().map(Page::size).collect();
        let spacing = self.task.settings.spacing;
        let built = &former.built;
        let same = (built.gutter, built.margin, built.extrude) == (spacing.gutter, spacing.margin, spacing.extrude);
        let mut places = vec![None; self.items.len()];
        let mut taken = BTreeSet::new();
        let dense = self.task.settings.layout == Arrangement::Dense;
        for (i, sprite) in self.task.sprites.iter().enumerate().filter(|_| same && dense) {
            let at = self.box_of[i];
            let Some(there) = former.sprites.get(&sprite.name).filter(|_| !self.items[at].alone) else { continue };
            let fits = there.upright() == self.items[at].size && (!there.turned || self.items[at].may_turn);
            if fits && places[at].is_none() && taken.insert((there.page, there.rect)) {
                places[at] = Some(Place { page: there.page, rect: there.rect, turned: there.turned });
            }
        }
        Kept { pages, places }
    }

    /// In equal cells, a box lies where it lies on its canvas.
    fn move_into_cells(&mut self) {
        if self.in_rows() {
            for ((place, &i), item) in self.layout.places.iter_mut().zip(&self.drawn).zip(&self.items) {
                let facts = &self.task.sprites[i].facts;
                if !item.alone {
                    let [x, y] = facts.inset;
                    place.rect = Rect::at(place.rect.x + x, place.rect.y + y, facts.stored);
                }
            }
        }
    }

    fn refuse_huge_pages(&self, context: Context<'_>) -> Result<(), Failure> {
        context.allowance.limits().check("pages", self.layout.pages.len(), self.task.name)?;
        let problems = self.layout.pages.iter().enumerate().filter_map(|(page, &size)| {
            let too_much = context.allowance.check_page(size, self.drawing()).err()?;
            Some(too_much.problem(&format!("{}, page {page}", self.task.name), size))
        });
        Failure::unless(problems.collect(), ())?;
        let Some(page) = self.layout.pages.iter().find(|p| p.area() > PAGE_PIXELS) else { return Ok(()) };
        let why = format!("{page} pixels are more than the limit of {} a page", format::number(PAGE_PIXELS));
        Err(Problem::usage(ProblemKind::PageTooLarge, "", why, "ask for smaller pages").into())
    }

    fn request<'r>(
        &'r self,
        stop: &'r (dyn Fn() -> bool + Sync),
        told: &'r (dyn Fn(SearchProgress) + Sync),
    ) -> LayoutRequest<'r> {
        let AtlasSettings { spacing, page, layout, effort, .. } = self.task.settings;
        LayoutRequest {
            arrangement: *layout,
            effort: *effort,
            kept: self.kept.as_ref(),
            stop: Some(StopSignal::new(stop)),
            progress: Some(ProgressSink::new(told)),
            ..LayoutRequest::new(&self.items, *spacing, page)
        }
    }

    /// Why the layout is not smaller.
    ///
    /// # Errors
    /// An interruption.
    pub fn why(&self, context: Context<'_>) -> Result<Option<Why>, Failure> {
        let progress = context.progress(Phase::LayingOut, None);
        let stop = || context.cancelled();
        let told = |progress: SearchProgress| context.observer.searched(progress.done, progress.filled);
        let why = why(&self.request(&stop, &told), &self.layout).map_err(|error| self.explain(&error))?;
        drop(progress);
        context.check()?;
        Ok(why)
    }

    /// What a dense layout would be instead of equal cells.
    ///
    /// # Errors
    /// An interruption.
    pub(crate) fn if_dense(&self, context: Context<'_>) -> Result<Option<OtherLayout>, Failure> {
        if !self.in_rows() {
            return Ok(None);
        }
        // Another plan, since cells hold whole canvases, boxes what is visible of them.
        let settings = AtlasSettings { layout: Arrangement::Dense, ..self.task.settings.clone() };
        let plan = Plan::new(Task { settings: &settings, keep: None, ..self.task }, context);
        context.check()?;
        Ok(Some(plan.map(|plan| Outlook::of(&plan.items, &plan.layout)).map_err(|failure| failure.to_string())))
    }

    /// The pixels of the pages if nothing had to stay in place, or if no mip levels were requested.
    ///
    /// # Errors
    /// An interruption.
    pub fn area_without(&self, what: Without, context: Context<'_>) -> Result<u64, Failure> {
        let stop = || context.cancelled();
        let mut request = self.request(&stop, &|_| ());
        match what {
            Without::Keeping => request.kept = None,
            Without::MipLevels => request.spacing = self.task.settings.plain_spacing,
        }
        let area = lay_out(&request).map_err(|error| self.explain(&error))?.area();
        context.check()?;
        Ok(area)
    }

    /// The pixels of all boxes with their rings and one gutter each: roughly the size of pages with sides of any
    /// length.
    #[must_use]
    pub fn cells_area(&self) -> u64 {
        self.layout.places.iter().map(|place| self.cell_area(place.rect.size())).sum()
    }

    /// The pixels of a box with its ring and one gutter.
    fn cell_area(&self, size: Size) -> u64 {
        let around = u64::from(2 * self.task.settings.spacing.extrude + self.task.settings.spacing.gutter);
        (u64::from(size.w) + around) * (u64::from(size.h) + around)
    }

    /// The pixels of all pages together.
    #[must_use]
    pub fn area(&self) -> u64 {
        self.layout.area()
    }

    /// Of the sprites that the previous atlas has too, how many lie elsewhere now.
    #[must_use]
    pub fn moved(&self, former: &Atlas) -> usize {
        let sprites = self.task.sprites.iter().zip(&self.box_of);
        let elsewhere = |(sprite, at): &(&Sprite<'_>, &usize)| {
            let place = self.layout.places[**at];
            let there = former.sprites.get(&sprite.name);
            there.is_some_and(|t| (t.page, t.rect, t.turned) != (place.page, place.rect, place.turned))
        };
        sprites.filter(elsewhere).count()
    }

    /// Whether boxes lie in equal cells.
    #[must_use]
    pub fn in_rows(&self) -> bool {
        self.task.settings.layout != Arrangement::Dense
    }

    /// The name of a sprite drawn in a box.
    #[must_use]
    pub fn name_of(&self, item: usize) -> &SpriteName {
        &self.task.sprites[self.drawn[item]].name
    }

    /// The names of the sprites drawn in the boxes of a page, in the order of the boxes.
    pub(crate) fn names_on(&self, page: usize) -> Vec<String> {
        self.on_page(page).into_iter().map(|item| self.name_of(item).to_string()).collect()
    }

    /// The size that a box needs.
    #[must_use]
    pub fn size_of(&self, item: usize) -> Size {
        self.items[item].size
    }

    /// How many pages there are.
    #[must_use]
    pub fn page_count(&self) -> usize {
        self.layout.pages.len()
    }

    /// The pixels of a page's boxes, each counted once.
    #[must_use]
    pub fn filled(&self, page: usize) -> u64 {
        self.layout.places.iter().filter(|p| p.page == page).map(|p| p.rect.size().area()).sum()
    }

    /// How many sprites share the box of another.
    #[must_use]
    pub fn shared(&self) -> Shared {
        let sprites = self.task.sprites;
        let empty = sprites.iter().filter(|s| s.facts.empty).count();
        let first = |i: usize| self.drawn[self.box_of[i]] == i;
        let twins = (0..sprites.len()).filter(|&i| !sprites[i].facts.empty && !first(i)).count();
        Shared { twins, empty }
    }

    /// The atlas's name.
    pub fn name(&self) -> &str {
        self.task.name
    }

    /// The hash of the stored pixels of a sprite.
    pub fn hash_of(&self, name: &SpriteName) -> Option<store::Hash> {
        let at = self.task.sprites.binary_search_by(|sprite| sprite.name.cmp(name)).ok()?;
        Some(self.task.sprites[at].facts.hash)
    }

    /// What was found out about clips.
    #[must_use]
    pub fn clips(&self) -> &clip::FoundClips {
        &self.clips
    }
}

/// What a layout is compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Without {
    /// Boxes that stay in place.
    Keeping,
    /// Room for mip levels.
    MipLevels,
}

/// What rules say about sprites' places in clips.
fn assignments(sprites: &[Sprite<'_>], overrides: &[Overrides]) -> BTreeMap<SpriteName, Assignment> {
    let told = sprites.iter().zip(overrides).filter_map(|(sprite, overrides)| {
        let told = match overrides.clip.as_ref()? {
            Membership::Named(clip) => Assignment { clip: clip.clone(), frame: None },
            Membership::Read(expression) => {
                let (clip, frame) = expression.read(sprite.name.as_str())?;
                Assignment { clip: clip.to_owned(), frame: Some(frame.to_owned()) }
            }
        };
        Some((sprite.name.clone(), told))
    });
    told.collect()
}
