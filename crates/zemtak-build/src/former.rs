//! The pages of the previous build: a source of pixels without decoding sources, and of bands without encoding them.
//!
//! What is taken from there is checked: pixels against the hash of the sprite's stored pixels, a page's bytes against
//! the hash that was recorded when they were proved. If either differs, nothing is taken.

use crate::context::Context;
use crate::store::{self, Hash, Key};
use crate::texture::DrawnTexture;
use crate::timings::Stage;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use zemtak_core::codec::{Band, Limits, decode, join_png_bands, png_bands, split_png_bands};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_files::FILE_BYTES;

/// Changes whenever what is recorded does.
const RECORD_VERSION: u32 = 2;

/// What is recorded about a page that was written.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Drawn {
    /// The file's name.
    pub file: String,
    /// The hash of its bytes.
    pub hash: Hash,
    /// Its size in pixels.
    pub size: Size,
    /// The bands it was made of, if any.
    pub bands: Vec<DrawnBand>,
    /// What lies on it.
    pub boxes: Vec<DrawnBox>,
    /// What kind of texture it is, if its file says so.
    pub texture: Option<DrawnTexture>,
}

/// What is recorded about a band.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct DrawnBand {
    /// What it depends on.
    pub key: Hash,
    /// See [`Band`].
    pub sum: u32,
    /// See [`Band`].
    pub length: u64,
}

/// What is recorded about a box.
#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
pub struct DrawnBox {
    /// The hash of the stored pixels.
    pub hash: Hash,
    /// Where it lies.
    pub rect: Rect,
    /// Whether it is stored turned.
    pub turned: bool,
}

/// The key under which the pages of an atlas are recorded.
fn key(out: &Path, atlas: &str) -> Hash {
    Key::new("drawn", &[RECORD_VERSION]).bytes(out.as_os_str().as_encoded_bytes()).bytes(atlas.as_bytes()).finish()
}

/// Records the pages of an atlas for the next build.
pub fn note(pages: &[Drawn], out: &Path, atlas: &str, context: Context<'_>) {
    if let Ok(bytes) = postcard::to_stdvec(pages) {
        context.store.put(key(out, atlas), bytes);
    }
}

/// The pages of the previous build of an atlas.
#[derive(Debug, Default)]
pub struct Former {
    pages: Vec<Page>,
    /// Where the stored pixels with a hash lie.
    boxes: HashMap<Hash, (usize, DrawnBox)>,
    /// Where the band with a key lies.
    bands: HashMap<Hash, BandPlace>,
    /// Whether there is memory for decoded pages.
    has_room: bool,
}

/// Where a band lies: its page, and its number there.
#[derive(Debug, Clone, Copy)]
pub struct BandPlace {
    page: usize,
    band: usize,
}

#[derive(Debug)]
struct Page {
    path: PathBuf,
    drawn: Drawn,
    /// The file's bytes, once somebody needs them; `None` if they are not what was written.
    bytes: OnceLock<Option<Vec<u8>>>,
    /// The decoded bands. A page without bands is one.
    decoded: Vec<OnceLock<Option<Pixels>>>,
}

impl Former {
    /// The pages as recorded. Reads no file yet.
    #[must_use]
    pub fn open(out: &Path, atlas: &str, context: Context<'_>) -> Self {
        let noted = context.store.get(&key(out, atlas));
        let noted: Vec<Drawn> = noted.and_then(|bytes| postcard::from_bytes(&bytes).ok()).unwrap_or_default();
        let (mut boxes, mut bands) = (HashMap::new(), HashMap::new());
        // If there is no memory for the decoded pages, sprites are decoded from their files.
        let all_pixels = noted.iter().map(|drawn| drawn.size.area()).sum();
        let has_room = context.allowance.fits_former(all_pixels);
        let exact = |drawn: &Drawn| drawn.texture.as_ref().is_none_or(|texture| !texture.kind.is_compressed());
        for (page, drawn) in noted.iter().enumerate().filter(|(_, drawn)| exact(drawn)) {
            boxes.extend(drawn.boxes.iter().filter(|_| has_room).map(|of| (of.hash, (page, *of))));
            bands.extend(drawn.bands.iter().enumerate().map(|(band, of)| (of.key, BandPlace { page, band })));
        }
        let page = |drawn: Drawn| {
            let decoded = (0..drawn.bands.len().max(1)).map(|_| OnceLock::new()).collect();
            Page { path: out.join(&drawn.file), drawn, bytes: OnceLock::new(), decoded }
        };
        Self { pages: noted.into_iter().map(page).collect(), boxes, bands, has_room }
    }

    /// What was recorded about a page.
    #[must_use]
    pub fn drawn(&self, file: &str, hash: &Hash) -> Option<&Drawn> {
        self.pages.iter().map(|page| &page.drawn).find(|drawn| drawn.file == file && drawn.hash == *hash)
    }

    /// The hash of the stored pixels in each box, by page and place.
    #[must_use]
    pub fn hashes(&self) -> HashMap<(usize, Rect), Hash> {
        let of_page = |(page, of): (usize, &Page)| {
            of.drawn.boxes.iter().map(move |b| ((page, b.rect), b.hash)).collect::<Vec<_>>()
        };
        self.pages.iter().enumerate().flat_map(of_page).collect()
    }

