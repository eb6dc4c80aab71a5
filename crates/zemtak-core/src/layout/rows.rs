//! Equal cells in the order of the items: row by row, in one row, or in one column.

use super::error::LayoutError;
use super::policy::{PagePolicy, Shape, largest_of};
use super::request::{Arrangement, Layout, LayoutRequest, Place};
use crate::geometry::{Rect, Size};
use std::collections::BTreeMap;

/// How many equal cells a page has across and down.
#[derive(Debug, Clone, Copy)]
struct Raster {
    page: Size,
    columns: usize,
    rows: usize,
}

impl Raster {
    fn cells(self) -> usize {
        self.columns.saturating_mul(self.rows)
    }
}

struct Sheet<'a> {
    request: &'a LayoutRequest<'a>,
    policy: PagePolicy,
    /// A cell with its gutter, and without it.
    pitch: Size,
    content: Size,
    arrangement: Arrangement,
}

/// The items of `which` in order, upright.
pub(super) fn arrange(
    request: &LayoutRequest<'_>,
    policy: &PagePolicy,
    which: &[usize],
    arrangement: Arrangement,
) -> Result<Layout, LayoutError> {
    let spacing = request.spacing;
    let largest = largest_of(which.iter().map(|&i| request.items[i].size)).unwrap_or(Size::new(1, 1));
    let long = matches!(arrangement, Arrangement::Row | Arrangement::Column);
    let policy = PagePolicy { aspect: if long { f64::MAX } else { policy.aspect }, ..policy.clone() };
    let unfit = || {
        let items = which.iter().copied().filter(|&i| request.items[i].size == largest || which.len() == 1);
        policy.refuse(items.collect(), |i| request.items[i].size, spacing)
    };
    let content = spacing.ringed(largest).ok_or_else(unfit)?;
    let pitch = spacing.cell(largest, policy.largest()).ok_or_else(unfit)?;
    let sheet = Sheet { request, policy: policy.clone(), pitch, content, arrangement };
    let mut layout = Layout { pages: Vec::new(), places: vec![Place::default(); request.items.len()] };
    let order = sheet.order(which);
    let mut rest = &order[..];
    while !rest.is_empty() {
        let Some(fullest) = sheet.fullest() else {
            let over = |i: &usize| !request.items[*i].size.fits_in(spacing.box_room(policy.largest()));
            let items: Vec<usize> = which.iter().copied().filter(over).collect();
            let items = if items.is_empty() { which.to_vec() } else { items };
            return Err(policy.refuse(items, |i| request.items[i].size, spacing));
        };
        let pages_left = policy.count.map_or(1, |n| n.saturating_sub(layout.pages.len()).max(1));
        let taken = sheet.together(rest, rest.len().div_ceil(pages_left), fullest.cells())?;
        let raster = sheet.smallest(taken).unwrap_or(fullest);
        sheet.put(&mut layout, &rest[..taken], raster);
        rest = &rest[taken..];
    }
    match policy.count {
        Some(asked) if asked != layout.pages.len() && !which.is_empty() => {
            Err(LayoutError::PageCount { asked, needed: layout.pages.len() })
        }
        _ => Ok(layout),
    }
}

impl Sheet<'_> {
    /// The order as given; if one page does not hold all, members of a group directly follow its first.
    fn order(&self, which: &[usize]) -> Vec<usize> {
        let mut order = which.to_vec();
        if self.fullest().is_some_and(|r| which.len() > r.cells()) || self.policy.count.is_some() {
            let group = |i: &usize| self.request.items[*i].group;
            let mut first = BTreeMap::new();
            which.iter().for_each(|i| _ = first.entry(group(i)).or_insert(*i));
            order.sort_by_key(|i| if group(i).is_some() { first[&group(i)] } else { *i });
        }
        order
    }

    /// How many of the first items go on a page that holds `most`: about `share`, without splitting a group.
    fn together(&self, items: &[usize], share: usize, most: usize) -> Result<usize, LayoutError> {
        let most = most.min(items.len());
        let group = |at: usize| self.request.items[items[at]].group;
        let whole = |&end: &usize| end == items.len() || group(end).is_none() || group(end - 1) != group(end);
        (share.min(most)..=most).find(whole).or_else(|| (1..=most).rev().find(whole)).ok_or_else(|| {
            let of_group = items.iter().copied().filter(|&i| self.request.items[i].group == group(0));
            LayoutError::GroupTooLarge { groups: vec![of_group.collect()] }
        })
    }

    /// The raster of a page, `None` if the page does not hold a single cell.
    fn raster(&self, page: Size) -> Option<Raster> {
        let room = self.request.spacing.room(page)?;
        let (columns, rows) = ((room.w / self.pitch.w) as usize, (room.h / self.pitch.h) as usize);
        let (columns, rows) = match self.arrangement {
            Arrangement::Row => (columns, rows.min(1)),
            Arrangement::Column => (columns.min(1), rows),
            _ => (columns, rows),
        };
        (columns > 0 && rows > 0).then_some(Raster { page, columns, rows })
    }

    /// The raster with the most cells.
    fn fullest(&self) -> Option<Raster> {
        let rasters = self.policy.largest_pages().into_iter().filter_map(|page| self.raster(page));
        rasters.max_by_key(|r| (r.cells(), std::cmp::Reverse(r.page)))
    }

    /// The raster on the smallest page that holds `n` cells, the squarest of equal ones.
    fn smallest(&self, n: usize) -> Option<Raster> {
        let holds = |page: Size| self.raster(page).filter(|r| r.cells() >= n);
        let rank = |r: &Raster| (r.page.area(), r.page.w.max(r.page.h));
        match (self.policy.fixed, self.policy.shape) {
            (Some(page), _) => holds(page),
            (None, Shape::Pow2 | Shape::Pow2Square) => {
                self.policy.pow2_pages().into_iter().filter_map(holds).min_by_key(rank)
            }
            (None, Shape::Free | Shape::Square) => {
                let columns = match self.arrangement {
                    Arrangement::Row => n..=n,
                    Arrangement::Column => 1..=1,
                    _ => 1..=n,
                };
                columns.filter_map(|columns| holds(self.page(columns, n.div_ceil(columns))?)).min_by_key(rank)
            }
        }
    }

    /// The smallest allowed page round this many cells.
    fn page(&self, columns: usize, rows: usize) -> Option<Size> {
        let far = |n: usize, pitch: u32, content: u32| {
            u32::try_from(n - 1).ok()?.checked_mul(pitch)?.checked_add(content).filter(|&far| far < 1 << 24)
        };
        let w = far(columns, self.pitch.w, self.content.w)?;
        let h = far(rows, self.pitch.h, self.content.h)?;
        let page = self.policy.smallest_round(self.request.spacing.page_round(Size::new(w, h)));
        self.policy.allows(page).then_some(page)
    }

    fn put(&self, layout: &mut Layout, items: &[usize], raster: Raster) {
        let spacing = self.request.spacing;
        let inset = spacing.lead() + spacing.extrude;
        for (n, &i) in items.iter().enumerate() {
            let at = |n: usize, pitch: u32| u32::try_from(n).unwrap_or(u32::MAX) * pitch + inset;
            let (x, y) = (at(n % raster.columns, self.pitch.w), at(n / raster.columns, self.pitch.h));
            let rect = Rect::at(x, y, self.request.items[i].size);
            layout.places[i] = Place { page: layout.pages.len(), rect, turned: false };
        }
        layout.pages.push(raster.page);
    }
}
