//! Sets of small numbers.

/// A set of numbers below a limit, a bit each.
pub(super) struct Bits(Vec<u64>);

impl Bits {
    pub(super) fn new(below: usize) -> Self {
        Self(vec![0; below.div_ceil(64)])
    }

    pub(super) fn set(&mut self, number: usize) {
        if let Some(word) = self.0.get_mut(number / 64) {
            *word |= 1 << (number % 64);
        }
    }

    pub(super) fn has(&self, number: usize) -> bool {
        self.0
            .get(number / 64)
            .is_some_and(|word| word >> (number % 64) & 1 == 1)
    }

    /// Adds the numbers of another set.
    pub(super) fn join(&mut self, other: &Self) {
        for (word, other) in self.0.iter_mut().zip(&other.0) {
            *word |= other;
        }
    }

    pub(super) fn count(&self) -> usize {
        self.0.iter().map(|word| word.count_ones() as usize).sum()
    }
}
