//! Pieces of an atlas for other machines: some of its pages, made and shared, without writing anything here.

use super::inputs::{AtlasInputs, key_of_sizes};
use super::{LoadedSize, load_sizes};
use crate::context::Context;
use crate::failure::Failure;
use crate::former::Former;
use crate::load::NotDrawn;
use crate::pages::{self, Put, Sheet};
use crate::plan::{Plan, Task};
use crate::settings::AtlasSettings;
use crate::store::{Hash, Kind, Value};
use crate::targets::Target;
use crate::work::{Account, AtlasWork, ImagesWork, Origin, Part, SizeParts};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Which sizes and pages of an atlas.
pub struct Piece<'a> {
    /// The atlas.
    pub target: &'a Target,
    /// One of its sizes, 0 for its own; `None` for all.
    pub size: Option<usize>,
    /// Whether it includes the page or layer of this number.
    pub has_page: Box<dyn Fn(usize) -> bool + Send + Sync>,
}

/// A piece whose sources have been looked at.
pub struct LookedPiece<'a> {
    piece: Piece<'a>,
    inputs: AtlasInputs<'a>,
    /// The included sizes, with their names.
    sizes: Vec<(String, AtlasSettings)>,
}

/// A piece with its sprites, if anything of it is missing in the shared store.
pub struct BegunPiece<'a> {
    piece: Piece<'a>,
    sizes: Vec<(LoadedSize<'a>, Hash)>,
    images: ImagesWork,
    /// How many pages are there already, of sizes that are there.
    there: u64,
}

impl<'a> Piece<'a> {
    /// Looks at the contents of the atlas's sources.
    ///
    /// # Errors
    /// See [`AtlasInputs::look`].
    pub fn look(self, context: Context<'_>) -> Result<LookedPiece<'a>, Failure> {
        let inputs = AtlasInputs::look(self.target, context)?;
        let all = super::sizes_of(self.target).into_iter().enumerate();
        let sizes = all.filter(|(at, _)| self.size.is_none_or(|size| size == *at)).map(|(_, size)| size).collect();
        Ok(LookedPiece { piece: self, inputs, sizes })
    }
}

impl<'a> LookedPiece<'a> {
    /// What its sizes depend on.
    pub fn keys(&self) -> Vec<Hash> {
        self.sizes.iter().map(|(_, settings)| self.inputs.size_key(settings)).collect()
    }

    /// What it depends on.
    pub fn key(&self) -> Hash {
        key_of_sizes(&self.keys())
    }

    /// All files that it depends on.
    pub fn files(&self) -> Vec<PathBuf> {
        let files = self.inputs.sources.iter().flat_map(|source| source.paths().cloned());
        files.chain(self.piece.target.templates()).collect()
    }

    /// For each of these pieces, whether all of it is in the shared store. A store may be far away, so all are asked
    /// for together.
    pub fn are_there(pieces: &[Self], context: Context<'_>) -> Vec<bool> {
        let sizes: Vec<Vec<Hash>> = pieces.iter().map(Self::keys).collect();
        let lists = context.fetch_all(Kind::Atlases, &sizes.concat());
        let (mut lists, mut asked) = (lists.into_iter(), Vec::new());
        let mut wanted = Vec::with_capacity(pieces.len());
        for (piece, sizes) in pieces.iter().zip(&sizes) {
            // All sizes of a piece are consumed together, whether one is missing or not.
            let mine: Vec<Option<Vec<Hash>>> =
                lists.by_ref().take(sizes.len()).map(|list| piece.piece.pages_of(list)).collect();
            let mine: Option<Vec<Vec<Hash>>> = mine.into_iter().collect();
            wanted.push(mine.as_ref().map(|pages| pages.iter().map(Vec::len).sum::<usize>()));
            asked.extend(mine.into_iter().flatten().flatten());
        }
        let mut there = pages::there(&asked, context).into_iter();
        // Every answer is consumed, so that the next piece gets its own.
        let all = |count: usize, there: &mut dyn Iterator<Item = bool>| there.take(count).filter(|is| !is).count() == 0;
        wanted.into_iter().map(|count| count.is_some_and(|count| all(count, &mut there))).collect()
    }

