//! How rows whose prefixes tie are put in order.

use super::sort::{Level, RANK_BITS};
use std::cmp::Ordering;
use std::sync::Arc;

/// How rows that tie so far are put in order: by the levels that are left, the first of them some bytes at a time.
pub(crate) struct Refinement<'a, T> {
    levels: &'a [Level<T>],
    /// What the rows have in common of the first level's key. `None` where nothing is known of it yet, not even its rank.
    tied: Option<Tied>,
}

/// What rows have in common of a key that is text.
#[derive(Clone, Copy)]
enum Tied {
    /// So many first bits of its prefix.
    Bits(u32),
    /// So many first bytes.
    Bytes(usize),
}

impl<'a, T> Refinement<'a, T> {
    /// For rows that tie in so many bits of the first level's prefix.
    pub(super) fn within_prefix(levels: &'a [Level<T>], bits: u32) -> Option<Self> {
        let tied = levels.first()?.tied_in(bits);
        Some(Self { levels, tied })
    }

    /// For rows of which nothing is known.
    pub(super) fn of(levels: &'a [Level<T>]) -> Option<Self> {
        let tied = None;
        (!levels.is_empty()).then_some(Self { levels, tied })
    }

    /// For rows that tie as said, of which one is this item's: by what it tells of them.
    pub(crate) fn of_item(&self, item: Option<&Arc<T>>) -> Self {
        let tied = self.levels.first().zip(self.tied).map(|(level, tied)| {
            let bytes = item.map_or(0, |item| level.bytes_in_common(item, tied));
            Tied::Bytes(bytes)
        });
        Self { tied, ..*self }
    }

    /// First bytes of the first level's key that the rows are known to have in common; `None` where nothing is known of it.
    pub(crate) fn known_bytes(&self) -> Option<usize> {
        self.tied.map(|tied| match tied {
            Tied::Bits(_) => 0,
            Tied::Bytes(bytes) => bytes,
        })
    }

    /// The next eight bytes to compare rows by, in the level's direction; `None` for keys that are not text.
    pub(crate) fn next_bytes(&self, item: &T) -> Option<u64> {
        let level = self.levels.first()?;
        let bytes = match self.tied {
            None => return Some(level.prefix(item)),
            Some(Tied::Bits(bits)) => level.key.bytes_past_prefix(item, bits),
            Some(Tied::Bytes(bytes)) => level.key.prefix_from(item, bytes),
        };
        Some(level.directed(bytes?))
    }

    /// For rows that tie in [`next_bytes`](Self::next_bytes) as well, one of which is this item's.
    pub(crate) fn after_bytes(&self, item: Option<&Arc<T>>) -> Self {
        let level = self.levels.first();
        let tied = match self.of_item(item).tied {
            Some(Tied::Bytes(bytes)) => Some(Tied::Bytes(bytes.saturating_add(8))),
            _ => level.and_then(|level| level.tied_in(u64::BITS)),
        };
        Self { tied, ..*self }
    }

    /// Whether two items tie in the first of the levels.
    pub(crate) fn ties(&self, one: &T, two: &T) -> bool {
        let level = self.levels.first();
        level.is_none_or(|level| level.compare(one, two).is_eq())
    }

    /// For rows that tie in the first of the levels: by those after it.
    pub(crate) fn next_level(&self) -> Option<Self> {
        Self::of(self.levels.get(1..)?)
    }

    /// Compares two items by all levels that are left.
    pub(crate) fn compare(&self, one: &T, two: &T) -> Ordering {
        compare_by(self.levels, one, two)
    }
}

impl<T> Level<T> {
    /// What items have in common that tie in so many bits of the level's prefix; `None` where the rank has no room in them.
    fn tied_in(&self, bits: u32) -> Option<Tied> {
        let rank = if self.key.ranked() { RANK_BITS } else { 0 };
        bits.checked_sub(rank).map(Tied::Bits)
    }

    /// How many first bytes of the key an item has in common with those that it ties with.
    fn bytes_in_common(&self, item: &T, tied: Tied) -> usize {
        match tied {
            Tied::Bits(bits) => self.key.bytes_in_prefix(item, bits),
            Tied::Bytes(bytes) => bytes,
        }
    }
}

/// The order of two items by some levels.
pub(super) fn compare_by<T>(levels: &[Level<T>], one: &T, two: &T) -> Ordering {
    let mut orders = levels.iter().map(|level| level.compare(one, two));
    orders
        .find(|order| order.is_ne())
        .unwrap_or(Ordering::Equal)
}
