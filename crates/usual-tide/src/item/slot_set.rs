//! Which slots are in a set, quick to go through when few of many are.

use crate::order::Slot;

/// A set of slots, one bit for each, and one for each word of bits that is not empty.
#[derive(Default, Debug)]
pub(crate) struct SlotSet {
    words: Vec<u64>,
    /// The words in which something is.
    filled: Vec<u64>,
    len: usize,
}

impl SlotSet {
    /// An empty set with room for slots below a number.
    pub(crate) fn below(slots: usize) -> Self {
        let words = slots.div_ceil(64);
        Self {
            words: vec![0; words],
            filled: vec![0; words.div_ceil(64)],
            len: 0,
        }
    }

    /// Adds a slot. O(1), amortised where the set has to grow.
    pub(crate) fn insert(&mut self, slot: Slot) {
        let (word, bit) = (slot.index() / 64, slot.index() % 64);
        if word >= self.words.len() {
            self.words.resize(word + 1, 0);
            self.filled.resize(word / 64 + 1, 0);
        }
        let before = self.words[word];
        self.words[word] |= 1 << bit;
        self.filled[word / 64] |= 1 << (word % 64);
        self.len += usize::from(before != self.words[word]);
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The slots, ascending. O(k + n / 4096) for k of n.
    pub(crate) fn iter(&self) -> impl Iterator<Item = Slot> + use<'_> {
        let words = ones(&self.filled);
        let numbers = words.flat_map(|word| {
            let bits = ones(&self.words[word..=word]);
            bits.map(move |bit| word * 64 + bit)
        });
        numbers.filter_map(Slot::new)
    }

    /// Takes all out. O(k + n / 4096).
    pub(crate) fn clear(&mut self) {
        for word in ones(&self.filled) {
            self.words[word] = 0;
        }
        self.filled.fill(0);
        self.len = 0;
    }
}

/// The numbers of the bits that are set.
fn ones(words: &[u64]) -> impl Iterator<Item = usize> + use<'_> {
    let (mut at, mut rest) = (0, words.first().copied().unwrap_or(0));
    std::iter::from_fn(move || {
        while rest == 0 {
            at += 1;
            rest = *words.get(at)?;
        }
        let bit = rest.trailing_zeros() as usize;
        rest &= rest - 1;
        Some(at * 64 + bit)
    })
}

#[cfg(test)]
mod tests {
    use super::SlotSet;
    use crate::order::Slot;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    proptest! {
        #[test]
        fn a_set_holds_each_slot_once_and_in_order(
            rounds in prop::collection::vec(prop::collection::vec(0..20_000_usize, 0..40), 1..4),
            room in 0..20_000_usize,
        ) {
            let mut set = SlotSet::below(room);
            for numbers in rounds {
                let mut model = BTreeSet::new();
                for number in numbers {
                    set.insert(Slot::new(number).unwrap());
                    model.insert(number);
                    prop_assert!(!set.is_empty());
                }
                prop_assert!(set.iter().map(Slot::index).eq(model));
                set.clear();
                prop_assert!(set.is_empty() && set.iter().next().is_none());
            }
        }
    }
}
