//! Drawing pages, and leaving those alone that exist already.

mod bands;
mod shared;
mod sheet;

pub(crate) use shared::there;
pub(crate) use sheet::Sheet;

use crate::allowance::Drawing;
use crate::content;
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::former::{Drawn, DrawnBand, DrawnBox, Former};
use crate::load::{self, NotDrawn, Sprite};
use crate::observer::Phase;
use crate::plan::Plan;
use crate::settings::{PageFormat, PageNames};
use crate::store::{self, Hash, Key};
use crate::texture::{DrawnTexture, TexturePage};
use crate::timings::{Stage, Timings};
use crate::work::{Origin, Part};
use bands::BandsLeft;
use rayon::prelude::*;
use sheet::Held;
use std::path::Path;
use zemtak_core::atlas::{Alpha, Wrap};
use zemtak_core::codec::{BandEffort, EncodeError, IMAGE_VERSION, KTX2_VERSION, PNG_VERSION};
use zemtak_core::compose::{COMPOSE_VERSION, Composer, Ring, Stamp};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::Place;
use zemtak_core::mips::MIPS_VERSION;

/// A page, or a layer of one: its file, and what must be done to get it.
#[derive(Debug)]
pub struct PageFile<T> {
    /// The page that it is, or whose layer it is.
    pub page: usize,
    /// Which layer it is.
    pub layer: Option<String>,
    /// What is recorded about it for the next build: its file, the hash of the file's bytes, its size.
    pub drawn: Drawn,
    /// What is sampled beyond its edges.
    pub wrap: Wrap,
    /// What was made of its bytes; `None` if they are in place already.
    pub made: Option<T>,
    /// Where they came from.
    pub part: Part,
}

/// Where pages go, and what is done with them.
pub struct Put<'a, F> {
    /// The folder for results.
    pub out: &'a Path,
    /// The existing pages.
    pub former: &'a Former,
    /// Takes a new page's bytes, with the name of its file.
    pub take: F,
}

impl<F> Put<'_, F> {
    /// Whether a file with this hash is in place.
    fn is_in_place(&self, file: &str, hash: Hash, context: Context<'_>) -> bool {
        let path = self.out.join(file);
        let read = || context.timings.time(Stage::Read, || content::hash(&path, context.files())).ok();
        self.former.hash_read(&path).or_else(read) == Some(hash)
    }
}

/// A page before it is drawn.
struct PageDraft<'s> {
    sheet: Sheet<'s>,
    /// What its bytes depend on.
    key: Hash,
    left: Left<'s>,
}

/// What is left to do for a page.
enum Left<'f> {
    /// It is in place.
    Nothing(Drawn),
    /// Another machine has made it.
    Made(PageBytes, Part),
    /// The bands that the previous build does not have.
    Bands(BandsLeft<'f>),
    /// All of it, from these boxes.
    Whole(Vec<usize>),
}

impl PageDraft<'_> {
    /// The boxes whose pixels it needs.
    fn needed(&self) -> Vec<usize> {
        match &self.left {
            Left::Nothing(_) | Left::Made(..) => Vec::new(),
            Left::Bands(bands) => bands.needed(),
            Left::Whole(boxes) => boxes.clone(),
        }
    }
}

/// A page's bytes, and what is recorded about them.
struct PageBytes {
    bytes: Vec<u8>,
    bands: Vec<DrawnBand>,
    texture: Option<DrawnTexture>,
}

