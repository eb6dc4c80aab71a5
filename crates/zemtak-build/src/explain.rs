//! Why a layout is not smaller: its lower bounds, what they come from, and what other options would bring.

use crate::plan::{OtherLayout, Plan};
use zemtak_core::layout::{Bound, Change, Outlook, Why};

/// An explanation of a layout.
#[derive(Debug, Clone, PartialEq)]
pub struct Explained {
    /// How many pages there are.
    pub pages: usize,
    /// Their pixels.
    pub pixels: u64,
    /// The pixels of boxes alone.
    pub box_pixels: u64,
    /// The pixels of boxes with their rings and a gutter each.
    pub cell_pixels: u64,
    /// No layout by these options has fewer pages.
    pub least_pages: usize,
    /// No layout by these options has fewer pixels.
    pub least_pixels: u64,
    /// The same if pages could have any sides.
    pub least_free_pixels: u64,
    /// What the lower bound comes from.
    pub decided_by: DecidedBy,
    /// Whether the layout is proved to be as small as these options allow.
    pub proved: bool,
    /// The widest sprite.
    pub widest: LongSprite,
    /// The tallest sprite.
    pub tallest: LongSprite,
    /// What other options would bring.
    pub tried: Vec<Tried>,
}

/// What a lower bound comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum DecidedBy {
    /// The area of the cells.
    Area,
    /// The sides that a page may have.
    Shape,
    /// Sprites so long that a page must be as long as they are.
    LongSprites,
    /// Cells that are all as large as the largest canvas.
    EqualCells,
}

/// One of the longest sprites.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LongSprite {
    /// Its name.
    pub sprite: String,
    /// The page width that it requires, in pixels.
    pub width: u32,
    /// The page height that it requires, in pixels.
    pub height: u32,
}

/// An option that was not chosen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Alternative {
    /// Trimmed boxes in any order, instead of equal cells.
    Dense,
    /// Another page, or less space between boxes.
    Changed(Change),
}

/// Another option, and the result of trying it.
#[derive(Debug, Clone, PartialEq)]
pub struct Tried {
    /// The option.
    pub option: Alternative,
    /// Pages and pixels of the layout, or why there is none.
    pub outcome: Result<(usize, u64), String>,
}

impl Explained {
    /// `dense` is what a dense layout would be, if that was tried.
    pub(crate) fn new(plan: &Plan<'_>, why: &Why, dense: Option<OtherLayout>) -> Self {
        let Bound { boxes, cells, pages, least, least_free, widest, tallest, .. } = why.bound;
        let long = |item: usize| {
            let size = plan.size_of(item);
            LongSprite { sprite: plan.name_of(item).to_string(), width: size.w, height: size.h }
        };
        let counts = |outlook: &Outlook| (outlook.pages, outlook.area);
        let dense = dense.map(|outcome| Tried {
            option: Alternative::Dense,
            outcome: outcome.as_ref().map(counts).map_err(Clone::clone),
        });
        let tried = why.tries.iter().map(|trial| Tried {
            option: Alternative::Changed(trial.change),
            outcome: trial.outlook.as_ref().map(counts).map_err(ToString::to_string),
        });
        Self {
            pages: why.now.pages,
            pixels: why.now.area,
            box_pixels: boxes,
            cell_pixels: cells,
            least_pages: pages,
            least_pixels: least,
            least_free_pixels: least_free,
            decided_by: if plan.in_rows() { DecidedBy::EqualCells } else { decided_by(&why.bound) },
            proved: why.now == Outlook { pages, area: least },
            widest: long(widest),
            tallest: long(tallest),
            tried: dense.into_iter().chain(tried).collect(),
        }
    }
}

fn decided_by(bound: &Bound) -> DecidedBy {
    if bound.pages <= 1 && bound.least <= bound.around.area() && bound.around.area() > bound.cells {
        DecidedBy::LongSprites
    } else if bound.least > bound.least_free {
        DecidedBy::Shape
    } else {
        DecidedBy::Area
    }
}
