//! Sets of small numbers.

/// A set of numbers below a limit, a bit each.
pub(super) struct Bits(Vec<u64>);

impl Bits {
    pub(super) fn new(below: usize) -> Self {
        Self(vec![0; below.div_ceil(64)])
    }

    pub(super) fn set(&mut self, number: usize) {
        self.insert(number);
    }

    /// Adds a number, if it is below the limit; `true` if it was not there.
    pub(super) fn insert(&mut self, number: usize) -> bool {
        let Some(word) = self.0.get_mut(number / 64) else {
            return false;
        };
        let before = *word;
        *word |= 1 << (number % 64);
        before != *word
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

    pub(super) fn bytes(&self) -> usize {
        size_of_val(&*self.0)
    }

    pub(super) fn count(&self) -> usize {
        self.0.iter().map(|word| word.count_ones() as usize).sum()
    }
}
