#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_precision_loss,
    reason = "numbers of tests are small"
)]

use super::*;
use crate::atlas::{Filter, Wrap};
use proptest::prelude::*;

fn look(filter: Filter) -> Look {
    Look { alpha: Alpha::Straight, light: Light::Linear, filter }
}

/// Pictures of any size with any alpha, including none.
fn any_picture(most: u32) -> impl Strategy<Value = Pixels> {
    (1..most, 1..most).prop_flat_map(|(w, h)| {
        let pixel = prop_oneof![any::<[u8; 4]>(), any::<[u8; 3]>().prop_map(|[r, g, b]| [r, g, b, 255]), Just([0; 4])];
        proptest::collection::vec(pixel, (w * h) as usize)
            .prop_map(move |data| Pixels::from_rgba(Size::new(w, h), data.concat()).unwrap())
    })
}

/// The share of pixel `i` in pixel `n` of half of a side, in real numbers.
fn share(side: u32, n: u32, i: u32) -> f64 {
    let each = f64::from(side) / f64::from((side / 2).max(1));
    let (from, to) = (f64::from(n) * each, f64::from(n + 1) * each);
    (to.min(f64::from(i + 1)) - from.max(f64::from(i))).max(0.0) / each
}

fn light_of(byte: u8, light: Light) -> f64 {
    let value = f64::from(byte) / 255.0;
    match light {
        Light::Plain | Light::Data => value,
        Light::Linear if value <= 0.04045 => value / 12.92,
        Light::Linear => ((value + 0.055) / 1.055).powf(2.4),
    }
}

