//! Mip levels: a texture at half its size again and again, how a graphics card samples them, and how far a sprite can
//! be seen without its neighbours.

mod footprint;
mod measure;
mod sample;

pub use footprint::{own_cell, safe_level, texels};
pub use measure::{LevelMeasure, Look, Measured, measure};
pub use sample::{Between, Sampling, sample};

use crate::atlas::{Alpha, Colour};
use crate::geometry::{Rect, Size};
use crate::light::{WHOLE, WholeLight};
use crate::par;
use crate::pixels::{PIXEL, Pixels, premultiplied, straight};

/// Changes whenever the same picture yields other levels.
pub const MIPS_VERSION: u32 = 1;

/// Which values are averaged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Light {
    /// Linear light: sRGB values are made linear first, as a graphics card does for a texture marked as sRGB.
    #[default]
    Linear,
    /// The values as they are: for textures that are drawn as if their values were linear.
    Plain,
    /// Each of the four channels on its own, whatever alpha is: for data such as normals.
    Data,
}

/// How many levels a texture of this size can have, including the full size.
#[must_use]
pub fn most_levels(size: Size) -> u32 {
    size.w.max(size.h).max(1).ilog2() + 1
}

impl Light {
    /// The meaningful way to average: pictures as light, data as it is.
    #[must_use]
    pub fn of(colour: Colour) -> Self {
        if colour == Colour::Linear { Self::Data } else { Self::Linear }
    }
}

/// The size of a level: each side of the previous one halved and rounded down, at least 1.
#[must_use]
pub fn level_size(size: Size, level: u32) -> Size {
    let side = |side: u32| side.checked_shr(level).unwrap_or(0).max(1);
    Size::new(side(size.w), side(size.h))
}

/// The levels below the full size, the largest first.
///
/// Each pixel is the mean of those that it covers, weighted by their alpha, so that colour under transparent pixels
/// never shows. If a side is odd, a pixel covers parts of its neighbours, so nothing is shifted or lost.
#[must_use]
pub fn smaller_levels(pixels: &Pixels, count: u32, alpha: Alpha, light: Light) -> Vec<Pixels> {
    let mut levels: Vec<Pixels> = Vec::new();
    for _ in 0..count.min(most_levels(pixels.size()) - 1) {
        let next = half(levels.last().unwrap_or(pixels), alpha, light);
        levels.extend(next);
    }
    levels
}

/// The next level of a texture; `None` if memory cannot address it.
#[must_use]
pub fn half(pixels: &Pixels, alpha: Alpha, light: Light) -> Option<Pixels> {
    let size = level_size(pixels.size(), 1);
    half_of_part(pixels, [0, 0], pixels.size(), Rect::at(0, 0, size), alpha, light)
}

/// A part of the next level of a texture, given only a part of the texture, from a corner on. That part must hold all
/// pixels that the wanted ones cover.
pub(crate) fn half_of_part(
    part: &Pixels,
    corner: [u32; 2],
    whole: Size,
    wanted: Rect,
    alpha: Alpha,
    light: Light,
) -> Option<Pixels> {
    let columns = covers(whole.w, wanted.x..wanted.x + wanted.w, corner[0]);
    let rows = covers(whole.h, wanted.y..wanted.y + wanted.h, corner[1]);
    match light {
        Light::Linear => means(part, &columns, &rows, wanted.size(), &Mean { weigh: Some(alpha), numbers: &*WHOLE }),
        Light::Plain => means(part, &columns, &rows, wanted.size(), &Mean { weigh: Some(alpha), numbers: &AsTheyAre }),
        Light::Data => means(part, &columns, &rows, wanted.size(), &Mean { weigh: None, numbers: &AsTheyAre }),
    }
}

/// A pixel for each column and row that covers some of a picture.
fn means<N: Numbers>(
    part: &Pixels,
    columns: &[Cover],
    rows: &[Cover],
    size: Size,
    mean: &Mean<'_, N>,
) -> Option<Pixels> {
    let plain = columns.iter().chain(rows).all(Cover::is_pair);
    let mut out = Pixels::transparent(size)?;
    let stride = size.w as usize * PIXEL;
    par::each_chunk(out.as_bytes_mut(), stride, |y, line| {
        let down = &rows[y];
        if plain {
            let [above, below] =
                [down.first, down.first + 1].map(|row| &part.row(row)[columns[0].first as usize * PIXEL..]);
            let pairs = above.as_chunks::<8>().0.iter().zip(below.as_chunks::<8>().0);
            for (pixel, (above, below)) in line.chunks_exact_mut(PIXEL).zip(pairs) {
                pixel.copy_from_slice(&mean.of_four(above, below));
            }
            return;
        }
        for (pixel, across) in line.chunks_exact_mut(PIXEL).zip(columns) {
            let covered = down.weights().flat_map(|(row, tall)| {
                across.weights().map(move |(column, wide)| (part.get(column, row).unwrap_or_default(), tall * wide))
            });
            pixel.copy_from_slice(&mean.of(covered));
        }
    });
    Some(out)
}

/// The pixels of a side that one pixel of half of it covers, and by how much: in fractions of a pixel, of which there
/// are as many as the half has pixels.
#[derive(Debug, Clone, Copy)]
struct Cover {
    first: u32,
    count: u32,
    /// How much of the first and the last is covered; those between them are covered entirely.
    ends: [u64; 2],
    whole: u64,
}

