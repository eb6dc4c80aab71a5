//! Pages as PNG made of bands: only what changed is drawn, encoded and proved again.
//!
//! A band's bytes depend on its rows alone, and its rows on the boxes that reach into it. So a band with the same boxes
//! at the same places below its top is the same, on whichever page and however far down it lies. And a band whose boxes
//! have not moved is the previous one, with those cells drawn over whose content changed.

use super::{PageBytes, Sheet};
use crate::context::Context;
use crate::former::{BandPlace, DrawnBand, Former};
use crate::load::NotDrawn;
use crate::plan::Plan;
use crate::store::{Hash, Key};
use crate::timings::Stage;
use rayon::prelude::*;
use std::collections::HashMap;
use std::ops::Range;
use zemtak_core::codec::{
    Band, BandEffort, EncodeError, Mark, PNG_VERSION, encode_png_band, join_png_bands, png_bands, prove_joined_png,
    prove_png_band,
};
use zemtak_core::compose::{COMPOSE_VERSION, Composer, Ring};
use zemtak_core::mips::own_cell;
use zemtak_core::pixels::Pixels;

impl Plan<'_> {
    /// What is left to draw of a page's bands.
    pub(super) fn bands_left<'f>(
        &self,
        sheet: Sheet<'_>,
        effort: BandEffort,
        former: &'f Former,
        context: Context<'_>,
    ) -> BandsLeft<'f> {
        let on_page = self.on_page(sheet.page);
        let ranges = png_bands(self.layout.pages[sheet.page]);
        // Boxes of layers are not recorded.
        let before = if sheet.layer.is_none() { former.boxes_on(sheet.page) } else { HashMap::new() };
        let before = |at: usize| before.get(&self.layout.places[at].rect).copied();
        let left = |rows: Range<u32>| {
            let boxes = self.reaching_into(&rows, sheet.page, &on_page);
            let shown: Vec<(usize, Hash)> = boxes.into_iter().map(|at| (at, self.stored_hash(at))).collect();
            let key = self.band_key(sheet, effort, &rows, &shown);
            let from = former.band(&key, context).map(BandFrom::Former);
            let drawn_over = || {
                let shown_before: Option<Vec<_>> = shown.iter().map(|&(at, _)| Some((at, before(at)?))).collect();
                let place = former.place_of(&self.band_key(sheet, effort, &rows, &shown_before?), context)?;
                let others = shown.iter().filter(|(at, hash)| before(*at) != Some(*hash));
                Some(BandFrom::DrawnOver(place, others.map(|(at, _)| *at).collect()))
            };
            let all = || BandFrom::Boxes(shown.iter().map(|(at, _)| *at).collect());
            let from = from.or_else(drawn_over).unwrap_or_else(all);
            BandLeft { rows, key, from }
        };
        BandsLeft { effort, bands: ranges.into_iter().map(left).collect() }
    }

    /// A page as PNG, and the bands it is made of.
    ///
    /// # Errors
    /// A problem with a source, or an interruption.
    pub(super) fn by_bands<'f>(
        &self,
        sheet: Sheet<'_>,
        left: BandsLeft<'f>,
        former: &Former,
        context: Context<'_>,
    ) -> Result<PageBytes, NotDrawn> {
        let needed = left.needed();
        let BandsLeft { effort, bands: left } = left;
        let (page, size) = (sheet.page, self.layout.pages[sheet.page]);
        let stored = self.pixels_of(sheet, &needed)?;
        let composer = self.composer(page, &needed, &stored)?;
        let drawing = Drawing { composer: &composer, effort, context };
        let band = |BandLeft { rows, from, key }: BandLeft<'f>| {
            let pixels = match from {
                BandFrom::Former(band) => return Ok((key, band)),
                BandFrom::DrawnOver(place, _) => {
                    let before = former.rows(place, context);
                    before.and_then(|before| drawing.over(before, rows.start)).ok_or(NotDrawn::Stale)?
                }
                BandFrom::Boxes(_) => drawing.rows(rows).ok_or_else(|| self.too_large(page))?,
            };
            context.check()?;
            Ok((key, drawing.band(&pixels).map_err(|error| self.not_encoded(page, &error))?))
        };
        let bands: Vec<Result<(Hash, Band<'f>), NotDrawn>> = left.into_par_iter().map(band).collect();
        let bands = bands.into_iter().collect::<Result<Vec<_>, NotDrawn>>()?;
        let (keys, bands): (Vec<Hash>, Vec<Band<'_>>) = bands.into_iter().unzip();
        let file = context.timings.time(Stage::Encode, || join_png_bands(size, Some(Mark::Page), &bands));
        let proved = context.timings.time(Stage::Prove, || prove_joined_png(&file, size, &bands));
        proved.map_err(|error| self.not_encoded(page, &error.into()))?;
        let note = |(key, band): (Hash, &Band<'_>)| DrawnBand { key, sum: band.sum, length: band.length };
        let bands = keys.into_iter().zip(&bands).map(note).collect();
        Ok(PageBytes { bytes: file, bands, texture: None })
    }

    /// The boxes of a page that reach, with their rings, into a range of its rows.
    fn reaching_into(&self, rows: &Range<u32>, page: usize, on_page: &[usize]) -> Vec<usize> {
        let Ring { extrude, align } = self.ring_of(page);
        let reaches = |at: &usize| {
            let cell = own_cell(self.layout.places[*at].rect, extrude, align, self.layout.pages[page]);
            cell.y < rows.end && cell.y + cell.h > rows.start
        };
        on_page.iter().copied().filter(reaches).collect()
    }

    /// What the bytes of a band depend on: boxes, and the hashes of what is stored in them.
    fn band_key(&self, sheet: Sheet<'_>, effort: BandEffort, rows: &Range<u32>, boxes: &[(usize, Hash)]) -> Hash {
        let page = sheet.page;
        let mut key = Vec::with_capacity(boxes.len() * 64);
        let Ring { extrude, align } = self.ring_of(page);
        // Cells end at multiples of these blocks, counted from the page's top.
        let in_block = rows.start % align;
        for part in [self.layout.pages[page].w, rows.end - rows.start, extrude, align, in_block] {
            key.extend_from_slice(&part.to_le_bytes());
        }
        for &(at, hash) in boxes {
            let place = self.layout.places[at];
            let below = i64::from(place.rect.y) - i64::from(rows.start);
            key.extend_from_slice(&hash);
            key.extend_from_slice(&below.to_le_bytes());
            for part in [place.rect.x, place.rect.w, place.rect.h, u32::from(place.turned)] {
                key.extend_from_slice(&part.to_le_bytes());
            }
        }
        Key::new("band", &[COMPOSE_VERSION, PNG_VERSION]).value(&(sheet.layer, effort)).bytes(&key).finish()
    }
}

/// The bands of a page, from the top.
pub(super) struct BandsLeft<'f> {
    effort: BandEffort,
    bands: Vec<BandLeft<'f>>,
}

