//! A packed atlas in another format, without packing it again: nothing moves, so UVs stay the same.

use crate::failure::{Failure, Problem, ProblemKind};
use crate::inventory::{Inventory, Written};
use crate::limits::Limits;
use crate::ownership::{Ownership, ResultKind};
use crate::settings::{Also, Keyword, PageFormat, TextureSettings};
use crate::summary::TextureSummary;
use crate::texture::{DrawnTexture, TexturePage};
use crate::timings::Timings;
use crate::{format, forms, store, write};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Alpha, Atlas, Colour, FILE_SUFFIX, Layer, Page, PixelKind, VERSION};
use zemtak_core::codec::{Bits, Channels, EncodeError, Mark, PngEffort, RawLayout};
use zemtak_core::geometry::Rect;
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

/// The pixels of a page and its layers.
#[derive(Debug, Clone)]
pub struct ExportPage {
    /// The page itself.
    pub pixels: Pixels,
    /// Its layers by name.
    pub layers: BTreeMap<String, Pixels>,
}

/// What to export, and where.
#[derive(Debug, Clone, Copy)]
pub struct Export<'a> {
    /// The atlas.
    pub atlas: &'a Atlas,
    /// Its pages; a form of the descriptor alone needs none.
    pub pages: &'a [ExportPage],
    /// The format.
    pub form: &'a ExportForm,
    /// The folder for results.
    pub out: &'a Path,
    /// The files that it was read from: they are never overwritten.
    pub inputs: &'a [PathBuf],
    /// Whether files that are not ours may be replaced.
    pub force: bool,
    /// Limits on the size of texts and the running time of templates.
    pub limits: &'a Limits,
}

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
}

/// A file to write.
struct NewFile {
    name: String,
    bytes: Vec<u8>,
    kind: ResultKind,
}

/// Pixels that become a file: those of a page, or of one of its layers.
struct Part<'a> {
    page: usize,
    layer: Option<&'a str>,
    pixels: &'a Pixels,
    alpha: Alpha,
    colour: Colour,
}