    /// Loads the sprites of those sizes that miss anything in the shared store.
    ///
    /// # Errors
    /// Images that cannot be used, or an interruption.
    pub fn begin(self, context: Context<'a>) -> Result<BegunPiece<'a>, Failure> {
        let Self { piece, inputs, sizes } = self;
        let (mut missing, mut keys, mut there) = (Vec::new(), Vec::new(), 0);
        for size in sizes {
            let key = inputs.size_key(&size.1);
            match piece.pages_there(&key, context) {
                Some(pages) => there += pages,
                None => {
                    missing.push(size);
                    keys.push(key);
                }
            }
        }
        if missing.is_empty() {
            return Ok(BegunPiece { piece, sizes: Vec::new(), images: ImagesWork::default(), there });
        }
        let (loaded, images) = load_sizes(missing, &inputs, context)?;
        Ok(BegunPiece { piece, sizes: loaded.into_iter().zip(keys).collect(), images, there })
    }
}

impl Piece<'_> {
    /// How many pages of a size are included, if it is known which there are and the shared store has all of them.
    fn pages_there(&self, size: &Hash, context: Context<'_>) -> Option<u64> {
        let mine = self.pages_of(context.fetch(Kind::Atlases, size))?;
        pages::there(&mine, context).into_iter().all(|there| there).then_some(mine.len() as u64)
    }

    /// The keys of the included pages of a size, from the list of all.
    fn pages_of(&self, list: Option<Value>) -> Option<Vec<Hash>> {
        let all: Vec<Hash> = postcard::from_bytes(&list?.bytes).ok()?;
        Some(all.into_iter().enumerate().filter(|(at, _)| (self.has_page)(*at)).map(|(_, key)| key).collect())
    }
}

impl BegunPiece<'_> {
    /// Lays out and draws what is missing, and shares it.
    ///
    /// # Errors
    /// As for building an atlas.
    pub fn finish(self, context: Context<'_>) -> Result<Account, NotDrawn> {
        let Self { piece, sizes, images, there } = self;
        let mut parts = Vec::new();
        for (size, key) in &sizes {
            parts.push(piece.build(size, key, context)?);
        }
        let (_, mut account) = AtlasWork::after(images, &parts, None);
        account.pages.add(Origin::Fetched, there);
        Ok(account)
    }
}

impl Piece<'_> {
    fn build(&self, size: &LoadedSize<'_>, key: &Hash, context: Context<'_>) -> Result<SizeParts, NotDrawn> {
        let LoadedSize { name, settings, loaded } = size;
        let task = Task {
            name,
            base: (*name != self.target.name).then_some(self.target.name.as_str()),
            settings,
            places: &self.target.places,
            sprites: &loaded.sprites,
            keep: None,
        };
        let plan = Plan::new(task, context)?;
        let sheets = plan.sheets();
        share_pages(&plan, &sheets, key, context);
        let mine: Vec<Sheet<'_>> =
            sheets.into_iter().enumerate().filter(|(at, _)| (self.has_page)(*at)).map(|(_, sheet)| sheet).collect();
        let keys: Vec<Hash> = mine.iter().map(|sheet| plan.page_key(*sheet)).collect();
        let there = pages::there(&keys, context);
        let missing: Vec<Sheet<'_>> =
            mine.iter().zip(&there).filter(|(_, there)| !**there).map(|(sheet, _)| *sheet).collect();
        // Nothing is in place here, and nothing is put there.
        let put = Put { out: Path::new(""), former: &Former::default(), take: |_: &str, _: Vec<u8>| Ok(()) };
        let drawn = plan.draw(&missing, &put, context)?;
        let there =
            there.iter().filter(|there| **there).map(|_| Part { origin: Origin::Fetched, made_in: Duration::ZERO });
        let pages = drawn.iter().map(|page| page.part).chain(there).collect();
        Ok(SizeParts { layout: Some(plan.laid_out), pages })
    }
}

/// Tells other machines which pages a size has, unless they know.
pub(super) fn note_pages(plan: &Plan<'_>, size: &Hash, context: Context<'_>) {
    if context.shared.takes_values() && context.fetch(Kind::Atlases, size).is_none() {
        share_pages(plan, &plan.sheets(), size, context);
    }
}

/// Tells other machines which pages a size has, in order, so that they need not lay it out to find out.
fn share_pages(plan: &Plan<'_>, sheets: &[Sheet<'_>], size: &Hash, context: Context<'_>) {
    let keys: Vec<Hash> = sheets.iter().map(|sheet| plan.page_key(*sheet)).collect();
    if let Ok(value) = postcard::to_stdvec(&keys) {
        context.share(Kind::Atlases, size, &value, Duration::ZERO);
    }
}
