//! A packed atlas in another format, without packing it again: nothing moves, so UVs stay the same.

mod raw;

use crate::allowance::Allowance;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::inventory::Inventory;
use crate::ownership::{Ownership, ResultKind};
use crate::settings::{Also, PageFormat, TextureSettings};
use crate::summary::TextureSummary;
use crate::texture::{DrawnTexture, TexturePage};
use crate::timings::Timings;
use crate::write::PendingFile;
use crate::{format, forms, store, write};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Alpha, Atlas, Colour, FILE_SUFFIX, Layer, Page, PixelKind};
use zemtak_core::codec::{EncodeError, Mark, PngEffort, RawLayout};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::pixels::Pixels;
use zemtak_core::texture::BLOCK_SIDE;
use zemtak_files::SystemDisk;

/// The suffix of the file that describes the rows of raw pages.
pub const SIDECAR_SUFFIX: &str = ".raw.json";

/// The format of an export.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum ExportForm {
    /// Pages in another format, with a descriptor of their own.
    Pages {
        /// Which.
        format: PageFormat,
        /// PNG compression effort.
        png: PngEffort,
        /// How pages in KTX2 store pixels.
        texture: TextureSettings,
        /// How many mip levels they have below the full size; by default as many as the atlas has room for.
        levels: Option<u32>,
    },
    /// Rows of values, with a file that describes them.
    Raw(RawLayout),
    /// The descriptor in another form.
    Text(Also),
}

/// Reads the pixels of a page, or of the layer that is named. They are read when their turn comes, and dropped after it.
pub type ReadPart<'a> = dyn Fn(usize, Option<&str>) -> Result<Pixels, Failure> + Sync + 'a;

/// What to export, and where.
#[derive(Clone, Copy)]
pub struct Export<'a> {
    /// The atlas.
    pub atlas: &'a Atlas,
    /// Reads its pages; a form of the descriptor alone needs none.
    pub read: &'a ReadPart<'a>,
    /// The format.
    pub form: &'a ExportForm,
    /// The folder for results.
    pub out: &'a Path,
    /// The files that it was read from: they are never overwritten.
    pub inputs: &'a [PathBuf],
    /// Whether files that are not ours may be replaced.
    pub force: bool,
    /// How many pages may be in memory at a time, and the limits of templates.
    pub allowance: &'a Allowance,
}

/// Encodes the pixels of a part, and proves the result.
type Encode<'a> = dyn Fn(&Part<'_>, &Pixels) -> Result<(Vec<u8>, Option<DrawnTexture>), EncodeError> + Sync + 'a;

/// Files in KTX2, and a summary of each.
pub type FileTextures = Vec<(String, TextureSummary)>;

/// What was written.
#[derive(Debug, Clone, Default)]
pub struct Exported {
    /// Each file with its number of bytes; the one that names the others comes last.
    pub files: Vec<(PathBuf, u64)>,
    /// A summary of each KTX2 file, and of what it loses.
    pub textures: FileTextures,
    /// Whether blocks contain pixels of neighbours, because the atlas was not packed for blocks.
    pub shares_blocks: bool,
    /// How a page or layer stored its pixels, if those were blocks: what they had lost is missing in the results too.
    pub from_blocks: Option<PixelKind>,
}

/// Something that becomes a file: a page, or one of its layers.
struct Part<'a> {
    page: usize,
    layer: Option<&'a str>,
    size: Size,
    alpha: Alpha,
    colour: Colour,
    /// The file's name.
    file: String,
}

/// A part that is written, but not in place yet.
struct WrittenPart {
    hash: String,
    bytes: u64,
    texture: Option<DrawnTexture>,
    pending: PendingFile,
}