impl Export<'_> {
    /// Writes all files, or none.
    ///
    /// # Errors
    /// Something cannot be encoded, or a file would be lost.
    pub fn run(self) -> Result<Exported, Failure> {
        let mut exported = Exported::default();
        let files = match self.form {
            ExportForm::Text(also) => self.texts(also)?,
            ExportForm::Raw(layout) => self.raw(layout)?,
            ExportForm::Pages { format, png, texture, levels } => {
                let (files, textures) = self.pages(*format, *png, *texture, *levels)?;
                exported.shares_blocks = textures.iter().any(|(_, texture)| texture.pixels.is_compressed())
                    && !self.atlas.built.alignment().is_multiple_of(BLOCK_SIDE);
                exported.textures = textures;
                files
            }
        };
        exported.files = self.put(&files)?;
        Ok(exported)
    }

    /// Every page, then its layers by name.
    fn parts(&self) -> Vec<Part<'_>> {
        let mut parts = Vec::new();
        for (index, (page, pixels)) in self.atlas.pages.iter().zip(self.pages).enumerate() {
            let (alpha, colour) = (page.alpha, page.colour);
            parts.push(Part { page: index, layer: None, pixels: &pixels.pixels, alpha, colour });
            for (name, layer) in &page.layers {
                if let Some(pixels) = pixels.layers.get(name) {
                    let (alpha, colour) = (layer.alpha, layer.colour);
                    parts.push(Part { page: index, layer: Some(name), pixels, alpha, colour });
                }
            }
        }
        parts
    }

    fn name_of(&self, part: &Part<'_>, extension: &str) -> String {
        let layer = part.layer.map(|layer| format!("{layer}.")).unwrap_or_default();
        format!("{}-{}.{layer}{extension}", self.atlas.name, part.page)
    }

    fn texts(&self, also: &Also) -> Result<Vec<NewFile>, Failure> {
        let mut templates = BTreeMap::new();
        if let Also::Template(path) = also {
            templates.insert(path.clone(), self.limits.read_text("text_bytes", path, &SystemDisk)?);
        }
        let means = forms::Means { templates: &templates, idents: &forms::Idents::new(), limits: self.limits };
        let texts = forms::write(also, self.atlas, means)?;
        let file = |(name, text): (String, String)| NewFile { name, bytes: text.into_bytes(), kind: ResultKind::Form };
        Ok(texts.into_iter().map(file).collect())
    }

    fn pages(
        &self,
        format: PageFormat,
        png: PngEffort,
        texture: TextureSettings,
        levels: Option<u32>,
    ) -> Result<(Vec<NewFile>, FileTextures), Failure> {
        let parts = self.parts();
        let encoded = parts.par_iter().map(|part| {
            let name = self.name_of(part, format.extension());
            let encoded = match format.encode(part.pixels, png) {
                Some(encoded) => encoded.and_then(|encoded| Ok((encoded.prove()?, None))),
                None => self.texture(part, texture, levels).map(|(bytes, drawn)| (bytes, Some(drawn))),
            };
            let help = "choose another form";
            encoded.map(|encoded| (name.clone(), encoded)).map_err(|error| Problem::not_encoded(&name, &error, help))
        });
        let encoded: Vec<Result<_, Problem>> = encoded.collect();
        let mut atlas = self.atlas.clone();
        let (mut files, mut textures, mut problems) = (Vec::new(), Vec::new(), Vec::new());
        for (part, encoded) in parts.iter().zip(encoded) {
            match encoded {
                Ok((name, (bytes, drawn))) => {
                    rename(&mut atlas.pages[part.page], part.layer, &name, &bytes, drawn.as_ref());
                    let told = |drawn| TextureSummary::of(&drawn, &self.names_on(part.page));
                    textures.extend(drawn.map(|drawn| (name.clone(), told(drawn))));
                    files.push(NewFile { name, bytes, kind: ResultKind::Picture(Mark::Page) });
                }
                Err(problem) => problems.push(problem),
            }
        }
        files.push(descriptor(atlas)?);
        Failure::unless(problems, (files, textures))
    }

    fn texture(
        &self,
        part: &Part<'_>,
        settings: TextureSettings,
        levels: Option<u32>,
    ) -> Result<(Vec<u8>, DrawnTexture), EncodeError> {
        let page = &self.atlas.pages[part.page];
        let boxes: Vec<Rect> = self.boxes_on(part.page).into_keys().collect();
        let safe = page.sampling.safe_mips.and_then(|safe| u32::try_from(safe).ok()).unwrap_or(0);
        let page = TexturePage {
            pixels: part.pixels,
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

    fn raw(&self, layout: &RawLayout) -> Result<Vec<NewFile>, Failure> {
        let parts = self.parts();
        let extension = extension(layout);
        let file = |part: &Part<'_>| {
            let (name, bytes) = (self.name_of(part, extension), layout.encode(part.pixels));
            NewFile { name, bytes, kind: ResultKind::Picture(Mark::Page) }
        };
        let mut files: Vec<NewFile> = parts.par_iter().map(file).collect();
        if *layout == RawLayout::default() {
            let mut atlas = self.atlas.clone();
            for (part, file) in parts.iter().zip(&files) {
                rename(&mut atlas.pages[part.page], part.layer, &file.name, &file.bytes, None);
            }
            files.push(descriptor(atlas)?);
        }
        let pages = parts.iter().zip(&files).map(|(part, file)| raw_page(part, file, layout)).collect();
        let name = format!("{}{SIDECAR_SUFFIX}", self.atlas.name);
        let text = serde_json::to_string_pretty(&Sidecar::new(&self.atlas.name, layout, pages));
        let text = text.map_err(|error| Failure::io(&name, &std::io::Error::from(error)))?;
        files.push(NewFile { name, bytes: (text + "\n").into_bytes(), kind: ResultKind::Descriptor });
        Ok(files)
    }

    /// Puts all files in place, once all are written.
    fn put(&self, files: &[NewFile]) -> Result<Vec<(PathBuf, u64)>, Failure> {
        write::make_folder(self.out)?;
        let mut ours = Inventory::of(self.out, &BTreeMap::new(), &SystemDisk).named;
        ours.extend(named_by_sidecar(&self.out.join(format!("{}{SIDECAR_SUFFIX}", self.atlas.name))));
        // What is read here may be named by a descriptor there, but is not a result of this export.
        let inputs: Vec<PathBuf> = self.inputs.iter().filter_map(|input| input.canonicalize().ok()).collect();
        let is_input = |file: &String| self.out.join(file).canonicalize().is_ok_and(|real| inputs.contains(&real));
        ours.retain(|file, _| !is_input(file));
        let lost: Vec<Problem> = files.iter().filter(|file| is_input(&file.name)).map(|file| self.lost(file)).collect();
        Failure::unless(lost, ())?;
        let ownership = Ownership { out: self.out, ours: &ours, inputs: self.inputs, force: self.force };
        ownership.check(files.iter().map(|file| (file.name.as_str(), file.kind)))?;
        let pending: Result<Vec<_>, Failure> =
            files.iter().map(|file| write::prepare(&self.out.join(&file.name), &file.bytes)).collect();
        for file in pending? {
            file.commit()?;
        }
        Ok(files.iter().map(|file| (self.out.join(&file.name), file.bytes.len() as u64)).collect())
    }

    fn lost(&self, file: &NewFile) -> Problem {
        let why = "this command reads it, and a result would take its place";
        let help = "give another folder with -o";
        Problem::usage(ProblemKind::OutputIsInput, &format::path(&self.out.join(&file.name)), why, help)
    }
}