proptest! {
    /// Compared with the definition in real numbers: each pixel is the mean of what it covers, weighted by alpha.
    #[test]
    fn a_level_is_the_mean_of_the_one_before(picture in any_picture(12), linear: bool, premultiplied: bool) {
        let light = if linear { Light::Linear } else { Light::Plain };
        let mut source = picture.clone();
        let alpha = if premultiplied { Alpha::Premultiplied } else { Alpha::Straight };
        if premultiplied {
            crate::prepare::premultiply(&mut source);
        }
        let level = half(&source, alpha, light).unwrap();
        let size = picture.size();
        prop_assert_eq!(level.size(), Size::new((size.w / 2).max(1), (size.h / 2).max(1)));
        for (x, y) in (0..level.size().h).flat_map(|y| (0..level.size().w).map(move |x| (x, y))) {
            let mut sums = [0.0; 4];
            for (i, j) in (0..size.h).flat_map(|j| (0..size.w).map(move |i| (i, j))) {
                let [r, g, b, a] = source.get(i, j).unwrap();
                let weight = share(size.w, x, i) * share(size.h, y, j) * f64::from(a);
                let colour = |c: u8| if premultiplied && a > 0 { ((f64::from(c) * 255.0 / f64::from(a)).round().min(255.0)) as u8 } else { c };
                for (sum, c) in sums.iter_mut().zip([r, g, b]) {
                    *sum += weight * light_of(colour(c), light);
                }
                sums[3] += weight;
            }
            let found = level.get(x, y).unwrap();
            prop_assert!((f64::from(found[3]) - sums[3]).abs() <= 0.5001, "{found:?} {sums:?}");
            for (found_colour, sum) in found[..3].iter().zip(&sums[..3]).filter(|_| found[3] > 0) {
                let expected = sum / sums[3];
                if premultiplied {
                    let lit = |c: f64| light_of(c.clamp(0.0, 255.0).round() as u8, light);
                    let straight = f64::from(*found_colour) * 255.0 / f64::from(found[3]);
                    let slack = 255.0 / f64::from(found[3]) + 1.0;
                    prop_assert!(lit(straight - slack) <= expected + 1e-4 && expected <= lit(straight + slack) + 1e-4);
                } else {
                    let [low, high] = [found_colour.saturating_sub(1), found_colour.saturating_add(1)].map(|c| light_of(c, light));
                    prop_assert!(low <= expected && expected <= high, "{found:?} {expected}");
                }
            }
        }
    }

    /// Data is averaged channel by channel, whatever alpha is.
    #[test]
    fn a_level_of_data_is_the_mean_of_each_number(picture in any_picture(12), premultiplied: bool) {
        let alpha = if premultiplied { Alpha::Premultiplied } else { Alpha::Straight };
        let (level, size) = (half(&picture, alpha, Light::of(Colour::Linear)).unwrap(), picture.size());
        for (x, y) in (0..level.size().h).flat_map(|y| (0..level.size().w).map(move |x| (x, y))) {
            for (k, found) in level.get(x, y).unwrap().into_iter().enumerate() {
                let all = (0..size.h).flat_map(|j| (0..size.w).map(move |i| (i, j)));
                let part = |(i, j)| share(size.w, x, i) * share(size.h, y, j) * f64::from(picture.get(i, j).unwrap()[k]);
                let expected: f64 = all.map(part).sum();
                prop_assert!((f64::from(found) - expected).abs() <= 0.5001, "{found} {expected}");
            }
        }
    }

    /// A part made on its own equals that part of the whole.
    #[test]
    fn a_part_of_a_level_needs_only_what_it_covers(picture in any_picture(24), at in any::<[u16; 4]>()) {
        let level = half(&picture, Alpha::Straight, Light::Linear).unwrap();
        let within = |at: u16, side: u32| u32::from(at) % side;
        let (x, y) = (within(at[0], level.size().w), within(at[1], level.size().h));
        let (w, h) = (1 + within(at[2], level.size().w - x), 1 + within(at[3], level.size().h - y));
        let (columns, rows) = (footprint::covered(picture.size().w, &(x..=x + w - 1)), footprint::covered(picture.size().h, &(y..=y + h - 1)));
        let needed = Rect::new(*columns.start(), *rows.start(), columns.end() - columns.start() + 1, rows.end() - rows.start() + 1);
        let part = half_of_part(&picture.crop(needed).unwrap(), [needed.x, needed.y], picture.size(), Rect::new(x, y, w, h), Alpha::Straight, Light::Linear);
        prop_assert_eq!(part.unwrap(), level.crop(Rect::new(x, y, w, h)).unwrap());
    }

    /// In real numbers, without rounding: how much of what lies outside a cell enters samples on and along the edges of
    /// its box.
    #[test]
    fn a_safe_level_is_the_deepest_without_a_share_of_others(
        side in 4u32..50, start in 0u32..40, length in 1u32..30, ring in 0u32..9, align in 0u32..4, linear: bool,
    ) {
        let filter = if linear { Filter::Linear } else { Filter::Nearest };
        let (start, page) = (start % side, Size::new(side, side));
        let length = length.min(side - start);
        let rect = Rect::new(start, start, length, length);
        let cell = own_cell(rect, ring.min(start), 1 << align, page);
        let mut outside: Vec<f64> = (0..side).map(|i| f64::from(u8::from(i < cell.x || i >= cell.x + cell.w))).collect();
        let mut safe = None;
        for level in 0..most_levels(page) {
            let own = outside.len() as f64;
            let at = |i: f64| outside[i.clamp(0.0, own - 1.0) as usize];
            let sampled = |edge: f64| {
                let p = edge / f64::from(side) * own;
                if linear {
                    let p = p - 0.5;
                    let share = p - p.floor();
                    at(p.floor()) * (1.0 - share) + if share > 1e-9 { at(p.floor() + 1.0) * share } else { 0.0 }
                } else {
                    at(p.floor())
                }
            };
            let steps = 64 * length;
            let worst = (0..=steps).map(|i| {
                let inside = if linear { 0.0 } else { 1e-6 };
                (f64::from(start) + f64::from(length) * f64::from(i) / f64::from(steps)).clamp(f64::from(start) + inside, f64::from(start + length) - inside)
            }).map(sampled).fold(0.0, f64::max);
            if worst > 1e-9 {
                break;
            }
            safe = Some(level);
            let below = (outside.len() as u32 / 2).max(1);
            outside = (0..below).map(|n| (0..outside.len() as u32).map(|i| share(outside.len() as u32, n, i) * outside[i as usize]).sum()).collect();
        }
        prop_assert_eq!(safe_level(page, rect, cell, filter), safe);
    }

    /// With room for levels, nothing of others can be seen down to them, wherever an aligned cell lies, and sampling
    /// confirms it.
    #[test]
    fn room_for_levels_keeps_them_clean(wide in 1u32..20, tall in 1u32..20, levels in 0u32..4, column in 0u32..3, colour: [u8; 3]) {
        let align = 1 << levels;
        let rect = Rect::new(align * (1 + column), align, wide, tall);
        let page = Size::new(128, 64);
        let cell = own_cell(rect, align, align, page);
        prop_assert!(safe_level(page, rect, cell, Filter::Linear).is_some_and(|safe| safe >= levels));
        // The box and all of its cell in one colour with a soft corner, everything else in another.
        let mut pixels = Pixels::from_rgba(page, [255, 0, 255, 255].repeat(page.area() as usize)).unwrap();
        for (x, y) in (cell.y..cell.y + cell.h).flat_map(|y| (cell.x..cell.x + cell.w).map(move |x| (x, y))) {
            let nearest = [x.clamp(rect.x, rect.x + wide - 1), y.clamp(rect.y, rect.y + tall - 1)];
            let corner = nearest == [rect.x, rect.y];
            let at = y as usize * page.w as usize * 4 + x as usize * 4;
            pixels.as_bytes_mut()[at..at + 4].copy_from_slice(&[colour[0], colour[1], colour[2], if corner { 77 } else { 255 }]);
        }
        let smaller = smaller_levels(&pixels, levels, Alpha::Straight, Light::Linear);
        let all: Vec<&Pixels> = std::iter::once(&pixels).chain(&smaller).collect();
        let measured = measure(&all, rect, 0.0, look(Filter::Linear));
        prop_assert_eq!(measured.clean(), Some(levels), "{:?}", measured);
    }

    /// A sample at the centre of a texel is that texel, whatever the filter; far outside it follows the wrapping.
    #[test]
    fn samples_on_centres_are_texels(picture in any_picture(9), x in -20i32..20, y in -20i32..20, linear: bool, wrap in 0usize..3) {
        let wrap = [Wrap::Clamp, Wrap::Repeat, Wrap::Mirror][wrap];
        let sampling = Sampling { filter: if linear { Filter::Linear } else { Filter::Nearest }, between: Between::Nearest, wrap };
        let size = picture.size();
        let uv = [(f64::from(x) + 0.5) / f64::from(size.w), (f64::from(y) + 0.5) / f64::from(size.h)];
        // Walked to step by step.
        let walk = |at: i32, side: u32| {
            let (mut on, mut by) = (0i32, 1i32);
            for _ in 0..at.unsigned_abs() {
                let next = on + by * at.signum();
                (on, by) = match wrap {
                    _ if (0..side as i32).contains(&next) => (next, by),
                    Wrap::Clamp => (on, by),
                    Wrap::Repeat => (next.rem_euclid(side as i32), by),
                    _ => (on, -by),
                };
            }
            on as u32
        };
        let expected = picture.get(walk(x, size.w), walk(y, size.h)).unwrap().map(f64::from);
        let found = sample(&[&picture], uv, 0.0, sampling);
        prop_assert!(found.iter().zip(expected).all(|(a, b)| (a - b).abs() < 1e-6), "{found:?} {expected:?}");
    }
}