    /// The hash of the stored pixels in each box of a page, by place: to look for bands that differ in a few boxes.
    /// Empty if there is no memory for decoded bands.
    #[must_use]
    pub fn boxes_on(&self, page: usize) -> HashMap<Rect, Hash> {
        let boxes = self.pages.get(page).filter(|_| self.has_room).map(|page| &page.drawn.boxes);
        boxes.into_iter().flatten().map(|drawn| (drawn.rect, drawn.hash)).collect()
    }

    /// The band with a key, as it was encoded and proved.
    #[must_use]
    pub fn band(&self, key: &Hash, context: Context<'_>) -> Option<Band<'_>> {
        let BandPlace { page, band } = *self.bands.get(key)?;
        self.pages[page].band(band, context)
    }

    /// Where the band with a key lies, if its page is as it was written.
    #[must_use]
    pub fn place_of(&self, key: &Hash, context: Context<'_>) -> Option<BandPlace> {
        self.bands.get(key).copied().filter(|place| self.pages[place.page].bytes(context).is_some())
    }

    /// The pixels of a band.
    #[must_use]
    pub fn rows(&self, BandPlace { page, band }: BandPlace, context: Context<'_>) -> Option<Pixels> {
        let page = &self.pages[page];
        page.decode(band, page.parts().get(band)?, context)
    }

    /// The hash of a page's file, if it was read and is as it was written.
    #[must_use]
    pub fn hash_read(&self, path: &Path) -> Option<Hash> {
        let page = self.pages.iter().find(|page| page.path == path)?;
        page.bytes.get()?.as_ref().map(|_| page.drawn.hash)
    }

    /// The stored pixels with a hash, upright, of this size.
    #[must_use]
    pub fn pixels(&self, hash: &Hash, size: Size, context: Context<'_>) -> Option<Pixels> {
        let (page, DrawnBox { rect, turned, .. }) = *self.boxes.get(hash)?;
        let stored = self.pages[page].crop(rect, context)?;
        let upright = if turned { stored.turned().turned().turned() } else { stored };
        (upright.size() == size && hash_of(&upright) == *hash).then_some(upright)
    }
}

/// The hash of stored pixels.
#[must_use]
pub fn hash_of(stored: &Pixels) -> Hash {
    Key::new("pixels", &[]).bytes(stored.as_bytes()).bytes(&stored.size().w.to_le_bytes()).finish()
}

impl Page {
    fn bytes(&self, context: Context<'_>) -> Option<&[u8]> {
        let read = || {
            let bytes = context.timings.time(Stage::Read, || context.writer.disk.read(&self.path, FILE_BYTES)).ok()?;
            (store::hash(&bytes) == self.drawn.hash).then_some(bytes)
        };
        self.bytes.get_or_init(read).as_deref()
    }