/// Makes a page, or one of its layers, name another file.
fn rename(page: &mut Page, layer: Option<&str>, file: &str, bytes: &[u8], drawn: Option<&DrawnTexture>) {
    let (hash, kind) = (store::written(&store::hash(bytes)), drawn.map_or(PixelKind::Rgba8, |drawn| drawn.kind));
    match layer.and_then(|layer| page.layers.get_mut(layer)) {
        Some(Layer { file: of_layer, pixels, hash: of_hash, .. }) => {
            (*of_layer, *pixels, *of_hash) = (file.to_owned(), kind, hash);
        }
        None => {
            (page.file, page.pixels, page.hash) = (file.to_owned(), kind, hash);
            page.sampling.mips = drawn.map_or(1, |drawn| drawn.mips);
        }
    }
}

/// The descriptor of an atlas whose pages are other files now: it belongs to a build of its own, without companions.
fn descriptor(mut atlas: Atlas) -> Result<NewFile, Failure> {
    let name = format!("{}{FILE_SUFFIX}", atlas.name);
    let text = |atlas: &Atlas| atlas.to_text().map_err(|error| Failure::io(&name, &error));
    atlas.companions.clear();
    atlas.build_id = None;
    let content = store::hash(text(&atlas)?.as_bytes());
    atlas.build_id = Some(format::hex(&content[..8]));
    let bytes = text(&atlas)?.into_bytes();
    Ok(NewFile { name, bytes, kind: ResultKind::Descriptor })
}

/// The file extension of raw pages, by their content.
fn extension(layout: &RawLayout) -> &'static str {
    match (layout.bits, layout.channels) {
        (Bits::FiveSixFive, Channels::Rgba | Channels::Argb) => "rgb565",
        (Bits::FiveSixFive, _) => "bgr565",
        (Bits::Four, Channels::Bgra) => "bgra4444",
        (Bits::Four, Channels::Argb) => "argb4444",
        (Bits::Four, Channels::Abgr) => "abgr4444",
        (Bits::Four, _) => "rgba4444",
        (_, Channels::Bgra) => "bgra",
        (_, Channels::Argb) => "argb",
        (_, Channels::Abgr) => "abgr",
        _ => "rgba",
    }
}

/// A description of raw pages, for whoever uploads them. The fields are in the order of the file.
#[derive(Serialize)]
struct Sidecar<'a> {
    zemtak: u32,
    kind: &'static str,
    atlas: &'a str,
    channels: &'static str,
    bits: &'static str,
    dithered: bool,
    row_align: u32,
    first_row: &'static str,
    pages: Vec<RawPage<'a>>,
}

#[derive(Serialize)]
struct RawPage<'a> {
    page: usize,
    layer: Option<&'a str>,
    file: &'a str,
    width: u32,
    height: u32,
    row_bytes: u64,
    bytes: usize,
    alpha: &'static str,
    colour: &'static str,
    hash: String,
}

impl<'a> Sidecar<'a> {
    fn new(atlas: &'a str, layout: &RawLayout, pages: Vec<RawPage<'a>>) -> Self {
        Self {
            zemtak: VERSION,
            kind: "raw-pages",
            atlas,
            channels: layout.channels.word(),
            bits: layout.bits.word(),
            dithered: layout.dither && layout.bits != Bits::Eight,
            row_align: layout.row_align,
            first_row: if layout.bottom_up { "bottom" } else { "top" },
            pages,
        }
    }
}

fn raw_page<'a>(part: &Part<'a>, file: &'a NewFile, layout: &RawLayout) -> RawPage<'a> {
    let size = part.pixels.size();
    RawPage {
        page: part.page,
        layer: part.layer,
        file: &file.name,
        width: size.w,
        height: size.h,
        row_bytes: layout.row_bytes(size.w),
        bytes: file.bytes.len(),
        alpha: part.alpha.word(),
        colour: part.colour.word(),
        hash: store::written(&store::hash(&file.bytes)),
    }
}

/// The part of an earlier sidecar that tells which files belong to it.
#[derive(Deserialize)]
struct FormerSidecar {
    pages: Vec<FormerPage>,
}

#[derive(Deserialize)]
struct FormerPage {
    file: String,
    hash: String,
}

/// The files of an earlier export of raw pages.
fn named_by_sidecar(path: &Path) -> Written {
    let read = || serde_json::from_reader::<_, FormerSidecar>(BufReader::new(zemtak_files::open(path).ok()?)).ok();
    let pages = read().into_iter().flat_map(|sidecar| sidecar.pages);
    let safe = pages.filter(|page| zemtak_core::atlas::page_path_is_safe(&page.file));
    safe.filter_map(|FormerPage { file, hash }| Some((file, store::of_written(&hash)?))).collect()
}
