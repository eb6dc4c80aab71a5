//! What is odd about numbered names.

use super::finding::{FindingItem, FindingKind, Findings};
use super::image::ScannedSprite;
use crate::format;
use std::collections::{BTreeMap, BTreeSet};
use zemtak_core::clip;
use zemtak_core::geometry::Size;
use zemtak_core::name::{SpriteName, split_number};

/// Assigns each sprite to its sequence, and reports what is odd about sequences.
pub(super) fn find(sprites: &mut [ScannedSprite], findings: &mut Findings) {
    let names: BTreeSet<SpriteName> = sprites.iter().map(|sprite| sprite.name.clone()).collect();
    let found = clip::find(&names, "", &BTreeMap::new());
    let mut sequence_of: BTreeMap<SpriteName, String> = BTreeMap::new();
    let canvas: BTreeMap<&SpriteName, Size> = sprites.iter().map(|sprite| (&sprite.name, sprite.canvas)).collect();
    for (name, steps) in &found.clips {
        let numbers: Vec<&str> = steps.iter().map(|step| split_number(step.as_str()).1).collect();
        let tell = |detail: String| FindingItem::with(name.as_str(), detail);
        if let Some(detail) = gap(&numbers) {
            findings.add(FindingKind::Gap, tell(detail));
        }
        if let Some(detail) = mixed_digits(&numbers) {
            findings.add(FindingKind::MixedDigits, tell(detail));
        }
        let sizes: BTreeSet<Size> = steps.iter().filter_map(|step| canvas.get(step).copied()).collect();
        if let (Some(first), Some(last)) = (sizes.first(), sizes.last().filter(|_| sizes.len() > 1)) {
            let sizes = format::count(sizes.len(), "size", "sizes");
            findings.add(FindingKind::VaryingCanvas, tell(format!("{sizes}, {first} to {last}")));
        }
        sequence_of.extend(steps.iter().map(|step| (step.clone(), name.to_string())));
    }
    for (name, steps) in &found.same_number {
        let steps: Vec<&str> = steps.iter().map(SpriteName::as_str).collect();
        findings.add(FindingKind::SameNumber, FindingItem::with(name.as_str(), steps.join(", ")));
    }
    for sprite in sprites {
        sprite.sequence = sequence_of.remove(&sprite.name);
    }
}

/// How many numbers are missing, and where the first one is.
fn gap(numbers: &[&str]) -> Option<String> {
    let values: Vec<u64> = numbers.iter().filter_map(|number| number.parse().ok()).collect();
    let gaps = || values.windows(2).filter(|pair| pair[1] > pair[0].saturating_add(1));
    let first = gaps().next()?;
    let missing: u64 = gaps().map(|pair| pair[1] - pair[0] - 1).sum();
    Some(format!("after {} comes {}; {} missing in all", first[0], first[1], format::number(missing)))
}

/// Numbers padded with zeros, beside others of a different length.
fn mixed_digits(numbers: &[&str]) -> Option<String> {
    let padded = numbers.iter().find(|number| number.len() > 1 && number.starts_with('0'))?;
    // Numbers that need more digits than the padding provides may have them.
    let fits =
        |number: &&&str| number.len() == padded.len() || (number.len() > padded.len() && !number.starts_with('0'));
    let other = numbers.iter().find(|number| !fits(number))?;
    Some(format!("{padded} and {other}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_that_grow_out_of_their_zeros_are_not_mixed() {
        assert_eq!(mixed_digits(&["08", "09", "10", "100"]), None);
        assert_eq!(mixed_digits(&["8", "9", "10"]), None);
        assert_eq!(mixed_digits(&["0", "00"]).as_deref(), Some("00 and 0"), "0 itself has no padding");
        assert_eq!(mixed_digits(&["1", "02", "10"]).as_deref(), Some("02 and 1"));
        assert_eq!(mixed_digits(&["1", "0010"]).as_deref(), Some("0010 and 1"));
        assert_eq!(mixed_digits(&["01", "002"]).as_deref(), Some("01 and 002"));
    }

    #[test]
    fn all_gaps_are_counted_and_the_first_is_told() {
        assert_eq!(gap(&["0", "1", "4", "5", "7"]).as_deref(), Some("after 1 comes 4; 3 missing in all"));
        assert_eq!(gap(&["3", "3", "4"]), None);
    }
}
