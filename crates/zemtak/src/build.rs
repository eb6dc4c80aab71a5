//! Prepared sprites to an atlas: twins, layout, pages and the descriptor.

use crate::answer::Manner;
use crate::failure::{Failure, Problem};
use crate::interrupt;
use crate::load::Loaded;
use crate::progress::Progress;
use crate::settings::AtlasSettings;
use crate::{show, together};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};
use zemtak_core::atlas::{self, Atlas, Built, Clip, Mode, Page, Rate, Sprite, Step};
use zemtak_core::clip::{self, DEFAULT_FPS};
use zemtak_core::codec::encode_png;
use zemtak_core::compose::{Stamp, compose};
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{Arrangement, Item, Layout, LayoutError, Request, Why, lay_out, why};
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_core::pixels::{Pixels, Prepared};
use zemtak_runtime::page_hash;

/// The largest page that is drawn, in pixels: 4 GiB while it is.
const PAGE_PIXELS: u64 = 1 << 30;

/// An atlas before its pages are drawn.
#[derive(Debug)]
pub struct Plan<'a> {
    name: &'a str,
    settings: &'a AtlasSettings,
    names: &'a [SpriteName],
    loaded: &'a [Loaded],
    /// For each sprite the box that it lies in.
    box_of: Vec<usize>,
    /// For each box the sprite that is drawn there.
    drawn: Vec<usize>,
    layout: Layout,
    /// What was asked of the layout, for explaining it.
    items: Vec<Item>,
    clips: clip::Found,
    /// Whether the search came to an end before its time.
    pub cut_short: bool,
}

/// How many sprites lie in the box of another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shared {
    /// Sprites with visible pixels whose box is that of an earlier sprite.
    pub twins: usize,
    /// Sprites without visible pixels.
    pub empty: usize,
}

/// A page file's bytes and its size.
#[derive(Debug)]
pub struct PageFile {
    /// The file's name.
    pub file: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The page's size.
    pub size: Size,
}

impl<'a> Plan<'a> {
    /// Finds twins and lays the boxes out. `names` and `loaded` are in one order, sorted by name. With `take_best` a
    /// Ctrl-C during the search is taken as the wish to go on with the best so far.
    ///
    /// # Errors
    /// Sprites that fit on no page, all of them, or page options that cannot be met.
    pub fn new(
        name: &'a str,
        settings: &'a AtlasSettings,
        names: &'a [SpriteName],
        loaded: &'a [Loaded],
        take_best: bool,
    ) -> Result<Self, Failure> {
        let sprites: Vec<&Prepared> = loaded.iter().map(|l| &l.sprite).collect();
        let clips = clip::find(&names.iter().cloned().collect(), name);
        let dense = settings.layout == Arrangement::Dense;
        let (box_of, drawn) = if dense { boxes(&sprites, settings.share_twins) } else { one_each(sprites.len()) };
        let groups = if settings.together { together::groups(&clips, names, &box_of) } else { vec![None; drawn.len()] };
        // In rows a cell is as large as the canvas, so that a frame's place in it does not depend on what is visible.
        let size = |sprite: &Prepared| if dense { sprite.stored.size() } else { sprite.canvas };
        let item = |(&i, group): (&usize, Option<usize>)| Item {
            may_turn: settings.turn && dense,
            group,
            ..Item::new(size(sprites[i]))
        };
        let items: Vec<Item> = drawn.iter().zip(groups).map(item).collect();
        let mut plan = Self {
            name,
            settings,
            names,
            loaded,
            box_of,
            drawn,
            layout: Layout::default(),
            items,
            clips,
            cut_short: false,
        };
        let laid_out = lay_out(&plan.request());
        plan.cut_short = take_best && interrupt::go_on();
        interrupt::check()?;
        plan.layout = laid_out.map_err(|error| plan.explain(&error))?;
        plan.move_into_cells();
        plan.refuse_huge_pages()?;
        Ok(plan)
    }

    /// In equal cells a box lies where it lies on its canvas.
    fn move_into_cells(&mut self) {
        if self.in_rows() {
            for (place, &i) in self.layout.places.iter_mut().zip(&self.drawn) {
                let Prepared { inset: [x, y], stored, .. } = &self.loaded[i].sprite;
                place.rect = Rect::at(place.rect.x + x, place.rect.y + y, stored.size());
            }
        }
    }

    fn refuse_huge_pages(&self) -> Result<(), Failure> {
        let Some(page) = self.layout.pages.iter().find(|p| p.area() > PAGE_PIXELS) else { return Ok(()) };
        let why = format!("{page} pixels are more than the limit of {} a page", show::number(PAGE_PIXELS));
        Err(Problem::usage("a page too large for memory", "", why, "ask for smaller pages").into())
    }

