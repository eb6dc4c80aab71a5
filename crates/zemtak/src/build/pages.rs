//! Drawing pages, and leaving those alone that are there already.

use super::Plan;
use crate::answer::Manner;
use crate::failure::{Failure, Problem};
use crate::load::Missing;
use crate::progress::Progress;
use crate::settings::{PageFormat, PageNames};
use crate::store::{self, Hash, Store};
use crate::{files, interrupt};
use rayon::prelude::*;
use std::path::Path;
use zemtak_core::atlas::Wrap;
use zemtak_core::codec::{encode_png, encode_qoi, encode_webp};
use zemtak_core::compose::{Stamp, compose};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// A page: its file and what must be done to have it.
#[derive(Debug)]
pub struct PageFile<T> {
    /// The file's name.
    pub file: String,
    /// The hash of the file's bytes.
    pub hash: Hash,
    /// The page's size.
    pub size: Size,
    /// What lies beyond its edges.
    pub wrap: Wrap,
    /// What was made of its bytes; nothing if they are in place already.
    pub made: Option<T>,
}

/// Where pages go, and what becomes of them.
pub struct Put<'a, F> {
    /// The folder for results.
    pub out: &'a Path,
    /// What earlier builds learnt.
    pub store: &'a dyn Store,
    /// Takes a new page's bytes, with the name of its file.
    pub take: F,
}

/// Why pages could not be drawn.
#[derive(Debug)]
pub enum NotDrawn {
    /// A source is no longer what it was a moment ago, or the store was wrong about it.
    Stale,
    /// Anything else.
    Failed(Failure),
}

impl From<Failure> for NotDrawn {
    fn from(failure: Failure) -> Self {
        Self::Failed(failure)
    }
}

impl Plan<'_> {
    /// Draws and encodes the pages on all cores and hands each on as soon as it is ready; pages whose files are in place
    /// are left alone.
    ///
    /// # Errors
    /// What went wrong with a source or with handing on, or an interruption.
    pub fn draw<T: Send>(
        &self,
        put: &Put<'_, impl Fn(&str, Vec<u8>) -> Result<T, Failure> + Sync>,
        manner: Manner,
    ) -> Result<Vec<PageFile<T>>, NotDrawn> {
        let progress = Progress::new("drawing", self.page_count(), manner);
        let draw_one = |index: usize| {
            interrupt::check()?;
            let page = self.page(index, put)?;
            progress.step();
            Ok(page)
        };
        (0..self.page_count()).into_par_iter().map(draw_one).collect()
    }

    fn page<T>(
        &self,
        index: usize,
        put: &Put<'_, impl Fn(&str, Vec<u8>) -> Result<T, Failure>>,
    ) -> Result<PageFile<T>, NotDrawn> {
        let (size, wrap) = (self.layout.pages[index], self.wrap_of(index));
        let key = self.page_key(index);
        let known: Option<Hash> = put.store.get(&key).and_then(|bytes| bytes.try_into().ok());
        if let Some(hash) = known {
            let file = self.page_name(index, &hash);
            if files::hash(&put.out.join(&file), put.store).is_ok_and(|there| there == hash) {
                return Ok(PageFile { file, hash, size, wrap, made: None });
            }
        }
        let bytes = self.encode(&self.compose(index, put.store)?, index)?;
        let hash = store::hash(&bytes);
        put.store.put(key, hash.to_vec());
        let file = self.page_name(index, &hash);
        // Without what earlier builds learnt, a page may still be the same.
        let there = files::hash(&put.out.join(&file), put.store).is_ok_and(|there| there == hash);
        let made = if there { None } else { Some((put.take)(&file, bytes)?) };
        Ok(PageFile { file, hash, size, wrap, made })
    }

    fn page_name(&self, index: usize, hash: &Hash) -> String {
        let (name, extension) = (self.task.name, self.task.settings.pages_as.extension());
        match self.task.settings.names {
            PageNames::Plain => format!("{name}-{index}.{extension}"),
            PageNames::Hashed => format!("{name}-{index}.{}.{extension}", crate::show::hex(&hash[..8])),
        }
    }

    /// What a page's bytes follow from.
    fn page_key(&self, index: usize) -> Hash {
        let settings = self.task.settings;
        let page = self.layout.pages[index];
        let how = format!("{page:?} {} {:?} {:?}", self.extrude_of(index), settings.pages_as, settings.png);
        let mut on_page = Vec::new();
        for (at, place) in self.layout.places.iter().enumerate().filter(|(_, p)| p.page == index) {
            on_page.extend_from_slice(format!("{:?} {}", place.rect, place.turned).as_bytes());
            on_page.extend_from_slice(&self.task.sprites[self.drawn[at]].facts.hash);
        }
        store::key("page", &[how.as_bytes(), &on_page])
    }

    fn wrap_of(&self, page: usize) -> Wrap {
        let alone = self.layout.places.iter().position(|p| p.page == page).filter(|&at| self.items[at].alone);
        alone.and_then(|at| self.says[self.drawn[at]].wrap).unwrap_or(Wrap::Clamp)
    }

    /// A page that repeats is one box without a ring.
    fn extrude_of(&self, page: usize) -> u32 {
        if self.wrap_of(page) == Wrap::Clamp { self.task.settings.spacing.extrude } else { 0 }
    }

    fn compose(&self, page: usize, store: &dyn Store) -> Result<Pixels, NotDrawn> {
        let on_page: Vec<usize> = (0..self.drawn.len()).filter(|&at| self.layout.places[at].page == page).collect();
        let pixels: Vec<Result<&Pixels, Missing>> =
            on_page.par_iter().map(|&at| self.task.sprites[self.drawn[at]].pixels(store)).collect();
        let (mut stamps, mut problems) = (Vec::with_capacity(on_page.len()), Vec::new());
        for (&at, pixels) in on_page.iter().zip(pixels) {
            let place = self.layout.places[at];
            match pixels {
                Ok(pixels) => stamps.push(Stamp { pixels, rect: place.rect, turned: place.turned }),
                Err(Missing::Stale) => return Err(NotDrawn::Stale),
                Err(Missing::Bad(problem)) => problems.push(problem),
            }
        }
        Failure::unless(problems, ())?;
        Ok(compose(self.layout.pages[page], stamps, self.extrude_of(page)).map_err(|e| internal(page, &e))?)
    }

    fn encode(&self, pixels: &Pixels, page: usize) -> Result<Vec<u8>, Failure> {
        match self.task.settings.pages_as {
            PageFormat::Png => encode_png(pixels, self.task.settings.png).map_err(|e| internal(page, &e)),
            PageFormat::Qoi => encode_qoi(pixels).map_err(|e| internal(page, &e)),
            PageFormat::WebP => encode_webp(pixels).map_err(|e| {
                let help = "choose another page format, or smaller pages with --page-max";
                Problem::bad_input("a page that cannot be encoded", &format!("page {page}"), e.to_string(), help).into()
            }),
            PageFormat::Raw => Ok(pixels.as_bytes().to_vec()),
        }
    }
}

fn internal(page: usize, error: &dyn std::error::Error) -> Failure {
    let help = "this is an error in zemtak itself; please report it with the images";
    Problem::bad_input("a page cannot be drawn", &format!("page {page}"), error.to_string(), help).into()
}
