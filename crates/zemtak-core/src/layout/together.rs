//! Pages on which groups of cells stay together.

use super::cells::Filled;
use super::error::LayoutError;
use super::fit::Fit;
use crate::geometry::Size;
use std::collections::BTreeMap;

/// By how many hundredths of a page beams try to place more than passes did, the boldest first.
const BOLDER: [u64; 3] = [9, 6, 3];

/// Cells that must share a page: how many of which class. A cell without a group is a lot of its own.
struct Lot {
    counts: Vec<(usize, u32)>,
    area: u64,
}

/// Fills one of `sizes`, the first possible one, as full as possible, and counts `left` down.
///
/// Lots are taken by area, the largest first, up to a share of the page that shrinks until passes place everything
/// taken. Then beams try to place a little more than that.
pub(super) fn fill(fit: Fit<'_>, left: &mut [u32], sizes: &[Size]) -> Result<Filled, LayoutError> {
    let lots = lots(fit, left);
    let filled = sizes.iter().find_map(|&size| fill_one(fit, &lots, left.len(), size));
    let Some((filled, taken)) = filled else {
        // They come in order of area, so those after the first that fits usually fit too.
        let too_large = lots.iter().take_while(|lot| !sizes.iter().any(|&size| alone(fit, lot, left.len(), size)));
        let mut groups: Vec<Vec<usize>> = too_large.map(|lot| items(fit, lot)).collect();
        if groups.is_empty() {
            groups.extend(lots.first().map(|lot| items(fit, lot)));
        }
        return Err(LayoutError::GroupTooLarge { groups });
    };
    left.iter_mut().zip(taken).for_each(|(n, taken)| *n -= taken);
    Ok(filled)
}

fn fill_one(fit: Fit<'_>, lots: &[Lot], classes: usize, size: Size) -> Option<(Filled, Vec<u32>)> {
    let room = fit.cells.spacing().room(size)?.area();
    let mut tried = Vec::new();
    let by_passes = (1..=100u64).rev().find_map(|percent| {
        let taken = take(lots, classes, room / 100 * percent);
        if tried == taken {
            return None;
        }
        tried.clone_from(&taken);
        Some((fit.by_passes(&taken, size)?, taken, percent))
    });
    let (found, percent) = match by_passes {
        Some((filled, taken, percent)) => (Some((filled, taken)), percent),
        None => (None, 0),
    };
    let more = BOLDER.into_iter().map(|more| percent + more).filter(|&percent| percent <= 100);
    let bolder = more.into_iter().find_map(|percent| {
        let taken = take(lots, classes, room / 100 * percent);
        Some((fit.by_beams(&taken, size)?, taken))
    });
    bolder.or(found)
}

/// Whether a lot fits on a page of its own.
fn alone(fit: Fit<'_>, lot: &Lot, classes: usize, size: Size) -> bool {
    let mut counts = vec![0; classes];
    lot.counts.iter().for_each(|&(class, n)| counts[class] += n);
    fit.by_passes(&counts, size).is_some()
}

/// The largest lots, up to `most` pixels in total. The first is always included: it must go on some page.
fn take(lots: &[Lot], classes: usize, most: u64) -> Vec<u32> {
    let mut taken = vec![0; classes];
    let mut area = 0;
    for lot in lots {
        if area == 0 || area + lot.area <= most {
            area += lot.area;
            lot.counts.iter().for_each(|&(class, n)| taken[class] += n);
        }
    }
    taken
}

/// All lots in `left`, the largest first.
fn lots(fit: Fit<'_>, left: &[u32]) -> Vec<Lot> {
    let mut groups: BTreeMap<usize, Lot> = BTreeMap::new();
    let mut lots = Vec::new();
    for (class, &n) in left.iter().enumerate().filter(|(_, n)| **n > 0) {
        let area = fit.cells.area(class);
        match fit.cells.group(class) {
            Some(group) => {
                let lot = groups.entry(group).or_insert_with(|| Lot { counts: Vec::new(), area: 0 });
                lot.counts.push((class, n));
                lot.area += area * u64::from(n);
            }
            None => lots.extend((0..n).map(|_| Lot { counts: vec![(class, 1)], area })),
        }
    }
    lots.extend(groups.into_values());
    lots.sort_by_key(|lot| std::cmp::Reverse(lot.area));
    lots
}

fn items(fit: Fit<'_>, lot: &Lot) -> Vec<usize> {
    let mut items: Vec<usize> =
        lot.counts.iter().flat_map(|&(class, _)| fit.cells.members(class).iter().copied()).collect();
    items.sort_unstable();
    items
}