    fn request(&self) -> Request<'_> {
        Request {
            arrangement: self.settings.layout,
            effort: self.settings.effort,
            stop: Some(interrupt::flag()),
            ..Request::new(&self.items, self.settings.spacing, &self.settings.page)
        }
    }

    /// Why the layout is not smaller.
    ///
    /// # Errors
    /// An interruption.
    pub fn why(&self) -> Result<Option<Why>, Failure> {
        let why = why(&self.request(), &self.layout).map_err(|error| self.explain(&error))?;
        interrupt::check()?;
        Ok(why)
    }

    /// Whether boxes lie in equal cells.
    #[must_use]
    pub fn in_rows(&self) -> bool {
        self.settings.layout != Arrangement::Dense
    }

    /// The name of a sprite drawn in a box.
    #[must_use]
    pub fn name_of(&self, item: usize) -> &SpriteName {
        &self.names[self.drawn[item]]
    }

    /// The size that a box asks for.
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

    /// How many sprites lie in the box of another.
    #[must_use]
    pub fn shared(&self) -> Shared {
        let empty = self.loaded.iter().filter(|l| l.sprite.empty).count();
        let first = |i: usize| self.drawn[self.box_of[i]] == i;
        let twins = (0..self.loaded.len()).filter(|&i| !self.loaded[i].sprite.empty && !first(i)).count();
        Shared { twins, empty }
    }

    /// Draws and encodes the pages on all cores and hands each to `keep` as soon as it is ready.
    ///
    /// # Errors
    /// The first problem of `keep`, or an interruption.
    pub fn draw<T: Send>(
        &self,
        manner: Manner,
        keep: impl Fn(PageFile) -> Result<T, Failure> + Sync,
    ) -> Result<Vec<(Page, T)>, Failure> {
        let progress = Progress::new("drawing", self.page_count(), manner);
        let draw_one = |index: usize| {
            interrupt::check()?;
            let pixels = self.compose(index)?;
            let bytes = encode_png(&pixels, self.settings.png).map_err(|e| internal(index, &e))?;
            let file = format!("{}-{index}.png", self.name);
            let page = page_entry(&file, pixels.size(), &bytes);
            let kept = keep(PageFile { file, bytes, size: pixels.size() })?;
            progress.step();
            Ok((page, kept))
        };
        (0..self.page_count()).into_par_iter().map(draw_one).collect()
    }

    fn compose(&self, page: usize) -> Result<Pixels, Failure> {
        let on_page = self.layout.places.iter().enumerate().filter(|(_, place)| place.page == page);
        let stamps = on_page.map(|(i, place)| Stamp {
            pixels: &self.loaded[self.drawn[i]].sprite.stored,
            rect: place.rect,
            turned: place.turned,
        });
        compose(self.layout.pages[page], stamps, self.settings.spacing.extrude).map_err(|e| internal(page, &e))
    }

    /// The descriptor for these pages.
    #[must_use]
    pub fn descriptor(&self, pages: Vec<Page>) -> Atlas {
        let AtlasSettings { spacing, treatment, .. } = self.settings;
        let sprites: BTreeMap<SpriteName, Sprite> = self.names.iter().cloned().zip(self.sprites()).collect();
        let clips: BTreeMap<ClipName, Clip> =
            self.clips.clips.iter().map(|(name, steps)| (name.clone(), default_clip(steps))).collect();
        let built = Built {
            gutter: spacing.gutter,
            margin: spacing.margin,
            extrude: spacing.extrude,
            trim: treatment.trim,
            visible_alpha: treatment.visible_alpha,
            mip_levels: 0,
            resample: None,
        };
        Atlas {
            zemtak: atlas::VERSION,
            needs: Vec::new(),
            name: self.name.to_owned(),
            scale: 1.0,
            base: None,
            built,
            pages,
            sprites,
            clips,
        }
    }

    /// What was found out about clips.
    #[must_use]
    pub fn clips(&self) -> &clip::Found {
        &self.clips
    }

    fn sprites(&self) -> impl Iterator<Item = Sprite> {
        self.loaded.iter().zip(&self.box_of).map(|(Loaded { sprite, .. }, &at)| {
            let place = self.layout.places[at];
            Sprite {
                page: place.page,
                rect: place.rect,
                turned: place.turned,
                canvas: sprite.canvas,
                inset: sprite.inset,
                pivot: [f64::from(sprite.canvas.w) / 2.0, f64::from(sprite.canvas.h) / 2.0],
                uv: UvRect::of(place.rect, self.layout.pages[place.page]),
                points: BTreeMap::new(),
                stretch: None,
                tags: Vec::new(),
                user: None,
                outline: None,
                mesh: None,
            }
        })
    }
}

