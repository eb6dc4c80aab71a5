//! The same picture at another size.

use crate::geometry::{Size, common_divisor};
use crate::light::LIGHT;
use crate::pixels::{PIXEL, Pixels};
use serde::Serialize;
use std::fmt;
use std::str::FromStr;

/// A scale as an exact fraction: 0.5 is 1/2.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct Factor {
    num: u32,
    den: u32,
}

/// The largest factor, and the reciprocal of the smallest.
const LARGEST: u32 = 64;

impl Factor {
    /// A whole factor from 1 to 64.
    #[must_use]
    pub fn times(num: u32) -> Option<Self> {
        (1..=LARGEST).contains(&num).then_some(Self { num, den: 1 })
    }

    /// As a number.
    #[must_use]
    pub fn value(self) -> f64 {
        f64::from(self.num) / f64::from(self.den)
    }

    /// As a fraction in lowest terms: above and below the line.
    #[must_use]
    pub fn ratio(self) -> [u32; 2] {
        [self.num, self.den]
    }

    /// A length at this factor, rounded up.
    fn of(self, length: u32) -> u32 {
        let scaled = (u64::from(length) * u64::from(self.num)).div_ceil(u64::from(self.den));
        u32::try_from(scaled).unwrap_or(u32::MAX)
    }

    /// A canvas at this factor: each side rounded up.
    #[must_use]
    pub fn of_size(self, Size { w, h }: Size) -> Size {
        Size::new(self.of(w), self.of(h))
    }
}

impl fmt::Display for Factor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.value())
    }
}

impl FromStr for Factor {
    type Err = &'static str;

    /// Reads a decimal number such as `0.5`, exactly.
    fn from_str(text: &str) -> Result<Self, Self::Err> {
        const WRONG: &str = "a decimal number from 1/64 to 64 with at most six places, such as 0.5";
        let (whole, part) = text.split_once('.').unwrap_or((text, ""));
        let digits = |t: &str| t.len() <= 6 && t.bytes().all(|b| b.is_ascii_digit());
        if whole.is_empty() || !digits(whole) || !digits(part) {
            return Err(WRONG);
        }
        let den = 10u64.pow(u32::try_from(part.len()).map_err(|_| WRONG)?);
        let num = whole.parse::<u64>().map_err(|_| WRONG)? * den + part.parse::<u64>().unwrap_or(0);
        let common = common_divisor(num, den).max(1);
        let (num, den) = (u32::try_from(num / common), u32::try_from(den / common));
        match (num, den) {
            (Ok(num), Ok(den)) if num <= LARGEST * den && u64::from(den) <= u64::from(num) * u64::from(LARGEST) => {
                Ok(Self { num, den })
            }
            _ => Err(WRONG),
        }
    }
}

/// A factor, and how pixels are made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct Scale {
    /// The factor.
    pub factor: Factor,
    /// How pixels are made.
    pub resample: Resample,
}

/// How pixels are made, depending on the kind of art.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize)]
#[non_exhaustive]
pub enum Resample {
    /// Smooth art: filtered in linear light, weighted by alpha.
    #[default]
    Smooth,
    /// Pixel art: each pixel is the one that lies under its centre, so whole factors are exact.
    Pixel,
}

/// The picture at another size. The canvas is rounded up; what lies beyond the source is transparent.
#[must_use]
pub fn resample(source: &Pixels, scale: Scale) -> Pixels {
    resampled(source, scale, linear, back)
}

/// The same for data such as normals: each of the four channels is filtered on its own, and beyond the edges the
/// outermost values continue.
#[must_use]
pub fn resample_data(source: &Pixels, scale: Scale) -> Pixels {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to a byte")]
    let number = |number: f32| (number + 0.5).clamp(0.0, 255.0) as u8;
    resampled(source, scale, |pixel| std::array::from_fn(|k| f32::from(pixel[k])), |sums, _| sums.map(number))
}

/// `read` turns a pixel into numbers that can be filtered; `write` turns their sums, and the part of the new pixel that
/// lies on the source, into a pixel.
fn resampled(
    source: &Pixels,
    scale: Scale,
    read: impl Fn(&[u8]) -> [f32; 4],
    write: impl Fn([f32; 4], f32) -> [u8; 4],
) -> Pixels {
    let size = scale.factor.of_size(source.size());
    let data = match scale.resample {
        Resample::Pixel => nearest(source, size, scale.factor),
        Resample::Smooth => smooth(source, size, scale.factor, read, write),
    };
    Pixels::from_rgba(size, data).unwrap_or_else(|| source.clone())
}

