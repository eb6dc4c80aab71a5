//! Layouts round boxes that stay where they are: new boxes go into the gaps between them, and then on new pages.

use super::error::LayoutError;
use super::families;
use super::holes::Holes;
use super::policy::PagePolicy;
use super::request::{Kept, Layout, LayoutRequest, Place};
use crate::geometry::{Rect, Size};
use std::collections::{BTreeMap, BTreeSet};

struct Filling<'a> {
    request: &'a LayoutRequest<'a>,
    policy: &'a PagePolicy,
    /// The largest page.
    largest: Size,
    holes: Vec<Holes>,
    places: BTreeMap<usize, Place>,
}

/// The items of `which`: the kept ones in their places, the others round them and on further pages.
pub(super) fn around(request: &LayoutRequest<'_>, policy: &PagePolicy, which: &[usize]) -> Result<Layout, LayoutError> {
    let Some(kept) = request.kept else {
        return families::lay_out(request, policy, which);
    };
    let mut released = parted_groups(request, policy, which, kept);
    loop {
        let stays = |item: &usize| !request.items[*item].group.is_some_and(|group| released.contains(&group));
        let kept_ones = which.iter().filter(|i| stays(i)).filter_map(|&i| Some((i, kept.place(i, policy)?)));
        let places: BTreeMap<usize, Place> = kept_ones.collect();
        let mut filling = Filling { request, policy, largest: policy.largest(), holes: Vec::new(), places };
        filling.find_holes(&kept.pages);
        match filling.fill(which) {
            // A group without room beside its kept members moves as a whole.
            Some(group) if released.insert(group) => {}
            _ => return filling.finish(&kept.pages, which),
        }
    }
}

/// Groups whose members lie on several pages so far, because they did not have to share one.
fn parted_groups(request: &LayoutRequest<'_>, policy: &PagePolicy, which: &[usize], kept: &Kept) -> BTreeSet<usize> {
    let mut pages = BTreeMap::new();
    let place = |&i: &usize| Some((request.items[i].group?, kept.place(i, policy)?.page));
    let parted = |(group, page): (usize, usize)| (*pages.entry(group).or_insert(page) != page).then_some(group);
    which.iter().filter_map(place).filter_map(parted).collect()
}

impl Filling<'_> {
    fn find_holes(&mut self, pages: &[Size]) {
        let spacing = self.request.spacing;
        let room = |page: &Size| spacing.room(*page).filter(|_| self.policy.allows(*page));
        let whole = |page: &Size| room(page).map_or_else(Holes::none, Holes::whole);
        self.holes = pages.iter().map(whole).collect();
        for place in self.places.values() {
            let inset = spacing.lead() + spacing.extrude;
            let Some(size) = self.cell(place.rect.size()) else { continue };
            let (x, y) = (place.rect.x.saturating_sub(inset), place.rect.y.saturating_sub(inset));
            self.holes[place.page].take(Rect::at(x, y, size));
        }
    }

    fn cell(&self, size: Size) -> Option<Size> {
        self.request.spacing.cell(size, self.largest)
    }

    /// Fills the gaps; returns a group that does not fit beside its kept members.
    fn fill(&mut self, which: &[usize]) -> Option<usize> {
        let items = self.request.items;
        let mut lots: BTreeMap<(Option<usize>, usize), Vec<usize>> = BTreeMap::new();
        for &i in which.iter().filter(|i| !self.places.contains_key(i)) {
            let single = if items[i].group.is_some() { 0 } else { i };
            lots.entry((items[i].group, single)).or_default().push(i);
        }
        let mut lots: Vec<_> = lots.into_iter().map(|((group, _), lot)| (group, lot)).collect();
        let area = |lot: &[usize]| lot.iter().map(|&i| items[i].size.area()).sum::<u64>();
        lots.sort_by_key(|(group, lot)| (std::cmp::Reverse(area(lot)), *group));
        for (group, lot) in lots {
            let of_group = |i: &usize| items[*i].group == group;
            let bound_to = group.and_then(|_| self.places.iter().find(|(i, _)| of_group(i)).map(|(_, p)| p.page));
            let pages = bound_to.map_or(0..self.holes.len(), |page| page..page + 1);
            let placed = pages.into_iter().any(|page| self.put_all(page, &lot));
            if !placed && bound_to.is_some() {
                return group;
            }
        }
        None
    }

    /// Puts a lot into the gaps of one page, or changes nothing.
    fn put_all(&mut self, page: usize, lot: &[usize]) -> bool {
        let inset = self.request.spacing.lead() + self.request.spacing.extrude;
        let mut holes = self.holes[page].clone();
        let mut found = Vec::new();
        for &i in lot {
            let item = self.request.items[i];
            let Some(cell) = self.cell(item.size) else { return false };
            let upright = holes.best(cell).map(|at| (at, false));
            let turned = || holes.best(cell.swapped()).map(|at| (at, true)).filter(|_| item.may_turn);
            let Some((at, turned)) = upright.or_else(turned) else { return false };
            holes.take(at);
            let rect = Rect::at(at.x + inset, at.y + inset, item.size.stored(turned));
            found.push((i, Place { page, rect, turned }));
        }
        self.holes[page] = holes;
        self.places.extend(found);
        true
    }

    /// What found no place goes on further pages; empty pages are removed.
    fn finish(self, pages: &[Size], which: &[usize]) -> Result<Layout, LayoutError> {
        let used: BTreeSet<usize> = self.places.values().map(|p| p.page).collect();
        let number: BTreeMap<usize, usize> = used.iter().enumerate().map(|(new, &old)| (old, new)).collect();
        let rest: Vec<usize> = which.iter().copied().filter(|i| !self.places.contains_key(i)).collect();
        let count = self.policy.count;
        let further = count.map(|n| n.saturating_sub(used.len()));
        if let (Some(asked), Some(0)) = (count, further.filter(|_| !rest.is_empty())) {
            return Err(LayoutError::PageCount { asked, needed: used.len() + 1 });
        }
        let policy = PagePolicy { count: further, ..self.policy.clone() };
        let mut layout = families::lay_out(self.request, &policy, &rest)?;
        let moved = |place: &Place| Place { page: number[&place.page], ..*place };
        layout.places.iter_mut().for_each(|place| *place = place.on_later_page(used.len()));
        self.places.iter().for_each(|(&i, place)| layout.places[i] = moved(place));
        let old = used.iter().map(|&page| pages[page]);
        layout.pages = old.chain(std::mem::take(&mut layout.pages)).collect();
        let needed = layout.pages.len();
        match count.filter(|&asked| asked != needed && needed > 0) {
            Some(asked) => Err(LayoutError::PageCount { asked, needed }),
            None => Ok(layout),
        }
    }
}