#[test]
fn without_a_ring_a_neighbour_is_seen_and_told_where() {
    let mut pixels = Pixels::from_rgba(Size::new(16, 8), [0, 0, 0, 255].repeat(128)).unwrap();
    for y in 0..8 {
        pixels.row_mut(y)[8 * 4..].chunks_exact_mut(4).for_each(|p| p.copy_from_slice(&[255, 255, 255, 255]));
    }
    let rect = Rect::new(0, 0, 8, 8);
    let measured = measure(&[&pixels], rect, 0.0, look(Filter::Linear));
    let level = measured.levels[0];
    assert_eq!((level.foreign, level.error, level.at[0], measured.clean()), (0.5, 127.5, 8.0, None));
    assert_eq!(measure(&[&pixels], rect, 0.0, look(Filter::Nearest)).clean(), Some(0));
    assert_eq!(measure(&[&pixels], rect, 0.5, look(Filter::Linear)).clean(), Some(0), "the half-texel shrink");
    assert_eq!(safe_level(pixels.size(), rect, rect, Filter::Linear), None);
    assert_eq!(safe_level(pixels.size(), rect, rect, Filter::Nearest), Some(3));
}

#[test]
fn between_levels_samples_are_mixed() {
    let one = Pixels::from_rgba(Size::new(2, 2), [10, 20, 30, 255].repeat(4)).unwrap();
    let two = Pixels::from_rgba(Size::new(1, 1), vec![110, 120, 130, 55]).unwrap();
    let at = |lod: f64, between: Between| {
        sample(&[&one, &two], [0.5, 0.5], lod, Sampling { filter: Filter::Linear, between, wrap: Wrap::Clamp })[0]
    };
    assert_eq!([at(-1.0, Between::Linear), at(0.25, Between::Linear), at(7.0, Between::Linear)], [10.0, 35.0, 110.0]);
    assert_eq!([at(0.5, Between::Nearest), at(0.51, Between::Nearest)], [10.0, 110.0]);
}