fn nearest(source: &Pixels, size: Size, Factor { num, den }: Factor) -> Vec<u8> {
    let under = |at: u32| u32::try_from((2 * u64::from(at) + 1) * u64::from(den) / (2 * u64::from(num)));
    let mut data = Vec::with_capacity(size.w as usize * size.h as usize * PIXEL);
    for y in 0..size.h {
        for x in 0..size.w {
            let pixel = under(x).ok().zip(under(y).ok()).and_then(|(x, y)| source.get(x, y));
            data.extend_from_slice(&pixel.unwrap_or_default());
        }
    }
    data
}

/// What one pixel takes from the source along one axis.
struct Taps {
    first: usize,
    weights: Vec<f32>,
    /// How much of the pixel lies on the source: less than 1 only for the last one.
    cover: f32,
}

/// Cubic convolution (R. Keys, 1981, a = -1/2), widened by the factor when the picture becomes smaller. Weights are
/// normalised to a sum of 1 over what lies on the source, so that edges of tiles stay solid.
#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "indices of a side, held to it")]
fn taps(length: u32, factor: Factor, out: u32) -> Vec<Taps> {
    let factor = factor.value();
    let wide = (1.0 / factor).max(1.0);
    let end = f64::from(length);
    let one = |at: u32| {
        let centre = (f64::from(at) + 0.5) / factor;
        let first = (centre - 2.0 * wide - 0.5).floor().clamp(0.0, end - 1.0);
        let last = (centre + 2.0 * wide + 0.5).ceil().clamp(first + 1.0, end);
        let (first, last) = (first as u32, last as u32);
        let raw: Vec<f64> = (first..last).map(|i| keys((f64::from(i) + 0.5 - centre) / wide)).collect();
        let sum: f64 = raw.iter().sum();
        let (from, to) = (f64::from(at) / factor, (f64::from(at) + 1.0) / factor);
        let cover = ((to.min(end) - from) / (to - from)).clamp(0.0, 1.0);
        Taps { first: first as usize, weights: raw.iter().map(|w| (w / sum) as f32).collect(), cover: cover as f32 }
    };
    (0..out).map(one).collect()
}

fn keys(x: f64) -> f64 {
    let x = x.abs();
    if x < 1.0 {
        (1.5 * x - 2.5) * x * x + 1.0
    } else if x < 2.0 {
        ((-0.5 * x + 2.5) * x - 4.0) * x + 2.0
    } else {
        0.0
    }
}

fn smooth(
    source: &Pixels,
    size: Size,
    factor: Factor,
    read: impl Fn(&[u8]) -> [f32; 4],
    write: impl Fn([f32; 4], f32) -> [u8; 4],
) -> Vec<u8> {
    let (columns, rows) = (taps(source.size().w, factor, size.w), taps(source.size().h, factor, size.h));
    // Along the rows first: for each source row the new columns, as linear colour times alpha, and alpha.
    let narrow: Vec<Vec<[f32; 4]>> = (0..source.size().h)
        .map(|y| {
            let row: Vec<[f32; 4]> = source.row(y).chunks_exact(PIXEL).map(&read).collect();
            columns.iter().map(|taps| weighed(taps, |i| row[i])).collect()
        })
        .collect();
    let mut data = Vec::with_capacity(size.w as usize * size.h as usize * PIXEL);
    for down in &rows {
        for (x, across) in columns.iter().enumerate() {
            data.extend_from_slice(&write(weighed(down, |j| narrow[j][x]), down.cover * across.cover));
        }
    }
    data
}

fn weighed(taps: &Taps, pixel: impl Fn(usize) -> [f32; 4]) -> [f32; 4] {
    let mut sum = [0f32; 4];
    for (i, &weight) in taps.weights.iter().enumerate() {
        let pixel = pixel(taps.first + i);
        for (sum, value) in sum.iter_mut().zip(pixel) {
            *sum += value * weight;
        }
    }
    sum
}

fn linear(pixel: &[u8]) -> [f32; 4] {
    let alpha = f32::from(pixel[3]) / 255.0;
    let light = |c: u8| LIGHT.of_byte[usize::from(c)] * alpha;
    [light(pixel[0]), light(pixel[1]), light(pixel[2]), alpha]
}

