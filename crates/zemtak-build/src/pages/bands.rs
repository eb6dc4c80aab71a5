//! Pages as PNG made of bands: only what changed is drawn, encoded and proved again.
//!
//! A band's bytes follow from its rows alone, and its rows from the boxes that reach into it. So a band with the same boxes
//! at the same places below its top is the same, on whichever page and however far down it lies.

use super::{PageBytes, Sheet};
use crate::context::Context;
use crate::failure::Failure;
use crate::former::{DrawnBand, Former};
use crate::load::NotDrawn;
use crate::plan::Plan;
use crate::store::{Hash, Key};
use crate::timings::Stage;
use rayon::prelude::*;
use std::ops::Range;
use zemtak_core::codec::{
    Band, BandEffort, EncodeError, Mark, PNG_VERSION, encode_png_band, join_png_bands, png_bands, prove_joined_png,
    prove_png_band,
};
use zemtak_core::compose::{COMPOSE_VERSION, Composer, Ring};
use zemtak_core::mips::own_cell;

impl Plan<'_> {
    /// What is left to draw of a page's bands.
    pub(super) fn bands_left(
        &self,
        sheet: Sheet<'_>,
        effort: BandEffort,
        former: &Former,
        context: Context<'_>,
    ) -> BandsLeft {
        let on_page = self.on_page(sheet.page);
        let ranges = png_bands(self.layout.pages[sheet.page]);
        let reaching: Vec<Vec<usize>> =
            ranges.iter().map(|rows| self.reaching_into(rows, sheet.page, &on_page)).collect();
        let keys: Vec<Hash> =
            ranges.iter().zip(&reaching).map(|(rows, boxes)| self.band_key(sheet, effort, rows, boxes)).collect();
        let known: Vec<Option<Band>> = keys.iter().map(|key| former.band(key, context)).collect();
        let unknown = known.iter().zip(&reaching).filter(|(band, _)| band.is_none());
        let mut needed: Vec<usize> = unknown.flat_map(|(_, boxes)| boxes.clone()).collect();
        needed.sort_unstable();
        needed.dedup();
        BandsLeft { effort, ranges, keys, known, needed }
    }

    /// A page as PNG, and the bands that it is made of.
    ///
    /// # Errors
    /// What went wrong with a source, or an interruption.
    pub(super) fn by_bands(
        &self,
        sheet: Sheet<'_>,
        left: BandsLeft,
        context: Context<'_>,
    ) -> Result<PageBytes, NotDrawn> {
        let BandsLeft { effort, ranges, keys, known, needed } = left;
        let (page, size) = (sheet.page, self.layout.pages[sheet.page]);
        let stored = self.pixels_of(sheet, &needed)?;
        let composer = self.composer(page, &needed, &stored)?;
        let drawing = Drawing { composer: &composer, width: size.w, effort, context };
        let bands: Vec<Result<Band, Failure>> = ranges
            .par_iter()
            .zip(known)
            .map(|(rows, known)| match known {
                Some(band) => Ok(band),
                None => drawing.band(rows).map_err(|error| self.not_encoded(page, &error)),
            })
            .collect();
        context.check()?;
        let bands = bands.into_iter().collect::<Result<Vec<Band>, Failure>>()?;
        let file = context.timings.time(Stage::Encode, || join_png_bands(size, Some(Mark::Page), &bands));
        let proved = context.timings.time(Stage::Prove, || prove_joined_png(&file, size, &bands));
        proved.map_err(|error| self.not_encoded(page, &error.into()))?;
        let note = |(key, band): (Hash, &Band)| DrawnBand { key, sum: band.sum, length: band.length };
        let bands = keys.into_iter().zip(&bands).map(note).collect();
        Ok(PageBytes { bytes: file, bands, texture: None })
    }

    /// The boxes of a page that reach with their rings into a range of its rows.
    fn reaching_into(&self, rows: &Range<u32>, page: usize, on_page: &[usize]) -> Vec<usize> {
        let Ring { extrude, align } = self.ring_of(page);
        let reaches = |at: &usize| {
            let cell = own_cell(self.layout.places[*at].rect, extrude, align, self.layout.pages[page]);
            cell.y < rows.end && cell.y + cell.h > rows.start
        };
        on_page.iter().copied().filter(reaches).collect()
    }

    /// What the bytes of a band follow from.
    fn band_key(&self, sheet: Sheet<'_>, effort: BandEffort, rows: &Range<u32>, boxes: &[usize]) -> Hash {
        let page = sheet.page;
        let mut key = Vec::with_capacity(boxes.len() * 64);
        let Ring { extrude, align } = self.ring_of(page);
        // Cells end at multiples of these blocks, counted from the page's top.
        let in_block = rows.start % align;
        for part in [self.layout.pages[page].w, rows.end - rows.start, extrude, align, in_block] {
            key.extend_from_slice(&part.to_le_bytes());
        }
        for &at in boxes {
            let place = self.layout.places[at];
            let below = i64::from(place.rect.y) - i64::from(rows.start);
            key.extend_from_slice(&self.stored_hash(at));
            key.extend_from_slice(&below.to_le_bytes());
            for part in [place.rect.x, place.rect.w, place.rect.h, u32::from(place.turned)] {
                key.extend_from_slice(&part.to_le_bytes());
            }
        }
        Key::new("band", &[COMPOSE_VERSION, PNG_VERSION]).value(&(sheet.layer, effort)).bytes(&key).finish()
    }
}

/// The bands of a page: those that the former build has, and what the others need.
pub(super) struct BandsLeft {
    effort: BandEffort,
    ranges: Vec<Range<u32>>,
    keys: Vec<Hash>,
    known: Vec<Option<Band>>,
    /// The boxes that reach into the bands that are not known.
    pub needed: Vec<usize>,
}

/// The drawing of one page's bands.
struct Drawing<'a> {
    composer: &'a Composer<'a>,
    width: u32,
    effort: BandEffort,
    context: Context<'a>,
}

impl Drawing<'_> {
    /// A band, proved to show its rows while they are at hand.
    fn band(&self, rows: &Range<u32>) -> Result<Band, EncodeError> {
        let timings = self.context.timings;
        if self.context.cancelled() {
            return Err(EncodeError::Empty);
        }
        let drawn = timings.time(Stage::Compose, || self.composer.rows(rows.clone()));
        let pixels = drawn.ok_or_else(|| EncodeError::Codec("it is too large for memory".into()))?;
        let band = timings.time(Stage::Encode, || encode_png_band(pixels.as_bytes(), self.width, self.effort))?;
        timings.time(Stage::Prove, || prove_png_band(&band, pixels.as_bytes(), self.width))?;
        Ok(band)
    }
}
