//! PNG's row filters for 8-bit RGBA, and the choice among them (PNG specification, third edition, section 9).

use crate::pixels::PIXEL;

/// The five filters, in the order of their type bytes.
const FILTERS: [u8; 5] = [0, 1, 2, 3, 4];

/// Filters rows of `stride` bytes into a new buffer, each led by its type byte.
///
/// `above` is the row before the first one, of `stride` bytes: zeros at the top of a picture. For every row the filter with the least
/// sum of absolute differences is taken, which is the heuristic that the specification recommends; ties go to the
/// lower type.
pub(super) fn filter_rows(rows: &[u8], stride: usize, above: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(rows.len() + rows.len() / stride.max(1));
    let mut candidate = vec![0; stride];
    let mut best = vec![0; stride];
    let mut above = above;
    for row in rows.chunks_exact(stride) {
        let mut chosen = (u64::MAX, 0);
        for kind in FILTERS {
            apply(kind, row, above, &mut candidate);
            let cost = weigh(&candidate);
            if cost < chosen.0 {
                chosen = (cost, kind);
                std::mem::swap(&mut best, &mut candidate);
            }
            if cost == 0 {
                break;
            }
        }
        out.push(chosen.1);
        out.extend_from_slice(&best);
        above = row;
    }
    out
}

/// The sum of the bytes taken as signed distances from 0.
fn weigh(filtered: &[u8]) -> u64 {
    // Blocks of 64 KiB / 128 keep the partial sums in 32 bits and the loop simple enough to run on vectors.
    filtered
        .chunks(512)
        .map(|block| u64::from(block.iter().map(|&b| u32::from(b.min(b.wrapping_neg()))).sum::<u32>()))
        .sum()
}

fn apply(kind: u8, row: &[u8], above: &[u8], out: &mut [u8]) {
    match kind {
        1 => {
            out[..PIXEL].copy_from_slice(&row[..PIXEL]);
            each(&mut out[PIXEL..], &row[PIXEL..], row, u8::wrapping_sub);
        }
        2 => each(out, row, above, u8::wrapping_sub),
        3 => {
            each(&mut out[..PIXEL], row, above, |x, up| x.wrapping_sub(up >> 1));
            let mean = |left: u8, up: u8| (left & up) + ((left ^ up) >> 1);
            for (((o, &x), &left), &up) in out[PIXEL..].iter_mut().zip(&row[PIXEL..]).zip(row).zip(&above[PIXEL..]) {
                *o = x.wrapping_sub(mean(left, up));
            }
        }
        4 => {
            each(&mut out[..PIXEL], row, above, u8::wrapping_sub);
            let inner = out[PIXEL..].iter_mut().zip(&row[PIXEL..]).zip(row);
            for (((o, &x), &left), (&up, &corner)) in inner.zip(above[PIXEL..].iter().zip(above)) {
                *o = x.wrapping_sub(paeth(left, up, corner));
            }
        }
        _ => out.copy_from_slice(row),
    }
}

fn each(out: &mut [u8], row: &[u8], other: &[u8], difference: impl Fn(u8, u8) -> u8) {
    for ((o, &x), &y) in out.iter_mut().zip(row).zip(other) {
        *o = difference(x, y);
    }
}

/// The neighbour nearest to `left + up - corner` (A. Paeth, 1991); ties go to left, then up.
fn paeth(left: u8, up: u8, corner: u8) -> u8 {
    let (a, b, c) = (i16::from(left), i16::from(up), i16::from(corner));
    let (pa, pb, pc) = ((b - c).abs(), (a - c).abs(), (a + b - 2 * c).abs());
    if pa <= pb && pa <= pc {
        left
    } else if pb <= pc {
        up
    } else {
        corner
    }
}
