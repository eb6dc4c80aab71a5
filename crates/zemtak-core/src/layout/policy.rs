//! Which pages are allowed.

use super::error::LayoutError;
use super::spacing::Spacing;
use crate::geometry::{LONGEST_SIDE, Size, common_divisor};
use serde::Serialize;

/// The shape of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[non_exhaustive]
pub enum Shape {
    /// Any whole sides.
    Free,
    /// Sides that are powers of two.
    #[default]
    Pow2,
    /// Equal sides.
    Square,
    /// Equal sides that are powers of two.
    Pow2Square,
}

/// What to save first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[non_exhaustive]
pub enum Prefer {
    /// The fewest pages, then the fewest bytes.
    #[default]
    Pages,
    /// One more page if that saves a tenth of the bytes.
    Bytes,
}

/// Which pages are allowed.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PagePolicy {
    /// The largest page. Default: 2048 x 2048.
    pub max: Size,
    /// The shape. Default: powers of two.
    pub shape: Shape,
    /// Sides are multiples of this. Default: 1.
    pub step: u32,
    /// The longer side is at most this many times the shorter one. Default: 2.
    pub aspect: f64,
    /// What to save first. Default: pages.
    pub prefer: Prefer,
    /// Exactly this size for every page; largest size, shape, step and aspect do not apply then.
    pub fixed: Option<Size>,
    /// Exactly this many pages.
    pub count: Option<usize>,
    /// All pages have the same size, so that a texture array can hold them.
    pub same_size: bool,
}

impl Default for PagePolicy {
    fn default() -> Self {
        Self {
            max: Size::new(2048, 2048),
            shape: Shape::default(),
            step: 1,
            aspect: 2.0,
            prefer: Prefer::default(),
            fixed: None,
            count: None,
            same_size: false,
        }
    }
}

impl PagePolicy {
    /// Whether a page of `size` is allowed.
    #[must_use]
    pub fn allows(&self, size: Size) -> bool {
        if let Some(fixed) = self.fixed {
            return size == fixed;
        }
        let shaped = match self.shape {
            Shape::Free => true,
            Shape::Pow2 => size.w.is_power_of_two() && size.h.is_power_of_two(),
            Shape::Square => size.w == size.h,
            Shape::Pow2Square => size.w == size.h && size.w.is_power_of_two(),
        };
        shaped
            && size.w > 0
            && size.h > 0
            && size.fits_in(self.max)
            && size.w.is_multiple_of(self.step)
            && size.h.is_multiple_of(self.step)
            && self.aspect_holds(size)
    }

    /// Whether the longer side is at most `aspect` times the shorter.
    pub(super) fn aspect_holds(&self, size: Size) -> bool {
        f64::from(size.w.max(size.h)) <= f64::from(size.w.min(size.h)) * self.aspect
    }

    /// Refuses policies that no page can satisfy.
    pub(super) fn check(&self, spacing: Spacing) -> Result<(), LayoutError> {
        let no = |why: String| Err(LayoutError::NoPage(why));
        let sides = self.fixed.unwrap_or(self.max);
        if sides.w == 0 || sides.h == 0 || sides.w > LONGEST_SIDE || sides.h > LONGEST_SIDE {
            return no(format!("sides must be 1 to {LONGEST_SIDE}, not {sides}"));
        }
        if self.step == 0 {
            return no("the step must be at least 1".into());
        }
        if !(self.aspect >= 1.0 && self.aspect.is_finite()) {
            return no(format!("the aspect must be at least 1, not {}", self.aspect));
        }
        if self.count == Some(0) {
            return no("the page count must be at least 1".into());
        }
        if spacing.gutter.max(spacing.margin).max(spacing.extrude) > LONGEST_SIDE {
            return no(format!("gutter, margin and extrusion go up to {LONGEST_SIDE}"));
        }
        if spacing.align == 0 || spacing.align > LONGEST_SIDE {
            return no(format!("cells cannot begin at multiples of {}", spacing.align));
        }
        let aligned = self.aligned(spacing);
        if aligned.fixed.is_some_and(|s| !s.w.is_multiple_of(spacing.align) || !s.h.is_multiple_of(spacing.align)) {
            return no(format!("{sides} is not a multiple of {}, where cells must begin", spacing.align));
        }
        if aligned.largest_pages().is_empty() {
            return no(format!("no side up to {} is of that shape and a multiple of {}", self.max, aligned.step));
        }
        Ok(())
    }

    /// All allowed pages with power-of-two sides: by area, then less elongated first, then wider first.
    pub(super) fn pow2_pages(&self) -> Vec<Size> {
        let powers = || (0..=20).map(|k| 1u32 << k);
        let mut pages: Vec<Size> =
            powers().flat_map(|w| powers().map(move |h| Size::new(w, h))).filter(|&s| self.allows(s)).collect();
        pages.sort_by_key(|s| (s.area(), s.w.max(s.h), std::cmp::Reverse(s.w)));
        pages
    }

