//! Why there is no layout, in the words of the project.

use super::Plan;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::settings::Keyword;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, LayoutError};
use zemtak_core::name::SpriteName;

impl Plan<'_> {
    /// What is wrong, for the author of the project.
    pub(super) fn explain(&self, error: &LayoutError) -> Failure {
        match error {
            LayoutError::DoNotFit { items, page, room, needed } => {
                self.fit_on_no_page(items, (*page, *room), *needed).into()
            }
            LayoutError::GroupTooLarge { groups } => {
                Failure::all(groups.iter().map(|g| self.clip_too_large(g)).collect())
            }
            LayoutError::PageCount { asked, needed } => {
                let why = format!("{asked} asked for, {needed} needed");
                let help = "leave page.count out, or allow larger pages with page.max";
                Problem::bad_input(ProblemKind::PageCount, &self.said("count", "page.count"), why, help).into()
            }
            other => {
                let help = "see docs/project.md or 'zemtak pack --help' for what pages can be";
                Problem::usage(ProblemKind::ContradictoryPages, self.task.name, other.to_string(), help).into()
            }
        }
    }

    /// Where a key is in the project file, with the atlas; its name if the command line has it.
    fn said(&self, key: &str, name: &str) -> String {
        match self.task.places.get(key) {
            Some(place) => format!("{place}, atlas {}", self.task.name),
            None => format!("atlas {}, {name}", self.task.name),
        }
    }

    /// One problem for all of them, with a page that would do.
    fn fit_on_no_page(&self, items: &[usize], (page, room): (Size, Size), needed: Option<Size>) -> Problem {
        const MOST: usize = 3;
        let mut by_need: Vec<usize> = items.to_vec();
        by_need.sort_by_key(|&item| std::cmp::Reverse(self.size_of(item).area()));
        let names = by_need
            .iter()
            .take(MOST)
            .map(|&item| format!("{} ({})", format::name(self.name_of(item).as_str()), self.size_of(item)));
        let names = names.collect::<Vec<_>>().join(", ");
        let rest = items.len().saturating_sub(MOST);
        let names = if rest > 0 { format!("{names} and {} more", format::number(rest as u64)) } else { names };
        let left = format!(", which leaves {room} within margin and extrusion");
        let why = format!("the largest page is {page}{}", if room == page { "" } else { &left });
        let place = format!("atlas {}: {names}", self.task.name);
        let key = if self.task.settings.page.fixed.is_some() { "page.size" } else { "page.max" };
        let larger = needed.map(|needed| Size::new(needed.w.max(page.w), needed.h.max(page.h)));
        let larger = larger.map(|larger| format!("set {key} to {larger} or more, ")).unwrap_or_default();
        let dense = self.task.settings.layout == Arrangement::Dense;
        let fits_turned = |item: usize| !self.items[item].alone && self.size_of(item).swapped().fits_in(room);
        let turned = if dense && items.iter().any(|&item| fits_turned(item)) { "allow turn, " } else { "" };
        let help = format!("{larger}{turned}make the images smaller, or keep them out with leave");
        Problem::bad_input(ProblemKind::SpriteTooLarge, &place, why, help)
    }

    fn clip_too_large(&self, items: &[usize]) -> Problem {
        let clip = items.first().and_then(|&item| self.clip_of(self.name_of(item))).unwrap_or_default();
        let page = self.task.settings.page.fixed.unwrap_or(self.task.settings.page.max);
        let boxes = format::count(items.len(), "box", "boxes");
        let (space, other) = match self.task.settings.layout {
            Arrangement::Dense => (self.space_of(items, page), ""),
            _ => (self.cells_of(page), "set layout to \"dense\", "),
        };
        let why = format!("the clip {} has {boxes}, {space}", format::name(&clip));
        let place = self.said("together", "together = \"clip\"");
        let help = format!(
            "allow larger pages with page.max, {other}or leave together out: then steps may lie on several pages"
        );
        Problem::bad_input(ProblemKind::ClipTooLarge, &place, why, help)
    }

    /// How much space boxes take, and a page has.
    fn space_of(&self, items: &[usize], page: Size) -> String {
        let sizes = items.iter().map(|&item| self.size_of(item));
        let largest = sizes.clone().max_by_key(|size| size.area()).unwrap_or_default();
        let pixels = format::number(sizes.map(|size| self.cell_area(size)).sum());
        format!(
            "the largest {largest}, {pixels} pixels in all with rings and gutters; a page of {page} has {}",
            format::number(page.area())
        )
    }

    /// How large equal cells are, of which a page holds fewer than needed.
    fn cells_of(&self, page: Size) -> String {
        let shared = (0..self.items.len()).filter(|&item| !self.items[item].alone).map(|item| self.size_of(item));
        let cell = shared.fold(Size::default(), |all, size| Size::new(all.w.max(size.w), all.h.max(size.h)));
        let layout = self.task.settings.layout.word();
        format!(
            "each in a cell for the largest canvas of the atlas, {cell}; with layout = \"{layout}\" a page of {page} \
             holds fewer"
        )
    }

    fn clip_of(&self, sprite: &SpriteName) -> Option<String> {
        let of = self.clips.clips.iter().find(|(_, steps)| steps.contains(sprite));
        of.map(|(name, _)| name.to_string())
    }
}
