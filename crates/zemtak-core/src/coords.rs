//! Coordinates between a page and the screen.

use crate::geometry::{Rect, Size};
use serde::{Deserialize, Serialize};

/// A rectangle of texture coordinates, `[u0, v0, u1, v1]`, V down: row 0 of the page has v = 0.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct UvRect(pub [f32; 4]);

impl UvRect {
    /// The UV rectangle of a box on a page: `x/W, y/H, (x+w)/W, (y+h)/H`, computed in `f64` and rounded to `f32` last.
    #[must_use]
    pub fn of(rect: Rect, page: Size) -> Self {
        let ratio = |edge: f64, side: u32| {
            #[expect(clippy::cast_possible_truncation, reason = "rounded to the nearest f32, as meant")]
            let rounded = (edge / f64::from(side)) as f32;
            rounded
        };
        #[expect(clippy::cast_precision_loss, reason = "sums of two u32 are exact in f64")]
        let (right, bottom) = (rect.right() as f64, rect.bottom() as f64);
        Self([
            ratio(f64::from(rect.x), page.w),
            ratio(f64::from(rect.y), page.h),
            ratio(right, page.w),
            ratio(bottom, page.h),
        ])
    }
}

#[cfg(test)]
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "small numbers")]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_example_of_the_format_comes_out() {
        let uv = UvRect::of(Rect::new(35, 1, 28, 30), Size::new(512, 256));
        assert_eq!(uv, UvRect([0.068_359_375, 0.003_906_25, 0.123_046_875, 0.121_093_75]));
    }

    proptest! {
        #[test]
        fn edges_come_back_by_rounding(w in 1u32..=16384, a in 0.0..1.0f64, b in 0.0..1.0f64) {
            let at = |t: f64| (t * f64::from(w)) as u32;
            let (x, end) = (at(a.min(b)), at(a.max(b)) + 1);
            let UvRect([u0, _, u1, _]) = UvRect::of(Rect::new(x, 0, end - x, 1), Size::new(w, 1));
            prop_assert_eq!((f64::from(u0) * f64::from(w)).round() as u32, x);
            prop_assert_eq!((f64::from(u1) * f64::from(w)).round() as u32, end);
        }
    }
}