    /// All allowed sides of square pages, ascending.
    pub(super) fn square_sides(&self) -> impl DoubleEndedIterator<Item = u32> + use<> {
        let step = self.step;
        (1..=self.max.w.min(self.max.h) / step).map(move |k| k * step)
    }
}

impl PagePolicy {
    /// Why `items`, boxes of these sizes, are refused: each is too large for any page.
    pub(super) fn refuse(&self, items: Vec<usize>, size_of: impl Fn(usize) -> Size, spacing: Spacing) -> LayoutError {
        let page = self.largest();
        let needed = largest_of(items.iter().map(|&i| size_of(i))).and_then(|size| self.page_for_box(size, spacing));
        LayoutError::DoNotFit { items, page, room: spacing.box_room(page), needed }
    }

    /// The smallest page that holds a box of `size` and would be allowed if it were not too large.
    fn page_for_box(&self, size: Size, spacing: Spacing) -> Option<Size> {
        let max = Size::new(LONGEST_SIDE, LONGEST_SIDE);
        let any = match self.fixed {
            Some(_) => {
                Self { max, shape: Shape::Free, step: spacing.align, aspect: f64::MAX, fixed: None, ..self.clone() }
            }
            None => Self { max, ..self.clone() },
        };
        let page = spacing.page_round(spacing.ringed(size)?);
        if !page.fits_in(max) {
            return None;
        }
        let page = match any.shape {
            Shape::Free | Shape::Square => any.smallest_round(page),
            Shape::Pow2 => powers(any.smallest_round(powers(page))),
            Shape::Pow2Square => powers(Size::new(page.w.max(page.h), page.w.max(page.h))),
        };
        any.allows(page).then_some(page)
    }

    /// The policy with sides that are also multiples of the alignment of cells.
    pub(super) fn aligned(&self, spacing: Spacing) -> Self {
        let (a, b) = (u64::from(self.step.max(1)), u64::from(spacing.align.max(1)));
        let step = u32::try_from(a / common_divisor(a, b) * b).unwrap_or(u32::MAX);
        Self { step, ..self.clone() }
    }

    /// The allowed page with the most pixels.
    pub(super) fn largest(&self) -> Size {
        self.largest_pages().first().copied().unwrap_or(self.max)
    }

    /// The allowed pages that no other allowed page contains, largest area first.
    pub(super) fn largest_pages(&self) -> Vec<Size> {
        if let Some(fixed) = self.fixed {
            return vec![fixed];
        }
        let mut pages = match self.shape {
            Shape::Free => {
                let (w, h) = (self.step_down(self.max.w), self.step_down(self.max.h));
                let wide = Size::new(w.min(self.step_down(times(h, self.aspect))), h);
                let tall = Size::new(w, h.min(self.step_down(times(w, self.aspect))));
                vec![wide, tall]
            }
            Shape::Square => self.square_sides().next_back().map(|s| Size::new(s, s)).into_iter().collect(),
            Shape::Pow2 | Shape::Pow2Square => self.pow2_pages(),
        };
        let all = pages.clone();
        pages.retain(|p| self.allows(*p) && all.iter().all(|q| q == p || !p.fits_in(*q) || !self.allows(*q)));
        pages.sort_by_key(|p| std::cmp::Reverse(p.area()));
        pages.dedup();
        pages
    }

    /// `size` enlarged until it is allowed, considering shape, step and aspect.
    pub(super) fn smallest_round(&self, size: Size) -> Size {
        let mut size = Size::new(self.step_up(size.w), self.step_up(size.h));
        if self.shape == Shape::Square {
            size = Size::new(size.w.max(size.h), size.w.max(size.h));
        }
        self.widened(size)
    }

    /// The highest page of a width, considering largest size and aspect.
    pub(super) fn highest(&self, w: u32) -> u32 {
        times(w, self.aspect).min(self.max.h)
    }

    /// The largest multiple of the step that is at most `side`.
    pub(super) fn step_down(&self, side: u32) -> u32 {
        side - side % self.step
    }

    /// The smallest multiple of the step that is at least `side`.
    pub(super) fn step_up(&self, side: u32) -> u32 {
        side.checked_next_multiple_of(self.step).unwrap_or(u32::MAX)
    }

    /// `size` with its shorter side lengthened until the aspect is kept.
    pub(super) fn widened(&self, size: Size) -> Size {
        let least = |long: u32| {
            let short = f64::from(long) / self.aspect;
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most the longer side")]
            let short = short.ceil() as u32;
            self.step_up(short)
        };
        Size::new(size.w.max(least(size.h)), size.h.max(least(size.w)))
    }
}

/// The smallest size in which each of `sizes` fits.
pub(super) fn largest_of(sizes: impl Iterator<Item = Size>) -> Option<Size> {
    sizes.reduce(|a, b| Size::new(a.w.max(b.w), a.h.max(b.h)))
}

/// `size` with sides rounded up to powers of two.
fn powers(size: Size) -> Size {
    Size::new(size.w.next_power_of_two(), size.h.next_power_of_two())
}

#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "casts from f64 saturate")]
fn times(side: u32, by: f64) -> u32 {
    (f64::from(side) * by).floor() as u32
}
