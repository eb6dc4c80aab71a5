//! Points at another size, without binary fractions showing: 16 pixels at nine tenths are 14.4, and are written so.

use zemtak_core::resample::Factor;

/// A decimal number times a length times a factor, as the shortest decimal that reads back as the 32-bit float nearest
/// to the product.
///
/// The product of the numbers as they were written; one with more than 38 digits is computed with 64-bit floats.
#[must_use]
pub fn product(number: f64, length: u32, factor: Option<Factor>) -> f64 {
    let [num, den] = factor.map_or([1, 1], Factor::ratio);
    let exact = ratio(number).and_then(|(above, below)| {
        let above = above.checked_mul(length.into())?.checked_mul(num.into())?;
        Some(quotient(above, below.checked_mul(den.into())?))
    });
    #[expect(clippy::cast_possible_truncation, reason = "the nearest is what is wanted")]
    let single = exact.unwrap_or_else(|| number * f64::from(length) * f64::from(num) / f64::from(den)) as f32;
    single.to_string().parse().unwrap_or_else(|_| single.into())
}

/// A number as written in decimal, as a ratio.
fn ratio(number: f64) -> Option<(i128, i128)> {
    let text = number.to_string();
    let (whole, part) = text.split_once('.').unwrap_or((&text, ""));
    let below = 10_i128.checked_pow(u32::try_from(part.len()).ok()?)?;
    Some((format!("{whole}{part}").parse().ok()?, below))
}

#[expect(clippy::cast_precision_loss, reason = "far more places than the result keeps")]
fn quotient(above: i128, below: i128) -> f64 {
    above as f64 / below as f64
}

/// Whole pixels at a factor, rounded to the nearest.
#[must_use]
pub fn rounded(length: u32, factor: Option<Factor>) -> u32 {
    let [num, den] = factor.map_or([1, 1], Factor::ratio).map(u64::from);
    u32::try_from((u64::from(length) * num * 2 + den) / (den * 2)).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn factor(text: &str) -> Option<Factor> {
        Some(text.parse().unwrap())
    }

    /// A descriptor once had `14.399999999999999` for 16 pixels at nine tenths.
    #[test]
    fn points_are_what_a_person_would_work_out() {
        for (number, length, by, expected) in [
            (16.0, 1, "0.9", "14.4"),
            (31.5, 1, "0.3", "9.45"),
            (0.9, 11, "1", "9.9"),
            (0.1, 3, "0.7", "0.21"),
            (-0.7, 10, "0.1", "-0.7"),
            (1.1, 1, "1.1", "1.21"),
            (0.3, 1_000_000, "0.015625", "4687.5"),
            (1e30, 1, "0.5", "500000000000000000000000000000"),
            (0.0, 7, "64", "0"),
        ] {
            assert_eq!(product(number, length, factor(by)).to_string(), expected, "{number} {length} {by}");
        }
        // A third never ends, and has no more places than a 32-bit float.
        assert_eq!(product(1.0 / 3.0, 1, None).to_string(), "0.33333334");
        let halves = [("0.5", 3, 2), ("0.5", 2, 1), ("1.5", 3, 5), ("0.4", 4, 2), ("0.3", 5, 2), ("64", 3, 192)];
        for (by, length, expected) in halves {
            assert_eq!(rounded(length, factor(by)), expected, "{length} {by}");
        }
    }
}