fn back([r, g, b, a]: [f32; 4], cover: f32) -> [u8; 4] {
    if a <= 0.0 {
        return [0; 4];
    }
    let byte = |light: f32| LIGHT.byte_of(light / a);
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "held to 0..=255")]
    let alpha = ((a * cover).clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
    if alpha == 0 { [0; 4] } else { [byte(r), byte(g), byte(b), alpha] }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::tests::pictures;
    use proptest::prelude::*;

    fn scale(factor: &str, resample: Resample) -> Scale {
        Scale { factor: factor.parse().unwrap(), resample }
    }

    #[test]
    fn factors_are_read_exactly() {
        let of = |text: &str| text.parse::<Factor>().map(|f| (f.num, f.den));
        assert_eq!((of("0.5"), of("2"), of("1.50"), of("0.1")), (Ok((1, 2)), Ok((2, 1)), Ok((3, 2)), Ok((1, 10))));
        assert!(
            ["", ".5", "0", "-1", "65", "0.01", "1e2", "nan", "0.0000001", "1.5x", "1x.5", "1.+5", "1.2.3"]
                .iter()
                .all(|t| of(t).is_err())
        );
        assert_eq!("0.1".parse::<Factor>().unwrap().of(30), 3, "0.1 as a float would give 4");
    }

    #[test]
    fn a_checkerboard_becomes_half_the_light_and_not_half_the_number() {
        let mut data = Vec::new();
        (0..64u32).for_each(|i| data.extend_from_slice(&[if (i + i / 8) % 2 == 0 { 0 } else { 255 }, 0, 0, 255]));
        let board = Pixels::from_rgba(Size::new(8, 8), data).unwrap();
        let half = resample(&board, scale("0.5", Resample::Smooth));
        let [r, _, _, a] = half.get(2, 2).unwrap();
        assert!((186..=190).contains(&r) && a == 255, "half of the light is 188 as a byte, not 128: {r}");
    }

    #[test]
    fn the_colour_of_what_cannot_be_seen_does_not_bleed_in() {
        let pixels = [[200, 100, 50, 255], [0, 255, 0, 0]].concat().repeat(8);
        let picture = Pixels::from_rgba(Size::new(4, 4), pixels).unwrap();
        let half = resample(&picture, scale("0.5", Resample::Smooth));
        for pixel in half.as_bytes().chunks(4).filter(|p| p[3] > 0) {
            assert_eq!(pixel[..3], [200, 100, 50]);
        }
    }

    proptest! {
        /// A mirrored picture scales to the mirrored result; if it were shifted by a fraction of a pixel, it would not.
        #[test]
        fn nothing_is_shifted(picture in pictures(), factor in "0\\.(25|5|75)|[2-3]|1\\.5") {
            let mirrored = |of: &Pixels| {
                let rows = (0..of.size().h).flat_map(|y| of.row(y).chunks_exact(PIXEL).rev().flatten().copied().collect::<Vec<u8>>());
                Pixels::from_rgba(of.size(), rows.collect()).unwrap()
            };
            let scale = scale(&factor, Resample::Smooth);
            // If the canvas was rounded up, the picture does not reach both edges.
            if u64::from(picture.size().w) * u64::from(scale.factor.num) % u64::from(scale.factor.den) != 0 {
                return Ok(());
            }
            let (one, other) = (resample(&mirrored(&picture), scale), mirrored(&resample(&picture, scale)));
            for (a, b) in one.as_bytes().chunks_exact(PIXEL).zip(other.as_bytes().chunks_exact(PIXEL)) {
                // Sums in another order are rounded differently; the colour of nearly clear pixels is hardly defined.
                let near = a.iter().zip(b).all(|(a, b)| a.abs_diff(*b) <= 1);
                prop_assert!(near || (a[3] < 16 && a[3].abs_diff(b[3]) <= 1), "{:?} {:?}", a, b);
            }
        }

        #[test]
        fn whole_factors_of_pixel_art_are_exact_and_come_back(picture in pictures(), factor in 2u32..5) {
            let large = resample(&picture, scale(&factor.to_string(), Resample::Pixel));
            for y in 0..large.size().h {
                for x in 0..large.size().w {
                    prop_assert_eq!(large.get(x, y), picture.get(x / factor, y / factor));
                }
            }
            if factor == 2 || factor == 4 {
                let back = if factor == 2 { "0.5" } else { "0.25" };
                prop_assert_eq!(resample(&large, scale(back, Resample::Pixel)), picture);
            }
        }

        #[test]
        fn one_colour_stays_that_colour(w in 1u32..12, h in 1u32..12, colour: [u8; 3], factor in "0\\.[1-9]{1,2}|[1-3]") {
            let picture = Pixels::from_rgba(
                Size::new(w, h), [colour[0], colour[1], colour[2], 255].repeat((w * h) as usize)).unwrap();
            let scaled = resample(&picture, scale(&factor, Resample::Smooth));
            prop_assert_eq!(scaled.size(), scale(&factor, Resample::Smooth).factor.of_size(picture.size()));
            for pixel in scaled.as_bytes().chunks(4) {
                prop_assert!(pixel[3] == 0 || pixel[..3] == colour);
            }
            prop_assert_eq!(scaled.get(0, 0).map(|p| p[3] > 0), Some(true));
        }
    }
}
