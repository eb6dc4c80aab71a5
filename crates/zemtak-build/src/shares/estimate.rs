//! How much work atlases are: as former builds noted it, or guessed.

use crate::context::Context;
use crate::settings::{AtlasSettings, PageFormat};
use crate::sources::Source;
use crate::store::Kind;
use crate::targets::Target;
use crate::work::{self, AtlasWork, SizeWork};
use rayon::prelude::*;
use zemtak_core::codec::PngEffort;
use zemtak_core::layout::Effort;

/// Microseconds for a guess, measured on real art: for an image, and for each of its bytes, to be decoded and treated.
const AN_IMAGE: u64 = 60;
const A_HUNDRED_BYTES: u64 = 3;

/// How much work each atlas is. Those that nobody has noted are guessed from the bytes of their images: on all machines with the same
/// files and the same store alike.
pub(super) fn of_all(targets: &[Target], context: Context<'_>) -> Vec<AtlasWork> {
    targets.par_iter().map(|target| noted(target, context).unwrap_or_else(|| guessed(target))).collect()
}

/// What was noted, for as many images as there are now.
fn noted(target: &Target, context: Context<'_>) -> Option<AtlasWork> {
    let key = work::key(&target.name, &target.settings);
    let bytes = match context.fetch(Kind::Work, &key) {
        Some(value) => value.bytes,
        // Where nothing is shared, this machine is the only one.
        None => context.store.get(&key).filter(|_| !context.shared.is_open())?,
    };
    let noted = AtlasWork::of_bytes(&bytes).filter(|noted| noted.sizes.len() == target.settings.sizes.len() + 1)?;
    let images = target.sources.files.len() as u64;
    let now = |work: u64| u64::try_from(u128::from(work) * u128::from(images) / u128::from(noted.images.max(1)));
    let now = |work: u64| now(work).unwrap_or(u64::MAX);
    let size =
        |size: &SizeWork| SizeWork { layout: now(size.layout), pages: size.pages.iter().map(|&p| now(p)).collect() };
    Some(AtlasWork { images, loading: now(noted.loading), sizes: noted.sizes.iter().map(size).collect() })
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

/// One size, whose pages come to so many bytes.
fn size(settings: &AtlasSettings, images: u64, bytes: u64) -> SizeWork {
    let an_image = match settings.effort {
        Effort::Quick => 50,
        Effort::Normal => 1000,
        _ => 8000,
    };
    let a_kilobyte = match (settings.pages_as, settings.png) {
        (PageFormat::Png, PngEffort::Small) => 6000,
        (PageFormat::Png, PngEffort::Balanced) => 120,
        (PageFormat::Ktx2, _) => 1000,
        _ => 40,
    };
    // A pixel of a page comes to about a byte of the image's file.
    let pages = bytes.div_ceil(settings.page.max.area().max(1)).max(1);
    SizeWork { layout: images * an_image, pages: (0..pages).map(|_| bytes / 1000 * a_kilobyte / pages).collect() }
}
