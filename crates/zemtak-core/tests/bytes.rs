//! The same pixels come to the same bytes, on every processor and with every version of the libraries.
//!
//! `.ci/run` runs this a second time on an emulated processor without the instructions that the deflate libraries look for.
//! Where a sum changes on purpose, `PNG_VERSION` must change with it: what earlier builds wrote is not taken over then.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use zemtak_core::codec::{PNG_VERSION, PngEffort, encode_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// Flat areas, gradients, repetition and noise in turn.
fn picture() -> Pixels {
    let size = Size::new(517, 300);
    let mut state = 5u64;
    let pixel = |i: u32| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        let (x, y, noise) = (i % size.w, i / size.w, (state >> 40) as u8);
        match (x / 64 + y / 50) % 4 {
            0 => [40, 80, 120, 255],
            1 => [x as u8, y as u8, (x + y) as u8, 255],
            2 => [(x % 7 * 30) as u8, (y % 5 * 40) as u8, 9, (x % 3 * 127) as u8],
            _ => [noise, noise / 2, x as u8, noise],
        }
    };
    Pixels::from_rgba(size, (0..size.w * size.h).flat_map(pixel).collect()).unwrap()
}

/// FNV-1a (G. Fowler, L. Noll, K. Vo, 1991).
fn sum(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, |sum, &b| (sum ^ u64::from(b)).wrapping_mul(0x100_0000_01b3))
}

#[test]
fn pages_come_to_the_same_bytes_everywhere() {
    let picture = picture();
    let sums = [PngEffort::Fast, PngEffort::Balanced, PngEffort::Small].map(|effort| {
        let file = encode_png(&picture, effort).unwrap();
        (file.len(), sum(&file))
    });
    assert_eq!(
        (PNG_VERSION, sums),
        (
            2,
            [
                (218_233, 6_799_155_022_009_524_561),
                (95_692, 8_337_796_050_122_029_747),
                (89_863, 13_222_229_833_431_794_293)
            ]
        )
    );
}