impl Plan<'_> {
    /// Draws, encodes and proves some pages and layers on all cores, and passes on each as soon as it is ready. Pages
    /// whose files are in place are left alone, and unchanged bands are taken from existing pages. Only as many are
    /// drawn at a time as there is memory for.
    ///
    /// # Errors
    /// A problem with a source or with passing on, or an interruption.
    pub fn draw<T: Send>(
        &self,
        sheets: &[Sheet<'_>],
        put: &Put<'_, impl Fn(&str, Vec<u8>) -> Result<T, Failure> + Sync>,
        context: Context<'_>,
    ) -> Result<Vec<PageFile<T>>, NotDrawn> {
        let progress = context.progress(Phase::Drawing, Some(sheets.len()));
        let sizes: Vec<Size> = sheets.iter().map(|sheet| self.layout.pages[sheet.page]).collect();
        let mut pages = Vec::with_capacity(sheets.len());
        while pages.len() < sheets.len() {
            let from = pages.len();
            let together = &sheets[from..][..context.allowance.drawn_together(&sizes[from..], self.drawing())];
            let begun: Vec<PageDraft<'_>> =
                together.par_iter().map(|&sheet| self.begin_page(sheet, put, context)).collect();
            let mut needed: Vec<usize> = begun.iter().flat_map(PageDraft::needed).collect();
            needed.sort_unstable();
            needed.dedup();
            let sprites: Vec<&Sprite<'_>> = needed.iter().map(|&at| &self.task.sprites[self.drawn[at]]).collect();
            load::fetch(&sprites, put.former, context)?;
            let draw_one = |draft: PageDraft<'_>| {
                context.check()?;
                let page = self.page(draft, put, context)?;
                progress.advance();
                Ok(page)
            };
            let drawn: Result<Vec<PageFile<T>>, NotDrawn> = begun.into_par_iter().map(draw_one).collect();
            pages.extend(drawn?);
            sprites.iter().for_each(|sprite| sprite.forget());
        }
        Ok(pages)
    }

    /// How pages are drawn.
    pub(crate) fn drawing(&self) -> Drawing {
        if self.band_effort().is_some() { Drawing::Bands } else { Drawing::Whole }
    }

    /// How the bands of pages are made, if pages are made of bands.
    fn band_effort(&self) -> Option<BandEffort> {
        let settings = self.task.settings;
        if settings.pages_as == PageFormat::Png { settings.png.bands() } else { None }
    }

    /// Checks whether a page is in place, and if not, what has to be drawn of it.
    fn begin_page<'s, T>(
        &self,
        sheet: Sheet<'s>,
        put: &Put<'s, impl Fn(&str, Vec<u8>) -> Result<T, Failure>>,
        context: Context<'_>,
    ) -> PageDraft<'s> {
        let key = self.page_key(sheet);
        let known: Option<Hash> = context.store.get(&key).and_then(|bytes| bytes.try_into().ok());
        if let Some(hash) = known {
            let file = self.page_name(sheet, &hash);
            let drawn = put.former.drawn(&file, &hash).filter(|_| put.is_in_place(&file, hash, context));
            if let Some(drawn) = drawn {
                tracing::debug!(page = file, "as it was");
                return PageDraft { sheet, key, left: Left::Nothing(drawn.clone()) };
            }
        }
        if let Some((made, part)) = shared::fetch(&key, context) {
            return PageDraft { sheet, key, left: Left::Made(made, part) };
        }
        let left = match self.band_effort() {
            Some(effort) => Left::Bands(self.bands_left(sheet, effort, put.former, context)),
            None => Left::Whole(self.on_page(sheet.page)),
        };
        PageDraft { sheet, key, left }
    }

    fn page<T>(
        &self,
        draft: PageDraft<'_>,
        put: &Put<'_, impl Fn(&str, Vec<u8>) -> Result<T, Failure>>,
        context: Context<'_>,
    ) -> Result<PageFile<T>, NotDrawn> {
        let PageDraft { sheet, key, left } = draft;
        let (page, layer) = (sheet.page, sheet.layer.map(|(name, _)| name.to_owned()));
        let wrap = self.wrap_of(page);
        let timings = Timings::of_work();
        let timed = Context { timings: &timings, ..context };
        let (made, fetched) = match left {
            Left::Nothing(drawn) => return Ok(PageFile { page, layer, drawn, wrap, made: None, part: Part::HERE }),
            Left::Made(made, part) => (made, Some(part)),
            Left::Bands(bands) => (self.by_bands(sheet, bands, put.former, timed)?, None),
            Left::Whole(boxes) => (self.whole(sheet, &boxes, timed)?, None),
        };
        let made_in = context.timings.add_all(&timings);
        let part = fetched.unwrap_or(Part { origin: Origin::Made, made_in });
        let made = if fetched.is_none() { shared::share(&key, made, made_in, context) } else { made };
        let PageBytes { bytes, bands, texture } = made;
        let hash = context.timings.time(Stage::Hash, || store::hash_by_all(&bytes));
        context.store.put(key, hash.to_vec());
        let file = self.page_name(sheet, &hash);
        tracing::debug!(page = file, bytes = bytes.len(), "drawn, encoded and proved");
        // Without knowledge from earlier builds, a page may still be the same.
        let made = if put.is_in_place(&file, hash, context) { None } else { Some((put.take)(&file, bytes)?) };
        // Nobody looks for a sprite's own pixels on a layer.
        let boxes = if layer.is_none() { self.boxes_on(page) } else { Vec::new() };
        let drawn = Drawn { file, hash, size: self.layout.pages[page], bands, boxes, texture };
        Ok(PageFile { page, layer, drawn, wrap, made, part })
    }

    fn page_name(&self, sheet: Sheet<'_>, hash: &Hash) -> String {
        let hash = match self.task.settings.names {
            PageNames::Plain => String::new(),
            PageNames::Hashed => format!("{}.", crate::format::hex(&hash[..8])),
        };
        let layer = sheet.layer.map(|(layer, _)| format!("{layer}.")).unwrap_or_default();
        let (name, extension) = (self.task.name, self.task.settings.pages_as.extension());
        format!("{name}-{}.{layer}{hash}{extension}", sheet.page)
    }

    /// The boxes on a page, in the order in which they are drawn.
    pub(crate) fn on_page(&self, page: usize) -> Vec<usize> {
        (0..self.drawn.len()).filter(|&at| self.layout.places[at].page == page).collect()
    }

    fn boxes_on(&self, page: usize) -> Vec<DrawnBox> {
        let of = |at: usize| {
            let place = self.layout.places[at];
            DrawnBox { hash: self.stored_hash(at), rect: place.rect, turned: place.turned }
        };
        self.on_page(page).into_iter().map(of).collect()
    }

    /// The hash of what is stored in a box.
    pub(super) fn stored_hash(&self, at: usize) -> Hash {
        self.task.sprites[self.drawn[at]].facts.hash
    }

    /// What a page's bytes depend on.
    pub(crate) fn page_key(&self, sheet: Sheet<'_>) -> Hash {
        let settings = self.task.settings;
        let mut on_page = Vec::new();
        for at in self.on_page(sheet.page) {
            let Place { rect, turned, .. } = self.layout.places[at];
            for part in [rect.x, rect.y, rect.w, rect.h, u32::from(turned)] {
                on_page.extend_from_slice(&part.to_le_bytes());
            }
            on_page.extend_from_slice(&self.stored_hash(at));
        }
        Key::new("page", &[COMPOSE_VERSION, PNG_VERSION, IMAGE_VERSION, KTX2_VERSION, MIPS_VERSION])
            .value(&(sheet.layer, self.layout.pages[sheet.page], self.ring_of(sheet.page)))
            .value(&(settings.pages_as, settings.png, settings.texture))
            .value(&(settings.mip_levels, settings.alpha(), settings.filter))
            .bytes(&on_page)
            .finish()
    }

    pub(super) fn wrap_of(&self, page: usize) -> Wrap {
        let alone = self.layout.places.iter().position(|p| p.page == page).filter(|&at| self.items[at].alone);
        alone.and_then(|at| self.overrides[self.drawn[at]].wrap).unwrap_or(Wrap::Clamp)
    }

    /// A page that repeats is one box without a ring.
    pub(crate) fn ring_of(&self, page: usize) -> Ring {
        let settings = self.task.settings;
        match self.wrap_of(page) {
            // It ends where a block of pixels may begin.
            Wrap::Clamp => Ring { extrude: settings.spacing.extrude, align: settings.spacing.align },
            _ => Ring::from(0),
        }
    }

    /// The composer for these boxes of a page, with what is stored in them.
    fn composer<'p>(&self, page: usize, boxes: &[usize], pixels: &'p [Held]) -> Result<Composer<'p>, NotDrawn> {
        let stamp = |(&at, pixels): (&usize, &'p Held)| {
            let place = self.layout.places[at];
            Stamp { pixels: pixels.pixels(), rect: place.rect, turned: place.turned }
        };
        let stamps = boxes.iter().zip(pixels).map(stamp);
        let composer = Composer::new(self.layout.pages[page], stamps, self.ring_of(page));
        Ok(composer.map_err(|error| self.internal(page, &error))?)
    }

    /// A page encoded as a whole and proved to show its pixels.
    fn whole(&self, sheet: Sheet<'_>, on_page: &[usize], context: Context<'_>) -> Result<PageBytes, NotDrawn> {
        let page = sheet.page;
        let stored = self.pixels_of(sheet, on_page)?;
        let composer = self.composer(page, on_page, &stored)?;
        let height = self.layout.pages[page].h;
        let pixels = context.timings.time(Stage::Compose, || composer.rows(0..height));
        let pixels = pixels.ok_or_else(|| self.too_large(page))?;
        let settings = self.task.settings;
        let encode = || settings.pages_as.encode(&pixels, settings.png);
        let Some(encoded) = context.timings.time(Stage::Encode, encode) else {
            let boxes: Vec<Rect> = on_page.iter().map(|&at| self.layout.places[at].rect).collect();
            let page_texture = TexturePage {
                pixels: &pixels,
                boxes: &boxes,
                alpha: self.alpha_of(sheet),
                colour: sheet.colour(),
                filter: settings.filter,
                smaller: settings.mip_levels,
                settings: settings.texture,
            };
            let encoded = page_texture.encode(context.timings).map_err(|error| self.not_encoded(page, &error));
            let (bytes, texture) = encoded?;
            return Ok(PageBytes { bytes, bands: Vec::new(), texture: Some(texture) });
        };
        let encoded = encoded.map_err(|error| self.not_encoded(page, &error))?;
        let proved = context.timings.time(Stage::Prove, || encoded.prove());
        let bytes = proved.map_err(|error| self.not_encoded(page, &error.into()))?;
        Ok(PageBytes { bytes, bands: Vec::new(), texture: None })
    }

    /// The meaning of colour under half transparency there. Layers are data, which are never premultiplied.
    pub(crate) fn alpha_of(&self, sheet: Sheet<'_>) -> Alpha {
        if sheet.layer.is_some() { Alpha::Straight } else { self.task.settings.alpha() }
    }

    pub(super) fn too_large(&self, page: usize) -> Failure {
        self.not_encoded(page, &EncodeError::Codec("it is too large for memory".into()))
    }

    fn internal(&self, page: usize, error: &dyn std::error::Error) -> Failure {
        let help = "this is a bug in zemtak: please report it with the images";
        Problem::bad_input(ProblemKind::CannotDrawPage, &self.page_title(page), error.to_string(), help).into()
    }

    /// The page's file and number.
    fn page_title(&self, page: usize) -> String {
        let (name, size) = (self.task.name, self.layout.pages[page]);
        format!("{name}-{page}.{}, page {page} ({size} pixels)", self.task.settings.pages_as.extension())
    }

    pub(super) fn not_encoded(&self, page: usize, error: &EncodeError) -> Failure {
        let help = "choose another page format, or smaller pages with page.max";
        Problem::not_encoded(&self.page_title(page), error, help).into()
    }
}
