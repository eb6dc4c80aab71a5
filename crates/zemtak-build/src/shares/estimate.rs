//! How much work atlases are: as recorded by previous builds, or estimated.

use crate::asked::{Asked, Outline};
use crate::context::Context;
use crate::failure::Failure;
use crate::request::PackRequest;
use crate::settings::{AtlasSettings, PageFormat};
use crate::sources::Source;
use crate::store::{Hash, Kind};
use crate::targets::Target;
use crate::work::{self, AtlasWork, SizeWork};
use rayon::prelude::*;
use std::collections::{BTreeSet, HashMap};
use zemtak_core::codec::PngEffort;
use zemtak_core::layout::Effort;

/// Microseconds for an estimate, fitted to 23 atlases of real art: to decode and treat an image, and each hundred of
/// its bytes.
const AN_IMAGE: u64 = 150;
const A_HUNDRED_BYTES: u64 = 4;

/// How much work each atlas of an outline is. Those without a record are estimated from the bytes of their images, and
/// only those images are searched for: the result is the same on all machines with the same files and the same store.
///
/// # Errors
/// Problems with those.
pub(super) fn of_all(
    request: &PackRequest,
    outline: &Outline,
    context: Context<'_>,
) -> Result<Vec<AtlasWork>, Failure> {
    let noted = noted(outline, context);
    let unknown = outline.atlases.iter().zip(&noted).filter(|(_, noted)| noted.is_none());
    let unknown: BTreeSet<String> = unknown.map(|((name, _), _)| name.clone()).collect();
    let guessed: HashMap<String, AtlasWork> = if unknown.is_empty() {
        HashMap::new()
    } else {
        let targets = Asked::these(request, &unknown)?.targets.targets;
        targets.par_iter().map(|target| (target.name.clone(), guessed(target))).collect()
    };
    let of = |((name, _), noted): (&(String, _), Option<AtlasWork>)| noted.or_else(|| guessed.get(name).cloned());
    Ok(outline.atlases.iter().zip(noted).map(|atlas| of(atlas).unwrap_or_default()).collect())
}

/// What builds have recorded.
fn noted(outline: &Outline, context: Context<'_>) -> Vec<Option<AtlasWork>> {
    let keys: Vec<Hash> = outline.atlases.iter().map(|(name, settings)| work::key(name, settings)).collect();
    let bytes: Vec<Option<Vec<u8>>> = if context.shared.is_open() {
        context.fetch_all(Kind::Work, &keys).into_iter().map(|value| Some(value?.bytes)).collect()
    } else {
        // If nothing is shared, this machine is the only one.
        keys.iter().map(|key| context.store.get(key)).collect()
    };
    let of = |(bytes, (_, settings)): (Option<Vec<u8>>, &(String, AtlasSettings))| {
        AtlasWork::of_bytes(&bytes?).filter(|noted| noted.sizes.len() == settings.sizes.len() + 1)
    };
    bytes.into_iter().zip(&outline.atlases).map(of).collect()
}

fn guessed(target: &Target) -> AtlasWork {
    let files = target.sources.files.iter().flat_map(Source::paths);
    let bytes: u64 = files.filter_map(|path| std::fs::metadata(path).ok()).map(|meta| meta.len()).sum();
    let images = target.sources.files.len() as u64;
    let others = target.settings.sizes.iter().map(|other| {
        let [above, below] = other.scale.factor.ratio().map(u64::from);
        size(&target.settings.at(other), images, bytes.saturating_mul(above * above) / (below * below))
    });
    let loading = images * AN_IMAGE + bytes / 100 * A_HUNDRED_BYTES;
    let own = size(&target.settings, images, bytes);
    AtlasWork { images, loading, sizes: std::iter::once(own).chain(others).collect() }
}

/// One size, whose pages come to this many bytes.
fn size(settings: &AtlasSettings, images: u64, bytes: u64) -> SizeWork {
    let an_image = match settings.effort {
        // Between 200 on small sprites and 2,200 there; the others take about ten and a hundred times as much.
        Effort::Quick => 700,
        Effort::Normal => 7_000,
        _ => 70_000,
    };
    let a_kilobyte = match (settings.pages_as, settings.png) {
        // Balanced as measured there, small in proportion to its time; the others are not measured.
        (PageFormat::Png, PngEffort::Balanced) => 190,
        (PageFormat::Png, PngEffort::Small) => 3000,
        (PageFormat::Ktx2, _) => 1000,
        _ => 60,
    };
    // A pixel of a page corresponds to about a byte of the image's file.
    let pages = bytes.div_ceil(settings.page.max.area().max(1)).max(1);
    SizeWork { layout: images * an_image, pages: (0..pages).map(|_| bytes / 1000 * a_kilobyte / pages).collect() }
}