impl Cover {
    /// The pixels that one pixel covers: it reaches from `n * side / half` to `(n + 1) * side / half`.
    fn of(side: u32, n: u32) -> Self {
        let (side, half) = (u64::from(side), u64::from((side / 2).max(1)));
        let (from, to) = (u64::from(n) * side, (u64::from(n) + 1) * side);
        let (first, last) = (from / half, (to - 1) / half);
        let ends = if first == last { [to - from, 0] } else { [(first + 1) * half - from, to - last * half] };
        let narrow = |n: u64| u32::try_from(n).unwrap_or(u32::MAX);
        Self { first: narrow(first), count: narrow(last - first + 1), ends, whole: half }
    }

    fn is_pair(&self) -> bool {
        self.count == 2 && self.ends == [self.whole; 2]
    }

    fn last(&self) -> u32 {
        self.first + self.count - 1
    }

    fn weights(self) -> impl Iterator<Item = (u32, u64)> + Clone {
        let weight = move |i: u32| match i {
            0 => self.ends[0],
            i if i + 1 == self.count => self.ends[1],
            _ => self.whole,
        };
        (0..self.count).map(move |i| (self.first + i, weight(i)))
    }
}

fn covers(side: u32, wanted: std::ops::Range<u32>, corner: u32) -> Vec<Cover> {
    let one = |n: u32| {
        let cover = Cover::of(side, n);
        Cover { first: cover.first - corner, ..cover }
    };
    wanted.map(one).collect()
}

/// How bytes are averaged.
trait Numbers: Sync {
    fn of_byte(&self, byte: u8) -> u32;
    fn byte_of(&self, number: u32) -> u8;
}

impl Numbers for WholeLight {
    fn of_byte(&self, byte: u8) -> u32 {
        u32::from(self.of_byte[usize::from(byte)])
    }

    fn byte_of(&self, number: u32) -> u8 {
        self.byte_of(u16::try_from(number).unwrap_or(u16::MAX))
    }
}

struct AsTheyAre;

impl Numbers for AsTheyAre {
    fn of_byte(&self, byte: u8) -> u32 {
        u32::from(byte)
    }

    fn byte_of(&self, number: u32) -> u8 {
        u8::try_from(number).unwrap_or(u8::MAX)
    }
}

/// How several pixels become one.
struct Mean<'n, N> {
    /// Which meaning of alpha it is weighted by; `None` for data.
    weigh: Option<Alpha>,
    numbers: &'n N,
}

impl<N: Numbers> Mean<'_, N> {
    /// The mean of four pixels of equal weight: most are all opaque or all transparent.
    #[inline]
    fn of_four(&self, above: &[u8; 8], below: &[u8; 8]) -> [u8; 4] {
        if above[3] & above[7] & below[3] & below[7] == u8::MAX {
            let light = |byte: u8| self.numbers.of_byte(byte);
            let sum = |k: usize| light(above[k]) + light(above[k + 4]) + light(below[k]) + light(below[k + 4]);
            let mean = |k: usize| self.numbers.byte_of((sum(k) + 2) / 4);
            return [mean(0), mean(1), mean(2), u8::MAX];
        }
        if u64::from_ne_bytes(*above) | u64::from_ne_bytes(*below) == 0 {
            return [0; 4];
        }
        let four = [(above, 0), (above, 4), (below, 0), (below, 4)];
        self.of(four.into_iter().map(|(row, at)| ([row[at], row[at + 1], row[at + 2], row[at + 3]], 1)))
    }

    /// The mean of any pixels with their weights.
    fn of(&self, pixels: impl Iterator<Item = ([u8; 4], u64)> + Clone) -> [u8; 4] {
        let Some(weigh) = self.weigh else { return of_data(pixels) };
        let (mut weight, mut alpha, mut sums) = (0, 0, [0u64; 3]);
        for (pixel, share) in pixels.clone() {
            let pixel = if weigh == Alpha::Premultiplied { straight(pixel) } else { pixel };
            let opaque = share * u64::from(pixel[3]);
            weight += share;
            alpha += opaque;
            for (sum, colour) in sums.iter_mut().zip(pixel) {
                *sum += opaque * u64::from(self.numbers.of_byte(colour));
            }
        }
        let rounded = |sum: u64, by: u64| (sum + by / 2) / by.max(1);
        let mean = u8::try_from(rounded(alpha, weight)).unwrap_or(u8::MAX);
        if alpha == 0 {
            return if weigh == Alpha::Straight { hidden(pixels) } else { [0; 4] };
        }
        let [r, g, b] = sums.map(|sum| self.numbers.byte_of(u32::try_from(rounded(sum, alpha)).unwrap_or(u32::MAX)));
        match weigh {
            Alpha::Premultiplied => premultiplied([r, g, b, mean]),
            Alpha::Straight => [r, g, b, mean],
        }
    }
}

/// The mean of each of the four channels.
fn of_data(pixels: impl Iterator<Item = ([u8; 4], u64)>) -> [u8; 4] {
    let (mut weight, mut sums) = (0, [0u64; 4]);
    for (pixel, share) in pixels {
        weight += share;
        sums.iter_mut().zip(pixel).for_each(|(sum, number)| *sum += share * u64::from(number));
    }
    sums.map(|sum| u8::try_from((sum + weight / 2) / weight.max(1)).unwrap_or(u8::MAX))
}

/// The colour under pixels that are all transparent: of those that have one, such as a fringe.
fn hidden(pixels: impl Iterator<Item = ([u8; 4], u64)>) -> [u8; 4] {
    let (mut count, mut sums) = (0u32, [0u32; 3]);
    for (pixel, _) in pixels.filter(|(pixel, _)| pixel[..3] != [0; 3]) {
        count += 1;
        sums.iter_mut().zip(pixel).for_each(|(sum, colour)| *sum += u32::from(colour));
    }
    let [r, g, b] = sums.map(|sum| u8::try_from((sum + count / 2) / count.max(1)).unwrap_or(u8::MAX));
    [r, g, b, 0]
}

#[cfg(test)]
mod tests;