impl Export<'_> {
    /// Writes all files, or none. Pages are read, encoded and written as many at a time as may be in memory.
    ///
    /// # Errors
    /// Something cannot be read or encoded, or a file would be lost.
    pub fn run(self) -> Result<Exported, Failure> {
        let mut files = NewFiles::default();
        let mut exported = Exported::default();
        match self.form {
            ExportForm::Text(also) => {
                let texts = self.texts(also)?;
                self.check(texts.iter().map(|(name, _)| (name.as_str(), ResultKind::Form)))?;
                texts.iter().try_for_each(|(name, text)| files.write(&self.out.join(name), text))?;
            }
            ExportForm::Raw(layout) => self.raw(layout, &mut files)?,
            ExportForm::Pages { format, png, texture, levels } => {
                let encode = |part: &Part<'_>, pixels: &Pixels| match format.encode(pixels, *png) {
                    Some(encoded) => Ok((encoded?.prove()?, None)),
                    None => self.texture(part, pixels, *texture, *levels).map(|(bytes, drawn)| (bytes, Some(drawn))),
                };
                exported.textures = self.pages(format.extension(), &encode, &mut files)?;
                exported.shares_blocks = exported.textures.iter().any(|(_, texture)| texture.pixels.is_compressed())
                    && !self.atlas.built.alignment().is_multiple_of(BLOCK_SIDE);
            }
        }
        exported.from_blocks = self.kind_of_blocks();
        exported.files = files.commit()?;
        Ok(exported)
    }

    fn kind_of_blocks(&self) -> Option<PixelKind> {
        let of_page =
            |page: &Page| page.layers.values().map(|layer| layer.pixels).chain([page.pixels]).collect::<Vec<_>>();
        let mut kinds = self.atlas.pages.iter().flat_map(of_page);
        kinds.find(|kind| kind.is_compressed() && !matches!(self.form, ExportForm::Text(_)))
    }

    /// Every page, then its layers by name.
    fn parts(&self, extension: &str) -> Vec<Part<'_>> {
        let mut parts = Vec::new();
        for (index, page) in self.atlas.pages.iter().enumerate() {
            let layers = page.layers.iter().map(|(name, layer)| (Some(name.as_str()), layer.alpha, layer.colour));
            for (layer, alpha, colour) in std::iter::once((None, page.alpha, page.colour)).chain(layers) {
                let own = layer.map(|layer| format!("{layer}.")).unwrap_or_default();
                let file = format!("{}-{index}.{own}{extension}", self.atlas.name);
                parts.push(Part { page: index, layer, size: page.size(), alpha, colour, file });
            }
        }
        parts
    }

    /// Reads, encodes and writes all parts, a group at a time. Tells all that fail.
    fn write(&self, parts: &[Part<'_>], encode: &Encode<'_>) -> Result<Vec<WrittenPart>, Failure> {
        let sizes: Vec<Size> = parts.iter().map(|part| part.size).collect();
        let (mut written, mut problems) = (Vec::new(), Vec::new());
        let about = format!("atlas {}", self.atlas.name);
        for group in self.allowance.groups(&sizes) {
            let _held = self.allowance.hold_pages(&about, &sizes[group.clone()])?;
            let group: Vec<_> = parts[group].par_iter().map(|part| self.write_part(part, encode)).collect();
            for part in group {
                match part {
                    Ok(part) => written.push(part),
                    Err(failure) => problems.extend(failure.problems().iter().cloned()),
                }
            }
        }
        Failure::unless(problems, written)
    }

    fn write_part(&self, part: &Part<'_>, encode: &Encode<'_>) -> Result<WrittenPart, Failure> {
        let pixels = (self.read)(part.page, part.layer)?;
        let (bytes, texture) =
            encode(part, &pixels).map_err(|error| Problem::not_encoded(&part.file, &error, "choose another form"))?;
        drop(pixels);
        let pending = write::prepare(&self.out.join(&part.file), &bytes)?;
        Ok(WrittenPart { hash: store::written(&store::hash(&bytes)), bytes: bytes.len() as u64, texture, pending })
    }

    fn texts(&self, also: &Also) -> Result<Vec<(String, String)>, Failure> {
        let limits = self.allowance.limits();
        let mut templates = BTreeMap::new();
        if let Also::Template(path) = also {
            templates.insert(path.clone(), limits.read_text("text_bytes", path, &SystemDisk)?);
        }
        forms::write(also, self.atlas, forms::Means { templates: &templates, idents: &forms::Idents::new(), limits })
    }

    /// Pages in another format, with a descriptor. Returns the textures among them.
    fn pages(&self, extension: &str, encode: &Encode<'_>, files: &mut NewFiles) -> Result<FileTextures, Failure> {
        let parts = self.parts(extension);
        let descriptor = format!("{}{FILE_SUFFIX}", self.atlas.name);
        self.check_pages(&parts, &[&descriptor])?;
        let written = self.write(&parts, encode)?;
        let text = self.renamed(&parts, &written)?;
        let mut textures = Vec::new();
        for (part, written) in parts.iter().zip(written) {
            let told = |drawn| TextureSummary::of(&drawn, &self.names_on(part.page));
            textures.extend(written.texture.map(|drawn| (part.file.clone(), told(drawn))));
            files.add(self.out.join(&part.file), written.bytes, written.pending);
        }
        files.write(&self.out.join(descriptor), &text)?;
        Ok(textures)
    }

    fn texture(
        &self,
        part: &Part<'_>,
        pixels: &Pixels,
        settings: TextureSettings,
        levels: Option<u32>,
    ) -> Result<(Vec<u8>, DrawnTexture), EncodeError> {
        let page = &self.atlas.pages[part.page];
        let boxes: Vec<Rect> = self.boxes_on(part.page).into_keys().collect();
        let safe = page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok()).unwrap_or(0);
        let page = TexturePage {
            pixels,
            boxes: &boxes,
            alpha: part.alpha,
            colour: part.colour,
            filter: page.sampling.filter,
            smaller: levels.unwrap_or_else(|| self.atlas.built.mip_levels.min(safe)),
            settings,
        };
        page.encode(&Timings::default())
    }

    /// The boxes of a page, each with the first sprite in it.
    fn boxes_on(&self, page: usize) -> BTreeMap<Rect, String> {
        let mut boxes = BTreeMap::new();
        for (name, sprite) in self.atlas.sprites.iter().filter(|(_, sprite)| sprite.page == page) {
            boxes.entry(sprite.rect).or_insert_with(|| name.to_string());
        }
        boxes
    }

    fn names_on(&self, page: usize) -> Vec<String> {
        self.boxes_on(page).into_values().collect()
    }

    /// Rows of values, and what they are; with a descriptor too if a game can read them as pages.
    fn raw(&self, layout: &RawLayout, files: &mut NewFiles) -> Result<(), Failure> {
        let parts = self.parts(raw::extension(layout));
        let sidecar = format!("{}{SIDECAR_SUFFIX}", self.atlas.name);
        let descriptor = (*layout == RawLayout::default()).then(|| format!("{}{FILE_SUFFIX}", self.atlas.name));
        let texts: Vec<&str> = descriptor.iter().map(String::as_str).chain([sidecar.as_str()]).collect();
        self.check_pages(&parts, &texts)?;
        let written = self.write(&parts, &|_, pixels| Ok((layout.encode(pixels), None)))?;
        let text = raw::text(&self.atlas.name, layout, &parts, &written);
        let text = text.map_err(|error| Failure::io(&sidecar, &std::io::Error::from(error)))?;
        let own = descriptor.map(|name| self.renamed(&parts, &written).map(|text| (name, text))).transpose()?;
        for (part, written) in parts.iter().zip(written) {
            files.add(self.out.join(&part.file), written.bytes, written.pending);
        }
        own.into_iter().chain([(sidecar, text)]).try_for_each(|(name, text)| files.write(&self.out.join(name), &text))
    }

    /// The text of a descriptor whose pages are these files. It belongs to a build of its own, without companions.
    fn renamed(&self, parts: &[Part<'_>], written: &[WrittenPart]) -> Result<String, Failure> {
        let mut atlas = self.atlas.clone();
        for (part, written) in parts.iter().zip(written) {
            written.rename(part, &mut atlas.pages[part.page]);
        }
        let name = format!("{}{FILE_SUFFIX}", atlas.name);
        let text = |atlas: &Atlas| atlas.to_text().map_err(|error| Failure::io(&name, &error));
        atlas.companions.clear();
        atlas.build_id = None;
        let content = store::hash(text(&atlas)?.as_bytes());
        atlas.build_id = Some(format::hex(&content[..8]));
        text(&atlas)
    }

    fn check_pages(&self, parts: &[Part<'_>], texts: &[&str]) -> Result<(), Failure> {
        let parts = parts.iter().map(|part| (part.file.as_str(), ResultKind::Picture(Mark::Page)));
        self.check(parts.chain(texts.iter().map(|text| (*text, ResultKind::Descriptor))))
    }

    /// Makes the folder, and refuses to lose a file.
    fn check<'f>(&self, files: impl Iterator<Item = (&'f str, ResultKind)> + Clone) -> Result<(), Failure> {
        write::make_folder(self.out)?;
        let mut ours = Inventory::of(self.out, &BTreeMap::new(), &SystemDisk).named;
        ours.extend(raw::named_by(&self.out.join(format!("{}{SIDECAR_SUFFIX}", self.atlas.name))));
        let inputs: Vec<PathBuf> = self.inputs.iter().filter_map(|input| input.canonicalize().ok()).collect();
        let is_input = |file: &str| self.out.join(file).canonicalize().is_ok_and(|real| inputs.contains(&real));
        let lost = files.clone().filter(|(file, _)| is_input(file)).map(|(file, _)| self.lost(file));
        Failure::unless(lost.collect(), ())?;
        Ownership { out: self.out, ours: &ours, inputs: self.inputs, force: self.force }.check(files)
    }

    fn lost(&self, file: &str) -> Problem {
        let why = "this command reads it, and a result would take its place";
        let help = "give another folder with -o";
        Problem::usage(ProblemKind::OutputIsInput, &format::path(&self.out.join(file)), why, help)
    }
}