    fn band(&self, band: usize, context: Context<'_>) -> Option<Band<'_>> {
        let DrawnBand { sum, length, .. } = *self.drawn.bands.get(band)?;
        let pieces = split_png_bands(self.bytes(context)?, self.drawn.bands.len())?;
        Some(Band { deflated: pieces[band].into(), sum, length })
    }

    /// The rows at which each decoded part of the page begins and ends.
    fn parts(&self) -> Vec<std::ops::Range<u32>> {
        if self.drawn.bands.is_empty() {
            std::iter::once(0..self.drawn.size.h).collect()
        } else {
            png_bands(self.drawn.size)
        }
    }

    fn decode(&self, part: usize, rows: &std::ops::Range<u32>, context: Context<'_>) -> Option<Pixels> {
        let size = Size::new(self.drawn.size.w, rows.end - rows.start);
        let file = match self.drawn.bands.is_empty() {
            true => self.bytes(context)?.to_vec(),
            false => join_png_bands(size, None, &[self.band(part, context)?]),
        };
        let extension = self.path.extension().and_then(|e| e.to_str());
        let decoded = context.timings.time(Stage::Decode, || decode(&file, extension, &Limits::default()));
        let pixels = decoded.ok().map(|decoded| decoded.pixels).or_else(|| Pixels::from_rgba(size, file));
        pixels.filter(|pixels| pixels.size() == size)
    }

    /// The pixels of a rectangle; decodes only those parts of the page that it touches.
    fn crop(&self, rect: Rect, context: Context<'_>) -> Option<Pixels> {
        if !rect.inside(self.drawn.size) {
            return None;
        }
        let mut pixels = Pixels::transparent(rect.size())?;
        for (part, rows) in self.parts().into_iter().enumerate() {
            let (top, bottom) = (rect.y.max(rows.start), (rect.y + rect.h).min(rows.end));
            if top >= bottom {
                continue;
            }
            let decoded = self.decoded.get(part)?.get_or_init(|| self.decode(part, &rows, context)).as_ref()?;
            for y in top..bottom {
                let row = &decoded.row(y - rows.start)[rect.x as usize * PIXEL..][..rect.w as usize * PIXEL];
                pixels.row_mut(y - rect.y).copy_from_slice(row);
            }
        }
        Some(pixels)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::allowance::Allowance;
    use crate::journal::Journal;
    use crate::limits::Limits as RunLimits;
    use crate::store::{FileStore, SharedStore};
    use crate::timings::Timings;
    use crate::write::Writer;
    use rayon::prelude::*;
    use std::sync::mpsc::channel;
    use std::time::Duration;

    const SIZE: Size = Size::new(1024, 1024);
    const PAGES: u8 = 4;
    /// A box is a row.
    const BOX: Size = Size::new(SIZE.w, 1);

    /// The pixels of a row of a page.
    fn pixel(page: u8, y: u32) -> [u8; 4] {
        let [_, _, high, low] = y.to_be_bytes();
        [low, high, page, 255]
    }

    /// Pages in files that are large enough for several threads to hash, with a box in each row.
    fn pages(folder: &Path) -> Vec<Drawn> {
        let page = |number: u8| {
            let row = |y: u32| pixel(number, y).repeat(SIZE.w as usize);
            let bytes: Vec<u8> = (0..SIZE.h).flat_map(row).collect();
            let file = format!("{number}.rgba");
            std::fs::write(folder.join(&file), &bytes).unwrap();
            let of_row = |y: u32| {
                let pixels = Pixels::from_rgba(BOX, row(y)).unwrap();
                DrawnBox { hash: hash_of(&pixels), rect: Rect::at(0, y, BOX), turned: false }
            };
            let boxes = (0..SIZE.h).map(of_row).collect();
            Drawn { file, hash: store::hash(&bytes), size: SIZE, bands: Vec::new(), boxes, texture: None }
        };
        (0..PAGES).map(page).collect()
    }

    /// Runs something in a folder with a store.
    fn within(work: impl FnOnce(&Path, Context<'_>)) {
        let folder = tempfile::tempdir().unwrap();
        let writer = Writer::default();
        let (store, shared) = (FileStore::empty(folder.path(), &writer), SharedStore::default());
        let (timings, allowance) = (Timings::default(), Allowance::new(RunLimits::default()));
        let context = Context {
            store: &store,
            shared: &shared,
            writer: &writer,
            timings: &timings,
            allowance: &allowance,
            journal: &Journal::default(),
            observer: &(),
        };
        work(folder.path(), context);
    }

    /// Takes all boxes from recorded pages, as often as this, with more threads than cores.
    fn take_all_boxes(rounds: u32) {
        within(|folder, context| {
            let pages = pages(folder);
            note(&pages, folder, "a", context);
            let of_row = |y| pages.iter().map(move |page: &Drawn| &page.boxes[y]);
            let boxes: Vec<&DrawnBox> = (0..SIZE.h as usize).flat_map(of_row).collect();
            let pool = rayon::ThreadPoolBuilder::new().num_threads(16).build().unwrap();
            for _ in 0..rounds {
                let former = Former::open(folder, "a", context);
                let take = |of: &&DrawnBox| former.pixels(&of.hash, BOX, context).is_some();
                assert!(pool.install(|| boxes.par_iter().with_max_len(1).all(take)));
            }
        });
    }

    #[test]
    fn pixels_are_taken_only_if_they_are_what_was_recorded() {
        within(|folder, context| {
            let mut pages = pages(folder);
            // The record says of one box that it lies where another does, and of one page that it is another file.
            pages[0].boxes[3].rect = pages[0].boxes[4].rect;
            pages[1].hash = pages[2].hash;
            // A row that is stored turned: its left end is at the top.
            let row = Pixels::from_rgba(BOX, (0..SIZE.h).flat_map(|y| pixel(3, y)).collect()).unwrap();
            let column = Rect::at(7, 0, Size::new(1, SIZE.h));
            pages[3].boxes.push(DrawnBox { hash: hash_of(&row), rect: column, turned: true });
            note(&pages, folder, "a", context);
            let former = Former::open(folder, "a", context);
            let is_taken =
                |page: usize, row: usize| former.pixels(&pages[page].boxes[row].hash, BOX, context).is_some();
            assert!(is_taken(0, 2) && !is_taken(0, 3) && is_taken(0, 4));
            assert!(!is_taken(1, 0) && is_taken(2, 0));
            assert_eq!(former.pixels(&hash_of(&row), BOX, context), Some(row));
            let of_other_size = former.pixels(&pages[0].boxes[0].hash, Size::new(BOX.w, 2), context);
            assert!(of_other_size.is_none());
        });
    }

    /// A thread hashed a page together with others while it held the page's cell. Waiting for them it took up another
    /// sprite of that page, and so waited for itself: now and then a pack never ended.
    #[test]
    fn threads_that_need_the_same_page_do_not_wait_for_each_other_forever() {
        let (done, is_done) = channel();
        std::thread::spawn(move || {
            take_all_boxes(100);
            done.send(()).unwrap();
        });
        is_done.recv_timeout(Duration::from_secs(60)).expect("nobody goes on");
    }
}