/// The complaint that fringes answer: a soft disc drawn over a light and a dark ground, enlarged and reduced, with
/// straight and with premultiplied colour, compared with the exact filter, which weighs colours by their alpha.
#[test]
fn soft_edges_have_no_dark_fringe_at_any_size() {
    let disc = |fringe: u32| {
        let alpha =
            |x: u32, y: u32| ((12.5 - (f64::from(x) - 15.5).hypot(f64::from(y) - 15.5)) * 90.0).clamp(0.0, 255.0) as u8;
        let pixel = |i: u32| match alpha(i % 32, i / 32) {
            0 => [0; 4],
            alpha => [250, 210, 120, alpha],
        };
        let mut pixels = Pixels::from_rgba(Size::new(32, 32), (0..1024).flat_map(pixel).collect()).unwrap();
        crate::prepare::spread_edges(&mut pixels, fringe);
        pixels
    };
    // The largest error of a channel on any ground, over samples between pixels at one size.
    let worst = |picture: &Pixels, alpha: Alpha, lod: f64| {
        let smaller = smaller_levels(picture, 3, alpha, Light::Plain);
        let levels: Vec<&Pixels> = std::iter::once(picture).chain(&smaller).collect();
        let sampling = Sampling { filter: Filter::Linear, between: Between::Linear, wrap: Wrap::Clamp };
        let mut worst: f64 = 0.0;
        for (i, j) in (0..97u32).flat_map(|j| (0..97u32).map(move |i| (i, j))) {
            let [r, _, _, a] = sample(&levels, [f64::from(i) / 96.0, f64::from(j) / 96.0], lod, sampling);
            let drawn = |ground: f64| {
                if alpha == Alpha::Straight {
                    r * a / 255.0 + ground * (1.0 - a / 255.0)
                } else {
                    r + ground * (1.0 - a / 255.0)
                }
            };
            // Exactly: all colours are the same, so only alpha is filtered.
            let exact = |ground: f64| 250.0 * a / 255.0 + ground * (1.0 - a / 255.0);
            worst = worst.max((drawn(0.0) - exact(0.0)).abs()).max((drawn(255.0) - exact(255.0)).abs());
        }
        worst
    };
    let mut premultiplied = disc(0);
    crate::prepare::premultiply(&mut premultiplied);
    for lod in [0.0, 0.5, 1.0, 1.6, 2.0] {
        assert!(
            worst(&disc(8), Alpha::Straight, lod) < 1.5,
            "straight, at {lod}: {}",
            worst(&disc(8), Alpha::Straight, lod)
        );
        assert!(worst(&premultiplied, Alpha::Premultiplied, lod) < 2.0, "premultiplied, at {lod}");
        assert!(worst(&disc(0), Alpha::Straight, lod) > 20.0, "without a fringe it is seen, at {lod}");
    }
}

#[test]
fn means_are_rounded_and_hidden_colour_is_that_of_those_that_have_one() {
    let of_four = |pixels: [[u8; 4]; 4]| {
        let picture = Pixels::from_rgba(Size::new(2, 2), pixels.concat()).unwrap();
        half(&picture, Alpha::Straight, Light::Plain).unwrap().get(0, 0).unwrap()
    };
    let opaque = |reds: [u8; 4]| of_four(reds.map(|red| [red, 0, 0, 255]))[0];
    assert_eq!([opaque([0, 0, 0, 1]), opaque([0, 0, 1, 1]), opaque([255, 255, 255, 254])], [0, 1, 255]);
    assert_eq!(of_four([[0; 4], [10, 20, 30, 0], [0; 4], [30, 40, 51, 0]]), [20, 30, 41, 0]);
    assert_eq!(of_four([[9, 9, 9, 0], [200, 100, 0, 100], [9, 9, 9, 0], [100, 0, 0, 100]]), [150, 50, 0, 50]);
}

/// Colour under transparent pixels is not bleeding: a box with a transparent edge beside emptiness of another colour.
#[test]
fn colour_under_transparent_pixels_does_not_bleed() {
    let mut pixels = Pixels::from_rgba(Size::new(16, 8), [70, 80, 90, 0].repeat(128)).unwrap();
    for y in 2..6 {
        pixels.row_mut(y)[2 * 4..6 * 4]
            .copy_from_slice(&[[0; 4], [200, 10, 10, 255], [200, 10, 10, 255], [0; 4]].concat());
    }
    pixels.row_mut(2)[2 * 4..6 * 4].fill(0);
    pixels.row_mut(5)[2 * 4..6 * 4].fill(0);
    assert_eq!(measure(&[&pixels], Rect::new(2, 2, 4, 4), 0.0, look(Filter::Linear)).clean(), Some(0));
}
