//! PNG's row filters for 8-bit RGBA (PNG specification, third edition, section 9), and the choice among them.

use crate::pixels::PIXEL;

/// How the filter of each row is chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Strategy {
    /// Rows as they are: best where colours repeat exactly, as in pixel art.
    Plain,
    /// The difference to the pixel on the left.
    Left,
    /// The difference to the pixel above: best where rows repeat.
    Above,
    /// The difference to the nearest of three neighbours: best for smooth gradients.
    Nearest,
}

impl Strategy {
    /// All, in the order in which ties are decided.
    pub(super) const ALL: [Self; 4] = [Self::Plain, Self::Above, Self::Nearest, Self::Left];

    const fn type_byte(self) -> u8 {
        match self {
            Self::Plain => 0,
            Self::Left => 1,
            Self::Above => 2,
            Self::Nearest => 4,
        }
    }
}

/// Appends rows of `stride` bytes to `out`, filtered, each led by its type byte.
///
/// `above` is the row before the first one, of `stride` bytes: zeros at the top of a picture.
pub(super) fn filter_rows(strategy: Strategy, rows: &[u8], stride: usize, above: &[u8], out: &mut Vec<u8>) {
    let mut above = above;
    for row in rows.chunks_exact(stride) {
        out.push(strategy.type_byte());
        match strategy {
            Strategy::Plain => out.extend_from_slice(row),
            Strategy::Left => {
                out.extend_from_slice(&row[..PIXEL]);
                out.extend(row[PIXEL..].iter().zip(row).map(|(x, left)| x.wrapping_sub(*left)));
            }
            Strategy::Above => out.extend(row.iter().zip(above).map(|(x, up)| x.wrapping_sub(*up))),
            Strategy::Nearest => {
                out.extend(row[..PIXEL].iter().zip(above).map(|(x, up)| x.wrapping_sub(*up)));
                let neighbours = row.iter().zip(&above[PIXEL..]).zip(above);
                let inner = row[PIXEL..].iter().zip(neighbours);
                out.extend(inner.map(|(x, ((left, up), corner))| x.wrapping_sub(nearest(*left, *up, *corner))));
            }
        }
        above = row;
    }
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
