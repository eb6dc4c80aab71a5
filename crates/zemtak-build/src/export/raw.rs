//! The file that describes the rows of raw pages.

use super::{Part, WrittenPart};
use crate::inventory::Written;
use crate::settings::Keyword;
use crate::store;
use serde::{Deserialize, Serialize};
use std::io::BufReader;
use std::path::Path;
use zemtak_core::atlas::VERSION;
use zemtak_core::codec::{Bits, Channels, RawLayout};

/// The file extension of raw pages, by their content.
pub(super) fn extension(layout: &RawLayout) -> &'static str {
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
    bytes: u64,
    alpha: &'static str,
    colour: &'static str,
    hash: &'a str,
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

fn raw_page<'a>((part, written): (&'a Part<'_>, &'a WrittenPart), layout: &RawLayout) -> RawPage<'a> {
    RawPage {
        page: part.page,
        layer: part.layer,
        file: &part.file,
        width: part.size.w,
        height: part.size.h,
        row_bytes: layout.row_bytes(part.size.w),
        bytes: written.bytes,
        alpha: part.alpha.word(),
        colour: part.colour.word(),
        hash: &written.hash,
    }
}

/// The file's text.
pub(super) fn text(
    atlas: &str,
    layout: &RawLayout,
    parts: &[Part<'_>],
    written: &[WrittenPart],
) -> Result<String, serde_json::Error> {
    let pages = parts.iter().zip(written).map(|part| raw_page(part, layout)).collect();
    Ok(serde_json::to_string_pretty(&Sidecar::new(atlas, layout, pages))? + "\n")
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
pub(super) fn named_by(path: &Path) -> Written {
    let read = || serde_json::from_reader::<_, FormerSidecar>(BufReader::new(zemtak_files::open(path).ok()?)).ok();
    let pages = read().into_iter().flat_map(|sidecar| sidecar.pages);
    let safe = pages.filter(|page| zemtak_core::atlas::page_path_is_safe(&page.file));
    safe.filter_map(|FormerPage { file, hash }| Some((file, store::of_written(&hash)?))).collect()
}
