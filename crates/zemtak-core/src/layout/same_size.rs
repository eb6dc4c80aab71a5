//! Pages of one size, so that a texture array can hold all of them.
//!
//! The boxes are laid out on pages of several sizes. Of those layouts that take at most a tenth more pixels than the
//! least, the one with the fewest pages is taken; if bytes are preferred, the one with the least pixels.

use super::error::LayoutError;
use super::policy::{PagePolicy, Prefer, Shape};
use super::request::{Layout, LayoutRequest};
use crate::geometry::Size;
use std::collections::BTreeSet;

/// How much larger than its share of all pixels a page is tried, in hundredths: for what boxes do not fill.
const SLACK: [u64; 3] = [102, 106, 115];

/// How many pages more than the fewest are tried if sides are free.
const MORE_PAGES: u64 = 3;

type Place<'p> = &'p dyn Fn(&LayoutRequest<'_>) -> Result<Layout, LayoutError>;

/// Lays out on pages of one size; `place` does so on pages of any sizes that the policy allows.
pub(super) fn lay_out(request: &LayoutRequest<'_>, place: Place<'_>) -> Result<Layout, LayoutError> {
    let policy = PagePolicy { same_size: false, ..request.policy.aligned(request.spacing) };
    let first = place(&LayoutRequest { policy: &policy, ..*request })?;
    let sizes = shared_sizes(request, &first);
    let common = sizes.iter().fold(Size::default(), |all, size| Size::new(all.w.max(size.w), all.h.max(size.h)));
    // What was kept in place stays on its page, so pages can only grow.
    if request.kept.is_some() || sizes.iter().all(|size| *size == common) {
        return Ok(grown(request, first, common));
    }
    let pixels: u64 = sizes.iter().map(|size| size.area()).sum();
    let attempts = Attempts { request, policy: &policy, place, common, pages: sizes.len() as u64, pixels };
    let mut layouts = match policy.shape {
        Shape::Pow2 | Shape::Pow2Square => attempts.powers_of_two(),
        Shape::Free | Shape::Square => attempts.any_sides(),
    };
    layouts.insert(0, grown(request, first, common));
    Ok(best(request, layouts))
}

/// The sizes of pages shared by several boxes.
fn shared_sizes(request: &LayoutRequest<'_>, layout: &Layout) -> Vec<Size> {
    let shared = shared_pages(request, layout);
    shared.into_iter().map(|page| layout.pages[page]).collect()
}

fn shared_pages(request: &LayoutRequest<'_>, layout: &Layout) -> BTreeSet<usize> {
    request.items.iter().zip(&layout.places).filter(|(item, _)| !item.alone).map(|(_, place)| place.page).collect()
}

/// The same layout on pages of this size, which is at least as large as theirs.
fn grown(request: &LayoutRequest<'_>, mut layout: Layout, size: Size) -> Layout {
    for page in shared_pages(request, &layout) {
        layout.pages[page] = size;
    }
    layout
}

/// The best layout, as it is taken.
fn best(request: &LayoutRequest<'_>, mut layouts: Vec<Layout>) -> Layout {
    let least = layouts.iter().map(Layout::area).min().unwrap_or(0);
    if request.policy.prefer == Prefer::Pages {
        layouts.retain(|layout| layout.area() * 10 <= least * 11);
        layouts.sort_by_key(|layout| (layout.pages.len(), layout.area()));
    } else {
        layouts.sort_by_key(|layout| (layout.area(), layout.pages.len()));
    }
    layouts.swap_remove(0)
}

/// Layouts on pages of other sizes.
struct Attempts<'a> {
    request: &'a LayoutRequest<'a>,
    policy: &'a PagePolicy,
    place: Place<'a>,
    /// The smallest page that contains all pages of the first layout, their number, and their pixels.
    common: Size,
    pages: u64,
    pixels: u64,
}

impl Attempts<'_> {
    fn on(&self, size: Size) -> Option<Layout> {
        let fixed = PagePolicy { fixed: Some(size), ..self.policy.clone() };
        (self.place)(&LayoutRequest { policy: &fixed, ..*self.request }).ok()
    }

    /// On smaller pages, as long as there are not so many of them that they come to more pixels.
    fn powers_of_two(&self) -> Vec<Layout> {
        let boxes: u64 = self.request.items.iter().filter(|item| !item.alone).map(|item| item.size.area()).sum();
        let mut least = self.common.area() * self.pages;
        let mut found = Vec::new();
        for size in self.policy.pow2_pages().into_iter().rev().filter(|size| size.area() < self.common.area()) {
            if boxes.div_ceil(size.area()) * size.area() > least {
                continue;
            }
            if let Some(layout) = self.on(size) {
                least = least.min(shared_sizes(self.request, &layout).len() as u64 * size.area());
                found.push(layout);
            }
        }
        found
    }

    /// On as many pages, and a few more, each smaller in proportion to what is to be placed on it.
    fn any_sides(&self) -> Vec<Layout> {
        let pages = self.pages..=self.pages + MORE_PAGES;
        pages.filter_map(|pages| SLACK.iter().find_map(|slack| self.on_so_many(pages, *slack))).collect()
    }

    fn on_so_many(&self, pages: u64, slack: u64) -> Option<Layout> {
        let area = self.pixels * slack / 100 / pages;
        // Of the same shape.
        let w = (area * u64::from(self.common.w) / u64::from(self.common.h)).isqrt().max(1);
        let [w, h] = [w, area.div_ceil(w)].map(|side| u32::try_from(side).unwrap_or(u32::MAX));
        let size = self.policy.smallest_round(Size::new(w, h));
        let fits = self.policy.allows(size) && size.area() < self.common.area();
        let layout = fits.then(|| self.on(size))??;
        (shared_pages(self.request, &layout).len() as u64 <= pages).then_some(layout)
    }
}
