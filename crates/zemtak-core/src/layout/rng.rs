//! Random numbers that are the same on every machine.

/// A small generator of numbers that are the same everywhere (SplitMix64; G. Steele, D. Lea, C. Flood, 2014).
#[derive(Debug, Clone)]
pub(super) struct Rng(u64);

impl Rng {
    pub(super) const fn new(seed: u64) -> Self {
        Self(seed)
    }

    /// A number from 0 to `n - 1`.
    pub(super) fn below(&mut self, n: u32) -> u32 {
        self.0 = self.0.wrapping_add(1);
        let number = scatter(self.0);
        #[expect(clippy::cast_possible_truncation, reason = "the remainder is below n")]
        let number = (number % u64::from(n.max(1))) as u32;
        number
    }
}

/// A number with no visible relation to `n`, different for each.
pub(super) fn scatter(n: u64) -> u64 {
    let mut z = n.wrapping_mul(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}