impl WrittenPart {
    /// Makes the page, or the layer of it, name this file.
    fn rename(&self, part: &Part<'_>, page: &mut Page) {
        let kind = self.texture.as_ref().map_or(PixelKind::Rgba8, |drawn| drawn.kind);
        match part.layer.and_then(|layer| page.layers.get_mut(layer)) {
            Some(Layer { file, pixels, hash, .. }) => {
                (*file, *pixels, *hash) = (part.file.clone(), kind, self.hash.clone());
            }
            None => {
                (page.file, page.pixels, page.hash) = (part.file.clone(), kind, self.hash.clone());
                page.sampling.mips = self.texture.as_ref().map_or(1, |drawn| drawn.mips);
            }
        }
    }
}

/// Files that are written but not in place, each with its number of bytes.
#[derive(Default)]
struct NewFiles(Vec<(PathBuf, u64, PendingFile)>);

impl NewFiles {
    fn add(&mut self, path: PathBuf, bytes: u64, pending: PendingFile) {
        self.0.push((path, bytes, pending));
    }

    fn write(&mut self, path: &Path, text: &str) -> Result<(), Failure> {
        self.add(path.to_owned(), text.len() as u64, write::prepare(path, text.as_bytes())?);
        Ok(())
    }

    /// Puts all of them in place.
    fn commit(self) -> Result<Vec<(PathBuf, u64)>, Failure> {
        let put = |(path, bytes, pending): (PathBuf, u64, PendingFile)| pending.commit().map(|()| (path, bytes));
        self.0.into_iter().map(put).collect()
    }
}
