//! PNG's row filters for 8-bit RGBA (PNG specification, third edition, section 9).

use crate::pixels::PIXEL;

/// A row filter, named after what is subtracted from each byte.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Filter {
    /// Nothing: best where colours repeat exactly, as in pixel art and in frames side by side.
    Plain,
    /// The pixel on the left.
    Left,
    /// The pixel above.
    Above,
    /// The mean of the pixels on the left and above.
    Mean,
    /// The nearest of three neighbours: best for smooth gradients.
    Nearest,
}

impl Filter {
    /// All filters, in the order in which ties are decided.
    pub(super) const ALL: [Self; 5] = [Self::Plain, Self::Nearest, Self::Above, Self::Left, Self::Mean];

    const fn type_byte(self) -> u8 {
        match self {
            Self::Plain => 0,
            Self::Left => 1,
            Self::Above => 2,
            Self::Mean => 3,
            Self::Nearest => 4,
        }
    }

    /// Appends a row to `out`, filtered, after its type byte. If there is no row above, a filter that needs one uses
    /// the pixel on the left instead, so that the row can be read without any other.
    pub(super) fn append(self, row: &[u8], above: Option<&[u8]>, out: &mut Vec<u8>) {
        let (filter, above) = match (self, above) {
            (Self::Plain, _) | (_, Some(_)) => (self, above.unwrap_or_default()),
            (_, None) => (Self::Left, &[][..]),
        };
        out.push(filter.type_byte());
        let (first, rest) = row.split_at(PIXEL.min(row.len()));
        match filter {
            Self::Plain => out.extend_from_slice(row),
            Self::Left => {
                out.extend_from_slice(first);
                out.extend(rest.iter().zip(row).map(|(x, left)| x.wrapping_sub(*left)));
            }
            Self::Above => out.extend(row.iter().zip(above).map(|(x, up)| x.wrapping_sub(*up))),
            Self::Mean => {
                out.extend(first.iter().zip(above).map(|(x, up)| x.wrapping_sub(up / 2)));
                let neighbours = row.iter().zip(&above[PIXEL..]);
                out.extend(rest.iter().zip(neighbours).map(|(x, (left, up))| x.wrapping_sub(mean(*left, *up))));
            }
            Self::Nearest => {
                out.extend(first.iter().zip(above).map(|(x, up)| x.wrapping_sub(*up)));
                let neighbours = row.iter().zip(&above[PIXEL..]).zip(above);
                let inner = rest.iter().zip(neighbours);
                out.extend(inner.map(|(x, ((left, up), corner))| x.wrapping_sub(nearest(*left, *up, *corner))));
            }
        }
    }
}

/// The mean of two bytes, rounded down.
fn mean(left: u8, up: u8) -> u8 {
    left.midpoint(up)
}

/// The neighbour nearest to `left + up - corner` (A. Paeth, 1991); ties go to left, then up.
fn nearest(left: u8, up: u8, corner: u8) -> u8 {
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

/// Appends the row with the filter that leaves the least sum of absolute differences, taking bytes as signed.
pub(super) fn append_least(row: &[u8], above: Option<&[u8]>, out: &mut Vec<u8>) {
    let mut best: Option<(u64, Vec<u8>)> = None;
    for filter in Filter::ALL {
        let mut filtered = Vec::with_capacity(row.len() + 1);
        filter.append(row, above, &mut filtered);
        let sum = filtered[1..].iter().map(|b| u64::from(b.cast_signed().unsigned_abs())).sum();
        if best.as_ref().is_none_or(|(least, _)| sum < *least) {
            best = Some((sum, filtered));
        }
    }
    out.extend(best.map(|(_, filtered)| filtered).unwrap_or_default());
}
