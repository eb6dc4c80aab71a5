//! Prepared sprites to an atlas: twins, layout, pages and the descriptor.

use crate::answer::Manner;
use crate::failure::{Failure, Problem};
use crate::interrupt;
use crate::load::Loaded;
use crate::progress::Progress;
use crate::settings::AtlasSettings;
use crate::show;
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};
use zemtak_core::atlas::{self, Atlas, Built, Clip, Mode, Page, Rate, Sprite, Step};
use zemtak_core::clip::{self, DEFAULT_FPS};
use zemtak_core::codec::encode_png;
use zemtak_core::compose::{Stamp, compose};
use zemtak_core::coords::UvRect;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Item, Layout, LayoutError, lay_out};
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
    /// Finds twins and lays the boxes out. `names` and `loaded` are in one order, sorted by name.
    ///
    /// # Errors
    /// Sprites that fit on no page, all of them, or page options that cannot be met.
    pub fn new(
        name: &'a str,
        settings: &'a AtlasSettings,
        names: &'a [SpriteName],
        loaded: &'a [Loaded],
    ) -> Result<Self, Failure> {
        let sprites: Vec<&Prepared> = loaded.iter().map(|l| &l.sprite).collect();
        let (box_of, drawn) = boxes(&sprites, settings.share_twins);
        let items: Vec<Item> =
            drawn.iter().map(|&i| Item { size: sprites[i].stored.size(), may_turn: settings.turn }).collect();
        let layout = lay_out(&items, settings.spacing, &settings.page)
            .map_err(|error| explain(&error, |item| (&names[drawn[item]], sprites[drawn[item]].stored.size())))?;
        interrupt::check()?;
        if let Some(page) = layout.pages.iter().find(|p| p.area() > PAGE_PIXELS) {
            let why = format!("{page} pixels are more than the limit of {} a page", show::number(PAGE_PIXELS));
            return Err(Problem::usage("a page too large for memory", "", why, "ask for smaller pages").into());
        }
        Ok(Self { name, settings, names, loaded, box_of, drawn, layout })
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

    /// The descriptor for these pages, and the findings about clips.
    #[must_use]
    pub fn descriptor(&self, pages: Vec<Page>) -> (Atlas, clip::Found) {
        let AtlasSettings { spacing, treatment, .. } = self.settings;
        let sprites: BTreeMap<SpriteName, Sprite> = self.names.iter().cloned().zip(self.sprites()).collect();
        let found = clip::find(&sprites.keys().cloned().collect(), self.name);
        let clips: BTreeMap<ClipName, Clip> =
            found.clips.iter().map(|(name, steps)| (name.clone(), default_clip(steps))).collect();
        let built = Built {
            gutter: spacing.gutter,
            margin: spacing.margin,
            extrude: spacing.extrude,
            trim: treatment.trim,
            visible_alpha: treatment.visible_alpha,
            mip_levels: 0,
            resample: None,
        };
        let atlas = Atlas {
            zemtak: atlas::VERSION,
            needs: Vec::new(),
            name: self.name.to_owned(),
            scale: 1.0,
            base: None,
            built,
            pages,
            sprites,
            clips,
        };
        (atlas, found)
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

fn explain<'a>(error: &LayoutError, sprite: impl Fn(usize) -> (&'a SpriteName, Size)) -> Failure {
    match error {
        LayoutError::DoNotFit { items, room } => {
            let problems = items.iter().map(|&item| {
                let (name, size) = sprite(item);
                let why = format!("{size} pixels are to be stored, the largest page has room for {room}");
                let help = "raise --page-max or --page-aspect, allow --turn, or make the image smaller";
                Problem::bad_input("a sprite that fits on no page", name.as_str(), why, help)
            });
            Failure::all(problems.collect())
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