impl BandsLeft<'_> {
    /// The boxes that must be drawn.
    pub fn needed(&self) -> Vec<usize> {
        let of_band = |band: &BandLeft<'_>| match &band.from {
            BandFrom::Former(_) => Vec::new(),
            BandFrom::DrawnOver(_, boxes) | BandFrom::Boxes(boxes) => boxes.clone(),
        };
        let mut needed: Vec<usize> = self.bands.iter().flat_map(of_band).collect();
        needed.sort_unstable();
        needed.dedup();
        needed
    }
}

struct BandLeft<'f> {
    rows: Range<u32>,
    /// What it depends on.
    key: Hash,
    from: BandFrom<'f>,
}

/// Where a band comes from.
enum BandFrom<'f> {
    /// The previous build has it.
    Former(Band<'f>),
    /// The previous build has one that differs only in these boxes.
    DrawnOver(BandPlace, Vec<usize>),
    /// These boxes.
    Boxes(Vec<usize>),
}

/// The drawing of one page's bands.
struct Drawing<'a> {
    composer: &'a Composer<'a>,
    effort: BandEffort,
    context: Context<'a>,
}

impl Drawing<'_> {
    /// The rows of a range.
    fn rows(&self, range: Range<u32>) -> Option<Pixels> {
        self.context.timings.time(Stage::Compose, || self.composer.rows(range))
    }

    /// Rows from `top` on, whose other boxes are drawn already.
    fn over(&self, rows: Pixels, top: u32) -> Option<Pixels> {
        self.context.timings.time(Stage::Compose, || self.composer.over(rows, top))
    }

    /// A band, proved to show its rows while they are at hand.
    fn band(&self, rows: &Pixels) -> Result<Band<'static>, EncodeError> {
        let (bytes, width, timings) = (rows.as_bytes(), rows.size().w, self.context.timings);
        let band = timings.time(Stage::Encode, || encode_png_band(bytes, width, self.effort))?;
        timings.time(Stage::Prove, || prove_png_band(&band, bytes, width))?;
        Ok(band)
    }
}
