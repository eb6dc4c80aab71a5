//! The only entrance: each arrangement has its own search.

use super::check::{LayoutFault, check};
use super::error::LayoutError;
use super::keep;
use super::policy::largest_of;
use super::request::Arrangement;
use super::request::{Layout, LayoutRequest, Place};
use super::rows;
use super::same_size;
use crate::geometry::Rect;

/// Places every item on a page.
///
/// # Errors
/// [`LayoutError`]: the policy allows no page, some items fit on none, or the page count cannot be kept.
pub fn lay_out(request: &LayoutRequest<'_>) -> Result<Layout, LayoutError> {
    request.policy.check(request.spacing)?;
    let layout = if request.policy.same_size { same_size::lay_out(request, &place)? } else { place(request)? };
    debug_assert_eq!(check(request, &layout), Vec::<LayoutFault>::new());
    Ok(layout)
}

/// On pages of any size that the policy allows.
fn place(request: &LayoutRequest<'_>) -> Result<Layout, LayoutError> {
    let policy = request.policy.aligned(request.spacing);
    let (alone, shared): (Vec<usize>, Vec<usize>) = (0..request.items.len()).partition(|&i| request.items[i].alone);
    let mut layout = match request.arrangement {
        Arrangement::Dense => keep::around(request, &policy, &shared)?,
        rows => rows::arrange(request, &policy, &shared, rows)?,
    };
    let unfit = |i: &usize| !request.items[*i].size.fits_in(policy.fixed.unwrap_or(policy.max));
    let unfit: Vec<usize> = alone.iter().copied().filter(unfit).collect();
    if !unfit.is_empty() {
        let page = policy.fixed.unwrap_or(policy.max);
        let needed = largest_of(unfit.iter().map(|&i| request.items[i].size));
        return Err(LayoutError::DoNotFit { items: unfit, page, room: page, needed });
    }
    for i in alone {
        let size = request.items[i].size;
        layout.places[i] = Place { page: layout.pages.len(), rect: Rect::at(0, 0, size), turned: false };
        layout.pages.push(size);
    }
    Ok(layout)
}
