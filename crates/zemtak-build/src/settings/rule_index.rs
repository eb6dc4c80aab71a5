//! Which of many globs may match a name, without trying each.

use super::Pattern;
use std::collections::HashMap;

/// Globs by what they begin or end with. One with neither is tried for every name.
#[derive(Debug, Clone, Default)]
pub(super) struct RuleIndex {
    by_start: ByText,
    by_end: ByText,
    others: Vec<usize>,
}

/// Numbers by a text, and the lengths of these texts.
#[derive(Debug, Clone, Default)]
struct ByText {
    numbers: HashMap<Box<str>, Vec<usize>>,
    lengths: Vec<usize>,
}

impl ByText {
    fn add(&mut self, text: &str, number: usize) {
        self.numbers.entry(text.into()).or_default().push(number);
        if let Err(at) = self.lengths.binary_search(&text.len()) {
            self.lengths.insert(at, text.len());
        }
    }

    /// The numbers for those texts that `part` returns for a length.
    fn find<'n>(&self, part: impl Fn(usize) -> Option<&'n str>, found: &mut Vec<usize>) {
        let texts = self.lengths.iter().filter_map(|length| part(*length));
        texts.filter_map(|text| self.numbers.get(text)).for_each(|numbers| found.extend_from_slice(numbers));
    }
}

impl RuleIndex {
    /// Globs by their numbers, ascending.
    pub fn new<'p>(globs: impl Iterator<Item = (usize, &'p Pattern)>) -> Self {
        let mut index = Self::default();
        for (number, glob) in globs {
            match (glob.start(), glob.end()) {
                ("", "") => index.others.push(number),
                ("", end) => index.by_end.add(end, number),
                (start, _) => index.by_start.add(start, number),
            }
        }
        index
    }

    /// The numbers of all globs that may match a name, ascending.
    pub fn candidates(&self, name: &str) -> Vec<usize> {
        let mut found = self.others.clone();
        self.by_start.find(|length| name.get(..length), &mut found);
        self.by_end.find(|length| name.get(name.len().checked_sub(length)?..), &mut found);
        found.sort_unstable();
        found
    }
}