/// Which box each sprite lies in, and which sprite is drawn in each box.
///
/// Twins are found by fingerprint and then compared pixel by pixel. Trimmed empty sprites always share their one pixel.
fn boxes(sprites: &[&Prepared], share_twins: bool) -> (Vec<usize>, Vec<usize>) {
    let mut drawn: Vec<usize> = Vec::new();
    let mut alike: HashMap<u64, Vec<usize>> = HashMap::new();
    let box_of = (0..sprites.len())
        .map(|i| {
            let sprite = sprites[i];
            let stands_in = sprite.empty && sprite.stored.size() == Size::new(1, 1);
            let candidates = alike.entry(sprite.stored.fingerprint()).or_default();
            let twin = candidates.iter().find(|&&b| sprites[drawn[b]].stored == sprite.stored);
            match twin {
                Some(&at) if share_twins || stands_in => at,
                _ => {
                    candidates.push(drawn.len());
                    drawn.push(i);
                    drawn.len() - 1
                }
            }
        })
        .collect();
    (box_of, drawn)
}

fn default_clip(steps: &[SpriteName]) -> Clip {
    let steps = steps.iter().map(|sprite| Step { sprite: sprite.clone(), ms: None, events: Vec::new() }).collect();
    Clip { mode: Mode::Loop, fps: Some(Rate::Number(f64::from(DEFAULT_FPS))), steps }
}

fn page_entry(file: &str, size: Size, bytes: &[u8]) -> Page {
    Page {
        file: file.to_owned(),
        width: size.w,
        height: size.h,
        pixels: atlas::PixelKind::Rgba8,
        alpha: atlas::Alpha::Straight,
        colour: atlas::Colour::Srgb,
        filter: atlas::Filter::Nearest,
        wrap: atlas::Wrap::Clamp,
        mips: 1,
        safe_mips: None,
        hash: page_hash(bytes),
        layers: BTreeMap::new(),
    }
}

fn internal(page: usize, error: &dyn std::error::Error) -> Failure {
    let help = "this is an error in zemtak itself; please report it with the images";
    Problem::bad_input("a page cannot be drawn", &format!("page {page}"), error.to_string(), help).into()
}

/// A box for every sprite, twins or not.
fn one_each(sprites: usize) -> (Vec<usize>, Vec<usize>) {
    ((0..sprites).collect(), (0..sprites).collect())
}

impl Plan<'_> {
    fn explain(&self, error: &LayoutError) -> Failure {
        match error {
            LayoutError::DoNotFit { items, room } => {
                let problems = items.iter().map(|&item| {
                    let why =
                        format!("{} pixels are to be stored, the largest page has room for {room}", self.size_of(item));
                    let help = "raise --page-max or --page-aspect, allow --turn, or make the image smaller";
                    Problem::bad_input("a sprite that fits on no page", self.name_of(item).as_str(), why, help)
                });
                Failure::all(problems.collect())
            }
            LayoutError::GroupTooLarge { items } => {
                let pixels: u64 = items.iter().map(|&i| self.size_of(i).area()).sum();
                let ends = [items.first(), items.last()]
                    .map(|i| i.map_or_else(String::new, |&i| show::name(self.name_of(i).as_str())));
                let count = show::count(items.len(), "box", "boxes");
                let why = format!(
                    "{count}, {} to {}, {} pixels in all, fit on no page of {} together",
                    ends[0],
                    ends[1],
                    show::number(pixels),
                    self.settings.page.fixed.unwrap_or(self.settings.page.max)
                );
                let help = "raise --page-max, or leave --together out";
                let clip = items.first().and_then(|&i| self.clip_of(self.name_of(i)));
                Problem::bad_input("a clip that does not fit on one page", &clip.unwrap_or_default(), why, help).into()
            }
            LayoutError::PageCount { asked, needed } => {
                let why = format!("{asked} asked for, {needed} needed");
                let help = "drop --page-count, or raise --page-max";
                Problem::bad_input("the number of pages cannot be kept", "--page-count", why, help).into()
            }
            other => {
                let help = "see 'zemtak pack --help' for the page options";
                Problem::usage("page options that contradict each other", "", other.to_string(), help).into()
            }
        }
    }

    fn clip_of(&self, sprite: &SpriteName) -> Option<String> {
        let of = self.clips.clips.iter().find(|(_, steps)| steps.contains(sprite));
        of.map(|(name, _)| name.to_string())
    }
}
