//! A dense layout of some items, each placed on its own.

use super::cells::{Cells, Filled, layout_of};
use super::error::LayoutError;
use super::pages::Search;
use super::policy::{PagePolicy, Prefer};
use super::request::{Layout, LayoutRequest};

/// The items of `which` on pages of their own, densely and each on its own: with each effort up to the requested one,
/// and the best counts.
pub(super) fn singly(request: &LayoutRequest<'_>, policy: &PagePolicy, which: &[usize]) -> Result<Layout, LayoutError> {
    let cells = Cells::new(request, policy, which)?;
    let mut best: Option<Vec<Filled>> = None;
    for effort in request.effort.stages() {
        let search = Search { cells: &cells, policy, effort, share: 1 };
        let found = match search.split(best.as_deref()) {
            Ok(found) => found,
            // More effort may find what less did not.
            Err(_) if effort < request.effort => continue,
            Err(error) => return best.map_or(Err(error), |best| Ok(layout_of(&cells, &best, request.items.len()))),
        };
        let rank = |pages: &[Filled]| {
            let bytes: u64 = pages.iter().map(|p| p.size.area()).sum();
            if policy.prefer == Prefer::Bytes { (0, bytes) } else { (pages.len(), bytes) }
        };
        if best.as_ref().is_none_or(|best| rank(&found) < rank(best)) {
            best = Some(found);
        }
        if cells.stopped() || best.as_ref().is_some_and(|best| search.proven(best)) {
            break;
        }
    }
    Ok(layout_of(&cells, &best.unwrap_or_default(), request.items.len()))
}
